import type { FillRule } from '../core/geometry/overlay/fill-rule.ts';

/** Options of all verbs that cut a layer at the border of an area. */
export const cutting = {
  rule: {
    kind: 'choice',
    words: 'what rings enclose that cross or overlap themselves',
    choices: ['non-zero', 'even-odd'],
    usual: 'non-zero',
  },
  turn: {
    kind: 'flag',
    words: 'turn all rings one way, also of what is kept whole: shells counter-clockwise, holes clockwise',
  },
} as const;

/** The rule of a word. */
export const fillRule = (word: string | undefined): FillRule | undefined =>
  word === 'even-odd' || word === 'non-zero' ? word : undefined;

/** How a program says it. */
export interface Cutting {
  /** Keeps whole what reaches across the border. */
  keep?: 'whole';
  /** What has less than this of itself left is dropped, in per cent. */
  least?: number;
  rule?: FillRule;
  turn?: boolean;
}
