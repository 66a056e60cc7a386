import { Gunzip } from 'fflate';
import { IsomericError } from '../../core/errors.ts';
import { crc32 } from './crc32.ts';

/** What a piece expands to is held at once: pieces are small. */
const pieceLength = 16_384;

/**
 * Unpacks gzip (RFC 1952) chunk by chunk. With one member, the checksum and length at its end are held against what came
 * out; a stream that is damaged, cut short or followed by something else is what `damaged` makes of it.
 */
export async function* gunzipChunks(
  chunks: AsyncIterable<Uint8Array>,
  damaged: (words: string) => IsomericError,
): AsyncGenerator<Uint8Array> {
  const out: Uint8Array[] = [];
  let members = 1;
  const unpacker = new Gunzip((chunk) => {
    if (chunk.length > 0) out.push(chunk);
  });
  unpacker.onmember = () => {
    members++;
  };
  let crc = 0;
  let length = 0;
  let packed = 0;
  const tail = new Uint8Array(8);
  const drain = function* () {
    while (out.length > 0) {
      const chunk = out.shift()!;
      crc = crc32(chunk, crc);
      length += chunk.length;
      yield chunk;
    }
  };
  try {
    for await (const chunk of chunks) {
      packed += chunk.length;
      if (chunk.length >= 8) tail.set(chunk.subarray(chunk.length - 8));
      else {
        tail.copyWithin(0, chunk.length);
        tail.set(chunk, 8 - chunk.length);
      }
      for (let at = 0; at < chunk.length; at += pieceLength) {
        unpacker.push(chunk.subarray(at, at + pieceLength), false);
        yield* drain();
      }
    }
    unpacker.push(new Uint8Array(0), true);
    yield* drain();
  } catch (error) {
    if (error instanceof IsomericError) throw error;
    throw damaged(`It cannot be unpacked (${error instanceof Error ? error.message : String(error)}).`);
  }
  if (members > 1) return;
  const view = new DataView(tail.buffer);
  if (packed < 18 || view.getUint32(0, true) !== crc || view.getUint32(4, true) !== length >>> 0)
    throw damaged('What it unpacks to does not fit the checksum and length at its end.');
}
