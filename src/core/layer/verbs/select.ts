import { closeAccount } from '../../account.ts';
import { withMarginNames } from '../../table/margin-fields.ts';
import { type Field, requireField } from '../../table/schema.ts';
import type { Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Keeps the named columns, in the given order, and renames those written as [name, new name]. */
export function selectColumns<T extends Table>(
  table: T,
  columns: readonly (string | readonly [string, string])[],
): T {
  const chosen = columns.map((column) => {
    const [name, rename] = typeof column === 'string' ? [column, column] : column;
    const index = requireField(table.schema, name, table.name);
    const field: Field = { ...table.schema[index], name: rename };
    // What the provider calls it stays known.
    if (rename !== name) field.code = table.schema[index].code ?? name;
    return { index, field };
  });
  const renamed = new Map(chosen.map(({ index, field }) => [table.schema[index].name, field.name]));
  return applyVerb('Select', table, {
    schema: withMarginNames(
      chosen.map(({ field }) => field),
      renamed,
    ),
    count: table.count,
    handOn: (options) => options,
    async *run(account, source) {
      let all = 0;
      for await (const batch of source) {
        all += batch.length;
        yield batch.with({ columns: chosen.map(({ index }) => batch.columns[index]) });
      }
      account.counts = { in: all };
      closeAccount(
        account,
        [all, `${table.name} in`],
        [chosen.length, `of ${table.schema.length} columns kept`],
      );
    },
  });
}
