import { sameCrs } from '../crs/crs.ts';
import { IsomericError } from '../errors.ts';
import type { Column } from '../table/column.ts';
import { ColumnBuilder, nullColumn } from '../table/column-builder.ts';
import type { Field, FieldType } from '../table/schema.ts';
import { isLayer, type Layer, type Table } from './layer.ts';

/** The type that holds the values of both. */
function common(a: FieldType, b: FieldType): FieldType {
  if (a === b) return a;
  const numbers = (type: FieldType) => type === 'integer' || type === 'real';
  if (numbers(a) && numbers(b)) return 'real';
  return 'text';
}

function converted(column: Column, type: FieldType): Column {
  if (column.type === type) return column;
  const builder = new ColumnBuilder(type);
  for (let i = 0; i < column.length; i++) {
    if (column.isNull(i)) builder.null();
    else if (type === 'real') builder.number(column.numbers![i]);
    else builder.text(column.text(i)!);
  }
  return builder.finish();
}

/**
 * Tables or layers with the same things in them, one after the other: the pages of a service, the sheets of a series.
 * Fields are brought together by name; a field that a part lacks is blank there. A column without a value in one part
 * takes its type from the others.
 */
export function concatenate<T extends Table>(name: string, parts: readonly T[]): T {
  if (parts.length === 0) throw new IsomericError('nothing-to-join', `${name} has no parts.`);
  const fields: Field[] = [];
  for (const part of parts) {
    for (const field of part.schema) {
      const at = fields.findIndex((known) => known.name === field.name);
      if (at < 0) fields.push(field);
      else {
        const type = common(fields[at].type, field.type);
        fields[at] = { ...fields[at], type };
        // What looks like numbering in one part is not, when other parts go on from there.
        if (fields[at].featureId !== undefined && parts.length > 1) fields[at].featureId = 'given';
      }
    }
  }
  const [first] = parts;
  const common0 = {
    name,
    schema: fields,
    count: parts.every((part) => part.count !== undefined)
      ? parts.reduce((sum, part) => sum + part.count!, 0)
      : undefined,
    findings: parts.flatMap((part) => part.findings),
    accounts: [],
    async *batches(options: Parameters<Table['batches']>[0]) {
      let before = 0;
      for (const part of parts) {
        const places = fields.map((field) => part.schema.findIndex((own) => own.name === field.name));
        for await (const batch of part.batches(options)) {
          const columns = places.map((c, f) =>
            c < 0 ? nullColumn(fields[f].type, batch.length) : converted(batch.columns[c], fields[f].type),
          );
          yield before === 0 ? batch.with({ columns }) : shifted(batch.with({ columns }), before);
        }
        before += part.count ?? 0;
      }
    },
  };
  if (!isLayer(first)) return common0 as unknown as T;
  const layers = parts as unknown as Layer[];
  for (const layer of layers) {
    if (
      (layer.crs === null) !== (layers[0].crs === null) ||
      (layer.crs !== null && !sameCrs(layer.crs, layers[0].crs!))
    ) {
      throw new IsomericError('crs-differs', `The parts of ${name} are not all in one CRS.`);
    }
  }
  const kinds = layers.every((layer) => layer.kinds !== undefined)
    ? [...new Set(layers.flatMap((layer) => layer.kinds!))]
    : undefined;
  return { ...common0, crs: layers[0].crs, kinds } as unknown as T;
}

function shifted<B extends { first: number }>(batch: B, by: number): B {
  return Object.assign(Object.create(Object.getPrototypeOf(batch)), batch, { first: batch.first + by });
}
