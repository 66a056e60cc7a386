import type { Table } from '../core/layer/layer.ts';
import { type JoinOptions, joinTable, parseOn } from '../core/layer/verbs/join.ts';
import { type KeyRepair, keyRepairs } from '../core/table/key-repair.ts';
import { describeVerb } from './description.ts';
import { type Given, later, stepOf, type TableStep } from './step.ts';

export const joinVerb = describeVerb({
  name: 'join',
  words: 'bring columns of a table to the features with the same key',
  takes: 'table',
  given: 'layer',
  own: 'table',
  options: {
    table: { kind: 'table', words: 'the table', required: true, command: 'argument' },
    on: {
      kind: 'keys',
      words: 'the fields that must be equal: LAYER_FIELD = TABLE_FIELD',
      sign: 'keys',
      required: true,
    },
    columns: { kind: 'columns', words: 'columns to bring over; all when left out', sign: 'names' },
    repair: { kind: 'choice', words: 'repair the keys first', sign: 'what', choices: keyRepairs },
  },
  examples: [
    {
      command:
        'isomeric join data/boundary-office/wards-2024.geojson data/statistics-office/HOUSING.csv --on "code = area_code" --out joined.gpkg',
      study: '- join: housing\n  on: code = area_code',
      program: "join(housing, 'code = area_code')",
    },
  ],
  apply: (given, { table, on, columns, repair, ...more }) =>
    joinTable(given, table, { on, columns, repair: repair as KeyRepair, ...more }),
});

/**
 * Brings columns of a table to the features with the same key: one row to one feature, all features stay.
 *
 * @param on `'code = ward'`: a field of what is given, a field of the table; one name where both are called the same
 * @param options `noMatch: 'tell'` lets a join that matches nothing go on
 * @throws IsomericError `join-nothing-matched` at the end of reading, `field-unknown`, `join-on-syntax`
 */
export function join(table: Given<Table>, on: string, options: Omit<JoinOptions, 'on'> = {}): TableStep {
  const other = later(table);
  return stepOf(joinVerb, async () => ({
    noMatch: 'stop',
    ...options,
    table: await other,
    on: parseOn(on),
  }));
}
