import { IsomericError } from '../../errors.ts';

/** A field that a key, or a part of it, is read from. */
export interface KeyField {
  name: string;
  /** Digits that a number is filled up to with zeros in front: county 5 of 3 digits is `005`. */
  width?: number;
}

/** One equality: fields of one side put together, and those of the other. */
export interface KeyPair {
  own: readonly KeyField[];
  other: readonly KeyField[];
}

/** What must be equal for two rows to meet: all of its pairs. */
export type JoinKeys = readonly KeyPair[];

interface Token {
  kind: 'name' | 'quoted' | 'sign';
  text: string;
}

/** Names, quoted names and the signs `= + , ( )`; null where a quote does not end. */
function tokensOf(text: string): Token[] | null {
  const tokens: Token[] = [];
  let k = 0;
  while (k < text.length) {
    const c = text[k];
    if (c === '"') {
      const end = text.indexOf('"', k + 1);
      if (end < 0) return null;
      tokens.push({ kind: 'quoted', text: text.slice(k + 1, end) });
      k = end + 1;
    } else if ('=+,()'.includes(c)) {
      tokens.push({ kind: 'sign', text: c });
      k++;
    } else {
      let end = k;
      while (end < text.length && !'"=+,()'.includes(text[end])) end++;
      const name = text.slice(k, end).trim();
      if (name !== '') tokens.push({ kind: 'name', text: name });
      k = end;
    }
  }
  return tokens;
}

/** Reads key pairs from tokens, one after the other; null where a token does not fit. */
class PairReader {
  private at = 0;
  constructor(private readonly tokens: readonly Token[]) {}

  private sign(text: string): boolean {
    const token = this.tokens[this.at];
    if (token?.kind !== 'sign' || token.text !== text) return false;
    this.at++;
    return true;
  }

  private field(): KeyField | null {
    const token = this.tokens[this.at];
    if (token === undefined || token.kind === 'sign' || token.text === '') return null;
    this.at++;
    if (!this.sign('(')) return { name: token.text };
    const width = Number(this.tokens[this.at++]?.text);
    return Number.isInteger(width) && width > 0 && width < 100 && this.sign(')')
      ? { name: token.text, width }
      : null;
  }

  private side(): KeyField[] | null {
    const fields: KeyField[] = [];
    do {
      const field = this.field();
      if (field === null) return null;
      fields.push(field);
    } while (this.sign('+'));
    return fields;
  }

  pairs(): KeyPair[] | null {
    const pairs: KeyPair[] = [];
    do {
      const own = this.side();
      if (own === null) return null;
      const other = this.sign('=') ? this.side() : own;
      if (other === null) return null;
      pairs.push({ own, other });
    } while (this.sign(','));
    return this.at === this.tokens.length ? pairs : null;
  }
}

/**
 * `code = area_code`; several pairs with commas between them; fields that make a key together with `+`, each with the digits
 * that it is filled up to: `code = state (2) + county (3)`. One name alone stands for both sides. Names with other signs
 * stand in double quotes.
 *
 * @throws IsomericError `join-on-syntax`
 */
export function parseKeyPairs(text: string): JoinKeys {
  const tokens = tokensOf(text);
  const pairs = tokens === null ? null : new PairReader(tokens).pairs();
  if (pairs !== null) return pairs;
  throw new IsomericError('join-on-syntax', `“${text}” does not say what to join on.`, {
    blame: 'usage',
    wrong: text,
    advice:
      'Write LAYER_FIELD = TABLE_FIELD, for example: code = area_code; or code = state (2) + county (3); or state = ST, county = CTY.',
  });
}

const plain = /^[^"=+,()\s](?:[^"=+,()]*[^"=+,()\s])?$/;
const fieldText = ({ name, width }: KeyField) =>
  `${plain.test(name) ? name : `"${name}"`}${width === undefined ? '' : ` (${width})`}`;
const sideText = (fields: readonly KeyField[]) => fields.map(fieldText).join(' + ');

/** Key pairs as they are written. */
export function keyPairsText(keys: JoinKeys): string {
  return keys
    .map(({ own, other }) =>
      sideText(own) === sideText(other) ? sideText(own) : `${sideText(own)} = ${sideText(other)}`,
    )
    .join(', ');
}

/** Key pairs as they are written, or as a field of each side. */
export function asKeyPairs(on: JoinKeys | readonly [string, string]): JoinKeys {
  return typeof on[0] === 'string'
    ? [{ own: [{ name: on[0] }], other: [{ name: on[1] as string }] }]
    : (on as JoinKeys);
}

/** `code = area_code` → its two names, for what can only have one field on each side. */
export function parseOn(text: string): [string, string] {
  const pairs = parseKeyPairs(text);
  const [{ own, other }] = pairs;
  const simple = [own, other].every((side) => side.length === 1 && side[0].width === undefined);
  if (pairs.length === 1 && simple) return [own[0].name, other[0].name];
  throw new IsomericError('join-on-syntax', `“${text}” names more than one field on a side.`, {
    blame: 'usage',
    wrong: text,
    advice: 'Here one field of each side can be said: code = area_code.',
  });
}
