import { IsomericError } from '../../errors.ts';

/** A word, number, text or sign of an expression, and where it begins. */
export interface Token {
  kind: 'number' | 'text' | 'name' | 'quoted' | 'sign' | 'end';
  text: string;
  at: number;
}

/** An error in an expression that points at its character. */
export function expressionError(
  code: string,
  words: string,
  text: string,
  at: number,
  advice = '',
): IsomericError {
  const from = Math.max(0, at - 30);
  const shown = text.slice(from, at + 30).replace(/\s/g, ' ');
  const pointer = `\n  ${from > 0 ? '…' : ''}${shown}\n  ${' '.repeat(at - from + (from > 0 ? 1 : 0))}^`;
  return new IsomericError(code, `${words} at character ${at + 1}:${pointer}\n`, {
    place: { column: at + 1 },
    advice,
    blame: 'usage',
    wrong: { text, at },
  });
}

/** The cure of curly quotes, which word processors write. */
function straightened(rest: string): string {
  const curly = /^[‘’‚“”„]([^‘’“”]*)[‘’“”]?/.exec(rest);
  return curly === null ? '' : `Write straight quotes: '${curly[1]}'.`;
}

/** An expression as words, numbers, texts and signs; the last one is its end. */
export function tokens(text: string): Token[] {
  const list: Token[] = [];
  const pattern =
    /\s+|(?<number>(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?)|(?<name>[\p{L}_][\p{L}\p{N}_.:]*)|'(?<text>(?:[^'\\]|''|\\'|\\)*)'|"(?<quoted>(?:[^"]|"")*)"|(?<sign><>|<=|>=|[-+*/%^=<>(),])/uy;
  let at = 0;
  while (at < text.length) {
    pattern.lastIndex = at;
    const found = pattern.exec(text);
    if (found === null) {
      const open = text[at] === "'" || text[at] === '"';
      throw expressionError(
        'expression-syntax',
        open ? 'A quote is not closed' : `“${text[at]}” means nothing here`,
        text,
        at,
        text[at] === '!'
          ? 'Write <> for “not equal”.'
          : text[at] === '&' || text[at] === '|'
            ? 'Write AND, OR.'
            : straightened(text.slice(at)),
      );
    }
    const groups = found.groups!;
    if (groups.number !== undefined) list.push({ kind: 'number', text: groups.number, at });
    else if (groups.name !== undefined) list.push({ kind: 'name', text: groups.name, at });
    else if (groups.text !== undefined)
      list.push({ kind: 'text', text: groups.text.replace(/''|\\'/g, "'"), at });
    else if (groups.quoted !== undefined)
      list.push({ kind: 'quoted', text: groups.quoted.replaceAll('""', '"'), at });
    else if (groups.sign !== undefined) list.push({ kind: 'sign', text: groups.sign, at });
    at = pattern.lastIndex;
  }
  list.push({ kind: 'end', text: '', at: text.length });
  return list;
}
