import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import type { Opened } from './contents.ts';

/** The one layer or table that is meant: by its name, or because there is only one. */
export function chosenOf(opened: readonly Opened[], file: string, name?: string): Opened {
  const names = opened.map(({ table }) => table.name);
  if (name === undefined) {
    if (opened.length === 1) return opened[0];
    // Of a table and what describes it, the table is meant.
    const data = opened.filter((each) => each.describes !== true);
    if (data.length === 1) return data[0];
    throw new IsomericError(
      'layer-unclear',
      `There are ${opened.length} layers in it: ${names.join(', ')}.`,
      { place: { file }, advice: 'Say which one (--layer; “layer” in a study or program).', blame: 'usage' },
    );
  }
  const chosen = opened.find(({ table }) => table.name === name);
  if (chosen !== undefined) return chosen;
  throw new IsomericError('layer-unknown', `There is no layer “${name}” in it.`, {
    place: { file },
    wrong: name,
    advice: suggest(name, names),
    blame: 'usage',
  });
}
