import { IsomericError } from '../errors.ts';

/** A WKT node: `KEYWORD["text", 1.5, CHILD[…]]`. Both kinds of brackets are read. */
export interface WktNode {
  keyword: string;
  values: (string | number | WktNode)[];
}

/** Deepest nesting that is read; real definitions stay under ten. */
const deepest = 40;

/** Parses one WKT text (OGC 01-009 / ISO 19162 syntax) into a tree. */
export function parseWkt(text: string): WktNode {
  let at = 0;
  const fail = (words: string): never => {
    throw new IsomericError('wkt-syntax', `The CRS text is damaged: ${words} at character ${at + 1}.`, {
      place: { column: at + 1 },
      advice: 'Give the CRS by code instead, for example EPSG:4326.',
    });
  };
  const space = () => {
    while (at < text.length && /\s/.test(text[at])) at++;
  };
  const quoted = (): string => {
    let value = '';
    at++;
    for (;;) {
      if (at >= text.length) fail('a quote is not closed');
      if (text[at] === '"') {
        if (text[at + 1] !== '"') break;
        at++;
      }
      value += text[at++];
    }
    at++;
    return value;
  };
  const node = (depth: number): WktNode => {
    if (depth > deepest) fail('it is nested too deeply');
    const word = /[A-Za-z_][A-Za-z0-9_]*/y;
    word.lastIndex = at;
    const found = word.exec(text);
    if (found === null) return fail('a keyword is missing');
    at = word.lastIndex;
    const values: WktNode['values'] = [];
    space();
    if (text[at] !== '[' && text[at] !== '(') return { keyword: found[0].toUpperCase(), values };
    const close = text[at] === '[' ? ']' : ')';
    at++;
    for (;;) {
      space();
      if (at >= text.length) fail('a bracket is not closed');
      const c = text[at];
      if (c === '"') values.push(quoted());
      else if (/[-+.\d]/.test(c)) {
        const number = /[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?/y;
        number.lastIndex = at;
        const digits = number.exec(text);
        if (digits === null) return fail('a number is damaged');
        at = number.lastIndex;
        values.push(Number(digits[0]));
      } else values.push(node(depth + 1));
      space();
      if (text[at] === ',') at++;
      else if (text[at] === close) {
        at++;
        return { keyword: found[0].toUpperCase(), values };
      } else
        fail(
          at >= text.length
            ? 'a bracket is not closed'
            : `“${text[at]}” stands where a comma or bracket should`,
        );
    }
  };
  space();
  const root = node(0);
  space();
  if (at < text.length) fail('something follows the definition');
  return root;
}

export function child(node: WktNode, ...keywords: string[]): WktNode | undefined {
  return node.values.find(
    (value): value is WktNode => typeof value === 'object' && keywords.includes(value.keyword),
  );
}

export function children(node: WktNode, keyword: string): WktNode[] {
  return node.values.filter(
    (value): value is WktNode => typeof value === 'object' && value.keyword === keyword,
  );
}

export function textOf(node: WktNode | undefined, index = 0): string | undefined {
  const value = node?.values[index];
  return typeof value === 'string' ? value : undefined;
}

export function numberOf(node: WktNode | undefined, index: number): number | undefined {
  const value = node?.values[index];
  return typeof value === 'number' ? value : undefined;
}
