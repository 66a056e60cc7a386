import { type WidenOptions, widenRows } from '../core/layer/verbs/widen.ts';
import { describeVerb } from './description.ts';
import { type RowStep, stepOf } from './step.ts';

export const widenVerb = describeVerb({
  name: 'widen',
  words: 'long to wide: values of a column become columns',
  takes: 'table',
  own: null,
  options: {
    by: { kind: 'names', words: 'columns whose values become columns', sign: 'names', required: true },
    value: { kind: 'text', words: 'the column with the figures', sign: 'name', required: true },
    rows: { kind: 'names', words: 'columns that make a row; all others when left out', sign: 'names' },
  },
  examples: [
    {
      command:
        'isomeric widen data/statistics-office/RESIDENTS.csv --by "SEX, AGE" --value OBS_VALUE --rows REF_AREA --out wide.csv',
      study: '- widen: { by: [SEX, AGE], value: OBS_VALUE, rows: [REF_AREA] }',
      program: "widen({ by: ['SEX', 'AGE'], value: 'OBS_VALUE', rows: ['REF_AREA'] })",
    },
  ],
  apply: (given, { by, value, rows }) => widenRows(given, { by, value, rows }),
});

/** Long to wide: the values of a column become columns. The table is read once for their names. */
export function widen(options: WidenOptions): RowStep {
  return stepOf(widenVerb, () => ({ ...options }));
}
