import { type ClassifyOptions, type ClassRule, classifyFeatures } from '../core/layer/verbs/classify.ts';
import { describeVerb } from './description.ts';
import { stepOf, type TableStep } from './step.ts';

/** Classes as a program or a study writes them: name → condition in CQL2, or values of a field. */
export type RuleTexts = Readonly<Record<string, string | readonly (string | number)[]>>;

/** Classes in the order in which they are written. */
export const rulesOf = (texts: RuleTexts): ClassRule[] =>
  Object.entries(texts).map(([name, rule]) => ({ name, rule }));

export const classifyVerb = describeVerb({
  name: 'classify',
  words: 'give each feature the first class whose rule holds; where rules overlap or leave gaps is told',
  takes: 'table',
  own: 'rules',
  options: {
    rules: {
      kind: 'rules',
      words:
        'the classes in order: CLASS: condition in CQL2, or the values of a field; in a command a file with them (YAML or JSON)',
      required: true,
      command: 'argument',
    },
    of: { kind: 'text', words: 'field whose values the rules list', sign: 'field' },
    as: { kind: 'text', words: 'name of the new field', sign: 'name', usual: 'class' },
    otherwise: {
      kind: 'text',
      words: 'what is called so that no rule holds for; blank when left out',
      sign: 'class',
    },
  },
  examples: [
    {
      command:
        'isomeric classify data/map-extracts/frequency-parts.csv data/map-extracts/frequency-classes.yaml --as frequency --out classes.csv',
      study: '- classify:\n    large: persons >= 2000\n    small: persons < 2000\n  as: size',
      program: "classify({ large: 'persons >= 2000', small: 'persons < 2000' }, { as: 'size' })",
    },
  ],
  apply: (given, options) => classifyFeatures(given, options),
});

/**
 * Gives each feature the first class whose rule holds.
 *
 * @param rules `{ large: 'persons >= 2000', small: 'persons < 2000' }`, or with `of` lists of values: `{ water: ['river', 'lake'] }`
 */
export function classify(rules: RuleTexts, options: Omit<ClassifyOptions, 'rules'> = {}): TableStep {
  return stepOf(classifyVerb, () => ({ ...options, rules: rulesOf(rules) }));
}
