import { IsomericError } from '../../core/errors.ts';
import { withoutTrailing } from '../../core/trim-end.ts';
import type { ByteSource } from '../bytes/byte-source.ts';

/** Bytes of one value by field type (TIFF 6.0, section 2; BigTIFF adds 16–18). */
const sizes: Record<number, number> = {
  1: 1,
  2: 1,
  3: 2,
  4: 4,
  5: 8,
  6: 1,
  7: 1,
  8: 2,
  9: 4,
  10: 8,
  11: 4,
  12: 8,
  13: 4,
  16: 8,
  17: 8,
  18: 8,
};

/** Entries of one directory, values of one field and directories of one file that are read at most. */
const mostEntries = 4096;
const mostValues = 4_000_000;
const mostDirectories = 256;

export interface Entry {
  type: number;
  count: number;
  /** Where the values lie in the file. */
  at: number;
}

export class TiffFile {
  readonly source: ByteSource;
  readonly little: boolean;
  readonly big: boolean;
  readonly first: number;

  private constructor(source: ByteSource, little: boolean, big: boolean, first: number) {
    this.source = source;
    this.little = little;
    this.big = big;
    this.first = first;
  }

  static async open(source: ByteSource): Promise<TiffFile> {
    const view = viewOf(await source.bytes(0, 16));
    if (view.byteLength < 8) throw damaged(source, 'It has less bytes than a header.', 0);
    const little = view.getUint16(0) === 0x4949;
    const version = view.getUint16(2, little);
    if (version === 42) return new TiffFile(source, little, false, view.getUint32(4, little));
    if (version !== 43 || view.byteLength < 16)
      throw damaged(source, `Its version is ${version}, not 42 or 43.`, 2);
    return new TiffFile(source, little, true, Number(view.getBigUint64(8, little)));
  }

  /** Bytes [at, at + count), all of them. */
  async bytes(at: number, count: number): Promise<Uint8Array> {
    const bytes = await this.source.bytes(at, at + count);
    if (bytes.length < count)
      throw damaged(this.source, `${count} bytes are announced here, and the file ends before them.`, at);
    return bytes;
  }

  private async directory(at: number): Promise<{ entries: Map<number, Entry>; next: number }> {
    const { little, big } = this;
    const head = viewOf(await this.bytes(at, big ? 8 : 2));
    const count = big ? Number(head.getBigUint64(0, little)) : head.getUint16(0, little);
    if (count > mostEntries || count === 0)
      throw damaged(this.source, `A directory has ${count} entries.`, at);
    const step = big ? 20 : 12;
    const start = at + (big ? 8 : 2);
    const view = viewOf(await this.bytes(start, count * step + (big ? 8 : 4)));
    const entries = new Map<number, Entry>();
    for (let k = 0; k < count; k++) {
      const p = k * step;
      const tag = view.getUint16(p, little);
      const type = view.getUint16(p + 2, little);
      const values = big ? Number(view.getBigUint64(p + 4, little)) : view.getUint32(p + 4, little);
      const size = sizes[type];
      if (size === undefined) continue;
      const inline = size * values <= (big ? 8 : 4);
      const place = p + (big ? 12 : 8);
      const offset = big ? Number(view.getBigUint64(place, little)) : view.getUint32(place, little);
      entries.set(tag, { type, count: values, at: inline ? start + place : offset });
    }
    const p = count * step;
    return { entries, next: big ? Number(view.getBigUint64(p, little)) : view.getUint32(p, little) };
  }

  /** All directories of the file, in order; a loop among them is told. */
  async directories(): Promise<Map<number, Entry>[]> {
    const found: Map<number, Entry>[] = [];
    const seen = new Set<number>();
    let at = this.first;
    while (at !== 0) {
      if (seen.has(at)) throw damaged(this.source, 'Its directories point at each other in a circle.', at);
      if (found.length >= mostDirectories) break;
      seen.add(at);
      const { entries, next } = await this.directory(at);
      found.push(entries);
      at = next;
    }
    if (found.length === 0) throw damaged(this.source, 'It has no directory.', 0);
    return found;
  }

  /** Values [from, to) of a field as numbers. */
  async numbers(entry: Entry, from = 0, to = entry.count): Promise<number[]> {
    const { little } = this;
    const n = Math.min(to, entry.count) - from;
    if (n > mostValues) throw damaged(this.source, `A field has ${entry.count} values.`, entry.at);
    if (n <= 0) return [];
    const size = sizes[entry.type];
    const view = viewOf(await this.bytes(entry.at + from * size, n * size));
    const read: Record<number, (p: number) => number> = {
      1: (p) => view.getUint8(p),
      2: (p) => view.getUint8(p),
      3: (p) => view.getUint16(p, little),
      4: (p) => view.getUint32(p, little),
      5: (p) => view.getUint32(p, little) / view.getUint32(p + 4, little),
      6: (p) => view.getInt8(p),
      7: (p) => view.getUint8(p),
      8: (p) => view.getInt16(p, little),
      9: (p) => view.getInt32(p, little),
      10: (p) => view.getInt32(p, little) / view.getInt32(p + 4, little),
      11: (p) => view.getFloat32(p, little),
      12: (p) => view.getFloat64(p, little),
      13: (p) => view.getUint32(p, little),
      16: (p) => Number(view.getBigUint64(p, little)),
      17: (p) => Number(view.getBigInt64(p, little)),
      18: (p) => Number(view.getBigUint64(p, little)),
    };
    const one = read[entry.type];
    return Array.from({ length: n }, (_, k) => one(k * size));
  }

  async number(entries: ReadonlyMap<number, Entry>, tag: number, otherwise: number): Promise<number> {
    const entry = entries.get(tag);
    if (entry === undefined || entry.count === 0) return otherwise;
    return (await this.numbers(entry, 0, 1))[0];
  }

  async text(entries: ReadonlyMap<number, Entry>, tag: number): Promise<string> {
    const entry = entries.get(tag);
    if (entry === undefined || entry.count > 1_000_000) return '';
    const bytes = await this.bytes(entry.at, entry.count);
    return withoutTrailing(new TextDecoder('latin1').decode(bytes), '\0');
  }
}

function viewOf(bytes: Uint8Array): DataView {
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}

export function damaged(source: ByteSource, words: string, byte?: number): IsomericError {
  return new IsomericError('tiff-damaged', words, {
    place: { file: source.name, byte },
    advice: 'The file is damaged or was cut short: get it again.',
  });
}
