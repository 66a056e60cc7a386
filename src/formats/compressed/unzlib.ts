import { unzlibSync } from 'fflate';

/** Signs that may stand behind a stream in a block that is filled up. */
const longestFilling = 64;

/** Adler-32 (RFC 1950, section 9). */
function adler32(bytes: Uint8Array): number {
  let a = 1;
  let b = 0;
  // As many sums as cannot overflow before the remainder is taken.
  for (let at = 0; at < bytes.length; ) {
    const end = Math.min(bytes.length, at + 5552);
    for (; at < end; at++) {
      a += bytes[at];
      b += a;
    }
    a %= 65_521;
    b %= 65_521;
  }
  return b * 65_536 + a;
}

/**
 * Unpacks zlib data (RFC 1950) into at most `size` bytes and holds the checksum at its end against them.
 *
 * @throws when it is damaged
 */
export function unzlib(packed: Uint8Array, size: number): Uint8Array {
  const out = unzlibSync(packed, { out: new Uint8Array(size) });
  const wanted = adler32(out);
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength);
  for (let at = packed.length - 4; at >= Math.max(2, packed.length - 4 - longestFilling); at--)
    if (view.getUint32(at) === wanted) return out;
  throw new Error('what it unpacks to does not fit its checksum');
}
