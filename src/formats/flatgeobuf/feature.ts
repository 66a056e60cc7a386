import { Builder } from 'flatbuffers';
import { type GeometryArray, Kind, partKindOf } from '../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import type { Column } from '../../core/table/column.ts';
import type { ColumnBuilder } from '../../core/table/column-builder.ts';
import { parseDate } from '../../core/table/time.ts';
import { Flat } from './flat.ts';
import type { ColumnType } from './header.ts';

/** Deepest nesting of collections that is read. */
const deepest = 16;

/** Encodes features as size-prefixed messages (feature.fbs of the specification). */
export class FeatureWriter {
  private readonly builder = new Builder(4096);
  private properties = new Uint8Array(1024);
  private view = new DataView(this.properties.buffer);
  private used = 0;
  private readonly encoder = new TextEncoder();
  private readonly types: readonly ColumnType[];

  constructor(types: readonly ColumnType[]) {
    this.types = types;
  }

  /** The message of feature i: a view that is valid until the next call. */
  write(array: GeometryArray | null, i: number, columns: readonly Column[]): Uint8Array {
    const { builder } = this;
    builder.clear();
    this.encode(columns, i);
    const geometry = array === null || array.kind[i] === Kind.None ? 0 : this.geometry(array, i);
    let properties = 0;
    if (this.used > 0) properties = builder.createByteVector(this.properties.subarray(0, this.used));
    builder.startObject(3);
    builder.addFieldOffset(0, geometry, 0);
    builder.addFieldOffset(1, properties, 0);
    builder.finishSizePrefixed(builder.endObject());
    return builder.asUint8Array();
  }

  private room(count: number): void {
    if (this.used + count <= this.properties.length) return;
    const larger = new Uint8Array(2 * (this.used + count));
    larger.set(this.properties.subarray(0, this.used));
    this.properties = larger;
    this.view = new DataView(larger.buffer);
  }

  private encode(columns: readonly Column[], i: number): void {
    this.used = 0;
    for (let c = 0; c < columns.length; c++) {
      const column = columns[c];
      if (column.isNull(i)) continue;
      this.room(16);
      this.view.setUint16(this.used, c, true);
      this.used += 2;
      switch (this.types[c]) {
        case 'long':
          this.view.setBigInt64(this.used, BigInt(column.numbers![i]), true);
          this.used += 8;
          continue;
        case 'double':
          this.view.setFloat64(this.used, column.numbers![i], true);
          this.used += 8;
          continue;
        case 'bool':
          this.properties[this.used++] = column.numbers![i];
          continue;
      }
      if (column.offsets !== null) {
        const bytes = column.bytes!.subarray(column.offsets[i], column.offsets[i + 1]);
        this.room(4 + bytes.length);
        this.view.setUint32(this.used, bytes.length, true);
        this.properties.set(bytes, this.used + 4);
        this.used += 4 + bytes.length;
      } else {
        const text = column.text(i)!;
        this.room(4 + 3 * text.length);
        const { written } = this.encoder.encodeInto(text, this.properties.subarray(this.used + 4));
        this.view.setUint32(this.used, written, true);
        this.used += 4 + written;
      }
    }
  }

  private geometry(array: GeometryArray, i: number): number {
    const kind = array.kind[i];
    const first = array.partStart[i];
    const end = array.partStart[i + 1];
    if (kind === Kind.MultiPolygon || kind === Kind.Collection) {
      const { builder } = this;
      const parts: number[] = [];
      for (let p = first; p < end; p++) parts.push(this.flat(array, p, p + 1, array.kindOfPart(i, p)));
      builder.startVector(4, parts.length, 4);
      for (let k = parts.length - 1; k >= 0; k--) builder.addOffset(parts[k]);
      const vector = builder.endVector();
      builder.startObject(8);
      builder.addFieldInt8(6, kind, 0);
      builder.addFieldOffset(7, vector, 0);
      return builder.endObject();
    }
    return this.flat(array, first, end, kind);
  }

  /** Parts first … end as one geometry without parts of its own; `ends` divides paths and rings. */
  private flat(array: GeometryArray, first: number, end: number, kind: number): number {
    const { builder } = this;
    const ringFrom = array.ringStart[first];
    const ringEnd = array.ringStart[end];
    const from = array.vertexStart[ringFrom];
    const to = array.vertexStart[ringEnd];
    let ends = 0;
    if (ringEnd - ringFrom > 1 && kind !== Kind.MultiPoint) {
      builder.startVector(4, ringEnd - ringFrom, 4);
      for (let r = ringEnd; r > ringFrom; r--) builder.addInt32(array.vertexStart[r] - from);
      ends = builder.endVector();
    }
    builder.startVector(8, 2 * (to - from), 8);
    for (let k = 2 * to - 1; k >= 2 * from; k--) builder.addFloat64(array.xy[k]);
    const xy = builder.endVector();
    const z = array.z === null ? 0 : this.ordinates(array.z, from, to);
    const m = array.m === null ? 0 : this.ordinates(array.m, from, to);
    builder.startObject(8);
    builder.addFieldOffset(0, ends, 0);
    builder.addFieldOffset(1, xy, 0);
    builder.addFieldOffset(2, z, 0);
    builder.addFieldOffset(3, m, 0);
    builder.addFieldInt8(6, kind, 0);
    return builder.endObject();
  }

  private ordinates(values: Float64Array, from: number, to: number): number {
    const { builder } = this;
    let some = false;
    for (let v = from; v < to && !some; v++) some = !Number.isNaN(values[v]);
    if (!some) return 0;
    builder.startVector(8, to - from, 8);
    for (let v = to - 1; v >= from; v--) builder.addFloat64(values[v]);
    return builder.endVector();
  }
}

/** Values that could not be read into their column. */
export interface FeatureTroubles {
  values: number;
  geometries: number;
}

/**
 * Reads one feature's message (without its size) into a geometry builder and columns; blank what it does not name.
 *
 * @param layerKind the geometry type of the header; 0 when each geometry says its own
 */
export function readFeature(
  bytes: Uint8Array,
  what: string,
  layerKind: number,
  types: readonly ColumnType[],
  geometry: GeometryMaker,
  columns: readonly ColumnBuilder[],
  troubles: FeatureTroubles,
): void {
  const flat = new Flat(bytes, what);
  const root = flat.root();
  const table = flat.table(root, 0);
  if (table === 0) geometry.feature(Kind.None);
  else {
    const kind = flat.byte(table, 6, 0) || layerKind;
    if (kind < 1 || kind > 7) {
      troubles.geometries++;
      geometry.feature(Kind.None);
    } else {
      geometry.feature(kind);
      readGeometry(flat, table, kind, geometry, kind === Kind.Collection, 0);
    }
  }
  const properties = flat.vector(root, 1, 1);
  readProperties(flat, properties.at, properties.at + properties.length, types, columns, troubles);
}

function readGeometry(
  flat: Flat,
  table: number,
  kind: number,
  geometry: GeometryMaker,
  member: boolean,
  depth: number,
): void {
  if (depth > deepest) flat.damaged(table);
  const parts = flat.vector(table, 7, 4);
  if (kind === Kind.Collection || (kind === Kind.MultiPolygon && parts.length > 0)) {
    for (let k = 0; k < parts.length; k++) {
      const inner = flat.element(parts, k);
      const own = flat.byte(inner, 6, 0) || (kind === Kind.MultiPolygon ? Kind.Polygon : 0);
      if (own < 1 || own > 7) flat.damaged(inner);
      readGeometry(flat, inner, kind === Kind.MultiPolygon ? Kind.Polygon : own, geometry, member, depth + 1);
    }
    return;
  }
  const xy = flat.vector(table, 1, 8);
  if (xy.length === 0) return;
  if (xy.length % 2 !== 0) flat.damaged(xy.at);
  const count = xy.length / 2;
  const ends = flat.vector(table, 0, 4);
  const z = flat.vector(table, 2, 8);
  const m = flat.vector(table, 3, 8);
  const { view } = flat;
  const run = (from: number, end: number) => {
    geometry.ring();
    if (z.length === 0 && m.length === 0) {
      geometry.runBytes(flat.bytes, view, xy.at + 16 * from, end - from);
      return;
    }
    for (let v = from; v < end; v++) {
      geometry.vertex(view.getFloat64(xy.at + 16 * v, true), view.getFloat64(xy.at + 16 * v + 8, true));
      if (v < z.length) geometry.height(view.getFloat64(z.at + 8 * v, true));
      if (v < m.length) geometry.measure(view.getFloat64(m.at + 8 * v, true));
    }
  };
  const single = partKindOf(kind);
  const part = () => geometry.part(member ? single : undefined);
  if (kind === Kind.Point && count !== 1) flat.damaged(xy.at);
  if (kind === Kind.MultiPoint) {
    for (let v = 0; v < count; v++) {
      part();
      run(v, v + 1);
    }
    return;
  }
  if (ends.length === 0) {
    part();
    run(0, count);
    return;
  }
  let from = 0;
  if (single === Kind.Polygon) part();
  for (let k = 0; k < ends.length; k++) {
    const end = flat.uint32(ends.at + 4 * k);
    if (end < from || end > count) flat.damaged(ends.at + 4 * k);
    if (single !== Kind.Polygon) part();
    run(from, end);
    from = end;
  }
  if (from !== count) flat.damaged(ends.at);
}

const sizes: Partial<Record<ColumnType, number>> = {
  byte: 1,
  ubyte: 1,
  bool: 1,
  short: 2,
  ushort: 2,
  int: 4,
  uint: 4,
  long: 8,
  ulong: 8,
  float: 4,
  double: 8,
};

function readProperties(
  flat: Flat,
  start: number,
  end: number,
  types: readonly ColumnType[],
  columns: readonly ColumnBuilder[],
  troubles: FeatureTroubles,
): void {
  const { view, bytes } = flat;
  const row = columns.length === 0 ? 0 : columns[0].length;
  let at = start;
  while (at < end) {
    if (at + 2 > end) flat.damaged(at);
    const c = view.getUint16(at, true);
    at += 2;
    if (c >= types.length) flat.damaged(at - 2);
    const type = types[c];
    const column = columns[c];
    // A column that is named twice counts once.
    const twice = column.length > row;
    const size = sizes[type];
    if (size !== undefined) {
      if (at + size > end) flat.damaged(at);
      const value = numberAt(view, at, type);
      at += size;
      if (twice) continue;
      if (column.type === 'integer' && !Number.isSafeInteger(value)) {
        troubles.values++;
        column.null();
      } else column.number(column.type === 'boolean' ? (value === 0 ? 0 : 1) : value);
      continue;
    }
    if (at + 4 > end) flat.damaged(at);
    const length = view.getUint32(at, true);
    at += 4;
    if (at + length > end) flat.damaged(at);
    if (!twice) putBytes(column, bytes, at, at + length, troubles);
    at += length;
  }
  for (const column of columns) if (column.length === row) column.null();
}

function putBytes(
  column: ColumnBuilder,
  bytes: Uint8Array,
  from: number,
  end: number,
  troubles: FeatureTroubles,
): void {
  if (column.type === 'text' || column.type === 'bytes') {
    column.raw(bytes, from, end);
    return;
  }
  const text = new TextDecoder().decode(bytes.subarray(from, end));
  if (column.type === 'json') {
    try {
      JSON.parse(text);
      column.text(text);
    } catch {
      troubles.values++;
      column.null();
    }
    return;
  }
  // Times without a zone are taken as UTC, days as their first moment.
  const value =
    column.type === 'date'
      ? parseDate(text.slice(0, 10))
      : text.length > 64
        ? Number.NaN
        : Date.parse(/T.*(Z|[+-]\d{2}:?\d{2})$/i.test(text) || !text.includes('T') ? text : `${text}Z`);
  if (Number.isNaN(value)) {
    if (text !== '') troubles.values++;
    column.null();
  } else column.number(value);
}

function numberAt(view: DataView, at: number, type: ColumnType): number {
  switch (type) {
    case 'byte':
      return view.getInt8(at);
    case 'short':
      return view.getInt16(at, true);
    case 'ushort':
      return view.getUint16(at, true);
    case 'int':
      return view.getInt32(at, true);
    case 'uint':
      return view.getUint32(at, true);
    case 'long':
      return Number(view.getBigInt64(at, true));
    case 'ulong':
      return Number(view.getBigUint64(at, true));
    case 'float':
      return view.getFloat32(at, true);
    case 'double':
      return view.getFloat64(at, true);
    default:
      return view.getUint8(at);
  }
}
