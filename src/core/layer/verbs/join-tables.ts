import { listed } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { asKeyPairs } from '../../table/keys/key-pairs.ts';
import { fieldIndex } from '../../table/schema.ts';
import type { ColumnChoice } from '../joining/columns-brought.ts';
import type { Give } from '../joining/words.ts';
import type { Table } from '../layer.ts';
import { featuresWithoutRow, type JoinOptions, joinTable, rowsWithoutFeature } from './join.ts';
import { widenRows } from './widen.ts';

/** How several tables are joined in one go. */
export interface JoinTablesOptions extends JoinOptions {
  /** Columns of long tables whose values become columns first, and the one with the figures. */
  widen?: readonly string[];
  value?: string;
  give?: Give;
}

/**
 * Joins tables that have the same key, one after the other; long ones are widened first. Each has an account of its own.
 *
 * @throws IsomericError as `joinTable`; `field-unknown` for a column that no table has, `join-value-missing`
 */
export async function joinTables<T extends Table>(
  layer: T,
  tables: readonly Table[],
  options: JoinTablesOptions,
): Promise<Table> {
  const { widen, value, give = 'joined', columns, ...rest } = options;
  const ready: Table[] = [];
  for (const table of tables)
    ready.push(
      widen === undefined || widen.length === 0 ? table : await widened(table, widen, value, options),
    );
  if (columns !== undefined) refuseUnknown(columns, ready);
  const joining = (table: Table): JoinOptions => ({
    ...rest,
    ...(columns === undefined ? {} : { columns: ready.length === 1 ? columns : ofTable(columns, table) }),
  });
  if (give !== 'joined') {
    if (ready.length > 1)
      throw new IsomericError(
        'join-one-table',
        `What is left over is of one table, and there are ${ready.length}.`,
        {
          blame: 'usage',
          advice: 'Ask for each by itself.',
        },
      );
    const [table] = ready;
    return give === 'features without a row'
      ? featuresWithoutRow(layer, table, joining(table))
      : rowsWithoutFeature(layer, table, joining(table));
  }
  return ready.reduce<Table>((joined, table) => joinTable(joined, table, joining(table)), layer);
}

/** A long table with a row for each key. */
async function widened(
  table: Table,
  by: readonly string[],
  value: string | undefined,
  { on }: Pick<JoinOptions, 'on'>,
): Promise<Table> {
  if (value === undefined)
    throw new IsomericError(
      'join-value-missing',
      'With “widen” it must be said which column holds the figures.',
      {
        blame: 'usage',
        advice: 'Say it with “value”.',
      },
    );
  const rows = asKeyPairs(on).flatMap(({ other }) => other.map(({ name }) => name));
  const wide = await widenRows(table, { by, value, rows });
  return { ...wide, name: table.name };
}

const nameOf = (column: ColumnChoice[number]) => (typeof column === 'string' ? column : column[0]);

const ofTable = (columns: ColumnChoice, table: Table): ColumnChoice =>
  columns.filter((column) => fieldIndex(table.schema, nameOf(column)) >= 0);

/** Of several tables each has some of the columns, but every column must be in one. */
function refuseUnknown(columns: ColumnChoice, tables: readonly Table[]): void {
  if (tables.length < 2) return;
  for (const column of columns) {
    if (tables.some((table) => fieldIndex(table.schema, nameOf(column)) >= 0)) continue;
    throw new IsomericError(
      'field-unknown',
      `There is no field “${nameOf(column)}” in ${listed(tables.map(({ name }) => name))}.`,
      { blame: 'usage', wrong: nameOf(column) },
    );
  }
}
