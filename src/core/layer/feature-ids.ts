import type { Finding } from '../findings.ts';
import { Column } from '../table/column.ts';
import { type Field, type FieldType, freeName, type Schema } from '../table/schema.ts';
import type { Batch } from './batch.ts';
import type { Table } from './layer.ts';

/** What a reader knows of the ids that its source gives to features (`Batch.ids`). */
export interface FeatureIds {
  type: Extract<FieldType, 'text' | 'integer'>;
  /** What the ids are called where no property has that name: the column's own name in a database; else `id`. */
  name?: string;
  /** True when they only number the features (1, 2, 3 …): of use here, but nothing that another format must keep. */
  numbering?: boolean;
}

/** The column that holds the ids of the features, if there is one. */
export function idFieldIndex(schema: Schema): number {
  return schema.findIndex((field) => field.featureId !== undefined);
}

/**
 * Ids of features are data: a code often stands nowhere else. They become the first field, so that they can be used
 * wherever a field can. A property of the same name keeps it, and the ids get another, which is told.
 */
export function withIdField<T extends Table>(table: T, ids: FeatureIds | null): T {
  if (ids === null) return table;
  const names = table.schema.map((field) => field.name);
  const wanted = ids.name ?? 'id';
  const taken = names.some((name) => name.toLowerCase() === wanted.toLowerCase());
  // Numbers of rows are not worth a name of their own.
  if (taken && ids.numbering === true) return table;
  const name = taken ? freeName('feature_id', names) : wanted;
  const field: Field = { name, type: ids.type, featureId: ids.numbering === true ? 'numbering' : 'given' };
  const findings: readonly Finding[] = taken
    ? [
        ...table.findings,
        {
          code: 'id-field-renamed',
          severity: 'note',
          layer: table.name,
          words: `Features of ${table.name} have ids beside their property ${wanted}: the ids are called ${name} here.`,
        },
      ]
    : table.findings;
  return {
    ...table,
    schema: [field, ...table.schema],
    findings,
    async *batches(options) {
      for await (const batch of table.batches(options))
        yield batch.with({ columns: [batch.ids ?? blankColumn(ids.type, batch.length), ...batch.columns] });
    },
  };
}

/**
 * For formats that have a place of their own for ids: the field of ids goes out of the columns and into `Batch.ids`,
 * which is null where there is no such field. Ids that only number rows in memory are no ids for a file.
 */
export function withOwnIds<T extends Table>(table: T): T {
  const at = idFieldIndex(table.schema);
  if (at < 0) return { ...table, batches: (options) => withoutIds(table.batches(options)) };
  return {
    ...table,
    schema: table.schema.filter((_, c) => c !== at),
    async *batches(options) {
      for await (const batch of table.batches(options))
        yield batch.with({
          columns: batch.columns.filter((_, c) => c !== at),
          ids: batch.columns[at],
        });
    },
  };
}

async function* withoutIds(batches: AsyncIterable<Batch>): AsyncGenerator<Batch> {
  for await (const batch of batches) yield batch.with({ ids: null });
}

/** For formats without such a place: ids stay a column, but those that only number the features are left out. */
export function withIdsAsColumn<T extends Table>(table: T): { table: T; note?: string } {
  const at = idFieldIndex(table.schema);
  if (at < 0) return { table };
  const { name, featureId } = table.schema[at];
  if (featureId === 'given') return { table, note: `The ids of the features stand in the column ${name}.` };
  return {
    table: {
      ...table,
      schema: table.schema.filter((_, c) => c !== at),
      async *batches(options) {
        for await (const batch of table.batches(options))
          yield batch.with({ columns: batch.columns.filter((_, c) => c !== at) });
      },
    },
    note: `The column ${name} was left out: it only numbers the rows.`,
  };
}

/** A field that comes to other features than those it named: from now on a field like any other. */
export function asPlainField(field: Field): Field {
  const { featureId: _, ...plain } = field;
  return plain;
}

function blankColumn(type: FeatureIds['type'], length: number): Column {
  return new Column({
    type,
    length,
    valid: new Uint8Array((length + 7) >> 3),
    numbers: type === 'integer' ? new Float64Array(length) : null,
    offsets: type === 'integer' ? null : new Uint32Array(length + 1),
    bytes: type === 'integer' ? null : new Uint8Array(0),
    codes: null,
    dictionary: null,
  });
}
