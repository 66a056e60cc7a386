import { selectColumns } from '../core/layer/verbs/select.ts';
import { describeVerb } from './description.ts';
import { stepOf, type TableStep } from './step.ts';

export const selectVerb = describeVerb({
  name: 'select',
  words: 'keep only some columns, in the given order',
  takes: 'table',
  own: 'columns',
  options: {
    columns: {
      kind: 'columns',
      words: 'the columns to keep',
      sign: 'names',
      required: true,
      command: 'argument',
    },
  },
  examples: [
    {
      command: 'isomeric select data/boundary-office/wards-2024.geojson "code, ward = name" --out short.csv',
      study: '- select: [code, name]',
      program: "select('code', ['name', 'ward'])",
    },
  ],
  apply: (given, { columns }) => selectColumns(given, columns),
});

/** Keeps only the named columns, in that order; `['name', 'ward']` renames one. */
export function select(...columns: readonly (string | readonly [string, string])[]): TableStep {
  return stepOf(selectVerb, () => ({ columns }));
}
