import type { FileMetaData, SchemaElement } from 'hyparquet';
import type { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';

/** A top-level column of a Parquet file: its field, and how its values are put into a builder. */
export interface ParquetColumn {
  /** Name in the file. */
  path: string;
  field: Field;
  put(builder: ColumnBuilder, value: unknown, troubles: { values: number }): void;
}

/** Children of the root in the flat list of the schema, each with its number of descendants. */
export function topLevel(metadata: FileMetaData): { element: SchemaElement; size: number }[] {
  const { schema } = metadata;
  const sizeOf = (at: number): number => {
    let size = 1;
    for (let k = 0; k < (schema[at]?.num_children ?? 0); k++) size += sizeOf(at + size);
    return size;
  };
  const top: { element: SchemaElement; size: number }[] = [];
  for (let at = 1; at < schema.length; ) {
    const size = sizeOf(at);
    top.push({ element: schema[at], size });
    at += size;
  }
  return top;
}

function typeOf(element: SchemaElement, size: number): FieldType {
  if (size > 1 || element.repetition_type === 'REPEATED') return 'json';
  const { type, converted_type: converted, logical_type: logical } = element;
  if (logical?.type === 'TIMESTAMP' || converted?.startsWith('TIMESTAMP') || type === 'INT96')
    return 'timestamp';
  if (converted === 'DATE' || logical?.type === 'DATE') return 'date';
  if (converted === 'DECIMAL' || logical?.type === 'DECIMAL' || logical?.type === 'FLOAT16') return 'real';
  if (converted === 'JSON' || logical?.type === 'JSON') return 'json';
  if (
    converted === 'UTF8' ||
    converted === 'ENUM' ||
    ['STRING', 'ENUM', 'UUID'].includes(logical?.type ?? '')
  )
    return 'text';
  switch (type) {
    case 'BOOLEAN':
      return 'boolean';
    case 'INT32':
    case 'INT64':
      return 'integer';
    case 'FLOAT':
    case 'DOUBLE':
      return 'real';
    default:
      return 'bytes';
  }
}

/** Readers of values as the package hands them over with `parsers` below. */
export function parquetColumn(element: SchemaElement, size: number): ParquetColumn {
  const type = typeOf(element, size);
  return { path: element.name, field: { name: element.name, type }, put: putters[type] };
}

/** Keeps values as near to their bytes as the package allows. */
export const parsers = {
  dateFromDays: (days: number) => days,
  timestampFromMilliseconds: (value: bigint) => Number(value),
  timestampFromMicroseconds: (value: bigint) => Number(value) / 1000,
  timestampFromNanoseconds: (value: bigint) => Number(value / 1000n) / 1000,
  stringFromBytes: (bytes: Uint8Array) => bytes,
  jsonFromBytes: (bytes: Uint8Array) => bytes,
  geometryFromBytes: (bytes: Uint8Array) => bytes,
  geographyFromBytes: (bytes: Uint8Array) => bytes,
};

type Put = ParquetColumn['put'];

const number: Put = (builder, value, troubles) => {
  const plain = typeof value === 'bigint' ? Number(value) : value;
  if (typeof plain !== 'number' || (builder.type === 'integer' && !Number.isSafeInteger(plain))) {
    troubles.values++;
    builder.null();
  } else builder.number(builder.type === 'timestamp' ? Math.trunc(plain) : plain);
};

const bytes: Put = (builder, value, troubles) => {
  if (value instanceof Uint8Array) builder.raw(value, 0, value.length);
  else if (typeof value === 'string') builder.text(value);
  else {
    troubles.values++;
    builder.null();
  }
};

const putters: Record<FieldType, Put> = {
  integer: number,
  real: number,
  date: number,
  timestamp: number,
  boolean: (builder, value) => builder.number(value === true || value === 1 ? 1 : 0),
  text: bytes,
  bytes,
  json(builder, value, troubles) {
    if (value instanceof Uint8Array) bytes(builder, value, troubles);
    else builder.text(JSON.stringify(value, plainValue));
  },
};

/** What JSON cannot hold inside a nested value: long integers become numbers or text, bytes their UTF-8 text. */
function plainValue(_: string, value: unknown): unknown {
  if (typeof value === 'bigint') return Number.isSafeInteger(Number(value)) ? Number(value) : String(value);
  return value instanceof Uint8Array ? new TextDecoder().decode(value) : value;
}
