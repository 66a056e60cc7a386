import { describeVerb } from './description.ts';
import { stepOf, type TableStep } from './step.ts';

export const whereVerb = describeVerb({
  name: 'where',
  words: 'keep only the rows for which a condition is true',
  takes: 'table',
  own: 'condition',
  options: {
    condition: {
      kind: 'text',
      words: 'a condition in CQL2: "households > 100"',
      sign: 'cql2',
      required: true,
      command: 'argument',
    },
  },
  examples: [
    {
      command: `isomeric where data/boundary-office/wards-2024.geojson "district = 'T204'" --out t204.geojson`,
      study: `- where: district = 'T204'`,
      program: `where("district = 'T204'")`,
    },
  ],
  async apply(given, { condition }) {
    // Expressions are loaded when there is one.
    const { filterRows } = await import('../core/layer/verbs/filter.ts');
    return filterRows(given, condition);
  },
});

/** Keeps only the rows for which a condition in CQL2 is true; a blank is not. */
export function where(condition: string): TableStep {
  return stepOf(whereVerb, () => ({ condition }));
}
