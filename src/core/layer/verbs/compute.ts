import { closeAccount } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Compiled, compileExpression } from '../../table/cql2/evaluate.ts';
import { type Field, type FieldType, fieldIndex } from '../../table/schema.ts';
import type { Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

export interface Computation {
  /** Name of the new field; one that is there already is replaced. */
  name: string;
  /** CQL2 text. */
  expression: string;
  title?: string;
  unit?: string;
}

function typeOf(compiled: Compiled): FieldType {
  if (compiled.kind === 'number') return compiled.whole ? 'integer' : 'real';
  return compiled.kind === 'null' ? 'text' : compiled.kind;
}

/** Adds computed fields, in order; later ones may use earlier ones. A result without a value (0 / 0) is blank. */
export function computeFields<T extends Table>(table: T, computations: readonly Computation[]): T {
  let result = table;
  for (const computation of computations) result = computeField(result, computation);
  return result;
}

function computeField<T extends Table>(table: T, { name, expression, title, unit }: Computation): T {
  if (name.trim() === '')
    throw new IsomericError('field-name-empty', 'A computed field needs a name.', { blame: 'usage' });
  const compiled = compileExpression(expression, table.schema, table.name);
  const field: Field = { name, type: typeOf(compiled), title, unit, description: `computed: ${expression}` };
  const at = fieldIndex(table.schema, name);
  const schema = at < 0 ? [...table.schema, field] : table.schema.map((old, c) => (c === at ? field : old));
  return applyVerb('Compute', table, {
    schema,
    count: table.count,
    handOn: (options) => options,
    async *run(account, source) {
      let all = 0;
      let blank = 0;
      for await (const batch of source) {
        const read = compiled.bind(batch);
        const builder = new ColumnBuilder(field.type);
        for (let i = 0; i < batch.length; i++) {
          const value = read(i);
          if (value === null) {
            builder.null();
            blank++;
          } else if (typeof value === 'string') builder.text(value);
          else builder.number(Number(value));
        }
        all += batch.length;
        const column = builder.finish();
        yield batch.with({
          columns:
            at < 0 ? [...batch.columns, column] : batch.columns.map((old, c) => (c === at ? column : old)),
        });
      }
      account.counts = { in: all, computed: all - blank, blank };
      closeAccount(
        account,
        [all, `${table.name} in`],
        [all - blank, `given ${name} = ${expression}`],
        [blank, 'left blank'],
      );
    },
  });
}
