import { IsomericError } from '../../errors.ts';
import { suggest } from '../../nearest.ts';

/** The side whose keys a mend changes: what is joined to, what is joined, or both alike. */
export type Side = 'layer' | 'table' | 'both';

/** One change of keys, so that those of two sides can meet. Keys are compared changed; fields keep their values. */
export interface Mend {
  kind: MendKind;
  side: Side;
  /** Digits, signs or the number of a part (−1: the last one). */
  number?: number;
  /** A prefix, a suffix, or what parts a key. */
  text?: string;
}

interface MendDescription {
  /** Changes both sides alike. */
  both: boolean;
  /** May also be of one side alone. */
  either?: boolean;
  /** How it is written: `leading zeros to 6`; `#` is a number, `"` a text. */
  form: string;
  /** What it does, after “Keys”: for lists and help. */
  words: string;
  change(mend: Mend): (key: string) => string;
}

const same = (key: string) => key;
const digitsOnly = (key: string) => /^\d+$/.test(key);

/** Letters that have no accent to take off. */
const ligatures: Readonly<Record<string, string>> = {
  æ: 'ae',
  œ: 'oe',
  ø: 'o',
  ß: 'ss',
  ł: 'l',
  đ: 'd',
  ð: 'd',
  þ: 'th',
  ı: 'i',
  Æ: 'AE',
  Œ: 'OE',
  Ø: 'O',
  Ł: 'L',
  Đ: 'D',
  Ð: 'D',
  Þ: 'TH',
};

function withoutAccents(key: string): string {
  if (/^[ -~]*$/.test(key)) return key;
  return key
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .replace(/[æœøßłđðþıÆŒØŁĐÐÞ]/gu, (letter) => ligatures[letter]);
}

/** `1,001`, `1001.0`, `1.001E+03` → `1001`; what is no whole number stays. */
function plainNumber(key: string): string {
  if (digitsOnly(key)) return key;
  if (/^\d{1,3}(?:[,'’\u00a0\u202f ]\d{3})+(?:\.0+)?$/.test(key)) return key.split('.')[0].replace(/\D/g, '');
  if (/^\d+\.0+$/.test(key)) return key.slice(0, key.indexOf('.'));
  if (!/^\d(?:\.\d{1,15})?[eE]\+?\d{1,2}$/.test(key)) return key;
  const value = Number(key);
  return Number.isSafeInteger(value) ? String(value) : key;
}

const words = (key: string) =>
  key
    .replace(/['’‘`.]/g, '')
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '');

function part(key: string, { number = 1, text = '-' }: Mend): string {
  const parts = key.split(text);
  return (number < 0 ? parts[parts.length - 1] : parts[number - 1])?.trim() ?? key;
}

/** All mends by name; each names what is wrong with keys, or what of them is used. */
const mends = {
  guards: {
    both: true,
    form: 'guards',
    words: 'lose what office programs put around texts: ="0204", \'0204',
    change: () => (key) =>
      key
        .replace(/^="?([^"]*)"?$/, '$1')
        .replace(/^["'‘’`]([^"]*)$/, '$1')
        .replace(/"$/, ''),
  },
  blanks: {
    both: true,
    form: 'blanks',
    words: 'lose blanks before and behind, and all but one between words',
    change: () => (key) => key.replace(/[\s\u200b\u2060\ufeff]+/g, ' ').trim(),
  },
  'number formats': {
    both: true,
    form: 'number formats',
    words: 'that are numbers lose thousands marks and decimals of zero: 1,001 and 1001.0 are 1001',
    change: () => plainNumber,
  },
  'letter case': {
    both: true,
    form: 'letter case',
    words: 'are compared whatever the case of their letters',
    change: () => (key) => key.toLowerCase(),
  },
  accents: {
    both: true,
    form: 'accents',
    words: 'are compared without accents',
    change: () => withoutAccents,
  },
  'word order': {
    both: true,
    form: 'word order',
    words: 'are compared whatever the order of their words',
    change: () => (key) => words(key).sort().join(' '),
  },
  marks: {
    both: true,
    form: 'marks',
    words: 'are compared by letters and digits alone',
    change: () => (key) => key.replace(/[^\p{L}\p{N}]+/gu, ''),
  },
  'leading zeros': {
    both: true,
    either: true,
    form: 'leading zeros [to #]',
    words: 'of digits get their zeros back',
    // Without a width that the keys of either side tell, zeros in front do not count.
    change: ({ number }) =>
      number === undefined
        ? (key) => (digitsOnly(key) ? key.replace(/^0+(?=\d)/, '') : key)
        : (key) => (key.length < number && digitsOnly(key) ? key.padStart(number, '0') : key),
  },
  'long identifiers': {
    both: false,
    form: 'long identifiers',
    words: 'are compared by their last signs, as many as the keys of the other side have',
    // `settleMends` makes “last signs” of it, when the keys of both sides are known.
    change: () => same,
  },
  'last signs': {
    both: false,
    form: 'last # signs',
    words: 'are compared by their last signs',
    change:
      ({ number = 1 }) =>
      (key) =>
        key.slice(-number),
  },
  'first signs': {
    both: false,
    form: 'first # signs',
    words: 'are compared by their first signs',
    change:
      ({ number = 1 }) =>
      (key) =>
        key.slice(0, number),
  },
  'digits at the end': {
    both: false,
    form: 'digits at the end',
    words: 'are compared by the digits that they end in',
    change: () => (key) => key.slice(trailingDigits(key)),
  },
  prefix: {
    both: false,
    form: 'prefix "',
    words: 'lose a prefix',
    change:
      ({ text = '' }) =>
      (key) =>
        key.startsWith(text) ? key.slice(text.length) : key,
  },
  suffix: {
    both: false,
    form: 'suffix "',
    words: 'lose a suffix',
    change:
      ({ text = '' }) =>
      (key) =>
        text !== '' && key.endsWith(text) ? key.slice(0, -text.length) : key,
  },
  part: {
    both: false,
    form: 'part # at "',
    words: 'are compared by one of their parts',
    change: (mend) => (key) => part(key, mend),
  },
  'last part': {
    both: false,
    form: 'last part at "',
    words: 'are compared by their last part',
    change: (mend) => (key) => part(key, { ...mend, number: -1 }),
  },
  'near names': {
    both: true,
    form: 'near names',
    words:
      'that find nothing meet the one that is spelt nearest on the other side, where it is the only one so near',
    // A question of all keys of both sides, which `near-names.ts` answers; no key is changed by itself.
    change: () => same,
  },
} satisfies Record<string, MendDescription>;

/** Place of the digits that a key ends in; 0 where it ends in none. */
function trailingDigits(key: string): number {
  let k = key.length;
  while (k > 0 && key[k - 1] >= '0' && key[k - 1] <= '9') k--;
  return k === key.length ? 0 : k;
}

/** Name of a kind of mend. */
export type MendKind = keyof typeof mends;
/** The kinds of mends, the least change first. */
export const mendKinds = Object.keys(mends) as MendKind[];
/** What a kind of mend is, for help: how it is written, and what it does. */
export const mendDescription = (kind: MendKind): { form: string; words: string; both: boolean } =>
  mends[kind];

/** May a mend be of one side alone? */
function mayBeOfOne(kind: MendKind): boolean {
  const { both, either }: MendDescription = mends[kind];
  return !both || either === true;
}

/** A mend as it is written in a study and a command. */
export function mendText({ kind, side, number, text }: Mend): string {
  const form: string = mends[kind].form
    .replace(/ \[to #\]/, number === undefined ? '' : ` to ${number}`)
    .replace('#', String(number))
    .replace('"', `"${text}"`);
  return side === 'both' || !mayBeOfOne(kind) ? form : `${form} of the ${side}`;
}

/** Mends as they are written, one after the other. */
export const mendsText = (list: readonly Mend[]): string => list.map(mendText).join(', ');

/** Parts a list at commas outside quotes. */
function listed(text: string): string[] {
  const parts = text.match(/(?:[^,"]|"[^"]*"?)+/g) ?? [];
  return parts.map((each) => each.trim()).filter((each) => each !== '');
}

/** One mend of its words; null when they are none. */
function mendFrom(words: string): Mend | null {
  const sided = / of the (layer|table)$/.exec(words);
  const bare = sided === null ? words : words.slice(0, sided.index);
  const open = bare.indexOf('"');
  const text = open > 0 && bare.endsWith('"') ? bare.slice(open + 1, -1) : '';
  const quoted = text !== '' && !text.includes('"') ? { index: open, text } : null;
  const number = /(?:^| )(\d{1,3})(?= |$)/.exec(quoted === null ? bare : bare.slice(0, quoted.index));
  for (const kind of mendKinds) {
    const { form, both } = mends[kind];
    const of = sided?.[1] as Side | undefined;
    const side: Side = both ? ((mayBeOfOne(kind) ? of : undefined) ?? 'both') : (of ?? 'table');
    const mend: Mend = { kind, side };
    if (form.includes('#') && number !== null) mend.number = Number(number[1]);
    if (form.includes('"') && quoted !== null) mend.text = quoted.text;
    if (sided !== null && !mayBeOfOne(kind)) continue;
    const whole = sided === null && !both ? `${bare} of the table` : words;
    if (mendText(mend) === whole && !(form.includes('"') && quoted === null)) return mend;
  }
  return null;
}

/**
 * Mends as they are written, in the order in which keys go through them: `blanks, leading zeros to 6`.
 *
 * @throws IsomericError `repair-unknown`
 */
export function parseMends(text: string): Mend[] {
  return listed(text).map((words) => {
    const mend = mendFrom(words);
    if (mend !== null && mend.number !== 0) return mend;
    throw new IsomericError('repair-unknown', `There is no key repair “${words}”.`, {
      blame: 'usage',
      wrong: words,
      advice: suggest(
        words.replace(/ of the (layer|table)$/, ''),
        mendKinds.map((kind) =>
          mends[kind].form.replace(' [to #]', '').replace('#', '6').replace('"', '"X"'),
        ),
      ),
    });
  });
}

/** The change that settled mends make of the keys of one side; null: none. */
export function changeOf(list: readonly Mend[], side: 'layer' | 'table'): ((key: string) => string) | null {
  const changes = list
    .filter((mend) => mend.side === 'both' || mend.side === side)
    .map((mend) => mends[mend.kind].change(mend as never) as (key: string) => string)
    .filter((change) => change !== same);
  if (changes.length === 0) return null;
  return changes.length === 1 ? changes[0] : (key) => changes.reduce((changed, next) => next(changed), key);
}

/** Digits that nine of ten keys of digits have; 0 where they differ more. Greatest length of all keys. */
function widthsOf(keys: Iterable<string>): { digits: number; signs: number } {
  const lengths = new Map<number, number>();
  let all = 0;
  let signs = 0;
  for (const key of keys) {
    signs = Math.max(signs, key.length);
    if (!digitsOnly(key)) continue;
    all++;
    lengths.set(key.length, (lengths.get(key.length) ?? 0) + 1);
  }
  const [digits, times] = [...lengths].reduce((most, each) => (each[1] > most[1] ? each : most), [0, 0]);
  return { digits: times >= 0.9 * all ? digits : 0, signs };
}

/**
 * Gives mends what only the keys of both sides tell: the width that zeros are restored to, how many last signs of long identifiers
 * count. Keys are those that come, each as the mends before have changed it.
 */
export function settleMends(
  list: readonly Mend[],
  keysOf: { layer(): Iterable<string>; table(): Iterable<string> },
): Mend[] {
  const settled: Mend[] = [];
  const widths = (side: 'layer' | 'table') => {
    const change = changeOf(settled, side) ?? same;
    return widthsOf(
      (function* () {
        for (const key of keysOf[side]()) yield change(key);
      })(),
    );
  };
  for (const mend of list) {
    if (mend.kind === 'leading zeros' && mend.number === undefined) {
      const number = Math.max(widths('layer').digits, widths('table').digits);
      settled.push(number === 0 ? mend : { ...mend, number });
    } else if (mend.kind === 'long identifiers') {
      const number = widths(mend.side === 'layer' ? 'table' : 'layer').signs;
      settled.push(number === 0 ? mend : { kind: 'last signs', side: mend.side, number });
    } else settled.push(mend);
  }
  return settled;
}
