import { clashRules } from '../core/layer/joining/words.ts';
import type { OptionDescription } from './description.ts';

/** What verbs that bring columns of others have in common. */
export const joining = {
  clash: {
    kind: 'choice',
    words:
      'what becomes of a column whose name the layer has: it gets a number, the name of its table in front, stays away, or takes the place',
    sign: 'rule',
    choices: clashRules,
    usual: 'number',
  },
} as const satisfies Record<string, OptionDescription>;
