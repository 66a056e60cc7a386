import type { Column } from '../../core/table/column.ts';
import { KeyIndex } from '../../core/table/keys/key-index.ts';
import type { FieldType } from '../../core/table/schema.ts';
import { Physical } from './footer.ts';

/** A column of a row group as it is written: levels, values, and what its statistics say. */
export interface WrittenColumn {
  type: number;
  nulls: number;
  /** Values of the dictionary, where there is one; then those of the pages are their numbers. */
  dictionary: { count: number; bytes: Uint8Array } | null;
  pages: WrittenPage[];
  least: Uint8Array | undefined;
  greatest: Uint8Array | undefined;
}

export interface WrittenPage {
  entries: number;
  /** One byte an entry: 1 where there is a value; null where all have one. */
  there: Uint8Array | null;
  values: Uint8Array;
}

/** Bytes of texts or blobs in one page: what a reader must unpack at once. */
const pageBytes = 2 ** 20;
/** Longest text of statistics. */
const longestBound = 64;

/** Physical type of the values of a field. */
export const physicalOf: Readonly<Record<FieldType, number>> = {
  integer: Physical.Int64,
  real: Physical.Double,
  boolean: Physical.Boolean,
  date: Physical.Int32,
  timestamp: Physical.Int64,
  text: Physical.ByteArray,
  json: Physical.ByteArray,
  bytes: Physical.ByteArray,
};

const sizeOf = (type: number) => (type === Physical.Int32 || type === Physical.Float ? 4 : 8);

function putNumber(view: DataView, at: number, value: number, type: number): void {
  if (type === Physical.Double) view.setFloat64(at, value, true);
  else if (type === Physical.Float) view.setFloat32(at, value, true);
  else if (type === Physical.Int32) view.setInt32(at, value, true);
  else {
    const high = Math.floor(value / 2 ** 32);
    view.setUint32(at, value - high * 2 ** 32, true);
    view.setInt32(at + 4, high, true);
  }
}

function plainNumbers(values: ArrayLike<number>, type: number): Uint8Array {
  const size = sizeOf(type);
  const view = new DataView(new ArrayBuffer(size * values.length));
  for (let k = 0; k < values.length; k++) putNumber(view, k * size, values[k], type);
  return new Uint8Array(view.buffer);
}

/** Numbers of dictionary entries, packed in bits in one run (Parquet format, “Dictionary Encoding”). */
function packNumbers(numbers: Uint32Array, count: number, most: number): Uint8Array {
  const width = Math.max(1, 32 - Math.clz32(most - 1));
  const groups = Math.ceil(count / 8);
  const head = [width];
  for (let rest = groups * 2 + 1; ; rest = Math.floor(rest / 128)) {
    head.push(rest >= 128 ? (rest % 128) | 128 : rest);
    if (rest < 128) break;
  }
  const out = new Uint8Array(head.length + groups * width);
  out.set(head);
  let at = head.length;
  let held = 0;
  let bits = 0;
  for (let k = 0; k < count; k++) {
    held |= numbers[k] << bits;
    bits += width;
    while (bits >= 8) {
      out[at++] = held & 255;
      held >>>= 8;
      bits -= 8;
    }
  }
  if (bits > 0) out[at] = held & 255;
  return out;
}

/** Which entries have a value. */
function presence(column: Column): { there: Uint8Array | null; nulls: number } {
  let nulls = 0;
  for (let i = 0; i < column.length; i++) if (column.isNull(i)) nulls++;
  if (nulls === 0) return { there: null, nulls };
  const there = new Uint8Array(column.length);
  for (let i = 0; i < column.length; i++) there[i] = column.isNull(i) ? 0 : 1;
  return { there, nulls };
}

/** A column of numbers of any kind. */
function numbersColumn(column: Column, type: number): WrittenColumn {
  const { there, nulls } = presence(column);
  const all = column.numbers!;
  const values = new Float64Array(column.length - nulls);
  let n = 0;
  for (let i = 0; i < column.length; i++) if (there === null || there[i] === 1) values[n++] = all[i];
  return encodeNumbers(values, type, column.length, there);
}

/**
 * A column of numbers, with a dictionary where few of them differ.
 *
 * @param values of the entries that have one, `there` says which
 */
export function encodeNumbers(
  values: Float64Array,
  type: number,
  entries: number,
  there: Uint8Array | null,
): WrittenColumn {
  let least = Infinity;
  let greatest = -Infinity;
  for (let k = 0; k < values.length; k++) {
    if (values[k] < least) least = values[k];
    if (values[k] > greatest) greatest = values[k];
  }
  const known = least <= greatest;
  // The two zeros compare alike: bounds include both (parquet.thrift, ColumnOrder).
  const bound = (value: number, zero: number) => plainNumbers([value === 0 ? zero : value], type);
  const page = (bytes: Uint8Array): WrittenPage[] => [{ entries, there, values: bytes }];
  const bounds = {
    type,
    nulls: entries - values.length,
    least: known ? bound(least, -0) : undefined,
    greatest: known ? bound(greatest, 0) : undefined,
  };
  const most = values.length >> 2;
  const numbers = new Map<number, number>();
  const indices = new Uint32Array(values.length);
  let k = 0;
  for (; k < values.length && numbers.size <= most; k++) {
    const value = values[k];
    // A Map takes both zeros for one.
    if (Object.is(value, -0)) break;
    let number = numbers.get(value);
    if (number === undefined) {
      number = numbers.size;
      numbers.set(value, number);
    }
    indices[k] = number;
  }
  if (k < values.length || numbers.size > most || numbers.size === 0)
    return { ...bounds, dictionary: null, pages: page(plainNumbers(values, type)) };
  return {
    ...bounds,
    dictionary: { count: numbers.size, bytes: plainNumbers(Float64Array.from(numbers.keys()), type) },
    pages: page(packNumbers(indices, values.length, numbers.size)),
  };
}

function booleansColumn(column: Column): WrittenColumn {
  const { there, nulls } = presence(column);
  const bits = new Uint8Array((column.length - nulls + 7) >> 3);
  let n = 0;
  for (let i = 0; i < column.length; i++) {
    if (there !== null && there[i] === 0) continue;
    if (column.numbers![i] === 1) bits[n >> 3] |= 1 << (n & 7);
    n++;
  }
  return {
    type: Physical.Boolean,
    nulls,
    dictionary: null,
    pages: [{ entries: column.length, there, values: bits }],
    least: undefined,
    greatest: undefined,
  };
}

function compareBytes(bytes: Uint8Array, a: number, aEnd: number, b: number, bEnd: number): number {
  for (let k = 0; a + k < aEnd && b + k < bEnd; k++)
    if (bytes[a + k] !== bytes[b + k]) return bytes[a + k] - bytes[b + k];
  return aEnd - a - (bEnd - b);
}

/** Texts or blobs, which stand one after the other in `bytes`. @param bounded their least and greatest are of use */
export function bytesColumn(
  bytes: Uint8Array,
  offsets: Uint32Array,
  entries: number,
  isNull: (i: number) => boolean,
  bounded: boolean,
): WrittenColumn {
  let nulls = 0;
  for (let i = 0; i < entries; i++) if (isNull(i)) nulls++;
  const there = nulls === 0 ? null : new Uint8Array(entries);
  const index = new KeyIndex();
  const indices = new Uint32Array(entries - nulls);
  const most = bounded ? (entries - nulls) >> 1 : -1;
  let least = -1;
  let greatest = -1;
  let n = 0;
  for (let i = 0; i < entries; i++) {
    if (isNull(i)) continue;
    if (there !== null) there[i] = 1;
    const [from, end] = [offsets[i], offsets[i + 1]];
    if (index.size <= most) indices[n] = index.add(bytes, from, end, i);
    n++;
    if (!bounded) continue;
    if (least < 0 || compareBytes(bytes, from, end, offsets[least], offsets[least + 1]) < 0) least = i;
    if (greatest < 0 || compareBytes(bytes, from, end, offsets[greatest], offsets[greatest + 1]) > 0)
      greatest = i;
  }
  const bound = (i: number) =>
    i < 0 || offsets[i + 1] - offsets[i] > longestBound ? undefined : bytes.slice(offsets[i], offsets[i + 1]);
  const common = {
    type: Physical.ByteArray,
    nulls,
    least: bound(least),
    greatest: bound(greatest),
  };
  const plain = (rows: readonly number[], length: number) => {
    const out = new Uint8Array(length);
    const view = new DataView(out.buffer);
    let at = 0;
    for (const i of rows) {
      const own = bytes.subarray(offsets[i], offsets[i + 1]);
      view.setUint32(at, own.length, true);
      out.set(own, at + 4);
      at += 4 + own.length;
    }
    return out;
  };
  if (index.size === 0 || index.size > most) {
    const pages: WrittenPage[] = [];
    for (let from = 0; from < entries; ) {
      let end = from;
      let length = 0;
      const rows: number[] = [];
      for (; end < entries && (end === from || length < pageBytes); end++) {
        if (isNull(end)) continue;
        rows.push(end);
        length += 4 + offsets[end + 1] - offsets[end];
      }
      pages.push({
        entries: end - from,
        there: there?.subarray(from, end) ?? null,
        values: plain(rows, length),
      });
      from = end;
    }
    return { ...common, dictionary: null, pages };
  }
  const first = Array.from(index.firstRow.subarray(0, index.size));
  const length = first.reduce((sum, i) => sum + 4 + offsets[i + 1] - offsets[i], 0);
  return {
    ...common,
    dictionary: { count: index.size, bytes: plain(first, length) },
    pages: [{ entries, there, values: packNumbers(indices, n, index.size) }],
  };
}

/** A column of a table as it is written. */
export function writtenColumn(column: Column): WrittenColumn {
  if (column.type === 'boolean') return booleansColumn(column);
  if (column.numbers !== null) return numbersColumn(column, physicalOf[column.type]);
  return bytesColumn(
    column.bytes!,
    column.offsets!,
    column.length,
    (i) => column.isNull(i),
    column.type === 'text',
  );
}
