import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import type { Table } from '../layer.ts';

/**
 * For formats that cannot hold a reason beside a value: a text column `NAME_reason` behind each column with marks, blank
 * where the value is an ordinary one. Without marks the table comes back as it is.
 */
export function withReasonColumns<T extends Table>(table: T): T {
  if (table.schema.every((field) => field.marks === undefined)) return table;
  const names = table.schema.map((field) => field.name);
  const schema: Field[] = [];
  for (const field of table.schema) {
    schema.push(field);
    if (field.marks === undefined) continue;
    const name = freeName(`${field.name}_reason`, names);
    names.push(name);
    schema.push({ name, type: 'text', title: `${field.title ?? field.name}, reason` });
  }
  return {
    ...table,
    schema,
    async *batches(options) {
      for await (const batch of table.batches(options)) {
        const columns = batch.columns.flatMap((column, c) => {
          const { marks } = table.schema[c];
          if (marks === undefined) return [column];
          const builder = new ColumnBuilder('text');
          for (let i = 0; i < batch.length; i++) {
            const mark = marks[(column.marks?.[i] ?? 0) - 1];
            if (mark === undefined) builder.null();
            else builder.text(mark.reason);
          }
          return [column, builder.finish()];
        });
        yield batch.with({ columns });
      }
    },
  };
}
