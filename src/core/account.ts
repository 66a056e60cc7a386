import type { Finding } from './findings.ts';

/** A count with its words: `[164, 'cut']`. */
export type Count = readonly [number: number, words: string];

/** 48210 → `48,210`. */
export function grouped(value: number): string {
  const [whole, fraction] = String(value).split('.');
  const spaced = whole.replace(/\B(?=(\d{3})+(?!\d))/g, ',');
  return fraction === undefined ? spaced : `${spaced}.${fraction}`;
}

/** `a`, `a and b`, `a, b and c` */
export function listed(words: readonly string[]): string {
  return words.length < 2
    ? words.join('')
    : `${words.slice(0, -1).join(', ')} and ${words[words.length - 1]}`;
}

/** `1 polygon has`, `2,000 polygons have`. */
export function counted(count: number, one: string, many: string): string {
  return `${grouped(count)} ${count === 1 ? one : many}`;
}

/**
 * What a verb did to its features. It fills while batches flow and is closed when the last one has gone;
 * reading the layer again starts it afresh.
 */
export interface Account {
  verb: string;
  /** What was worked on: the layer's or table's name. */
  subject: string;
  counts: Record<string, number>;
  /** Further sentences: reasons, examples, what was said of the CRS. */
  notes: string[];
  findings: Finding[];
  closed: boolean;
  /** The account in plain words. */
  sentence: string;
}

/**
 * An account that is not closed yet, without counts.
 *
 * @param verb the verb's name, as it begins the sentence
 * @param subject name of the layer or table
 */
export function openAccount(verb: string, subject: string): Account {
  return { verb, subject, counts: {}, notes: [], findings: [], closed: false, sentence: '' };
}

/** Empties an account: its table is read once more. */
export function resetAccount(account: Account): void {
  account.counts = {};
  account.notes = [];
  account.findings = [];
  account.closed = false;
  account.sentence = '';
}

/** Closes an account with `Verb: first; second, third.`: the first count, then the rest. */
export function closeAccount(account: Account, first: Count, ...rest: Count[]): void {
  account.closed = true;
  const words = (count: Count) => `${grouped(count[0])} ${count[1]}`;
  const tail = rest.length > 0 ? `; ${rest.map(words).join(', ')}` : '';
  account.sentence = `${account.verb}: ${words(first)}${tail}.`;
}
