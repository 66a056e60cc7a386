import { IsomericError } from '../errors.ts';

/** What a code is made of: words between, the code of the sheet above, and names of the cell. */
export type Token =
  | { readonly kind: 'literal'; readonly text: string }
  | { readonly kind: 'parent' }
  | { readonly kind: 'number' | 'row' | 'column' }
  /** How many columns from the west and rows from the north it is over the whole plane, and how deep: of quad-trees. */
  | { readonly kind: 'all columns' | 'all rows'; readonly count: number };

export type LabelKind = 'number' | 'row' | 'column';

/** How the codes of a level are written. */
export interface Template {
  readonly text: string;
  readonly tokens: readonly Token[];
  /** Those from here to there are left out where a row is one sheet: [from, to). */
  readonly optional: readonly [number, number] | null;
}

const names = new Set(['parent', 'number', 'row', 'column']);

/**
 * Reads `{parent}-{number}` or `{row}[-{column}]`; what stands in brackets is left out where a row is one sheet.
 *
 * @throws IsomericError `sheet-scheme-code`
 */
export function readTemplate(text: string): Template {
  const tokens: Token[] = [];
  let optional: [number, number] | null = null;
  let open = -1;
  let at = 0;
  const refuse = (words: string): never => {
    throw new IsomericError('sheet-scheme-code', `“${text}” is no way to write codes: ${words}.`, {
      advice: 'Write for example {parent}-{number}, {row}{column} or {row}[-{column}].',
      blame: 'usage',
      wrong: text,
    });
  };
  while (at < text.length) {
    const c = text[at];
    if (c === '{') {
      const end = text.indexOf('}', at);
      const name = end < 0 ? '' : text.slice(at + 1, end);
      if (!names.has(name)) refuse(`in braces stands one of ${[...names].join(', ')}`);
      tokens.push({ kind: name as 'parent' });
      at = end + 1;
    } else if (c === '[') {
      if (open >= 0 || optional !== null) refuse('only one part can be in brackets');
      open = tokens.length;
      at++;
    } else if (c === ']') {
      if (open < 0) refuse('a bracket closes what was not opened');
      optional = [open, tokens.length];
      open = -1;
      at++;
    } else {
      let end = at;
      while (end < text.length && !'{[]'.includes(text[end])) end++;
      tokens.push({ kind: 'literal', text: text.slice(at, end) });
      at = end;
    }
  }
  if (open >= 0) refuse('a bracket is not closed');
  if (!tokens.some(({ kind }) => kind !== 'literal' && kind !== 'parent'))
    refuse('nothing tells one sheet from another');
  return { text, tokens, optional };
}
