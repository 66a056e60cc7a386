import { IsomericError } from '../core/errors.ts';
import { suggest } from '../core/nearest.ts';

/** A dimension of a table: its values by code, with what they are called. */
export interface Dimension {
  id: string;
  name: string;
  /** Code → name; null where any value may stand. */
  values: ReadonlyMap<string, string> | null;
}

const plain = (text: string) => text.normalize('NFC').trim().toLowerCase();

/** The code of one value, named by itself or by what it is called. */
function codeOf(dimension: Dimension, value: string, table: string): string {
  const { values } = dimension;
  if (values === null || values.has(value)) return value;
  const wanted = plain(value);
  const found = [...values].filter(([code, name]) => plain(code) === wanted || plain(name) === wanted);
  if (found.length === 1) return found[0][0];
  throw new IsomericError(
    found.length === 0 ? 'choice-unknown' : 'choice-unclear',
    found.length === 0
      ? `${table}: ${dimension.name} (${dimension.id}) has no value “${value}”.`
      : `${table}: “${value}” is what several values of ${dimension.name} are called: ${found.map(([code]) => code).join(', ')}.`,
    {
      wrong: value,
      advice: found.length === 0 ? suggest(value, [...values.keys(), ...values.values()]) : 'Give the code.',
      blame: 'usage',
    },
  );
}

/**
 * Codes by dimension, from choices in readable words: dimensions by id or name, values by code or name.
 */
export function codesChosen(
  choose: Readonly<Record<string, readonly string[]>>,
  dimensions: readonly Dimension[],
  table: string,
): Map<string, string[]> {
  const chosen = new Map<string, string[]>();
  for (const [name, values] of Object.entries(choose)) {
    const dimension =
      dimensions.find((each) => each.id === name) ??
      dimensions.find((each) => plain(each.id) === plain(name) || plain(each.name) === plain(name));
    if (dimension === undefined)
      throw new IsomericError('choice-unknown', `${table} has no dimension “${name}”.`, {
        wrong: name,
        advice: suggest(
          name,
          dimensions.flatMap((each) => [each.id, each.name]),
        ),
        blame: 'usage',
      });
    chosen.set(dimension.id, [...new Set(values.map((value) => codeOf(dimension, value, table)))]);
  }
  return chosen;
}

/** `2024` or `2019 to 2024` as first and last period. */
export function periodOf(text: string): { from: string; to: string } {
  const found = /^\s*(\d[\w-]*)\s*(?:to|–)\s*(\d[\w-]*)\s*$/.exec(text);
  if (found !== null) return { from: found[1], to: found[2] };
  if (/^\s*\d[\w-]*\s*$/.test(text)) return { from: text.trim(), to: text.trim() };
  throw new IsomericError('period-unclear', `“${text}” is no period.`, {
    advice: 'Write “2024”, “2024-Q1” or “2019 to 2024”.',
    blame: 'usage',
  });
}
