import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { crc32 } from '../compressed/crc32.ts';
import type { InflateRaw } from '../compressed/inflate-raw.ts';
import { inflate64 } from '../compressed/inflate64.ts';
import type { ZipEntry } from './directory.ts';

/** Bytes that are read of the archive at a time. */
const step = 1 << 18;

export function damagedArchive(archive: string, words: string, path?: string): IsomericError {
  return new IsomericError('zip-damaged', words, {
    place: { file: path === undefined ? archive : `${archive}/${path}` },
    advice: 'The archive is damaged or was cut short: get it again.',
  });
}

/** Names of packings that are not undone (APPNOTE 6.3.10, section 4.4.5). */
const otherPackings: Readonly<Record<number, string>> = {
  12: 'bzip2',
  14: 'LZMA',
  93: 'Zstandard',
  95: 'XZ',
  98: 'PPMd',
};

/** An entry as a source: unpacked while it is read, never to disk. Size and checksum are held against what comes out. */
export function entrySource(
  archive: ByteSource,
  entry: ZipEntry,
  keepUpTo: number,
  inflate: InflateRaw,
): ByteSource {
  const { path, size } = entry;
  let kept: Uint8Array | null = null;
  let dataAt = -1;
  let checked: Promise<void> | null = null;
  const damaged = (words: string) => damagedArchive(archive.name, words, path);

  const unpacker: InflateRaw = (chunks) =>
    entry.method === 0 ? chunks : entry.method === 9 ? inflate64(chunks) : inflate(chunks);

  const begin = async (): Promise<number> => {
    if (dataAt >= 0) return dataAt;
    if (entry.method !== 0 && entry.method !== 8 && entry.method !== 9)
      throw new IsomericError(
        'zip-packing',
        `The entry is packed with ${otherPackings[entry.method] ?? `method ${entry.method}`}, which is not read.`,
        {
          place: { file: `${archive.name}/${path}` },
          advice: 'Unpack the archive with the program that made it, or pack it with deflate.',
        },
      );
    const head = await archive.bytes(entry.at, entry.at + 30);
    const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
    if (head.length < 30 || view.getUint32(0, true) !== 0x04034b50)
      throw damaged('There is no entry where the list says.');
    const at = entry.at + 30 + view.getUint16(26, true) + view.getUint16(28, true);
    if (at + entry.packed > archive.size) throw damaged('The entry reaches beyond the end of the archive.');
    dataAt = at;
    return at;
  };

  async function* packed(from: number): AsyncGenerator<Uint8Array> {
    const end = from + entry.packed;
    for (let at = from; at < end; at += step) yield await archive.bytes(at, Math.min(end, at + step));
  }

  async function* unpacked(): AsyncGenerator<Uint8Array> {
    const from = await begin();
    let total = 0;
    let crc = 0;
    if (size === 0 && entry.packed === 0) return;
    try {
      for await (const chunk of unpacker(packed(from))) {
        total += chunk.length;
        if (total > size) break;
        crc = crc32(chunk, crc);
        yield chunk;
      }
    } catch (error) {
      if (error instanceof IsomericError) throw error;
      throw damaged(
        `The entry cannot be unpacked (${error instanceof Error ? error.message : String(error)}).`,
      );
    }
    if (total > size) throw damaged(`The entry unpacks to more than the ${grouped(size)} bytes it claims.`);
    if (total < size)
      throw damaged(`The entry unpacks to ${grouped(total)} bytes where it claims ${grouped(size)}.`);
    if (crc !== entry.crc) throw damaged('What the entry unpacks to does not fit its checksum.');
  }

  const whole = async (): Promise<Uint8Array> => {
    if (kept !== null) return kept;
    // Deflate cannot pack tighter than 1 : 1032, so no more is asked of memory than the entry can hold.
    if (entry.method === 8 && size > 1100 * entry.packed + 1100)
      throw damaged(`The entry cannot unpack to the ${grouped(size)} bytes it claims.`);
    if (entry.method === 0 && size !== entry.packed)
      throw damaged('The entry is stored as it is, but claims another size.');
    const bytes = new Uint8Array(size);
    let at = 0;
    for await (const chunk of unpacked()) {
      bytes.set(chunk, at);
      at += chunk.length;
    }
    kept = bytes;
    return bytes;
  };

  const passed = async () => {
    for await (const _ of unpacked());
  };

  return {
    name: `${archive.name}/${path}`,
    size,
    async bytes(start, end) {
      if (size <= keepUpTo) return (await whole()).subarray(start, end);
      if (entry.method === 0) {
        // What is stored as it is can be read by range, once its checksum has been seen to fit.
        checked ??= passed();
        await checked;
        const from = await begin();
        return archive.bytes(from + Math.min(start, size), from + Math.min(end, size));
      }
      const wanted = new Uint8Array(Math.max(0, Math.min(end, size) - start));
      let at = 0;
      for await (const chunk of unpacked()) {
        const first = Math.max(0, start - at);
        const last = Math.min(chunk.length, end - at);
        if (first < last) wanted.set(chunk.subarray(first, last), at + first - start);
        at += chunk.length;
        if (at >= end && at < size) break;
      }
      return wanted;
    },
    async *stream() {
      if (size <= keepUpTo) yield await whole();
      else yield* unpacked();
    },
  };
}
