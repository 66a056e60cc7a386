import { gives } from '../core/layer/joining/words.ts';
import type { Table } from '../core/layer/layer.ts';
import type { JoinTablesOptions } from '../core/layer/verbs/join-tables.ts';
import { parseKeyPairs } from '../core/table/keys/key-pairs.ts';
import { describeVerb } from './description.ts';
import { joining } from './joining.ts';
import { type Given, later, stepOf, type TableStep } from './step.ts';

export const joinVerb = describeVerb({
  name: 'join',
  words: 'bring columns of tables to the features with the same key',
  takes: 'table',
  given: 'layer',
  own: 'table',
  options: {
    table: {
      kind: 'tables',
      words: 'the table, or several that have the same key',
      required: true,
      command: 'argument',
    },
    on: {
      kind: 'key pairs',
      words:
        'the fields that must be equal: LAYER_FIELD = TABLE_FIELD; several with commas; fields put together, with their digits: code = STATE (2) + COUNTY (3)',
      sign: 'keys',
      required: true,
    },
    columns: { kind: 'columns', words: 'columns to bring over; all when left out', sign: 'names' },
    repair: {
      kind: 'mends',
      words:
        'what is done to the keys before they are compared, as “isomeric keys” proposes it: "blanks, leading zeros to 6"',
      sign: 'what',
    },
    many: {
      kind: 'text',
      words:
        'what becomes of several rows of one key: first, last, sum, mean, least, greatest, list, rows (a feature for each), "greatest by COLUMN", "mean by COLUMN"; rows that differ are an error when it is left out',
      sign: 'rule',
    },
    unmatched: {
      kind: 'choice',
      words: 'what becomes of features without a row',
      sign: 'what',
      choices: ['keep', 'drop'],
      usual: 'keep',
    },
    clash: joining.clash,
    widen: {
      kind: 'names',
      words: 'columns of a long table whose values become columns first',
      sign: 'names',
    },
    value: { kind: 'text', words: 'with widen: the column with the figures', sign: 'name' },
    atLeast: {
      kind: 'percent',
      words: 'per cent of the features, or of the keys of the table, that must meet; fewer of both stop it',
      sign: 'percent',
      usual: 50,
      study: 'at least',
    },
    give: {
      kind: 'choice',
      words: 'what comes out: the joined features, or what found no partner on one of the sides',
      sign: 'what',
      choices: gives,
      usual: 'joined',
    },
  },
  examples: [
    {
      command:
        'isomeric join data/boundary-office/wards-2024.geojson data/statistics-office/POPULATION.csv --on "code = ward" --repair "leading zeros" --out joined.gpkg',
      study: '- join: housing\n  on: code = area_code\n  many: last',
      program: "join(housing, 'code = area_code', { many: 'last' })",
    },
    {
      command:
        'isomeric join data/boundary-office/wards-2024.geojson data/statistics-office/RESIDENTS.csv --on "code = REF_AREA" --widen "SEX, AGE" --value OBS_VALUE --out residents.gpkg',
      program: "join(housing, 'code = area_code', { many: 'last', unmatched: 'drop' })",
    },
  ],
  async apply(given, { table, ...options }) {
    const { joinTables } = await import('../core/layer/verbs/join-tables.ts');
    return joinTables(given, table, options as JoinTablesOptions);
  },
});

/**
 * Brings columns of a table, or of several with the same key, to the features: all features stay unless `unmatched` says otherwise.
 *
 * @param on `'code = ward'`: a field of what is given, a field of the table; one name where both are called the same; several pairs
 * with commas; `'code = state (2) + county (3)'` for fields that make a key together
 * @param options `atLeast: 0` lets a join that matches nothing go on; `many` settles several rows of one key
 * @throws IsomericError `field-unknown`, `join-on-syntax`, `repair-unknown`; while reading `join-key-many`; at the end of reading
 * `join-nothing-matched`, `join-few-matched`
 */
export function join(
  table: Given<Table> | readonly Given<Table>[],
  on: string,
  options: Omit<JoinTablesOptions, 'on'> = {},
): TableStep {
  const others = [table].flat().map((each) => later(each as Given<Table>));
  return stepOf(joinVerb, async () => ({
    ...options,
    table: await Promise.all(others),
    on: parseKeyPairs(on),
  }));
}
