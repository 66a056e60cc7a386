import { inflateSync } from 'fflate';
import { decompressBrotli, decompressZstd } from 'hyparquet-compressors';
import { crc32 } from '../compressed/crc32.ts';

/** Ways to pack pages (parquet.thrift, enum CompressionCodec), by number. */
export const codecs = [
  'none',
  'Snappy',
  'gzip',
  'LZO',
  'Brotli',
  'LZ4 (Hadoop)',
  'Zstandard',
  'LZ4',
] as const;

/** Largest page that is unpacked, and most times its packed size: far beyond what any of these packs text to. */
const largestPage = 2 ** 30;
const largestRatio = 40_000;

/** A page of `size` bytes, unpacked. @throws Error when it does not unpack to just that */
export function unpackPage(packed: Uint8Array, size: number, codec: number): Uint8Array {
  if (!(size >= 0 && size <= largestPage && size <= 1e6 + largestRatio * packed.length))
    throw new Error(`a page claims to unpack from ${packed.length} to ${size} bytes`);
  const out = unpacked(packed, size, codec);
  if (out.length !== size) throw new Error(`a page unpacks to ${out.length} bytes where it says ${size}`);
  return out;
}

function unpacked(packed: Uint8Array, size: number, codec: number): Uint8Array {
  switch (codec) {
    case 0:
      return packed;
    case 1:
      return unpackSnappy(packed, size);
    case 2:
      return unpackGzip(packed, size);
    case 4:
      return decompressBrotli(packed, size);
    case 5:
      return unpackFramedLz4(packed, size);
    case 6:
      return decompressZstd(packed, new Uint8Array(size));
    case 7:
      return unpackLz4(packed, new Uint8Array(size), 0);
    default:
      throw new Error(`pages packed with ${codecs[codec] ?? `number ${codec}`} are not read`);
  }
}

/** Copies within what is written already; the copy may reach into itself, and then repeats. */
function repeat(out: Uint8Array, at: number, distance: number, length: number): void {
  if (distance === 0 || distance > at || at + length > out.length)
    throw new Error('a copy lies outside what is unpacked');
  if (distance >= length) out.copyWithin(at, at - distance, at - distance + length);
  else for (let k = 0; k < length; k++) out[at + k] = out[at + k - distance];
}

/** Snappy (its format description, sections 1 and 2). */
function unpackSnappy(packed: Uint8Array, size: number): Uint8Array {
  const out = new Uint8Array(size);
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength);
  let at = 0;
  let used = 0;
  // The length of the whole, which the page says as well.
  while (at < packed.length && packed[at++] >= 128);
  while (at < packed.length) {
    const tag = packed[at++];
    const kind = tag & 3;
    if (kind === 0) {
      let length = tag >> 2;
      if (length >= 60) {
        const bytes = length - 59;
        length = 0;
        for (let b = 0; b < bytes; b++) length += (packed[at + b] ?? 0) * 2 ** (8 * b);
        at += bytes;
      }
      length++;
      if (at + length > packed.length || used + length > size)
        throw new Error('a text lies outside the page');
      out.set(packed.subarray(at, at + length), used);
      at += length;
      used += length;
      continue;
    }
    const length = kind === 1 ? ((tag >> 2) & 7) + 4 : (tag >> 2) + 1;
    const distance =
      kind === 1
        ? ((tag >> 5) << 8) + view.getUint8(at)
        : kind === 2
          ? view.getUint16(at, true)
          : view.getUint32(at, true);
    at += kind === 3 ? 4 : kind;
    repeat(out, used, distance, length);
    used += length;
  }
  if (used !== size) throw new Error(`a page unpacks to ${used} bytes where it says ${size}`);
  return out;
}

/** LZ4 blocks (its block format description) into `out` from `start` on; gives what is filled of it. */
function unpackLz4(packed: Uint8Array, out: Uint8Array, start: number): Uint8Array {
  let at = 0;
  let used = start;
  const long = (first: number) => {
    let length = first;
    if (first !== 15) return length;
    for (;;) {
      if (at >= packed.length) throw new Error('a block ends too early');
      const more = packed[at++];
      length += more;
      if (more !== 255) return length;
    }
  };
  while (at < packed.length) {
    const token = packed[at++];
    const literals = long(token >> 4);
    if (at + literals > packed.length || used + literals > out.length)
      throw new Error('a text lies outside the page');
    out.set(packed.subarray(at, at + literals), used);
    at += literals;
    used += literals;
    if (at >= packed.length) break;
    const distance = packed[at] | ((packed[at + 1] ?? 0) << 8);
    at += 2;
    const length = long(token & 15) + 4;
    repeat(out, used, distance, length);
    used += length;
  }
  return out.subarray(0, used);
}

/** The older form: blocks with both sizes before each, most significant byte first; or, from some writers, a bare block. */
function unpackFramedLz4(packed: Uint8Array, size: number): Uint8Array {
  const out = new Uint8Array(size);
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength);
  let at = 0;
  let used = 0;
  while (at + 8 <= packed.length && used < size) {
    const whole = view.getUint32(at);
    const length = view.getUint32(at + 4);
    if (whole > size - used || length > packed.length - at - 8) break;
    used = unpackLz4(packed.subarray(at + 8, at + 8 + length), out.subarray(0, used + whole), used).length;
    at += 8 + length;
  }
  return at === packed.length && used === size ? out : unpackLz4(packed, out.fill(0), 0);
}

/** One member of gzip (RFC 1952), its checksum held against what comes out. */
function unpackGzip(packed: Uint8Array, size: number): Uint8Array {
  if (packed.length < 18 || packed[0] !== 0x1f || packed[1] !== 0x8b || packed[2] !== 8)
    throw new Error('a page is no gzip');
  const flags = packed[3];
  let at = 10;
  if (flags & 4) at += 2 + (packed[at] | (packed[at + 1] << 8));
  for (const flag of [8, 16]) if (flags & flag) at = packed.indexOf(0, at) + 1 || packed.length;
  if (flags & 2) at += 2;
  const out = inflateSync(packed.subarray(at, packed.length - 8), { out: new Uint8Array(size) });
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength);
  if (view.getUint32(packed.length - 8, true) !== crc32(out))
    throw new Error('a page does not fit its checksum');
  return out;
}
