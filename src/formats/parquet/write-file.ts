import type { ByteSink } from '../writing/target.ts';
import { packSnappy } from './snappy.ts';
import { Kind, ThriftWriter } from './thrift-writer.ts';
import type { WrittenColumn } from './write-column.ts';

/** An element of the schema, as it is written (parquet.thrift, SchemaElement). */
export interface SchemaElement {
  name: string;
  /** Physical type; left out for a structure. */
  type?: number;
  repetition: 'required' | 'optional';
  children?: number;
  /** Converted type (enum ConvertedType). */
  converted?: number;
  /** Writes the logical type (union LogicalType). */
  logical?: (writer: ThriftWriter) => void;
}

interface WrittenChunk {
  path: readonly string[];
  type: number;
  entries: number;
  nulls: number;
  unpacked: number;
  packed: number;
  dictionaryAt: number | null;
  dataAt: number;
  least: Uint8Array | undefined;
  greatest: Uint8Array | undefined;
}

const encoding = { plain: 0, rle: 3, dictionary: 8 } as const;
const snappy = 1;
const magic = new TextEncoder().encode('PAR1');

/** Levels of 0 and 1 with their length before them: one run where all are alike, else a bit each. */
function levels(there: Uint8Array | null, entries: number): Uint8Array {
  const head: number[] = [];
  const count = (value: number) => {
    let rest = value;
    for (; rest >= 128; rest = Math.floor(rest / 128)) head.push((rest % 128) | 128);
    head.push(rest);
  };
  let bits: Uint8Array;
  if (there === null) {
    count(2 * entries);
    bits = Uint8Array.of(1);
  } else {
    const groups = Math.ceil(entries / 8);
    count(2 * groups + 1);
    bits = new Uint8Array(groups);
    for (let i = 0; i < entries; i++) bits[i >> 3] |= there[i] << (i & 7);
  }
  const out = new Uint8Array(4 + head.length + bits.length);
  new DataView(out.buffer).setUint32(0, head.length + bits.length, true);
  out.set(head, 4);
  out.set(bits, 4 + head.length);
  return out;
}

/** Writes a Parquet file row group by row group; only what the footer says of them is held. */
export class ParquetFile {
  private readonly sink: ByteSink;
  private readonly schema: readonly SchemaElement[];
  private readonly groups: { rows: number; chunks: WrittenChunk[]; at: number }[] = [];

  /** @param schema elements below the root, structures before what is in them */
  constructor(sink: ByteSink, schema: readonly SchemaElement[]) {
    this.sink = sink;
    this.schema = schema;
    sink.write(magic);
  }

  /** Adds a row group; `columns` by their paths. */
  group(rows: number, columns: readonly (readonly [path: readonly string[], column: WrittenColumn])[]): void {
    const at = this.sink.length;
    this.groups.push({ rows, at, chunks: columns.map(([path, column]) => this.chunk(path, column)) });
  }

  /** Writes a page; gives its length with the header, unpacked. */
  private page(bytes: Uint8Array, kind: number, describe: (writer: ThriftWriter) => void): number {
    const packed = packSnappy(bytes);
    const writer = new ThriftWriter();
    writer.int(1, kind);
    writer.int(2, bytes.length);
    writer.int(3, packed.length);
    describe(writer);
    const header = writer.finish();
    this.sink.write(header);
    this.sink.write(packed);
    return header.length + bytes.length;
  }

  private chunk(path: readonly string[], column: WrittenColumn): WrittenChunk {
    const { sink } = this;
    const start = sink.length;
    const { dictionary } = column;
    let unpacked = 0;
    if (dictionary !== null)
      unpacked += this.page(dictionary.bytes, 2, (writer) =>
        writer.struct(7, () => {
          writer.int(1, dictionary.count);
          writer.int(2, encoding.plain);
        }),
      );
    const dataAt = sink.length;
    let entries = 0;
    for (const page of column.pages) {
      const own = levels(page.there, page.entries);
      const bytes = new Uint8Array(own.length + page.values.length);
      bytes.set(own);
      bytes.set(page.values, own.length);
      entries += page.entries;
      unpacked += this.page(bytes, 0, (writer) =>
        writer.struct(5, () => {
          writer.int(1, page.entries);
          writer.int(2, dictionary === null ? encoding.plain : encoding.dictionary);
          writer.int(3, encoding.rle);
          writer.int(4, encoding.rle);
        }),
      );
    }
    return {
      path,
      type: column.type,
      entries,
      nulls: column.nulls,
      unpacked,
      packed: sink.length - start,
      dictionaryAt: dictionary === null ? null : start,
      dataAt,
      least: column.least,
      greatest: column.greatest,
    };
  }

  /** Ends the file with its footer (parquet.thrift, FileMetaData). */
  finish(texts: readonly (readonly [key: string, value: string])[]): void {
    const writer = new ThriftWriter();
    const { schema, groups } = this;
    // Elements that belong to none before them are the columns.
    let inside = 0;
    const columns = schema.filter((element) => {
      const top = inside === 0;
      if (!top) inside--;
      inside += element.children ?? 0;
      return top;
    }).length;
    const leaves = schema.filter((element) => element.type !== undefined).length;
    writer.int(1, 2);
    writer.list(2, Kind.Struct, schema.length + 1, (k) =>
      writer.inner(() => {
        if (k === 0) {
          writer.text(4, 'root');
          writer.int(5, columns);
          return;
        }
        const element = schema[k - 1];
        if (element.type !== undefined) writer.int(1, element.type);
        writer.int(3, element.repetition === 'required' ? 0 : 1);
        writer.text(4, element.name);
        if (element.children !== undefined) writer.int(5, element.children);
        if (element.converted !== undefined) writer.int(6, element.converted);
        if (element.logical !== undefined) writer.struct(10, () => element.logical!(writer));
      }),
    );
    writer.long(
      3,
      groups.reduce((sum, group) => sum + group.rows, 0),
    );
    writer.list(4, Kind.Struct, groups.length, (g) =>
      writer.inner(() => {
        const { rows, chunks, at } = groups[g];
        writer.list(1, Kind.Struct, chunks.length, (c) =>
          writer.inner(() => this.describe(writer, chunks[c])),
        );
        writer.long(
          2,
          chunks.reduce((sum, chunk) => sum + chunk.unpacked, 0),
        );
        writer.long(3, rows);
        writer.long(5, at);
        writer.long(
          6,
          chunks.reduce((sum, chunk) => sum + chunk.packed, 0),
        );
      }),
    );
    if (texts.length > 0)
      writer.list(5, Kind.Struct, texts.length, (k) =>
        writer.inner(() => {
          writer.text(1, texts[k][0]);
          writer.text(2, texts[k][1]);
        }),
      );
    writer.text(6, 'Isomeric');
    // The bounds of the statistics follow the order of each type.
    writer.list(7, Kind.Struct, leaves, () => writer.inner(() => writer.struct(1, () => {})));
    const footer = writer.finish();
    this.sink.write(footer);
    const tail = new Uint8Array(8);
    new DataView(tail.buffer).setUint32(0, footer.length, true);
    tail.set(magic, 4);
    this.sink.write(tail);
  }

  private describe(writer: ThriftWriter, chunk: WrittenChunk): void {
    writer.long(2, 0);
    writer.struct(3, () => {
      writer.int(1, chunk.type);
      const used: number[] = [encoding.rle, encoding.plain];
      if (chunk.dictionaryAt !== null) used.push(encoding.dictionary);
      writer.list(2, Kind.I32, used.length, (k) => writer.number(used[k]));
      writer.list(3, Kind.Binary, chunk.path.length, (k) => writer.item(chunk.path[k]));
      writer.int(4, snappy);
      writer.long(5, chunk.entries);
      writer.long(6, chunk.unpacked);
      writer.long(7, chunk.packed);
      writer.long(9, chunk.dataAt);
      if (chunk.dictionaryAt !== null) writer.long(11, chunk.dictionaryAt);
      writer.struct(12, () => {
        writer.long(3, chunk.nulls);
        if (chunk.greatest !== undefined) writer.raw(5, chunk.greatest);
        if (chunk.least !== undefined) writer.raw(6, chunk.least);
      });
    });
  }
}
