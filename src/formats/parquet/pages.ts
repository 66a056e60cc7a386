import type { ByteSource } from '../bytes/byte-source.ts';
import { crc32 } from '../compressed/crc32.ts';
import {
  type ByteValues,
  joinStreams,
  PageBytes,
  readByteArrays,
  readDeltaLengths,
  readDeltaStrings,
  readDeltas,
  readFixed,
  readHybrid,
} from './encodings.ts';
import { type ColumnChunk, Physical, type SchemaNode } from './footer.ts';
import { ThriftReader, type ThriftStruct } from './thrift.ts';
import { unpackPage } from './unpack.ts';

/** Bytes of a column that are read at a time: most columns of a row group are shorter. */
const step = 4 * 2 ** 20;
/** Longest header of a page that is looked for. */
const longestHeader = 1 << 20;
/** Most values of one page. */
const mostValues = 2 ** 27;

/** Values as they lie in a page, blanks not among them: numbers, whole numbers of 64 bits, or runs of bytes. */
export type Values =
  | { kind: 'numbers'; numbers: Float64Array }
  | { kind: 'longs'; longs: BigInt64Array }
  | ({ kind: 'bytes' } & ByteValues);

/** A page of a leaf: levels of its entries, and the values of those that have one. */
export interface Page {
  entries: number;
  /** Null where every entry is there, or begins a row. */
  definition: Uint8Array | null;
  repetition: Uint8Array | null;
  values: Values;
  /** Numbers of the values in `values`, where the page says them so. */
  indices: Uint32Array | null;
}

const width = (most: number) => 32 - Math.clz32(most);

/** Forward reading of a column chunk. */
class ChunkBytes {
  private readonly source: ByteSource;
  private readonly end: number;
  private held = new Uint8Array(0);
  /** Place in the file of the first byte that is held. */
  private from: number;
  at: number;

  constructor(source: ByteSource, chunk: ColumnChunk) {
    this.source = source;
    this.at = chunk.at;
    this.from = chunk.at;
    this.end = chunk.at + chunk.size;
  }

  get left(): number {
    return this.end - this.at;
  }

  /** The next bytes, up to `count`, without passing them. */
  async peek(count: number): Promise<Uint8Array> {
    const wanted = Math.min(count, this.left);
    const offset = this.at - this.from;
    if (offset + wanted > this.held.length) {
      const until = Math.min(this.end, this.at + Math.max(wanted, step));
      this.held = (await this.source.bytes(this.at, until)) as Uint8Array<ArrayBuffer>;
      this.from = this.at;
      return this.held.subarray(0, wanted);
    }
    return this.held.subarray(offset, offset + wanted);
  }
}

/** The header of the next page, and how long it is. */
async function headerOf(chunk: ChunkBytes): Promise<{ header: ThriftStruct; length: number }> {
  for (let room = 4096; ; room *= 16) {
    const bytes = await chunk.peek(room);
    const reader = new ThriftReader(bytes);
    try {
      return { header: reader.struct(), length: reader.at };
    } catch (error) {
      // Statistics of long texts make long headers.
      if (bytes.length < room || room > longestHeader) throw error;
    }
  }
}

/** Goes through the pages of a column chunk. The numbers of their values are held against what the chunk says. */
export async function* pagesOf(
  source: ByteSource,
  chunk: ColumnChunk,
  leaf: SchemaNode,
  exact: boolean,
): AsyncGenerator<Page> {
  const bytes = new ChunkBytes(source, chunk);
  let dictionary: Values | null = null;
  let entries = 0;
  while (entries < chunk.values) {
    if (bytes.left <= 0) throw new Error('a column ends before its values');
    const { header, length } = await headerOf(bytes);
    bytes.at += length;
    const size = header.number(3) ?? -1;
    if (!(size >= 0 && size <= bytes.left)) throw new Error('a page is longer than its column');
    const packed = await bytes.peek(size);
    if (packed.length < size) throw new Error('a page ends too early');
    const checksum = header.number(4);
    if (checksum !== undefined && checksum >>> 0 !== crc32(packed))
      throw new Error('a page does not fit its checksum');
    bytes.at += size;
    const kind = header.number(1);
    if (kind === 2) {
      const count = header.struct(7)?.number(1) ?? -1;
      const page = new PageBytes(unpackPage(packed, header.number(2) ?? -1, chunk.codec));
      dictionary = readPlain(page, checkedCount(count), leaf, exact);
      continue;
    }
    if (kind !== 0 && kind !== 3) continue;
    const page =
      kind === 0
        ? readPage(packed, header, chunk, leaf, dictionary, exact)
        : readPage2(packed, header, chunk, leaf, dictionary, exact);
    entries += page.entries;
    if (entries > chunk.values) throw new Error('the pages of a column hold more values than it says');
    yield page;
  }
}

function checkedCount(count: number): number {
  if (!(count >= 0 && count <= mostValues)) throw new Error(`a page of ${count} values is none`);
  return count;
}

/** A data page of the first version: levels and values are packed together. */
function readPage(
  packed: Uint8Array,
  header: ThriftStruct,
  chunk: ColumnChunk,
  leaf: SchemaNode,
  dictionary: Values | null,
  exact: boolean,
): Page {
  const own = header.struct(5);
  const entries = checkedCount(own?.number(1) ?? -1);
  const page = new PageBytes(unpackPage(packed, header.number(2) ?? -1, chunk.codec));
  const levels = (most: number): Uint8Array | null => {
    if (most === 0) return null;
    const length = page.view.getUint32(page.pass(4), true);
    const from = page.pass(length);
    const out = new Uint8Array(entries);
    readHybrid(new PageBytes(page.bytes, from, page.at), width(most), out);
    return out;
  };
  const repetition = levels(leaf.repeated);
  const definition = levels(leaf.definition);
  return {
    entries,
    repetition,
    definition,
    ...readValues(page, own?.number(2) ?? -1, there(definition, leaf, entries), leaf, dictionary, exact),
  };
}

/** A data page of the second version: levels stand before the values, and are never packed. */
function readPage2(
  packed: Uint8Array,
  header: ThriftStruct,
  chunk: ColumnChunk,
  leaf: SchemaNode,
  dictionary: Values | null,
  exact: boolean,
): Page {
  const own = header.struct(8);
  const entries = checkedCount(own?.number(1) ?? -1);
  const definitionLength = own?.number(5) ?? -1;
  const repetitionLength = own?.number(6) ?? -1;
  const before = new PageBytes(packed);
  const levels = (most: number, length: number): Uint8Array | null => {
    const from = before.pass(length);
    if (most === 0) return null;
    const out = new Uint8Array(entries);
    readHybrid(new PageBytes(packed, from, before.at), width(most), out);
    return out;
  };
  const repetition = levels(leaf.repeated, repetitionLength);
  const definition = levels(leaf.definition, definitionLength);
  const size = (header.number(2) ?? -1) - definitionLength - repetitionLength;
  const rest = packed.subarray(before.at);
  const page = new PageBytes(own?.flag(7) === false ? rest : unpackPage(rest, size, chunk.codec));
  return {
    entries,
    repetition,
    definition,
    ...readValues(page, own?.number(4) ?? -1, there(definition, leaf, entries), leaf, dictionary, exact),
  };
}

/** How many entries have a value. */
function there(definition: Uint8Array | null, leaf: SchemaNode, entries: number): number {
  if (definition === null) return entries;
  let count = 0;
  for (let k = 0; k < entries; k++) {
    if (definition[k] === leaf.definition) count++;
    else if (definition[k] > leaf.definition) throw new Error('a level is higher than there are');
  }
  return count;
}

function lengthOf(values: Values): number {
  return values.kind === 'numbers'
    ? values.numbers.length
    : values.kind === 'longs'
      ? values.longs.length
      : values.starts.length;
}

function readValues(
  page: PageBytes,
  encoding: number,
  count: number,
  leaf: SchemaNode,
  dictionary: Values | null,
  exact: boolean,
): { values: Values; indices: Uint32Array | null } {
  const plain = (values: Values) => ({ values, indices: null });
  switch (encoding) {
    case 0:
      return plain(readPlain(page, count, leaf, exact));
    case 2:
    case 8: {
      if (count === 0) return plain(readPlain(new PageBytes(new Uint8Array(0)), 0, leaf, exact));
      if (dictionary === null) throw new Error('a page refers to a dictionary that there is not');
      const indices = new Uint32Array(count);
      readHybrid(page, page.byte(), indices);
      const most = lengthOf(dictionary);
      for (let k = 0; k < count; k++)
        if (indices[k] >= most) throw new Error('a value is not in the dictionary');
      return { values: dictionary, indices };
    }
    case 3: {
      const length = page.view.getUint32(page.pass(4), true);
      const bits = new Uint8Array(count);
      readHybrid(new PageBytes(page.bytes, page.at, Math.min(page.end, page.at + length)), 1, bits);
      return plain({ kind: 'numbers', numbers: Float64Array.from(bits) });
    }
    case 5: {
      const longs = readDeltas(page, count);
      if (leaf.type === Physical.Int64 && exact) return plain({ kind: 'longs', longs });
      const narrow = leaf.type === Physical.Int32;
      return plain({
        kind: 'numbers',
        numbers: Float64Array.from(longs, (value) => Number(narrow ? BigInt.asIntN(32, value) : value)),
      });
    }
    case 6:
      return plain({ kind: 'bytes', ...readDeltaLengths(page, count) });
    case 7:
      return plain({ kind: 'bytes', ...readDeltaStrings(page, count, 2 ** 30) });
    case 9: {
      const size = sizes[leaf.type] ?? leaf.length;
      return plain(readPlain(new PageBytes(joinStreams(page, count, size)), count, leaf, exact));
    }
    default:
      throw new Error(`values in the encoding ${encoding} are not read`);
  }
}

/** Bytes of a value of the types that have a fixed number of them. */
const sizes: Readonly<Record<number, number>> = {
  [Physical.Int32]: 4,
  [Physical.Int64]: 8,
  [Physical.Float]: 4,
  [Physical.Double]: 8,
};

/** Values one after the other (Parquet format, “Plain”). */
function readPlain(page: PageBytes, count: number, leaf: SchemaNode, exact: boolean): Values {
  const { view } = page;
  const numbers = (size: number, read: (at: number) => number): Values => {
    const from = page.pass(count * size);
    const out = new Float64Array(count);
    for (let k = 0; k < count; k++) out[k] = read(from + k * size);
    return { kind: 'numbers', numbers: out };
  };
  switch (leaf.type) {
    case Physical.Boolean: {
      const from = page.pass((count + 7) >> 3);
      const out = new Float64Array(count);
      for (let k = 0; k < count; k++) out[k] = (page.bytes[from + (k >> 3)] >> (k & 7)) & 1;
      return { kind: 'numbers', numbers: out };
    }
    case Physical.Int32:
      return numbers(4, (at) => view.getInt32(at, true));
    case Physical.Int64: {
      if (!exact) return numbers(8, (at) => view.getInt32(at + 4, true) * 2 ** 32 + view.getUint32(at, true));
      const from = page.pass(count * 8);
      const longs = BigInt64Array.from({ length: count }, (_, k) => view.getBigInt64(from + 8 * k, true));
      return { kind: 'longs', longs };
    }
    case Physical.Float:
      return numbers(4, (at) => view.getFloat32(at, true));
    case Physical.Double:
      return numbers(8, (at) => view.getFloat64(at, true));
    case Physical.Int96:
      return { kind: 'bytes', ...readFixed(page, count, 12) };
    case Physical.Fixed:
      if (leaf.length < 0) throw new Error('a value of fixed length has none');
      return { kind: 'bytes', ...readFixed(page, count, leaf.length) };
    case Physical.ByteArray:
      return { kind: 'bytes', ...readByteArrays(page, count) };
    default:
      throw new Error(`values of the type ${leaf.type} are not read`);
  }
}
