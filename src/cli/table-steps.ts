import type { Command } from 'commander';
import {
  type Account,
  chooseVariables,
  IsomericError,
  onlyLevel,
  onlyUnits,
  parseMends,
  parseOn,
  recogniseRows,
  selectColumns,
  splitLevels,
  type Table,
  withoutTotals,
  withReasonColumns,
} from '../core/index.ts';
import { openOne } from '../node/index.ts';

/** Steps from a delivered table to one that can be worked with. */
export interface TableSteps {
  withoutTotals?: boolean;
  level?: string;
  byLevel?: boolean;
  units?: string;
  unitsLayer?: string;
  on?: string;
  repair?: string;
  variables?: string;
  reasons?: boolean;
}

export function withTableSteps(command: Command): Command {
  return command
    .option('--without-totals', 'leave out rows that are totals')
    .option('--level <name>', 'only the units of this level, where a table holds several')
    .option('--by-level', 'a table for each level, named for it')
    .option('--units <path>', 'only rows of the units of this layer')
    .option('--units-layer <name>', 'which layer of that file, when there are several')
    .option('--on <keys>', 'with --units: TABLE_FIELD = UNIT_FIELD')
    .option(
      '--repair <what>',
      'with --units: what is done to the keys before they are compared: "leading zeros", "last 6 signs"',
    )
    .option(
      '--variables <list>',
      'variables by code or by words, separated by semicolons; NAME = WORDS renames one',
    )
    .option('--reasons', 'a column with the reason behind each column that has marks in place of figures');
}

/** Applies the steps that were asked for; several tables only with --by-level. */
export async function applyTableSteps(given: Table, steps: TableSteps): Promise<Table[]> {
  let table = given;
  const asksRows = steps.withoutTotals || steps.level !== undefined || steps.byLevel;
  let tables: Table[];
  if (asksRows) {
    const kinds = await recogniseRows(table);
    if (steps.withoutTotals) table = withoutTotals(table, kinds);
    // Rows are told apart by what stands in them, so levels can be chosen after totals are gone.
    if (steps.level !== undefined) table = onlyLevel(table, kinds, steps.level);
    tables = steps.byLevel ? splitLevels(table, kinds) : [table];
  } else tables = [table];
  if (steps.units !== undefined) {
    if (steps.on === undefined)
      throw new IsomericError(
        'units-on-missing',
        'With --units it must be said which fields are to be equal.',
        {
          blame: 'usage',
          advice: 'For example: --on "area_code = code".',
        },
      );
    const { table: units } = await openOne(steps.units, steps.unitsLayer);
    const on = parseOn(steps.on);
    const repair = steps.repair === undefined ? undefined : parseMends(steps.repair);
    tables = tables.map((each) => onlyUnits(each, units, { on, repair }));
  }
  if (steps.variables !== undefined) {
    const wanted = steps.variables
      .split(';')
      .map((each) => each.trim())
      .filter((each) => each !== '');
    tables = tables.map((each) => {
      const { columns, notes } = chooseVariables(each, wanted);
      const result = selectColumns(each, columns);
      return withNotes(result, notes);
    });
  }
  return steps.reasons ? tables.map(withReasonColumns) : tables;
}

/** Adds notes to the last account, when it is closed. */
function withNotes(table: Table, notes: readonly string[]): Table {
  const last = table.accounts[table.accounts.length - 1] as Account;
  return {
    ...table,
    async *batches(options) {
      yield* table.batches(options);
      last.notes.push(...notes);
    },
  };
}
