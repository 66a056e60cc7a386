import { type Column, textColumn } from '../../src/core/index.ts';

/** Bytes of a .shp made by hand after the white paper of 1998; `shapes` are lists of rings, paths or points. */
export function shapeBytes(type: 1 | 3 | 5 | 8, shapes: readonly number[][][][]): Uint8Array {
  const records = shapes.map((parts) => {
    const points = parts.flat();
    if (type === 1) {
      const record = new DataView(new ArrayBuffer(20));
      record.setInt32(0, 1, true);
      record.setFloat64(4, points[0][0], true);
      record.setFloat64(12, points[0][1], true);
      return record;
    }
    const record = new DataView(new ArrayBuffer(44 + 4 * parts.length + 16 * points.length));
    record.setInt32(0, type, true);
    [
      Math.min(...points.map((p) => p[0])),
      Math.min(...points.map((p) => p[1])),
      Math.max(...points.map((p) => p[0])),
      Math.max(...points.map((p) => p[1])),
    ].forEach((v, k) => {
      record.setFloat64(4 + 8 * k, v, true);
    });
    record.setInt32(36, parts.length, true);
    record.setInt32(40, points.length, true);
    let start = 0;
    parts.forEach((part, k) => {
      record.setInt32(44 + 4 * k, start, true);
      start += part.length;
    });
    points.forEach((point, k) => {
      record.setFloat64(44 + 4 * parts.length + 16 * k, point[0], true);
      record.setFloat64(52 + 4 * parts.length + 16 * k, point[1], true);
    });
    return record;
  });
  const total = 100 + records.reduce((sum, record) => sum + 8 + record.byteLength, 0);
  const bytes = new Uint8Array(total);
  const view = new DataView(bytes.buffer);
  view.setInt32(0, 9994);
  view.setInt32(24, total / 2);
  view.setInt32(28, 1000, true);
  view.setInt32(32, type, true);
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (const [x, y] of shapes.flat(2)) {
    box[0] = Math.min(box[0], x);
    box[1] = Math.min(box[1], y);
    box[2] = Math.max(box[2], x);
    box[3] = Math.max(box[3], y);
  }
  box.forEach((v, k) => {
    view.setFloat64(36 + 8 * k, v, true);
  });
  let at = 100;
  records.forEach((record, k) => {
    view.setInt32(at, k + 1);
    view.setInt32(at + 4, record.byteLength / 2);
    bytes.set(new Uint8Array(record.buffer), at + 8);
    at += 8 + record.byteLength;
  });
  return bytes;
}

/** Bytes of a .dbf made by hand; the first cell of each row is its deletion mark. */
export function dbaseBytes(
  fields: readonly (readonly [name: string, type: string, width: number, decimals: number])[],
  rows: readonly (string | Uint8Array)[][],
  language: number,
): Uint8Array {
  const recordLength = 1 + fields.reduce((sum, field) => sum + field[2], 0);
  const headerLength = 33 + 32 * fields.length;
  const bytes = new Uint8Array(headerLength + recordLength * rows.length + 1).fill(32, headerLength);
  const view = new DataView(bytes.buffer);
  bytes.set([3, 124, 5, 1]);
  view.setUint32(4, rows.length, true);
  view.setUint16(8, headerLength, true);
  view.setUint16(10, recordLength, true);
  bytes[29] = language;
  fields.forEach(([name, type, width, decimals], k) => {
    bytes.set(new TextEncoder().encode(name), 32 + 32 * k);
    bytes[32 + 32 * k + 11] = type.charCodeAt(0);
    bytes[32 + 32 * k + 16] = width;
    bytes[32 + 32 * k + 17] = decimals;
  });
  bytes[headerLength - 1] = 0x0d;
  rows.forEach((row, r) => {
    let at = headerLength + r * recordLength;
    bytes[at++] = (row[0] as string).charCodeAt(0);
    fields.forEach(([, type, width], f) => {
      const cell = row[f + 1];
      const text = typeof cell === 'string' ? new TextEncoder().encode(cell) : cell;
      bytes.set(text, at + (type === 'N' ? width - text.length : 0));
      at += width;
    });
  });
  bytes[bytes.length - 1] = 0x1a;
  return bytes;
}

/** Rows of text → text columns. */
export function columnsOf(rows: readonly string[][]): Column[] {
  return rows[0].map((_, c) => textColumn(rows.map((row) => row[c])));
}
