import { IsomericError } from '../errors.ts';
import type { KeyIndex } from './key-index.ts';

/** A way to turn keys of one side into keys of the other, with the proof of how many it would match. */
export interface RepairProposal {
  repair: KeyRepair;
  /** Keys that find no partner now and would find one. */
  wouldMatch: number;
  /** Keys without a partner now. */
  unmatched: number;
  /** `1204 → 01204` */
  examples: string[];
  words: string;
}

/** The ways to repair keys. */
export const keyRepairs = ['leading zeros', 'long identifiers'] as const;
/** A way to repair keys. */
export type KeyRepair = (typeof keyRepairs)[number];

/** The common length of keys that are made of digits only; 0 when they differ in length or hold letters. */
export function digitWidth(index: KeyIndex): number {
  let width = 0;
  for (let key = 0; key < index.size; key++) {
    const text = index.text(key);
    if (!/^\d+$/.test(text)) return 0;
    if (width === 0) width = text.length;
    else if (width !== text.length) return 0;
  }
  return width;
}

/** Restores the zeros that a key of digits lost: `1204` → `01204` for width 5. Other keys stay as they are. */
export function withZeros(key: string, width: number): string {
  return /^\d+$/.test(key) && key.length < width ? key.padStart(width, '0') : key;
}

/** The last signs of a long identifier: `TE24W020408` → `020408` for width 6. Shorter keys stay as they are. */
export function tailOf(key: string, width: number): string {
  return key.length > width ? key.slice(-width) : key;
}

/** What a repair makes of a key, when the keys of the other side are digits of one length. */
export function repairedKey(repair: KeyRepair, key: string, width: number): string {
  return repair === 'leading zeros' ? withZeros(key, width) : tailOf(key, width);
}

/** A repair by its name; an error when there is none of that name. */
export function keyRepairNamed(name: string): KeyRepair {
  const found = keyRepairs.find((repair) => repair === name);
  if (found !== undefined) return found;
  throw new IsomericError('repair-unknown', `There is no key repair “${name}”.`, {
    blame: 'usage',
    advice: `There is: ${keyRepairs.join(', ')}.`,
  });
}

/** What is wrong with keys that a repair sets right, in words. */
const faults: Record<KeyRepair, (width: number) => string> = {
  'leading zeros': (width) => `lost leading zeros: padded to ${width} digits they match`,
  'long identifiers': (width) => `are long identifiers: their last ${width} signs match`,
};

/**
 * Would unmatched keys of one side match after a repair, where the keys of the other are digits of one length?
 * Undefined when not one would.
 */
export function proposeRepair(
  repair: KeyRepair,
  unmatched: readonly string[],
  other: KeyIndex,
  whose: string,
): RepairProposal | undefined {
  const width = digitWidth(other);
  // Of one or two digits nearly every long text has some at its end.
  if (width < (repair === 'leading zeros' ? 1 : 3)) return undefined;
  let wouldMatch = 0;
  const examples: string[] = [];
  for (const key of unmatched) {
    const repaired = repairedKey(repair, key, width);
    if (repaired === key || other.getText(repaired) < 0) continue;
    wouldMatch++;
    if (examples.length < 3) examples.push(`${key} → ${repaired}`);
  }
  if (wouldMatch === 0) return undefined;
  return {
    repair,
    wouldMatch,
    unmatched: unmatched.length,
    examples,
    words: `${wouldMatch} of the ${unmatched.length} unmatched keys of ${whose} ${faults[repair](width)} (${examples.join(', ')}).`,
  };
}
