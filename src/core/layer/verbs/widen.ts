import { closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { readableName } from '../../table/code-book.ts';
import { ColumnBuilder, sliceValues } from '../../table/column-builder.ts';
import { type Field, freeName, requireField } from '../../table/schema.ts';
import { Batch, batchLimit } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import { type Table, withoutGeometry } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Which columns become columns, rows and values. */
export interface WidenOptions {
  /** Columns whose values become columns. */
  by: readonly string[];
  /** Column with the values. */
  value: string;
  /** Columns that make a row; all others when left out. */
  rows?: readonly string[];
}

/** More columns than these are no table that anybody reads. */
const mostColumns = 2000;

interface NewColumn {
  key: string;
  field: Field;
}

/** Different combinations of the values of some columns, in the order in which they come. */
async function combinations(table: Table, by: readonly number[]): Promise<(string | null)[][]> {
  const found = new Map<string, (string | null)[]>();
  for await (const batch of table.batches()) {
    for (let i = 0; i < batch.length; i++) {
      const parts = by.map((c) => batch.columns[c].text(i));
      const key = JSON.stringify(parts);
      if (found.has(key)) continue;
      if (found.size >= mostColumns)
        throw new IsomericError(
          'columns-too-many',
          `${by.map((c) => table.schema[c].name).join(' and ')} would make more than ${grouped(mostColumns)} columns.`,
          {
            blame: 'usage',
            advice: 'Filter the rows first, or choose a dimension with fewer values.',
          },
        );
      found.set(key, parts);
    }
  }
  return [...found.values()];
}

/** Names and titles of the new columns: from the labels of the codes, where there are any. */
function newColumns(
  table: Table,
  by: readonly number[],
  value: Field,
  keys: readonly (string | null)[][],
  taken: readonly string[],
): NewColumn[] {
  const names = [...taken];
  return keys.map((parts): NewColumn => {
    const labels = parts.map((part, k) => {
      if (part === null) return 'none';
      return table.schema[by[k]].codes?.[part] ?? part;
    });
    const name = freeName(readableName(labels.join(' '), 60), names);
    names.push(name);
    const field: Field = {
      ...value,
      name,
      title: labels.join(', '),
      code: parts.map((part) => part ?? '').join('.'),
    };
    return { key: JSON.stringify(parts), field };
  });
}

/**
 * Long → wide: one row for each combination of the row columns, a column for each value of `by`. Reads the table once
 * now, to know the columns. Cells that come twice keep the first value and are told; combinations that no row has are
 * blank.
 */
export async function widenRows(table: Table, options: WidenOptions): Promise<Table> {
  const by = options.by.map((name) => requireField(table.schema, name, table.name));
  const v = requireField(table.schema, options.value, table.name);
  if (by.length === 0)
    throw new IsomericError('columns-missing', 'Say which column becomes columns.', { blame: 'usage' });
  const rows =
    options.rows?.map((name) => requireField(table.schema, name, table.name)) ??
    // An id of each row would keep every row apart.
    table.schema
      .map((_, c) => c)
      .filter((c) => c !== v && !by.includes(c) && table.schema[c].featureId === undefined);
  const keys = await combinations(table, by);
  const value = table.schema[v];
  const fields = rows.map((c) => asPlainField(table.schema[c]));
  const columns = newColumns(
    table,
    by,
    value,
    keys,
    fields.map((field) => field.name),
  );
  return applyVerb('Widen', withoutGeometry(table), {
    schema: [...fields, ...columns.map((column) => column.field)],
    async *run(account, source) {
      const numbers = new Map(columns.map((column, k) => [column.key, k]));
      const places = new Map<string, number>();
      const rowBuilders = rows.map((c) => new ColumnBuilder(table.schema[c].type));
      const held = new ColumnBuilder(value.type);
      // For each new column: the row of `held` that each row takes; −1 none.
      const cells = columns.map(() => [] as number[]);
      let all = 0;
      let twice = 0;
      let example = '';
      for await (const batch of source) {
        for (let i = 0; i < batch.length; i++) {
          const rowKey = rows.map((c) => batch.columns[c].text(i));
          const key = JSON.stringify(rowKey);
          let row = places.get(key);
          if (row === undefined) {
            row = places.size;
            places.set(key, row);
            rows.forEach((c, k) => {
              rowBuilders[k].copy(batch.columns[c], i);
            });
          }
          const k = numbers.get(JSON.stringify(by.map((c) => batch.columns[c].text(i))))!;
          if (cells[k][row] !== undefined) {
            twice++;
            if (example === '') example = `${columns[k].field.name} of ${rowKey.join(', ')}`;
            continue;
          }
          cells[k][row] = all + i;
        }
        for (let i = 0; i < batch.length; i++) held.copy(batch.columns[v], i);
        all += batch.length;
      }
      const values = held.finish();
      const rowColumns = rowBuilders.map((builder) => builder.finish());
      let blank = 0;
      for (let first = 0; first < places.size; first += batchLimit) {
        const length = Math.min(batchLimit, places.size - first);
        const taken = rowColumns.map((column) => sliceValues(column, first, length));
        for (const cell of cells) {
          const builder = new ColumnBuilder(value.type);
          for (let i = 0; i < length; i++) {
            const from = cell[first + i];
            if (from === undefined) {
              builder.null();
              blank++;
            } else builder.copy(values, from);
          }
          taken.push(builder.finish());
        }
        yield new Batch({ length, first, geometry: null, columns: taken });
      }
      account.counts = { in: all, rows: places.size, columns: columns.length, twice, blank };
      if (twice > 0)
        account.findings.push({
          code: 'cell-twice',
          severity: 'warning',
          layer: table.name,
          words: `${counted(twice, 'cell comes', 'cells come')} more than once (${example}); the first value was taken.`,
          repair: 'choose fewer row columns, or sum them up first (group)',
        });
      if (blank > 0)
        account.notes.push(
          `${counted(blank, 'cell has', 'cells have')} no row and ${blank === 1 ? 'is' : 'are'} blank.`,
        );
      closeAccount(
        account,
        [all, `${table.name} in`],
        [places.size, places.size === 1 ? 'row out' : 'rows out'],
        [columns.length, `new columns by ${options.by.join(' and ')}`],
      );
    },
  });
}
