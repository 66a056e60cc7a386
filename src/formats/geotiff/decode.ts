import { inflateSync } from 'fflate';
import { IsomericError } from '../../core/errors.ts';
import { unzlib } from '../compressed/unzlib.ts';

/** Names of ways to pack a block (TIFF 6.0 and its supplements); those without a decoder are named in the error. */
export const packings: Record<number, string> = {
  1: 'none',
  2: 'CCITT',
  3: 'CCITT fax 3',
  4: 'CCITT fax 4',
  5: 'LZW',
  6: 'JPEG (old)',
  7: 'JPEG',
  8: 'deflate',
  32773: 'PackBits',
  32946: 'deflate',
  34712: 'JPEG 2000',
  34887: 'LERC',
  34925: 'LZMA',
  50000: 'Zstandard',
  50001: 'WebP',
};

export const readPackings: ReadonlySet<number> = new Set([1, 5, 8, 32773, 32946]);

/** Unpacks one strip or tile into exactly `length` bytes; what is missing stays zero, and is told by `short`. */
export function unpack(
  packing: number,
  bytes: Uint8Array,
  length: number,
): { bytes: Uint8Array; short: boolean } {
  switch (packing) {
    case 1:
      if (bytes.length >= length) return { bytes: bytes.slice(0, length), short: false };
      return padded(bytes, length);
    case 5:
      return unpackLzw(bytes, length);
    case 8:
    case 32946:
      return inflated(bytes, length);
    case 32773:
      return unpackBits(bytes, length);
    default:
      throw new IsomericError(
        'tiff-packing',
        `Its cells are packed as ${packings[packing] ?? `number ${packing}`}.`,
        {
          advice: 'Ask for it unpacked, or packed with deflate, LZW or PackBits.',
        },
      );
  }
}

function padded(bytes: Uint8Array, length: number): { bytes: Uint8Array; short: boolean } {
  const whole = new Uint8Array(length);
  whole.set(bytes.subarray(0, length));
  return { bytes: whole, short: bytes.length < length };
}

function inflated(bytes: Uint8Array, length: number): { bytes: Uint8Array; short: boolean } {
  // A buffer of the right size: what would unpack to more cannot fill memory.
  try {
    const zlib = (bytes[0] & 15) === 8 && ((bytes[0] << 8) | bytes[1]) % 31 === 0;
    return padded(zlib ? unzlib(bytes, length) : inflateSync(bytes, { out: new Uint8Array(length) }), length);
  } catch (error) {
    throw new IsomericError('tiff-block-damaged', 'A block of cells cannot be unpacked.', {
      advice: 'The file is damaged or was cut short: get it again.',
      cause: error,
    });
  }
}

/** PackBits (TIFF 6.0, section 9). */
function unpackBits(bytes: Uint8Array, length: number): { bytes: Uint8Array; short: boolean } {
  const out = new Uint8Array(length);
  let at = 0;
  let k = 0;
  while (k < bytes.length && at < length) {
    const n = (bytes[k++] << 24) >> 24;
    if (n >= 0) {
      const count = Math.min(n + 1, length - at, bytes.length - k);
      out.set(bytes.subarray(k, k + count), at);
      k += n + 1;
      at += count;
    } else if (n !== -128 && k < bytes.length) {
      const count = Math.min(1 - n, length - at);
      out.fill(bytes[k++], at, at + count);
      at += count;
    }
  }
  return { bytes: out, short: at < length };
}

/** LZW (TIFF 6.0, section 13): codes of 9 to 12 bits, most significant first, 256 clears, 257 ends. */
function unpackLzw(bytes: Uint8Array, length: number): { bytes: Uint8Array; short: boolean } {
  const out = new Uint8Array(length);
  // Each code is the one before it and one byte more; where it was first written, it can be copied from.
  const starts = new Uint32Array(4097);
  const lengths = new Uint16Array(4097);
  let next = 258;
  let width = 9;
  let bits = 0;
  let held = 0;
  let k = 0;
  let at = 0;
  let before = -1;
  let beforeAt = 0;
  let beforeLength = 0;
  while (at < length) {
    while (held < width && k < bytes.length) {
      bits = ((bits << 8) | bytes[k++]) & 0xfffffff;
      held += 8;
    }
    if (held < width) break;
    const code = (bits >>> (held - width)) & ((1 << width) - 1);
    held -= width;
    if (code === 257) break;
    if (code === 256) {
      next = 258;
      width = 9;
      before = -1;
      continue;
    }
    const start = at;
    if (code < 256) out[at++] = code;
    else if (code < next) {
      const from = starts[code];
      const n = Math.min(lengths[code], length - at);
      for (let j = 0; j < n; j++) out[at++] = out[from + j];
    } else if (code === next && before >= 0) {
      const n = Math.min(beforeLength, length - at);
      for (let j = 0; j < n; j++) out[at++] = out[beforeAt + j];
      if (at < length) out[at++] = out[beforeAt];
    } else {
      throw new IsomericError(
        'tiff-block-damaged',
        'A block of cells holds an LZW code that means nothing.',
        {
          advice: 'The file is damaged: get it again.',
        },
      );
    }
    if (before >= 0 && next < 4096) {
      starts[next] = beforeAt;
      lengths[next] = beforeLength + 1;
      next++;
      // The width grows one code early.
      if (next === 511 || next === 1023 || next === 2047) width++;
    }
    before = code;
    beforeAt = start;
    beforeLength = at - start;
  }
  return { bytes: out, short: at < length };
}

/**
 * Undoes horizontal differencing (predictor 2; TIFF 6.0, section 14), in place: rows of `width` cells with `samples`
 * values of `size` bytes each.
 */
export function undoDifferences(
  bytes: Uint8Array,
  width: number,
  samples: number,
  size: number,
  little: boolean,
): void {
  const row = width * samples * size;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let start = 0; start + row <= bytes.length; start += row) {
    for (let p = start + samples * size; p < start + row; p += size) {
      const q = p - samples * size;
      if (size === 1) bytes[p] += bytes[q];
      else if (size === 2) view.setUint16(p, view.getUint16(p, little) + view.getUint16(q, little), little);
      else if (size === 4) view.setUint32(p, view.getUint32(p, little) + view.getUint32(q, little), little);
      else view.setBigUint64(p, view.getBigUint64(p, little) + view.getBigUint64(q, little), little);
    }
  }
}

/**
 * Undoes the floating-point predictor (3; TIFF Technical Note 3): bytes were put in order of weight, greatest first,
 * and differenced. The result is big-endian.
 */
export function undoFloatDifferences(bytes: Uint8Array, width: number, samples: number, size: number): void {
  const values = width * samples;
  const row = values * size;
  const one = new Uint8Array(row);
  for (let start = 0; start + row <= bytes.length; start += row) {
    for (let p = start + samples; p < start + row; p++) bytes[p] += bytes[p - samples];
    for (let v = 0; v < values; v++)
      for (let b = 0; b < size; b++) one[v * size + b] = bytes[start + b * values + v];
    bytes.set(one, start);
  }
}
