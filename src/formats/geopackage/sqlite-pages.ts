import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import type { SqlValue } from '../bytes/sqlite.ts';

/** A table of a database as its pages hold it (file format of SQLite 3, sections 1.6 and 2). */
export interface StoredTable {
  type: string;
  name: string;
  sql: string | null;
  rows(): AsyncGenerator<{ id: number; values: SqlValue[] }>;
}

const deepest = 20;
const names: readonly string[] = ['', 'utf-8', 'utf-16le', 'utf-16be'];

function damaged(source: ByteSource, words: string): IsomericError {
  return new IsomericError('sqlite-damaged', words, {
    place: { file: source.name },
    advice: 'The file is damaged or was cut short: get it again.',
  });
}

/** How texts of a database are encoded, by its header; `utf-8` unless it says another one. */
export async function databaseEncoding(source: ByteSource): Promise<string> {
  const head = await source.bytes(56, 60);
  return head.length < 4 ? 'utf-8' : (names[head[3]] ?? 'utf-8');
}

/**
 * Reads the tables of a database from its pages: for those whose texts are UTF-16, which the engine cannot read. Tables
 * without row ids are left out, as no GeoPackage has them.
 */
export async function storedTables(source: ByteSource): Promise<StoredTable[]> {
  const head = await source.bytes(0, 100);
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const stated = view.getUint16(16);
  const pageSize = stated === 1 ? 65_536 : stated;
  const usable = pageSize - head[20];
  const pages = Math.ceil(source.size / pageSize);
  const decoder = new TextDecoder(await databaseEncoding(source), { ignoreBOM: true });
  if (pageSize < 512 || usable < 480) throw damaged(source, 'The size of its pages is none that there is.');

  const page = async (number: number): Promise<DataView> => {
    if (!(number >= 1 && number <= pages))
      throw damaged(source, `It names page ${number}, which there is not.`);
    const bytes = await source.bytes((number - 1) * pageSize, number * pageSize);
    if (bytes.length < pageSize) throw damaged(source, `It ends within page ${number}.`);
    return new DataView(bytes.buffer, bytes.byteOffset, pageSize);
  };

  /** The payload of a cell, gathered from its overflow pages (section 1.5). */
  const payload = async (view: DataView, at: number, length: number): Promise<Uint8Array> => {
    const most = usable - 35;
    let local = length;
    if (length > most) {
      const least = Math.floor(((usable - 12) * 32) / 255) - 23;
      const wanted = least + ((length - least) % (usable - 4));
      local = wanted <= most ? wanted : least;
    }
    if (length > source.size || at + local > view.byteLength)
      throw damaged(source, 'A cell is longer than the file.');
    const whole = new Uint8Array(length);
    whole.set(new Uint8Array(view.buffer, view.byteOffset + at, local));
    let next = local < length ? view.getUint32(at + local) : 0;
    for (let used = local; used < length; ) {
      const more = await page(next);
      const some = Math.min(usable - 4, length - used);
      whole.set(new Uint8Array(more.buffer, more.byteOffset + 4, some), used);
      used += some;
      next = more.getUint32(0);
    }
    return whole;
  };

  async function* rowsOf(
    root: number,
    depth = 0,
    seen = { pages: new Set<number>(), bytes: 0 },
  ): AsyncGenerator<{ id: number; values: SqlValue[] }> {
    // Every page of a table has one place in its tree, and every byte belongs to one row: else little would become much.
    if (seen.pages.has(root)) throw damaged(source, `Page ${root} stands in a table twice.`);
    seen.pages.add(root);
    if (depth > deepest) throw damaged(source, 'Its pages follow each other without end.');
    const view = await page(root);
    const start = root === 1 ? 100 : 0;
    const kind = view.getUint8(start);
    const cells = view.getUint16(start + 3);
    if (kind !== 5 && kind !== 13) return;
    const list = start + (kind === 5 ? 12 : 8);
    if (list + 2 * cells > pageSize) throw damaged(source, `Page ${root} lists more cells than it can hold.`);
    for (let c = 0; c < cells; c++) {
      const at = view.getUint16(list + 2 * c);
      if (at + 2 > pageSize) throw damaged(source, `A cell lies outside page ${root}.`);
      if (kind === 5) yield* rowsOf(view.getUint32(at), depth + 1, seen);
      else {
        const length = variable(view, at);
        const id = variable(view, length.end);
        seen.bytes += length.value;
        if (seen.bytes > source.size) throw damaged(source, 'The rows of a table are longer than the file.');
        yield { id: id.value, values: record(await payload(view, id.end, length.value), decoder, source) };
      }
    }
    if (kind === 5) yield* rowsOf(view.getUint32(start + 8), depth + 1, seen);
  }

  const found: StoredTable[] = [];
  for await (const { values } of rowsOf(1)) {
    const [type, name, , root, sql] = values;
    found.push({
      type: String(type),
      name: String(name),
      sql: typeof sql === 'string' ? sql : null,
      rows: () => rowsOf(Number(root)),
    });
  }
  return found;
}

/** An integer of one to nine bytes (section 1.6), and where it ends. */
function variable(view: DataView, at: number): { value: number; end: number } {
  let value = 0n;
  for (let k = 0; k < 9; k++) {
    const byte = view.getUint8(at + k);
    if (k === 8) return { value: Number(BigInt.asIntN(64, (value << 8n) | BigInt(byte))), end: at + 9 };
    value = (value << 7n) | BigInt(byte & 127);
    if (byte < 128) return { value: Number(BigInt.asIntN(64, value)), end: at + k + 1 };
  }
  return { value: 0, end: at };
}

const integerSizes: readonly number[] = [0, 1, 2, 3, 4, 6, 8];

/** The values of a record (section 2.1). */
function record(bytes: Uint8Array, decoder: TextDecoder, source: ByteSource): SqlValue[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const values: SqlValue[] = [];
  const head = variable(view, 0);
  let at = head.value;
  for (let k = head.end; k < head.value; ) {
    const { value: type, end } = variable(view, k);
    k = end;
    const size =
      type < 7 ? integerSizes[type] : type === 7 ? 8 : type < 12 ? 0 : (type - (type & 1 ? 13 : 12)) / 2;
    if (at + size > bytes.length) throw damaged(source, 'A row is shorter than its values.');
    if (type === 0 || type === 10 || type === 11) values.push(null);
    else if (type < 7) {
      let number = 0n;
      for (let b = 0; b < size; b++) number = (number << 8n) | BigInt(bytes[at + b]);
      const whole = BigInt.asIntN(8 * size, number);
      values.push(Number.isSafeInteger(Number(whole)) ? Number(whole) : whole);
    } else if (type === 7) values.push(view.getFloat64(at));
    else if (type < 10) values.push(type - 8);
    else {
      const part = bytes.subarray(at, at + size);
      values.push(type & 1 ? decoder.decode(part) : part.slice());
    }
    at += size;
  }
  return values;
}
