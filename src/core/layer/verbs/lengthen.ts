import { closeAccount } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import type { Mark } from '../../table/marks.ts';
import { type Field, type FieldType, freeName, requireField } from '../../table/schema.ts';
import { Batch, batchLimit } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import { type Table, withoutGeometry } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Which columns become rows. */
export interface LengthenOptions {
  /** Columns that become rows. */
  columns: readonly string[];
  /** Name of the new column that says which column it was. */
  name?: string;
  /** Name of the new column with the values. */
  value?: string;
}

/** The type that holds the values of all the columns. */
function commonType(fields: readonly Field[]): FieldType {
  const types = new Set(fields.map((field) => field.type));
  if (types.size === 1) return fields[0].type;
  return [...types].every((type) => type === 'integer' || type === 'real') ? 'real' : 'text';
}

/** Wide → long: a row for each of the chosen columns, the others repeated. Titles of the columns become a code list. */
export function lengthenRows(table: Table, options: LengthenOptions): Table {
  const chosen = options.columns.map((name) => requireField(table.schema, name, table.name));
  if (chosen.length === 0)
    throw new IsomericError('columns-missing', 'Say which columns become rows.', { blame: 'usage' });
  const kept = table.schema
    .map((_, c) => c)
    .filter((c) => !chosen.includes(c) && table.schema[c].featureId !== 'numbering');
  const names = kept.map((c) => table.schema[c].name);
  const fields = chosen.map((c) => table.schema[c]);
  const type = commonType(fields);
  const marks: Mark[] = [];
  // Marks of all columns in one list; where each one's marks begin in it.
  const places = fields.map((field) =>
    (field.marks ?? []).map((mark) => {
      let at = marks.findIndex((known) => known.text === mark.text && known.reason === mark.reason);
      if (at < 0) at = marks.push(mark) - 1;
      return at + 1;
    }),
  );
  const titles = fields
    .filter((field) => field.title !== undefined)
    .map((field) => [field.name, field.title!]);
  const nameField: Field = { name: freeName(options.name ?? 'variable', names), type: 'text', role: 'code' };
  if (titles.length > 0) nameField.codes = Object.fromEntries(titles);
  const valueField: Field = { name: freeName(options.value ?? 'value', [...names, nameField.name]), type };
  if (marks.length > 0 && marks.length < 255) valueField.marks = marks;
  const units = new Set(fields.map((field) => field.unit));
  const [unit] = units;
  if (units.size === 1 && unit !== undefined) valueField.unit = unit;
  const keptFields = kept.map((c) => {
    const { margin: _, ...field } = asPlainField(table.schema[c]);
    return field;
  });
  const schema = [...keptFields, nameField, valueField];
  return applyVerb('Lengthen', withoutGeometry(table), {
    schema,
    count: table.count === undefined ? undefined : table.count * chosen.length,
    async *run(account, source) {
      let all = 0;
      let first = 0;
      const builders = schema.map((field) => new ColumnBuilder(field.type));
      const full = () => {
        const { length } = builders[0];
        const batch = new Batch({
          length,
          first,
          geometry: null,
          columns: builders.map((builder) => builder.finish()),
        });
        first += length;
        return batch;
      };
      for await (const batch of source) {
        for (let i = 0; i < batch.length; i++) {
          for (let k = 0; k < chosen.length; k++) {
            kept.forEach((c, at) => {
              builders[at].copy(batch.columns[c], i);
            });
            builders[kept.length].text(fields[k].name);
            const column = batch.columns[chosen[k]];
            const value = builders[kept.length + 1];
            if (column.isNull(i)) value.null();
            else if (column.type === type) value.copy(column, i);
            else if (type === 'text') value.text(column.text(i)!);
            else value.number(column.number(i));
            const mark = column.marks?.[i] ?? 0;
            if (mark > 0 && valueField.marks !== undefined) value.mark(places[k][mark - 1]);
          }
          if (builders[0].length >= batchLimit - chosen.length) yield full();
        }
        all += batch.length;
      }
      if (builders[0].length > 0) yield full();
      account.counts = { in: all, out: all * chosen.length };
      closeAccount(
        account,
        [all, `${table.name} in`],
        [all * chosen.length, `rows out: one for each of ${chosen.length} columns`],
      );
    },
  });
}
