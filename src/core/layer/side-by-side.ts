import { IsomericError } from '../errors.ts';
import type { Column } from '../table/column.ts';
import { ColumnBuilder } from '../table/column-builder.ts';
import { requireField } from '../table/schema.ts';
import { Batch } from './batch.ts';
import type { Table } from './layer.ts';

/** Rows of a table by the texts of their key columns. */
async function rowsByKey(table: Table, keys: readonly string[]) {
  const places = keys.map((key) => requireField(table.schema, key, table.name));
  const rows = new Map<string, { batch: Batch; row: number }>();
  for await (const batch of table.batches()) {
    for (let row = 0; row < batch.length; row++) {
      const key = JSON.stringify(places.map((c) => batch.columns[c].text(row)));
      if (rows.has(key))
        throw new IsomericError('parts-unlike', `Two rows have the same ${keys.join(', ')}: ${key}.`, {
          place: { layer: table.name },
          advice: 'Name key columns that tell rows apart.',
          blame: 'usage',
        });
      rows.set(key, { batch, row });
    }
  }
  return rows;
}

function copyValue(builder: ColumnBuilder, column: Column, row: number): void {
  if (column.isNull(row)) builder.null();
  else if (column.numbers !== null) builder.number(column.numbers[row]);
  else builder.text(column.text(row)!);
  const mark = column.marks?.[row] ?? 0;
  if (mark > 0) builder.mark(mark);
}

/**
 * Tables with the same rows and other columns as one: what a service gives only so many columns of at a time. Rows are
 * put together by their key columns, in the order of the first table; the same rows must be in all.
 */
export function sideBySide(name: string, parts: readonly Table[], keys: readonly string[]): Table {
  const [first, ...others] = parts;
  if (others.length === 0) return { ...first, name };
  for (const part of parts) for (const key of keys) requireField(part.schema, key, part.name);
  const added = others.map((part) =>
    part.schema.flatMap((field, c) => (keys.includes(field.name) ? [] : [{ field, c }])),
  );
  return {
    ...first,
    name,
    schema: [...first.schema, ...added.flat().map(({ field }) => field)],
    count: first.count,
    findings: parts.flatMap((part) => part.findings),
    accounts: [],
    async *batches() {
      const rows = await Promise.all(others.map((part) => rowsByKey(part, keys)));
      const places = keys.map((key) => requireField(first.schema, key, first.name));
      const used = rows.map(() => 0);
      for await (const batch of first.batches()) {
        const builders = added.map((columns) => columns.map(({ field }) => new ColumnBuilder(field.type)));
        for (let row = 0; row < batch.length; row++) {
          const key = JSON.stringify(places.map((c) => batch.columns[c].text(row)));
          rows.forEach((known, p) => {
            const found = known.get(key);
            if (found === undefined)
              throw new IsomericError('parts-unlike', `A row is in one answer and not in another: ${key}.`, {
                place: { layer: name },
                advice: 'The service changed between two requests: gather again.',
              });
            used[p]++;
            added[p].forEach(({ c }, k) => {
              copyValue(builders[p][k], found.batch.columns[c], found.row);
            });
          });
        }
        yield new Batch({
          length: batch.length,
          first: batch.first,
          geometry: null,
          columns: [...batch.columns, ...builders.flat().map((builder) => builder.finish())],
          ids: batch.ids,
        });
      }
      rows.forEach((known, p) => {
        if (used[p] !== known.size)
          throw new IsomericError('parts-unlike', 'One answer has rows that another has not.', {
            place: { layer: name },
            advice: 'The service changed between two requests: gather again.',
          });
      });
    },
  };
}
