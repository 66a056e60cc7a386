import { changeOf, type Mend, type MendKind } from '../mends.ts';

/** The mends that both sides can have, in the order in which keys go through them. */
export const tidyKinds: readonly MendKind[] = [
  'guards',
  'blanks',
  'number formats',
  'letter case',
  'accents',
  'word order',
  'marks',
  'leading zeros',
];

/** Which of them is tried to be done without first: what changes most. */
const largestFirst: readonly MendKind[] = [
  'word order',
  'marks',
  'accents',
  'letter case',
  'number formats',
  'leading zeros',
  'guards',
  'blanks',
];

export const tidyMend = (kind: MendKind): Mend => ({ kind, side: 'both' });

const everything = changeOf(tidyKinds.map(tidyMend), 'layer')!;

/** What is left of a key when nothing but its letters and digits counts: keys that any of the mends brings together are the same. */
export function loosest(key: string): string {
  // Most keys are digits, or letters and digits without anything between them.
  if (/^[1-9][0-9]*$/.test(key)) return key;
  if (/^0[0-9]*$/.test(key)) return key.replace(/^0+(?=\d)/, '');
  if (/^[A-Za-z][A-Za-z0-9]*$/.test(key)) return key.toLowerCase();
  return everything(key);
}

/** Keys of two sides that meet. */
export type MetPair = readonly [own: string, other: string];

/**
 * The fewest mends with which keys that meet at their loosest still do: those whose absence would part more than a few of them.
 *
 * @param pairs keys as they come to these mends
 */
export function leastTidying(pairs: readonly MetPair[]): Mend[] {
  const few = Math.floor(pairs.length / 500);
  let kinds = [...tidyKinds];
  for (const kind of largestFirst) {
    const without = kinds.filter((each) => each !== kind);
    const change = changeOf(without.map(tidyMend), 'layer') ?? ((key: string) => key);
    let parted = 0;
    for (const [own, other] of pairs) {
      if (own === other) continue;
      if (change(own) !== change(other) && ++parted > few) break;
    }
    if (parted <= few) kinds = without;
  }
  return kinds.map(tidyMend);
}
