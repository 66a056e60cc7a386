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

export const keyRepairs = ['leading zeros', 'long identifiers'] as const;
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

/**
 * Would the unmatched keys of one side (all shorter than the fixed width of the other) match with their leading zeros
 * restored? Undefined when not one would.
 */
export function proposeZeros(
  unmatched: readonly string[],
  other: KeyIndex,
  whose: string,
): RepairProposal | undefined {
  const width = digitWidth(other);
  if (width === 0) return undefined;
  let wouldMatch = 0;
  const examples: string[] = [];
  for (const key of unmatched) {
    const padded = withZeros(key, width);
    if (padded === key || other.getText(padded) < 0) continue;
    wouldMatch++;
    if (examples.length < 3) examples.push(`${key} → ${padded}`);
  }
  if (wouldMatch === 0) return undefined;
  return {
    repair: 'leading zeros',
    wouldMatch,
    unmatched: unmatched.length,
    examples,
    words: `${wouldMatch} of the ${unmatched.length} unmatched keys of ${whose} lost leading zeros: padded to ${width} digits they match (${examples.join(', ')}).`,
  };
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

/** Would unmatched long keys match the digits of the other side by their last signs? Undefined when not one would. */
export function proposeTails(
  unmatched: readonly string[],
  other: KeyIndex,
  whose: string,
): RepairProposal | undefined {
  const width = digitWidth(other);
  if (width < 3) return undefined;
  let wouldMatch = 0;
  const examples: string[] = [];
  for (const key of unmatched) {
    const tail = tailOf(key, width);
    if (tail === key || other.getText(tail) < 0) continue;
    wouldMatch++;
    if (examples.length < 3) examples.push(`${key} → ${tail}`);
  }
  if (wouldMatch === 0) return undefined;
  return {
    repair: 'long identifiers',
    wouldMatch,
    unmatched: unmatched.length,
    examples,
    words: `${wouldMatch} of the ${unmatched.length} unmatched keys of ${whose} are long identifiers: their last ${width} signs match (${examples.join(', ')}).`,
  };
}
