/** Bytes of a page with a place to read at. Every reading is held against the end. */
export class PageBytes {
  readonly bytes: Uint8Array;
  readonly view: DataView;
  at: number;
  readonly end: number;

  constructor(bytes: Uint8Array, at = 0, end = bytes.length) {
    this.bytes = bytes;
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.at = at;
    this.end = end;
    if (at > end || end > bytes.length) throw new Error('a page ends too early');
  }

  /** Passes `count` bytes; gives where they begin. */
  pass(count: number): number {
    const from = this.at;
    if (!(count >= 0) || from + count > this.end) throw new Error('a page ends too early');
    this.at += count;
    return from;
  }

  byte(): number {
    return this.bytes[this.pass(1)];
  }

  unsigned(): number {
    let value = 0;
    let factor = 1;
    for (let k = 0; k < 10; k++) {
      const byte = this.byte();
      value += (byte & 127) * factor;
      if (byte < 128) return value;
      factor *= 128;
    }
    throw new Error('a number is too long');
  }

  /** Zigzag of up to 64 bits. */
  signed64(): bigint {
    let value = 0n;
    for (let k = 0n; k < 70n; k += 7n) {
      const byte = this.byte();
      value |= BigInt(byte & 127) << k;
      if (byte < 128) return BigInt.asIntN(64, (value >> 1n) ^ -(value & 1n));
    }
    throw new Error('a number is too long');
  }
}

/**
 * Runs of like values and groups of eight packed in bits, in turn (Parquet format, “Run Length Encoding / Bit-Packing
 * Hybrid”), until `out` is full.
 */
export function readHybrid(page: PageBytes, width: number, out: Uint8Array | Uint32Array): void {
  if (width > 32) throw new Error(`values of ${width} bits are none`);
  const { bytes } = page;
  let n = 0;
  while (n < out.length) {
    const head = page.unsigned();
    if (head % 2 === 1) {
      const values = Math.min(((head - 1) / 2) * 8, out.length - n);
      const whole = ((head - 1) / 2) * width;
      // The last group may be cut where no values are left.
      const from = page.pass(Math.min(whole, page.end - page.at));
      if (8 * (page.at - from) < values * width) throw new Error('a page ends too early');
      let bit = 8 * from;
      for (let k = 0; k < values; k++, bit += width) out[n++] = bitsAt(bytes, bit, width);
    } else {
      const run = Math.min(head / 2, out.length - n);
      const from = page.pass((width + 7) >> 3);
      let value = 0;
      for (let b = 0; b < page.at - from; b++) value += bytes[from + b] * 2 ** (8 * b);
      out.fill(value, n, n + run);
      n += run;
    }
  }
}

/** `width` bits from bit `at` on, the least first; up to 32 of them. */
function bitsAt(bytes: Uint8Array, at: number, width: number): number {
  let byte = at >>> 3;
  let left = width;
  let value = 0;
  let shift = at & 7;
  let factor = 1;
  while (left > 0) {
    const take = Math.min(8 - shift, left);
    value += ((bytes[byte] >> shift) & ((1 << take) - 1)) * factor;
    factor *= 1 << take;
    left -= take;
    shift = 0;
    byte++;
  }
  return value;
}

/** Differences in blocks (Parquet format, “Delta Encoding”). */
export function readDeltas(page: PageBytes, count: number): BigInt64Array {
  const blockSize = page.unsigned();
  const miniblocks = page.unsigned();
  const total = page.unsigned();
  let value = page.signed64();
  const perMiniblock = blockSize / miniblocks;
  if (
    !(miniblocks > 0 && Number.isInteger(perMiniblock) && perMiniblock > 0 && perMiniblock % 8 === 0) ||
    total < count
  )
    throw new Error('the blocks of differences do not fit together');
  const out = new BigInt64Array(count);
  let n = 0;
  if (count > 0) out[n++] = value;
  while (n < count) {
    const least = page.signed64();
    const widths = page.pass(miniblocks);
    for (let m = 0; m < miniblocks && n < count; m++) {
      const width = page.bytes[widths + m];
      if (width > 64) throw new Error(`differences of ${width} bits are none`);
      const from = page.pass((perMiniblock * width) / 8);
      for (let k = 0; k < perMiniblock && n < count; k++) {
        value = BigInt.asIntN(64, value + least + longBitsAt(page.bytes, 8 * from + k * width, width));
        out[n++] = value;
      }
    }
  }
  return out;
}

function longBitsAt(bytes: Uint8Array, at: number, width: number): bigint {
  return width <= 32
    ? BigInt(bitsAt(bytes, at, width))
    : BigInt(bitsAt(bytes, at, 32)) | (BigInt(bitsAt(bytes, at + 32, width - 32)) << 32n);
}

/** Texts or blobs: value k is `bytes[starts[k] … ends[k]]`. */
export interface ByteValues {
  bytes: Uint8Array;
  starts: Uint32Array;
  ends: Uint32Array;
}

/** Each with its length in four bytes before it. */
export function readByteArrays(page: PageBytes, count: number): ByteValues {
  // None takes less than its length.
  if (count > (page.end - page.at) / 4) throw new Error('a page ends too early');
  const starts = new Uint32Array(count);
  const ends = new Uint32Array(count);
  for (let k = 0; k < count; k++) {
    const length = page.view.getUint32(page.pass(4), true);
    starts[k] = page.pass(length);
    ends[k] = page.at;
  }
  return { bytes: page.bytes, starts, ends };
}

/** All of one length. */
export function readFixed(page: PageBytes, count: number, length: number): ByteValues {
  const from = page.pass(count * length);
  const starts = Uint32Array.from({ length: count }, (_, k) => from + k * length);
  return { bytes: page.bytes, starts, ends: starts.map((start) => start + length) };
}

/** Lengths first, as differences (Parquet format, “Delta-length byte array”). */
export function readDeltaLengths(page: PageBytes, count: number): ByteValues {
  const lengths = readDeltas(page, count);
  const starts = new Uint32Array(count);
  const ends = new Uint32Array(count);
  for (let k = 0; k < count; k++) {
    starts[k] = page.pass(Number(lengths[k]));
    ends[k] = page.at;
  }
  return { bytes: page.bytes, starts, ends };
}

/** What each shares with the one before it, then the rest (Parquet format, “Delta Strings”). */
export function readDeltaStrings(page: PageBytes, count: number, most: number): ByteValues {
  const shared = readDeltas(page, count);
  const rest = readDeltaLengths(page, count);
  let total = 0;
  for (let k = 0; k < count; k++) {
    const before = k === 0 ? 0 : Number(shared[k - 1]) + rest.ends[k - 1] - rest.starts[k - 1];
    if (shared[k] < 0n || Number(shared[k]) > before) throw new Error('a text shares more than there is');
    total += Number(shared[k]) + rest.ends[k] - rest.starts[k];
    if (total > most) throw new Error('the texts of a page are too long');
  }
  const bytes = new Uint8Array(total);
  const starts = new Uint32Array(count);
  const ends = new Uint32Array(count);
  let used = 0;
  for (let k = 0; k < count; k++) {
    starts[k] = used;
    const own = Number(shared[k]);
    if (own > 0) bytes.copyWithin(used, starts[k - 1], starts[k - 1] + own);
    bytes.set(rest.bytes.subarray(rest.starts[k], rest.ends[k]), used + own);
    used += own + rest.ends[k] - rest.starts[k];
    ends[k] = used;
  }
  return { bytes, starts, ends };
}

/** First bytes of all values, then the second ones, and so on (Parquet format, “Byte Stream Split”). */
export function joinStreams(page: PageBytes, count: number, size: number): Uint8Array {
  const from = page.pass(count * size);
  const out = new Uint8Array(count * size);
  for (let b = 0; b < size; b++)
    for (let k = 0; k < count; k++) out[k * size + b] = page.bytes[from + b * count + k];
  return out;
}
