import { closeAccount, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Compiled, compileExpression } from '../../table/cql2/evaluate.ts';
import { coefficientOfVariation, usualUnsureAbove } from '../../table/margins.ts';
import { type Field, type FieldType, fieldIndex, freeName } from '../../table/schema.ts';
import { isLayer, type Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** A new field and its expression. */
export interface Computation {
  /** Name of the new field; one that is there already is replaced. */
  name: string;
  /** CQL2 text. */
  expression: string;
  title?: string;
  unit?: string;
}

/** How margins of error are carried through. */
export interface ComputeOptions {
  /** Level of confidence of the margins of error, per cent: 90, 95 or 99. */
  confidence?: number;
  /** Coefficient of variation in per cent above which an estimate is too unsure to map. */
  unsureAbove?: number;
}

function typeOf(compiled: Compiled): FieldType {
  if (compiled.kind === 'number') return compiled.whole ? 'integer' : 'real';
  return compiled.kind === 'null' ? 'text' : compiled.kind;
}

/**
 * Adds computed fields, in order; later ones may use earlier ones. A result without a value (0 / 0) is blank. Where
 * fields that are used have margins of error, the result gets one too, in `NAME_margin`.
 */
export function computeFields<T extends Table>(
  table: T,
  computations: readonly Computation[],
  options: ComputeOptions = {},
): T {
  let result = table;
  for (const computation of computations) result = computeField(result, computation, options);
  return result;
}

function computeField<T extends Table>(
  table: T,
  { name, expression, title, unit }: Computation,
  options: ComputeOptions,
): T {
  if (name.trim() === '')
    throw new IsomericError('field-name-empty', 'A computed field needs a name.', { blame: 'usage' });
  const confidence = options.confidence ?? 90;
  const unsureAbove = options.unsureAbove ?? usualUnsureAbove;
  const compiled = compileExpression(expression, table.schema, table.name, {
    crs: isLayer(table) ? table.crs : undefined,
    confidence,
  });
  const field: Field = { name, type: typeOf(compiled), title, unit, description: `computed: ${expression}` };
  const at = fieldIndex(table.schema, name);
  const schema: Field[] =
    at < 0 ? [...table.schema, field] : table.schema.map((old, c) => (c === at ? field : old));
  const { margin } = compiled;
  // Units are told by their code, where there is one.
  const key = table.schema.findIndex((each) => each.role === 'code');
  if (margin !== null) {
    const marginName = freeName(
      `${name}_margin`,
      schema.map((each) => each.name),
    );
    field.margin = marginName;
    schema.push({
      name: marginName,
      type: 'real',
      title: title === undefined ? undefined : `${title}, margin of error`,
      unit,
      role: 'margin',
      description: `margin of error of ${name} at ${confidence} %`,
    });
  }
  return applyVerb('Compute', table, {
    schema,
    count: table.count,
    handOn: (read) => read,
    async *run(account, source) {
      let all = 0;
      let blank = 0;
      let unsure = 0;
      const examples: string[] = [];
      for await (const batch of source) {
        const read = compiled.bind(batch);
        const readMargin = margin?.(batch) ?? null;
        const builder = new ColumnBuilder(field.type);
        const margins = new ColumnBuilder('real');
        for (let i = 0; i < batch.length; i++) {
          const value = read(i);
          if (value === null) {
            builder.null();
            blank++;
          } else if (typeof value === 'string') builder.text(value);
          else builder.number(Number(value));
          if (readMargin === null) continue;
          const error = value === null ? null : readMargin(i);
          if (error === null) margins.null();
          else {
            margins.number(error as number);
            if (coefficientOfVariation(value as number, error as number, confidence) > unsureAbove) {
              unsure++;
              if (examples.length < 3)
                examples.push((key < 0 ? null : batch.columns[key].text(i)) ?? String(batch.id(i)));
            }
          }
        }
        all += batch.length;
        const column = builder.finish();
        const columns =
          at < 0 ? [...batch.columns, column] : batch.columns.map((old, c) => (c === at ? column : old));
        if (readMargin !== null) columns.push(margins.finish());
        yield batch.with({ columns });
      }
      account.counts = { in: all, computed: all - blank, blank };
      if (margin !== null) {
        account.counts.unsure = unsure;
        account.notes.push(`Margins of error at ${confidence} % were carried through, into ${field.margin}.`);
        if (unsure > 0)
          account.findings.push({
            code: 'estimate-unsure',
            severity: 'warning',
            layer: table.name,
            words: `${grouped(unsure)} of ${grouped(all - blank)} values of ${name} have a coefficient of variation above ${unsureAbove} %, too unsure to map (${examples.join(', ')}${unsure > examples.length ? ' …' : ''}).`,
            repair: 'group units until the figures are sure enough, or draw these apart',
          });
      }
      closeAccount(
        account,
        [all, `${table.name} in`],
        [all - blank, `given ${name} = ${expression}`],
        [blank, 'left blank'],
      );
    },
  });
}
