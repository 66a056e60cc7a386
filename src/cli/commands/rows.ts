import {
  boundReasons,
  ColumnProfiler,
  filterRows,
  grouped,
  type Mark,
  requireField,
  selectColumns,
  type Table,
  type Value,
} from '../../core/index.ts';
import { openOne } from '../../node/index.ts';
import { type Output, printJson, textTable } from '../output.ts';
import { printProfile } from '../profiles.ts';
import { localPath } from '../streams.ts';
import {
  type AddCommand,
  numberOption,
  openOptions,
  outputOf,
  type TableReading,
  wholeAboveZero,
  withTableOptions,
} from './command.ts';

interface RowsOptions extends TableReading {
  layer?: string;
  summary?: boolean;
  where?: string;
  columns?: string;
  limit: string;
  sort?: string;
  descending?: boolean;
}

/** A value, and the mark that was written in its place. */
interface Cell {
  value: Value;
  mark: Mark | null;
}

/** The first `limit` rows; with `sort`, the first after sorting: then at most `limit` and one batch are held. */
async function firstRows(
  table: Table,
  limit: number,
  sort: number,
  descending: boolean,
): Promise<{ rows: Cell[][]; all: number }> {
  let rows: { key: Value; row: Cell[]; at: number }[] = [];
  let all = 0;
  const compare = (a: { key: Value; at: number }, b: { key: Value; at: number }) => {
    if (a.key === null || b.key === null) return a.key === b.key ? a.at - b.at : a.key === null ? 1 : -1;
    const order =
      typeof a.key === 'string' && typeof b.key === 'string'
        ? a.key.localeCompare(b.key, 'en', { numeric: true })
        : Number(a.key) - Number(b.key);
    return (descending ? -order : order) || a.at - b.at;
  };
  for await (const batch of table.batches()) {
    for (let i = 0; i < batch.length; i++) {
      all++;
      if (sort < 0 && rows.length >= limit) continue;
      rows.push({
        key: sort < 0 ? null : batch.columns[sort].value(i),
        row: batch.columns.map((column, c) => ({
          value: column.value(i),
          mark: table.schema[c].marks?.[(column.marks?.[i] ?? 0) - 1] ?? null,
        })),
        at: all,
      });
    }
    if (sort >= 0) rows = rows.sort(compare).slice(0, limit);
  }
  return { rows: rows.map(({ row }) => row), all };
}

/** A blank with a reason shows the reason, a bound its sign. */
function cellText({ value, mark }: Cell): string {
  if (value === null) return mark === null ? '' : mark.reason;
  if (mark !== null && boundReasons.has(mark.reason)) return `${mark.reason} ${String(value)}`;
  return typeof value === 'object' ? JSON.stringify(value) : String(value);
}

/** Reads the rows to the end and prints what there is to say of each chosen column. */
async function summarise(output: Output, path: string, table: Table): Promise<void> {
  const profilers = table.schema.map((field) => new ColumnProfiler(field));
  for await (const batch of table.batches())
    batch.columns.forEach((column, c) => {
      profilers[c].see(column);
    });
  const profiles = profilers.map((profiler) => profiler.close());
  if (output.json) {
    printJson({
      path,
      layer: table.name,
      fields: profiles.map((profile) => ({ ...profile, values: profile.values.slice(0, 100) })),
    });
    return;
  }
  profiles.forEach((profile, k) => {
    if (k > 0) output.line();
    printProfile(output, profile);
  });
}

export const addRows: AddCommand = (program) => {
  const rowsCommand = program
    .command('rows')
    .description('rows of a layer or table: filtered, chosen columns, sorted')
    .argument('<path>', 'a file, a path within an archive, or an address')
    .option('--layer <name>', 'which layer, when there are several')
    .option(
      '--where <cql2>',
      'only rows for which this is true, for example "households > 500 AND name LIKE \'Up%\'"',
    )
    .option('--columns <names>', 'these columns, separated by commas')
    .option('--limit <n>', 'at most so many rows', '20')
    .option('--sort <field>', 'sorted by this field')
    .option('--descending', 'greatest first')
    .option(
      '--summary',
      'instead of rows: values with counts, reasons, quantiles, a histogram of each column',
    )
    .action(async (path: string, options: RowsOptions, command) => {
      const output = outputOf(command);
      const limit = numberOption('limit', options.limit, wholeAboveZero);
      let { table } = await openOne(await localPath(path), options.layer, openOptions(options));
      if (options.where !== undefined) table = filterRows(table, options.where);
      if (options.summary === true) {
        const names = options.columns?.split(',').map((name) => name.trim());
        await summarise(output, path, names === undefined ? table : selectColumns(table, names));
        return;
      }
      const sortName = options.sort;
      const sorted = sortName === undefined ? -1 : requireField(table.schema, sortName, table.name);
      const { rows, all } = await firstRows(table, limit, sorted, options.descending === true);
      const chosen =
        options.columns === undefined
          ? // The numbers of rows tell nothing that their order does not.
            table.schema.map((_, c) => c).filter((c) => table.schema[c].featureId !== 'numbering')
          : options.columns.split(',').map((name) => requireField(table.schema, name.trim(), table.name));
      const schema = selectColumns(
        table,
        chosen.map((c) => table.schema[c].name),
      ).schema;
      const view = rows.map((row) => chosen.map((c) => row[c]));
      if (output.json) {
        printJson({
          path,
          layer: table.name,
          count: all,
          rows: view.map((row) => Object.fromEntries(row.map(({ value }, c) => [schema[c].name, value]))),
          // Row by row, the reasons of values that are no plain ones.
          reasons: view.map((row) =>
            Object.fromEntries(
              row.flatMap(({ mark }, c) => (mark === null ? [] : [[schema[c].name, mark.reason] as const])),
            ),
          ),
        });
        return;
      }
      const right = schema.map((field) => field.type === 'integer' || field.type === 'real');
      const [head, ...lines] = textTable(
        schema.map((field) => field.name),
        view.map((row) => row.map(cellText)),
        right,
      );
      output.line(output.colours.bold(head));
      for (const line of lines) output.line(line);
      output.line(
        output.colours.dim(
          `${grouped(view.length)} of ${grouped(all)} rows${options.where === undefined ? '' : ` where ${options.where}`}.`,
        ),
      );
    });
  withTableOptions(rowsCommand);
};
