import { isMap, isNode, parseDocument } from 'yaml';
import { IsomericError } from '../../core/errors.ts';

/** A value to be set: `area.units.code = [D3]`. */
export interface Change {
  path: readonly string[];
  value: unknown;
}

/** `area.units.code = [D3, D4]`: keys with points between, an equals sign, a value as YAML writes it. */
export function changeFrom(text: string): Change {
  const equals = text.indexOf('=');
  const path = text
    .slice(0, Math.max(0, equals))
    .split('.')
    .map((part) => part.trim());
  const refuse = (advice: string) =>
    new IsomericError('change-syntax', `“${text}” does not say what is set to what.`, {
      advice,
      blame: 'usage',
    });
  if (equals < 0 || path.some((part) => part === ''))
    throw refuse('Write KEY.KEY = VALUE, for example: area.units.code = [D3, D4].');
  const document = parseDocument(text.slice(equals + 1), { prettyErrors: false, logLevel: 'error' });
  if (document.errors.length > 0) throw refuse('Put the value in quotes.');
  return { path, value: document.contents };
}

/** The text of a file of settings with values set anew; all else stays as it was written, comments too. */
export function changedSettings(text: string, changes: readonly Change[]): string {
  if (changes.length === 0) return text;
  const document = parseDocument(text, { prettyErrors: false, logLevel: 'error' });
  // What cannot be read is told by who reads it for good.
  if (document.errors.length > 0 || !isMap(document.contents)) return text;
  for (const { path, value } of changes)
    try {
      document.setIn(path, isNode(value) ? value : document.createNode(value));
    } catch {
      throw new IsomericError(
        'change-path',
        `Nothing can be set at “${path.join('.')}”: above it stands a single value.`,
        {
          advice: 'Name a key that has keys of its own above it; docs/study-file.md lists them.',
          blame: 'usage',
        },
      );
    }
  return document.toString({ lineWidth: 0, flowCollectionPadding: true });
}
