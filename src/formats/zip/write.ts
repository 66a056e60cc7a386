import { IsomericError } from '../../core/errors.ts';
import { crc32 } from '../compressed/crc32.ts';

/** A file that goes into an archive. */
export interface ZipPart {
  path: string;
  chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>;
}

/** 1 January 2000, so that the same input makes the same bytes (APPNOTE 6.3.10, section 4.4.6). */
const date = ((2000 - 1980) << 9) | (1 << 5) | 1;
/** Names are UTF-8; sizes and checksum follow the data. */
const flags = 0x0808;
const largest = 0xffffffff;

interface Written {
  name: Uint8Array;
  at: number;
  crc: number;
  packed: number;
  size: number;
}

/**
 * Packs chunks with deflate (RFC 1951), by code that gives the same bytes on every machine: what platforms bring along packs
 * otherwise by version and processor.
 */
async function* deflated(
  chunks: ZipPart['chunks'],
  seen: (chunk: Uint8Array) => void,
): AsyncGenerator<Uint8Array> {
  const { Deflate } = await import('fflate');
  let ready: Uint8Array[] = [];
  const packer = new Deflate({ level: 6 }, (chunk) => {
    if (chunk.length > 0) ready.push(chunk);
  });
  for await (const chunk of chunks) {
    if (chunk.length === 0) continue;
    seen(chunk);
    packer.push(chunk);
    yield* ready;
    ready = [];
  }
  packer.push(new Uint8Array(0), true);
  yield* ready;
}

/** An archive of several files, one after the other, as a stream of chunks; nothing of them is held. */
export async function* zipped(parts: AsyncIterable<ZipPart> | Iterable<ZipPart>): AsyncGenerator<Uint8Array> {
  const written: Written[] = [];
  let at = 0;
  const encoder = new TextEncoder();
  for await (const { path, chunks } of parts) {
    const entry: Written = { name: encoder.encode(path), at, crc: 0, packed: 0, size: 0 };
    const head = record(30, entry.name, 0x04034b50, [
      [4, 20],
      [6, flags],
      [8, 8],
      [12, date],
    ]);
    at += head.length;
    yield head;
    for await (const chunk of deflated(chunks, (each) => {
      entry.crc = crc32(each, entry.crc);
      entry.size += each.length;
    })) {
      entry.packed += chunk.length;
      at += chunk.length;
      if (entry.size > largest || at > largest)
        throw new IsomericError('zip-too-large', 'The archive would hold more than 4 GB.', {
          advice: 'Save the layers apart, or in a format that is not packed.',
          blame: 'usage',
        });
      yield chunk;
    }
    const tail = new DataView(new ArrayBuffer(16));
    [0x08074b50, entry.crc, entry.packed, entry.size].forEach((value, k) => {
      tail.setUint32(4 * k, value, true);
    });
    at += 16;
    yield new Uint8Array(tail.buffer);
    written.push(entry);
  }
  const start = at;
  for (const entry of written) {
    const listed = record(46, entry.name, 0x02014b50, [
      [4, 20],
      [6, 20],
      [8, flags],
      [10, 8],
      [14, date],
    ]);
    const view = new DataView(listed.buffer);
    view.setUint32(16, entry.crc, true);
    view.setUint32(20, entry.packed, true);
    view.setUint32(24, entry.size, true);
    view.setUint32(42, entry.at, true);
    at += listed.length;
    yield listed;
  }
  const end = new DataView(new ArrayBuffer(22));
  end.setUint32(0, 0x06054b50, true);
  end.setUint16(8, written.length, true);
  end.setUint16(10, written.length, true);
  end.setUint32(12, at - start, true);
  end.setUint32(16, start, true);
  yield new Uint8Array(end.buffer);
}

/** A header with the name behind it; `fields` are of two bytes: place and value. */
function record(
  length: number,
  name: Uint8Array,
  signature: number,
  fields: readonly (readonly [at: number, value: number])[],
): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(length + name.length);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, signature, true);
  for (const [at, value] of fields) view.setUint16(at, value, true);
  // Length of the name: behind the sizes, in both kinds of header.
  view.setUint16(length === 30 ? 26 : 28, name.length, true);
  bytes.set(name, length);
  return bytes;
}
