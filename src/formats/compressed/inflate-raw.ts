import { Inflate } from 'fflate';

/**
 * Unpacks a deflate stream (RFC 1951) while it comes; a damaged one throws. It may give more than it should, and stops
 * when it is asked no further.
 */
export type InflateRaw = (chunks: AsyncIterable<Uint8Array>) => AsyncIterable<Uint8Array>;

/** What a piece can expand to is held at once: pieces are small. */
const pieceLength = 8192;

/** The one that runs everywhere; a machine may lend a faster one. */
export async function* inflateRawAnywhere(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const out: Uint8Array[] = [];
  const unpacker = new Inflate((chunk) => {
    if (chunk.length > 0) out.push(chunk);
  });
  for await (const chunk of chunks)
    for (let at = 0; at < chunk.length; at += pieceLength) {
      unpacker.push(chunk.subarray(at, at + pieceLength), false);
      yield* out.splice(0);
    }
  unpacker.push(new Uint8Array(0), true);
  yield* out.splice(0);
}
