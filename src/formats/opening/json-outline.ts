import type { ByteSource } from '../bytes/byte-source.ts';

/** Members deeper than this are shown by their first bytes only. */
const shownDepth = 2;
/** So many bytes are shown of a value that is not gone into, and of the outline in all. */
const shownBytes = 160;
const longest = 65_536;
/** Elements of a list that are shown. */
const shownElements = 3;

/**
 * What a JSON document would begin like if its members were short: names down to the second level, and the beginning of
 * each value. A large document says what it is anywhere (SDMX-JSON may put its structure before its data), so that its
 * first bytes may not tell. The document is gone through once, by its bytes.
 */
export async function jsonOutline(source: ByteSource): Promise<Uint8Array> {
  const out = new Uint8Array(longest);
  let used = 0;
  let depth = 0;
  let quoted = false;
  let escaped = false;
  /** Elements of the list that is being passed; members of objects are all shown. */
  let elements = Number.NEGATIVE_INFINITY;
  /** Bytes that may still be shown of the value that is being passed. */
  let left = shownBytes;
  for await (const chunk of source.stream()) {
    for (let k = 0; k < chunk.length; k++) {
      const c = chunk[k];
      if (quoted) {
        if (escaped) escaped = false;
        else if (c === 0x5c) escaped = true;
        else if (c === 0x22) quoted = false;
      } else if (c === 0x22) quoted = true;
      else if (c === 0x7b || c === 0x5b) {
        if (++depth <= shownDepth) elements = c === 0x5b ? 0 : Number.NEGATIVE_INFINITY;
      } else if (c === 0x7d || c === 0x5d) {
        if (--depth < shownDepth) elements = Number.NEGATIVE_INFINITY;
      } else if (c === 0x2c && depth <= shownDepth && ++elements < shownElements) left = shownBytes;
      if (left > 0) {
        out[used++] = c;
        if (used === longest) return out;
        left--;
      }
    }
  }
  return out.subarray(0, used);
}
