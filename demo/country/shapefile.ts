import type { Point } from './units.ts';

/** What the map extracts are written with: a small shapefile writer, apart from the library's own code. */
export interface ShapeLayer {
  type: 1 | 3 | 5;
  shapes: Point[][][];
  fields: [name: string, type: 'C' | 'N', width: number, decimals: number][];
  rows: (string | number | null)[][];
}

export function shapefile(layer: ShapeLayer): { shp: Uint8Array; shx: Uint8Array; dbf: Uint8Array } {
  const { type, shapes } = layer;
  const contents = shapes.map((parts) => content(type, parts));
  const shp = new Uint8Array(100 + contents.reduce((sum, bytes) => sum + 8 + bytes.length, 0));
  const shx = new Uint8Array(100 + 8 * contents.length);
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (const [x, y] of shapes.flat(2)) {
    box[0] = Math.min(box[0], x);
    box[1] = Math.min(box[1], y);
    box[2] = Math.max(box[2], x);
    box[3] = Math.max(box[3], y);
  }
  for (const bytes of [shp, shx]) {
    const view = new DataView(bytes.buffer);
    view.setInt32(0, 9994);
    view.setInt32(24, bytes.length / 2);
    view.setInt32(28, 1000, true);
    view.setInt32(32, type, true);
    box.forEach((v, k) => {
      view.setFloat64(36 + 8 * k, v, true);
    });
  }
  let at = 100;
  contents.forEach((bytes, k) => {
    const head = new DataView(shp.buffer, at, 8);
    head.setInt32(0, k + 1);
    head.setInt32(4, bytes.length / 2);
    shp.set(bytes, at + 8);
    const entry = new DataView(shx.buffer, 100 + 8 * k, 8);
    entry.setInt32(0, at / 2);
    entry.setInt32(4, bytes.length / 2);
    at += 8 + bytes.length;
  });
  return { shp, shx, dbf: dbase(layer) };
}

function content(type: number, parts: Point[][]): Uint8Array {
  const points = parts.flat();
  if (type === 1) {
    const view = new DataView(new ArrayBuffer(20));
    view.setInt32(0, 1, true);
    view.setFloat64(4, points[0][0], true);
    view.setFloat64(12, points[0][1], true);
    return new Uint8Array(view.buffer);
  }
  const view = new DataView(new ArrayBuffer(44 + 4 * parts.length + 16 * points.length));
  view.setInt32(0, type, true);
  const xs = points.map((p) => p[0]);
  const ys = points.map((p) => p[1]);
  [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)].forEach((v, k) => {
    view.setFloat64(4 + 8 * k, v, true);
  });
  view.setInt32(36, parts.length, true);
  view.setInt32(40, points.length, true);
  let start = 0;
  parts.forEach((part, k) => {
    view.setInt32(44 + 4 * k, start, true);
    start += part.length;
  });
  points.forEach(([x, y], k) => {
    view.setFloat64(44 + 4 * parts.length + 16 * k, x, true);
    view.setFloat64(52 + 4 * parts.length + 16 * k, y, true);
  });
  return new Uint8Array(view.buffer);
}

/** Text in windows-1252, as the accompanying .cpg says. */
function latin(text: string): Uint8Array {
  return Uint8Array.from(text, (c) => Math.min(255, c.charCodeAt(0)));
}

function dbase({ fields, rows }: ShapeLayer): Uint8Array {
  const recordLength = 1 + fields.reduce((sum, field) => sum + field[2], 0);
  const headerLength = 33 + 32 * fields.length;
  const bytes = new Uint8Array(headerLength + recordLength * rows.length + 1).fill(32, headerLength);
  const view = new DataView(bytes.buffer);
  bytes.set([3, 124, 6, 30]);
  view.setUint32(4, rows.length, true);
  view.setUint16(8, headerLength, true);
  view.setUint16(10, recordLength, true);
  fields.forEach(([name, type, width, decimals], k) => {
    bytes.set(latin(name), 32 + 32 * k);
    bytes[43 + 32 * k] = type.charCodeAt(0);
    bytes[48 + 32 * k] = width;
    bytes[49 + 32 * k] = decimals;
  });
  bytes[headerLength - 1] = 0x0d;
  rows.forEach((row, r) => {
    let at = headerLength + r * recordLength + 1;
    fields.forEach(([, type, width, decimals], f) => {
      const value = row[f];
      const text =
        value === null ? '' : type === 'N' ? Number(value).toFixed(decimals).padStart(width) : String(value);
      bytes.set(latin(text).subarray(0, width), at);
      at += width;
    });
  });
  bytes[bytes.length - 1] = 0x1a;
  return bytes;
}
