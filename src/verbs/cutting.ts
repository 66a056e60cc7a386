import type { FillRule } from '../core/geometry/overlay/fill-rule.ts';
import type { Layer } from '../core/layer/layer.ts';

/** Options of all verbs that cut a layer at the border of an area. */
export const cutting = {
  rule: {
    kind: 'choice',
    words: 'what rings enclose that cross or overlap themselves',
    choices: ['non-zero', 'even-odd'],
    usual: 'non-zero',
  },
  strict: {
    kind: 'flag',
    words: 'stop at the first feature that is invalid, with its place, instead of reading it by the rule',
  },
  share: { kind: 'flag', words: 'add a field with the share of each feature that is left' },
  split: {
    kind: 'names',
    words: 'fields whose figures are split by the share of each piece (counts, not rates)',
    sign: 'names',
  },
  turn: {
    kind: 'flag',
    words: 'turn all rings one way, also of what is kept whole: shells counter-clockwise, holes clockwise',
  },
} as const;

/** The rule of a word. */
export const fillRule = (word: string | undefined): FillRule | undefined =>
  word === 'even-odd' || word === 'non-zero' ? word : undefined;

/** The layer to be cut: as it is, or one that stops at what is invalid. */
export async function checked(given: Layer, strict: boolean | undefined): Promise<Layer> {
  if (strict !== true) return given;
  const { onlyValid } = await import('../core/layer/verbs/only-valid.ts');
  return onlyValid(given);
}

/** How a program says it. */
export interface Cutting {
  /** Keeps whole what reaches across the border. */
  keep?: 'whole';
  /** What has less than this of itself left is dropped, in per cent. */
  least?: number;
  rule?: FillRule;
  turn?: boolean;
  /** Stops at the first feature that is invalid. */
  strict?: boolean;
  /** Adds a field with the share of each feature that is left. */
  share?: boolean;
  /** Fields whose figures are split by that share. */
  split?: readonly string[];
}
