import { type Document, visit, type YAMLError } from 'yaml';

/** A mistake of the text, before anything is known of what it ought to say. */
export interface TextMistake {
  at: number;
  words: string;
  advice: string;
  /** What follows is read wrongly because of it, so that nothing more is told. */
  last?: boolean;
}

const endOfLine = (text: string, at: number) => {
  const end = text.indexOf('\n', at);
  return end < 0 ? text.length : end;
};
const startOfLine = (text: string, at: number) => text.lastIndexOf('\n', at - 1) + 1;
/** Most of a line that a message repeats. */
const longestShown = 160;

function restOfLine(text: string, at: number): string {
  const rest = text.slice(at, endOfLine(text, at)).trim();
  return rest.length > longestShown ? `${rest.slice(0, longestShown)}…` : rest;
}

/** What stands behind the key (and dash) of a line, without a comment. */
function valueOfLine(text: string, at: number): { key: string; value: string } {
  let rest = withoutComment(text.slice(startOfLine(text, at), endOfLine(text, at))).trim();
  while (rest.startsWith('- ')) rest = rest.slice(2).trimStart();
  const colon = /^['"]/.test(rest) ? -1 : rest.indexOf(': ');
  return colon < 0
    ? { key: '', value: rest }
    : { key: rest.slice(0, colon + 1), value: rest.slice(colon + 2).trim() };
}

/** A line up to the comment at its end. */
export function withoutComment(line: string): string {
  for (let at = line.indexOf('#'); at >= 0; at = line.indexOf('#', at + 1))
    if (at === 0 || line[at - 1] === ' ' || line[at - 1] === '\t') return line.slice(0, at);
  return line;
}

/** A text as YAML takes it whatever is in it. */
export function quoted(value: string): string {
  const [open, close] = [value[0], value.at(-1)];
  const same = value.length > 1 && (open === close ? /['"]/.test(open) : /^[“„‘‚].*[“”‘’]$/.test(value));
  const plain = same ? value.slice(1, -1) : value;
  return plain.includes('"') || plain.includes('\\') ? `'${plain.replaceAll("'", "''")}'` : `"${plain}"`;
}

const inQuotes = (text: string, at: number) => {
  const { key, value } = valueOfLine(text, at);
  if (key.length + value.length > longestShown) return 'Put the whole text in quotes.';
  return `Put the whole text in quotes: ${key === '' ? '' : `${key} `}${quoted(value)}`;
};

/** The bracket before `at` that nothing closes. */
function openBracket(text: string, at: number): number {
  const open: number[] = [];
  let quote = '';
  for (let k = 0; k < at; k++) {
    const c = text[k];
    if (quote !== '') {
      if (c === quote) quote = '';
    } else if ((c === '"' || c === "'") && /[\s[{,:]/.test(text[k - 1] ?? ' ')) quote = c;
    else if (c === '#' && /\s/.test(text[k - 1] ?? ' ')) k = endOfLine(text, k);
    else if (c === '[' || c === '{') open.push(k);
    else if (c === ']' || c === '}') open.pop();
  }
  return open.at(-1) ?? at;
}

/** `{ where: code IN ('A', 'B') }`: a comma and quotes in a text without quotes, in brackets. */
function cutInside(text: string, at: number): TextMistake {
  const opening = openBracket(text, at);
  const inside = text.slice(opening, at);
  const colon = inside.lastIndexOf(': ');
  const start = colon < 0 ? opening + 1 : opening + colon + 2;
  const close = text[opening] === '{' ? '}' : ']';
  const end = Math.min(...[text.indexOf(close, at), endOfLine(text, at)].filter((each) => each >= 0));
  const written = text.slice(start, end).trim();
  const before = inside.slice(0, Math.max(0, colon));
  const key = before.slice(Math.max(...['{', '[', ','].map((sign) => before.lastIndexOf(sign))) + 1).trim();
  return cutByComma(start, written, key);
}

/** What a comma cuts in two, and how it is kept whole. */
export const cutByComma = (at: number, written: string, key: string): TextMistake => ({
  at,
  words: `In brackets a comma ends the value: “${written}” is cut in two.`,
  advice:
    key === ''
      ? `Put it in quotes: ${quoted(written)}`
      : `Put it in quotes: { ${key}: ${quoted(written)} }, or write “${key}: …” on a line of its own without brackets.`,
  last: true,
});

const afterQuotes = (text: string, at: number): TextMistake => ({
  at: /['"]/.test(text[at - 1] ?? '') ? at - 1 : at,
  words: `The text in quotes ends before “${restOfLine(text, at)}”.`,
  advice: inQuotes(text, at),
  last: true,
});

type Read = (error: YAMLError, text: string, document: Document.Parsed) => TextMistake;

const special: Read = ({ pos: [at] }, text) => ({
  at,
  words: `A text cannot begin with “${text[at]}”.`,
  advice: inQuotes(text, at),
});

function openQuote(error: YAMLError, document: Document.Parsed): number {
  let at = error.pos[0];
  visit(document, {
    Scalar(_, node) {
      if (!node.type?.startsWith('QUOTE') || !node.range) return;
      if (node.range[0] <= error.pos[0] && node.range[1] >= error.pos[0]) at = node.range[0];
    },
  });
  return at;
}

const unclosed = (text: string, at: number): TextMistake => {
  const opening = openBracket(text, at);
  const [open, close] = text[opening] === '{' ? '{}' : '[]';
  return {
    at: opening,
    words: `The bracket “${open}” is not closed.`,
    advice: `Write “${close}” where it ends; what stands in brackets may go on over several lines only when they are indented.`,
    last: true,
  };
};

/** Mistakes that the parser finds, in words of people who never heard of its own. */
const readers: Readonly<Record<string, Read>> = {
  TAB_AS_INDENT: ({ pos: [at] }) => ({
    at,
    words: 'The line is indented with a tab.',
    advice: 'Indent with blanks, two for each level.',
    last: true,
  }),
  BLOCK_AS_IMPLICIT_KEY: ({ pos: [at] }, text) => {
    if (/:(\s|$)/.test(restOfLine(text, at)))
      return {
        at,
        words: `“${restOfLine(text, at)}” holds a colon with a blank behind it, as if it were a key itself.`,
        advice: inQuotes(text, at),
      };
    const next = endOfLine(text, at) + 1;
    const indent = /^ */.exec(text.slice(next))![0].length;
    return {
      at: next + indent,
      words: 'The line is indented deeper than the one above, which has its value already.',
      advice: 'Begin it in the same column as the line above.',
    };
  },
  MULTILINE_IMPLICIT_KEY: ({ pos: [at] }, text) => {
    const line = restOfLine(text, at);
    const tight = /^([^\s:]+):(\S.*)$/.exec(line);
    if (tight !== null)
      return {
        at: at + tight[1].length,
        words: 'A blank is missing behind the colon.',
        advice: `Write “${tight[1]}: ${tight[2]}”.`,
      };
    return {
      at,
      words: `There is no colon in “${line}”.`,
      advice: `Write “${line.includes(' ') ? line.replace(' ', ': ') : `${line}:`}”.`,
    };
  },
  BAD_INDENT: ({ pos: [at], message }, text) =>
    /end with a/.test(message)
      ? unclosed(text, at)
      : {
          at: startOfLine(text, at) + /^ */.exec(text.slice(startOfLine(text, at)))![0].length,
          last: true,
          words: 'The line begins in another column than those that it belongs to.',
          advice: 'Indent all keys of a part by the same number of blanks; lists and keys cannot be mixed.',
        },
  MISSING_CHAR: (error, text, document) => {
    const [at] = error.pos;
    if (/quote/.test(error.message)) {
      const opening = openQuote(error, document);
      return {
        at: opening,
        words: `The quote ${text[opening]} that begins here is not closed.`,
        advice: 'Write the same quote where the text ends.',
        last: true,
      };
    }
    if (/^Missing ,/.test(error.message)) return cutInside(text, at);
    if (/end with/i.test(error.message)) return unclosed(text, at);
    const line = text.slice(startOfLine(text, at), endOfLine(text, at)).trim();
    if (/^-\S/.test(line))
      return {
        at,
        words: 'A blank is missing behind the dash.',
        advice: `Write “- ${line.slice(1)}”.`,
      };
    return { at, words: `There is no colon in “${line}”.`, advice: `Write “${line}:”.` };
  },
  UNEXPECTED_TOKEN: (error, text) => {
    const { message } = error;
    const [at] = error.pos;
    if (/same line with key/.test(message))
      return {
        at,
        words: 'A list with dashes cannot begin on the line of its key.',
        advice: `Write [${restOfLine(text, at).replace(/^- */, '')}], or put the dash on the next line.`,
      };
    if (/Unexpected scalar at node end/.test(message)) return afterQuotes(text, at);
    const { value } = valueOfLine(text, at);
    if (/^[>|]/.test(value))
      return {
        at: text.indexOf(value, startOfLine(text, at)),
        words: `A text cannot begin with “${value[0]}”.`,
        advice: inQuotes(text, at),
        last: true,
      };
    if (/^['"]/.test(value)) return afterQuotes(text, at);
    if (/in flow/.test(message))
      return {
        at,
        words: `“${text[at]}” is not expected in these brackets.`,
        advice: 'Write “key: value” pairs in { }, values in [ ], with commas between.',
      };
    return other(error, text);
  },
  BAD_ALIAS: special,
  BAD_SCALAR_START: special,
  TAG_RESOLVE_FAILED: special,
  BAD_DQ_ESCAPE: ({ pos: [at] }, text) => ({
    at,
    words: 'A backslash in double quotes does not stand for itself.',
    advice: inQuotes(text, at).replace('the whole text in quotes', 'it in single quotes'),
  }),
  MULTIPLE_DOCS: ({ pos: [at] }) => ({
    at,
    words: '“---” begins a second file within this one.',
    advice: 'Take the line out.',
    last: true,
  }),
};

function other({ pos: [at] }: YAMLError, text: string): TextMistake {
  return {
    at,
    words: `“${restOfLine(text, at).slice(0, 40) || 'the end of the file'}” is not expected here.`,
    advice: 'If it is a text, put it in quotes.',
  };
}

/** `-b: 1` a line above or here makes whatever follows unreadable. */
function tightDash(text: string, at: number): TextMistake | null {
  const start = startOfLine(text, at);
  for (const from of [startOfLine(text, Math.max(0, start - 1)), start]) {
    const found = /^( *)-([^\s-].*)$/.exec(text.slice(from, endOfLine(text, from)));
    if (found !== null)
      return {
        at: from + found[1].length,
        words: 'A blank is missing behind the dash.',
        advice: `Write “- ${found[2]}”.`,
        last: true,
      };
  }
  return null;
}

/** What the parser stumbled over, one mistake a line. */
export function yamlMistakes(document: Document.Parsed, text: string): TextMistake[] {
  const lines = new Set<number>();
  const mistakes: TextMistake[] = [];
  const all = [...document.errors, ...document.warnings].sort((a, b) => a.pos[0] - b.pos[0]);
  for (const error of all) {
    const read = Object.hasOwn(readers, error.code) ? readers[error.code] : other;
    const mistake = tightDash(text, error.pos[0]) ?? read(error, text, document);
    const own = [startOfLine(text, error.pos[0]), startOfLine(text, mistake.at)];
    if (own.some((line) => lines.has(line))) continue;
    for (const line of own) lines.add(line);
    mistakes.push(mistake);
    if (mistake.last) break;
  }
  return mistakes;
}
