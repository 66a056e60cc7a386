import { Builder } from 'flatbuffers';
import type { Crs } from '../../core/crs/crs.ts';
import { wktFromCrs } from '../../core/crs/wkt-write.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import type { Field, FieldType, Schema } from '../../core/table/schema.ts';
import { Flat } from './flat.ts';

/** The first eight bytes; the fourth is the major version, the last the patch level. */
export const magic = Uint8Array.of(0x66, 0x67, 0x62, 3, 0x66, 0x67, 0x62, 1);

/** Types of columns, in the order of their numbers in the specification. */
const columnTypes = [
  'byte',
  'ubyte',
  'bool',
  'short',
  'ushort',
  'int',
  'uint',
  'long',
  'ulong',
  'float',
  'double',
  'string',
  'json',
  'datetime',
  'binary',
] as const;
export type ColumnType = (typeof columnTypes)[number];

const fieldTypes: Record<ColumnType, FieldType> = {
  byte: 'integer',
  ubyte: 'integer',
  bool: 'boolean',
  short: 'integer',
  ushort: 'integer',
  int: 'integer',
  uint: 'integer',
  long: 'integer',
  ulong: 'integer',
  float: 'real',
  double: 'real',
  string: 'text',
  json: 'json',
  datetime: 'timestamp',
  binary: 'bytes',
};

const written: Record<FieldType, ColumnType> = {
  integer: 'long',
  real: 'double',
  text: 'string',
  boolean: 'bool',
  date: 'datetime',
  timestamp: 'datetime',
  bytes: 'binary',
  json: 'json',
};

/** Says, in a column's metadata, that its time stamps are days. */
const dayMark = '{"values":"date"}';

export interface HeaderCrs {
  org: string;
  code: number;
  wkt: string;
}

export interface FlatgeobufHeader {
  name: string;
  fields: Field[];
  columns: ColumnType[];
  count: number;
  nodeSize: number;
  geometryType: number;
  extent: Box | undefined;
  crs: HeaderCrs | null;
}

/** Reads a header (header.fbs of the specification). */
export function readHeader(bytes: Uint8Array, file: string): FlatgeobufHeader {
  const flat = new Flat(bytes, `The header of ${file}`);
  const root = flat.root();
  const envelope = flat.vector(root, 1, 8);
  const box =
    envelope.length >= 4
      ? ([0, 1, 2, 3].map((k) => flat.view.getFloat64(envelope.at + 8 * k, true)) as Box)
      : undefined;
  const fields: Field[] = [];
  const columns: ColumnType[] = [];
  const vector = flat.vector(root, 7, 4);
  for (let k = 0; k < vector.length; k++) {
    const column = flat.element(vector, k);
    const type = columnTypes[flat.byte(column, 1, 0)];
    if (type === undefined) flat.damaged(column);
    columns.push(type);
    const title = flat.text(column, 2);
    const description = flat.text(column, 3);
    const isDay = flat.text(column, 10) === dayMark;
    fields.push({
      name: flat.text(column, 0) ?? `column_${k + 1}`,
      type: isDay && type === 'datetime' ? 'date' : fieldTypes[type],
      ...(title ? { title } : {}),
      ...(description ? { description } : {}),
    });
  }
  const crs = flat.table(root, 10);
  return {
    name: flat.text(root, 0) ?? '',
    fields,
    columns,
    count: flat.uint64(root, 8),
    nodeSize: flat.uint16(root, 9, 16),
    geometryType: flat.byte(root, 2, 0),
    extent: box?.every(Number.isFinite) && box[0] <= box[2] ? box : undefined,
    crs:
      crs === 0
        ? null
        : {
            org: flat.text(crs, 0) ?? '',
            code: flat.int32(crs, 1, 0) || Number(flat.text(crs, 5) ?? 0),
            wkt: flat.text(crs, 4) ?? '',
          },
  };
}

export function columnTypeOf(type: FieldType): ColumnType {
  return written[type];
}

/** A header as a size-prefixed message. */
export function writeHeader(parts: {
  name: string;
  schema: Schema;
  crs: Crs | null;
  count: number;
  nodeSize: number;
  geometryType: number;
  extent: Box | null;
  z: boolean;
  m: boolean;
}): Uint8Array {
  const builder = new Builder(1024);
  const columns = parts.schema.map((field) => {
    const name = builder.createString(field.name);
    const title = field.title === undefined ? 0 : builder.createString(field.title);
    const description = field.description === undefined ? 0 : builder.createString(field.description);
    const mark = field.type === 'date' ? builder.createString(dayMark) : 0;
    builder.startObject(11);
    builder.addFieldOffset(0, name, 0);
    builder.addFieldInt8(1, columnTypes.indexOf(written[field.type]), 0);
    builder.addFieldOffset(2, title, 0);
    builder.addFieldOffset(3, description, 0);
    builder.addFieldOffset(10, mark, 0);
    return builder.endObject();
  });
  const name = builder.createString(parts.name);
  let columnVector = 0;
  if (columns.length > 0) {
    builder.startVector(4, columns.length, 4);
    for (let k = columns.length - 1; k >= 0; k--) builder.addOffset(columns[k]);
    columnVector = builder.endVector();
  }
  let crs = 0;
  if (parts.crs !== null) {
    const code = parts.crs.code?.startsWith('EPSG:') ? Number(parts.crs.code.slice(5)) : 0;
    const org = code > 0 ? builder.createString('EPSG') : 0;
    const crsName = builder.createString(parts.crs.name);
    const wkt = builder.createString(wktFromCrs(parts.crs));
    builder.startObject(6);
    builder.addFieldOffset(0, org, 0);
    builder.addFieldInt32(1, code, 0);
    builder.addFieldOffset(2, crsName, 0);
    builder.addFieldOffset(4, wkt, 0);
    crs = builder.endObject();
  }
  let envelope = 0;
  if (parts.extent !== null) {
    builder.startVector(8, 4, 8);
    for (let k = 3; k >= 0; k--) builder.addFloat64(parts.extent[k]);
    envelope = builder.endVector();
  }
  builder.startObject(14);
  builder.addFieldOffset(0, name, 0);
  builder.addFieldOffset(1, envelope, 0);
  builder.addFieldInt8(2, parts.geometryType, 0);
  builder.addFieldInt8(3, parts.z ? 1 : 0, 0);
  builder.addFieldInt8(4, parts.m ? 1 : 0, 0);
  builder.addFieldOffset(7, columnVector, 0);
  builder.addFieldInt64(8, BigInt(parts.count), 0n);
  builder.addFieldInt16(9, parts.nodeSize, 16);
  builder.addFieldOffset(10, crs, 0);
  builder.finishSizePrefixed(builder.endObject());
  return builder.asUint8Array().slice();
}
