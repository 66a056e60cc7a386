import { type LengthenOptions, lengthenRows } from '../core/layer/verbs/lengthen.ts';
import { describeVerb } from './description.ts';
import { type RowStep, stepOf } from './step.ts';

export const lengthenVerb = describeVerb({
  name: 'lengthen',
  words: 'wide to long: columns become rows',
  takes: 'table',
  own: null,
  options: {
    columns: { kind: 'names', words: 'columns that become rows', sign: 'names', required: true },
    name: {
      kind: 'text',
      words: 'what the column with their names is called',
      sign: 'name',
      usual: 'variable',
    },
    value: {
      kind: 'text',
      words: 'what the column with their values is called',
      sign: 'name',
      usual: 'value',
    },
  },
  examples: [
    {
      command:
        'isomeric lengthen data/boundary-office/wards-2024.geojson --columns "name, district" --out long.csv',
      study: '- lengthen: { columns: [name, district] }',
      program: "lengthen({ columns: ['name', 'district'] })",
    },
  ],
  apply: (given, { columns, name, value }) => lengthenRows(given, { columns, name, value }),
});

/** Wide to long: each of the columns becomes rows. */
export function lengthen(options: LengthenOptions): RowStep {
  return stepOf(lengthenVerb, () => ({ ...options }));
}
