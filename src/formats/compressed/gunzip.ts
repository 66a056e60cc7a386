import { Gunzip } from 'fflate';
import { IsomericError } from '../../core/errors.ts';
import { crc32 } from './crc32.ts';

/** What a piece expands to is held at once: pieces are small. */
const pieceLength = 16_384;
/** Checksum and length at the end of a member, and how much before a piece may belong to one that ends in it. */
const trailerLength = 8;
/** Flags that must be zero (RFC 1952, section 2.3.1.2). */
const reservedFlags = 0xe0;
const oneMore = Uint8Array.of(0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3);
const keptBefore = 70_000;

/**
 * Unpacks gzip (RFC 1952) chunk by chunk. The checksum and length at the end of every member are held against what came
 * out; a stream that is damaged, cut short or followed by something else is what `damaged` makes of it.
 */
export async function* gunzipChunks(
  chunks: AsyncIterable<Uint8Array>,
  damaged: (words: string) => IsomericError,
): AsyncGenerator<Uint8Array> {
  const out: Uint8Array[] = [];
  let crc = 0;
  let length = 0;
  let packed = 0;
  // The last bytes before the piece at hand and the piece itself: every member ends within them.
  let recent = new Uint8Array(0);
  /** Holds the trailer that ends at `end`, counted from the beginning of the stream, against what came out. */
  const checkTrailer = (end: number) => {
    const at = end - (packed - recent.length) - trailerLength;
    const view = new DataView(recent.buffer, recent.byteOffset, recent.byteLength);
    if (at < 0 || view.getUint32(at, true) !== crc || view.getUint32(at + 4, true) !== length >>> 0)
      throw damaged('What it unpacks to does not fit the checksum and length at its end.');
    crc = 0;
    length = 0;
  };
  const unpacker = new Gunzip((chunk) => {
    if (chunk.length === 0) return;
    crc = crc32(chunk, crc);
    length += chunk.length;
    out.push(chunk);
  });
  /** Where the last member ended. */
  let ended = -1;
  unpacker.onmember = (start) => {
    checkTrailer(start);
    ended = start;
    const flags = recent[start - (packed - recent.length) + 3];
    if (flags !== undefined && (flags & reservedFlags) !== 0)
      throw damaged('A header has flags that mean nothing.');
  };
  try {
    for await (const chunk of chunks) {
      for (let at = 0; at < chunk.length; at += pieceLength) {
        const piece = chunk.subarray(at, at + pieceLength);
        const kept = recent.subarray(Math.max(0, recent.length - keptBefore));
        recent = new Uint8Array(kept.length + piece.length);
        recent.set(kept);
        recent.set(piece, kept.length);
        packed += piece.length;
        if (packed === piece.length && piece.length > 3 && (piece[3] & reservedFlags) !== 0)
          throw damaged('Its header has flags that mean nothing.');
        unpacker.push(piece, false);
        yield* out.splice(0);
      }
    }
    // The head of another member makes the package say where the one before it ended.
    unpacker.push(oneMore, false);
  } catch (error) {
    if (error instanceof IsomericError) throw error;
    throw damaged(`It cannot be unpacked (${error instanceof Error ? error.message : String(error)}).`);
  }
  if (ended !== packed) throw damaged('It was cut short, or something else follows.');
}
