import type { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { decodeText } from '../bytes/code-pages.ts';
import { crc32 } from '../compressed/crc32.ts';

/** An entry as the directory of an archive describes it (APPNOTE 6.3.10, section 4.3.12). */
export interface ZipEntry {
  path: string;
  folder: boolean;
  encrypted: boolean;
  /** 0 stored, 8 deflated, … (section 4.4.5). */
  method: number;
  crc: number;
  packed: number;
  size: number;
  /** Where its local header begins in the file. */
  at: number;
  /** Least length of local header and data. */
  least: number;
}

/** Most entries, and most bytes of their list, that are looked at. */
export const mostEntries = 1_000_000;
const longestDirectory = 512 * 2 ** 20;

const endLength = 22;
const longestComment = 65_535;
const utf8 = new TextDecoder('utf-8', { fatal: true });

type Fail = (words: string) => IsomericError;

/** Eight bytes as a number; what no double holds is far beyond any file. */
const long = (view: DataView, at: number) =>
  view.getUint32(at, true) + 2 ** 32 * view.getUint32(at + 4, true);

const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

interface End {
  entries: number;
  size: number;
  at: number;
  /** Where the end records begin: the directory lies before them. */
  before: number;
}

/** The record at the end of an archive, or the longer one of ZIP64 that it stands for (sections 4.3.14 to 4.3.16). */
async function endOf(source: ByteSource, fail: Fail): Promise<End> {
  const from = Math.max(0, source.size - endLength - longestComment - 20);
  const tail = await source.bytes(from, source.size);
  const view = viewOf(tail);
  let at = tail.length - endLength;
  // A comment may hold anything: the record is the last one whose comment fits.
  while (
    at >= 0 &&
    !(
      view.getUint32(at, true) === 0x06054b50 && at + endLength + view.getUint16(at + 20, true) <= tail.length
    )
  )
    at--;
  if (at < 0) throw fail('The list of its entries, which stands at its end, is missing.');
  const end: End = {
    entries: view.getUint16(at + 10, true),
    size: view.getUint32(at + 12, true),
    at: view.getUint32(at + 16, true),
    before: from + at,
  };
  const many = end.entries === 0xffff || end.size === 0xffffffff || end.at === 0xffffffff;
  if (!many || at < 20 || view.getUint32(at - 20, true) !== 0x07064b50) return end;
  const place = long(view, at - 12);
  const longer = place + 56 > source.size ? null : await source.bytes(place, place + 56);
  if (longer === null || longer.length < 56 || viewOf(longer).getUint32(0, true) !== 0x06064b50)
    throw fail('The record that tells where the list of its entries is does not lie where it should.');
  const more = viewOf(longer);
  return { entries: long(more, 32), size: long(more, 40), at: long(more, 48), before: place };
}

/** Names that do not say that they are UTF-8 often are; the others are in the code page of appendix D. */
function nameOf(bytes: Uint8Array, saysUtf8: boolean): string {
  try {
    return utf8.decode(bytes);
  } catch {
    return decodeText(bytes, saysUtf8 ? 'windows-1252' : 'cp437');
  }
}

/** All entries that the directory of an archive lists, in its order. Nothing is unpacked. */
export async function readDirectory(source: ByteSource, fail: Fail): Promise<ZipEntry[]> {
  const end = await endOf(source, fail);
  if (end.entries > mostEntries || end.size > longestDirectory)
    throw fail(`It claims ${end.entries} entries, where at most ${mostEntries} are sensible.`);
  // What stands before the archive (a program that unpacks it) moves all places.
  const start = end.before - end.size;
  const shift = start - end.at;
  if (start < 0 || shift < 0 || end.entries * 46 > end.size)
    throw fail('The list of its entries does not lie where its end says.');
  const bytes = await source.bytes(start, end.before);
  const view = viewOf(bytes);
  const entries: ZipEntry[] = [];
  let at = 0;
  for (let n = 0; n < end.entries; n++) {
    if (at + 46 > bytes.length || view.getUint32(at, true) !== 0x02014b50)
      throw fail(`Of the ${end.entries} entries that its end counts, only ${n} are listed.`);
    const flags = view.getUint16(at + 8, true);
    const nameLength = view.getUint16(at + 28, true);
    const extraLength = view.getUint16(at + 30, true);
    const next = at + 46 + nameLength + extraLength + view.getUint16(at + 32, true);
    if (next > bytes.length) throw fail('The list of its entries is cut short.');
    const nameBytes = bytes.subarray(at + 46, at + 46 + nameLength);
    const entry: ZipEntry = {
      path: nameOf(nameBytes, (flags & 0x800) !== 0),
      folder: false,
      encrypted: (flags & 0x2041) !== 0,
      method: view.getUint16(at + 10, true),
      crc: view.getUint32(at + 16, true),
      packed: view.getUint32(at + 20, true),
      size: view.getUint32(at + 24, true),
      at: view.getUint32(at + 42, true),
      least: 0,
    };
    readExtra(view, bytes, at + 46 + nameLength, extraLength, entry, nameBytes);
    entry.folder = /[\\/]$/.test(entry.path);
    entry.at += shift;
    entry.least = 30 + nameLength + entry.packed;
    if (entry.at + entry.least > start)
      throw fail(`The entry ${entry.path} is said to lie where the list of entries is.`);
    entries.push(entry);
    at = next;
  }
  return entries;
}

/** Extra fields: sizes beyond 4 GB (section 4.5.3), and a name in UTF-8 beside another one (section 4.6.9). */
function readExtra(
  view: DataView,
  bytes: Uint8Array,
  from: number,
  length: number,
  entry: ZipEntry,
  nameBytes: Uint8Array,
): void {
  const end = from + length;
  for (let at = from; at + 4 <= end; ) {
    const id = view.getUint16(at, true);
    const stop = Math.min(end, at + 4 + view.getUint16(at + 2, true));
    let k = at + 4;
    if (id === 1) {
      const next = () => {
        k += 8;
        return k <= stop ? long(view, k - 8) : Number.POSITIVE_INFINITY;
      };
      if (entry.size === 0xffffffff) entry.size = next();
      if (entry.packed === 0xffffffff) entry.packed = next();
      if (entry.at === 0xffffffff) entry.at = next();
    } else if (id === 0x7075 && stop - k > 5 && bytes[k] === 1) {
      if (view.getUint32(k + 1, true) === crc32(nameBytes))
        entry.path = nameOf(bytes.subarray(k + 5, stop), true);
    }
    at = stop < at + 4 ? end : stop;
  }
}
