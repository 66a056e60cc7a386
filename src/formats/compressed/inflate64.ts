/** Lengths and distances of copies by their codes: base and extra bits (APPNOTE 6.3.10, section 5.5; RFC 1951, 3.2.5). */
const lengthBase = [
  3, 4, 5, 6, 7, 8, 9, 10, 11, 13, 15, 17, 19, 23, 27, 31, 35, 43, 51, 59, 67, 83, 99, 115, 131, 163, 195,
  227, 3,
];
const lengthBits = [0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 2, 2, 2, 2, 3, 3, 3, 3, 4, 4, 4, 4, 5, 5, 5, 5, 16];
const distanceBase = Array.from({ length: 32 }, (_, k) =>
  k < 4 ? k + 1 : (2 + (k & 1)) * 2 ** ((k >> 1) - 1) + 1,
);
const distanceBits = Array.from({ length: 32 }, (_, k) => (k < 4 ? 0 : (k >> 1) - 1));
const lengthOrder = [16, 17, 18, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15];

const longestCode = 15;
/** How far back copies reach, and the longest of them. */
const window = 65_536;
const longestCopy = 65_538;
const room = 4 * window;

/** Codes of Huffman by canonical order: how many of each length, and the symbols in their order (RFC 1951, 3.2.2). */
class Codes {
  readonly counts = new Uint16Array(longestCode + 1);
  readonly symbols: Uint16Array;

  constructor(lengths: ArrayLike<number>) {
    for (let k = 0; k < lengths.length; k++) this.counts[lengths[k]]++;
    this.counts[0] = 0;
    let left = 1;
    const starts = new Uint16Array(longestCode + 2);
    for (let length = 1; length <= longestCode; length++) {
      left = left * 2 - this.counts[length];
      if (left < 0) throw new Error('more codes than there can be');
      starts[length + 1] = starts[length] + this.counts[length];
    }
    this.symbols = new Uint16Array(lengths.length);
    for (let k = 0; k < lengths.length; k++) if (lengths[k] !== 0) this.symbols[starts[lengths[k]]++] = k;
  }
}

/** Bits of chunks, the least first. */
class Bits {
  private readonly chunks: AsyncIterator<Uint8Array>;
  private bytes: Uint8Array = new Uint8Array(0);
  private at = 0;
  private held = 0;
  private count = 0;
  private ended = false;

  constructor(chunks: AsyncIterable<Uint8Array>) {
    this.chunks = chunks[Symbol.asyncIterator]();
  }

  /** True when a symbol with all its extra bits can be taken without waiting. */
  get ready(): boolean {
    return this.ended || this.bytes.length - this.at >= 16;
  }

  async fill(): Promise<void> {
    while (!this.ready) {
      const next = await this.chunks.next();
      if (next.done) this.ended = true;
      else {
        const left = this.bytes.subarray(this.at);
        const joined = new Uint8Array(left.length + next.value.length);
        joined.set(left);
        joined.set(next.value, left.length);
        this.bytes = joined;
        this.at = 0;
      }
    }
  }

  bit(): number {
    if (this.count === 0) {
      if (this.at >= this.bytes.length) throw new Error('unexpected end of file');
      this.held = this.bytes[this.at++];
      this.count = 8;
    }
    const bit = this.held & 1;
    this.held >>= 1;
    this.count--;
    return bit;
  }

  number(bits: number): number {
    let value = 0;
    for (let k = 0; k < bits; k++) value |= this.bit() << k;
    return value;
  }

  /** The next whole byte: what is left of the one at hand is passed over. */
  byte(): number {
    this.count = 0;
    if (this.at >= this.bytes.length) throw new Error('unexpected end of file');
    return this.bytes[this.at++];
  }

  symbol({ counts, symbols }: Codes): number {
    let code = 0;
    let first = 0;
    let index = 0;
    for (let length = 1; length <= longestCode; length++) {
      code |= this.bit();
      const count = counts[length];
      if (code - count < first) return symbols[index + code - first];
      index += count;
      first = (first + count) << 1;
      code <<= 1;
    }
    throw new Error('a code that there is not');
  }

  async close(): Promise<void> {
    await this.chunks.return?.();
  }
}

function fixedCodes(): [Codes, Codes] {
  const lengths = Uint8Array.from({ length: 288 }, (_, k) => (k < 144 ? 8 : k < 256 ? 9 : k < 280 ? 7 : 8));
  return [new Codes(lengths), new Codes(new Uint8Array(32).fill(5))];
}

async function dynamicCodes(bits: Bits): Promise<[Codes, Codes]> {
  await bits.fill();
  const literals = bits.number(5) + 257;
  const distances = bits.number(5) + 1;
  const count = bits.number(4) + 4;
  const own = new Uint8Array(19);
  for (let k = 0; k < count; k++) own[lengthOrder[k]] = bits.number(3);
  const codes = new Codes(own);
  const lengths = new Uint8Array(literals + distances);
  for (let k = 0; k < lengths.length; ) {
    await bits.fill();
    const symbol = bits.symbol(codes);
    if (symbol < 16) lengths[k++] = symbol;
    else {
      if (symbol === 16 && k === 0) throw new Error('a length is repeated that there is not');
      const value = symbol === 16 ? lengths[k - 1] : 0;
      const times =
        symbol === 16 ? 3 + bits.number(2) : symbol === 17 ? 3 + bits.number(3) : 11 + bits.number(7);
      if (k + times > lengths.length) throw new Error('more lengths than codes');
      lengths.fill(value, k, k + times);
      k += times;
    }
  }
  return [new Codes(lengths.subarray(0, literals)), new Codes(lengths.subarray(literals))];
}

/**
 * Unpacks Deflate64 (APPNOTE 6.3.10, section 4.4.5, method 9), as archives hold that were packed by a file manager and are
 * larger than 2 GB: deflate with copies of up to 64 KiB from up to 64 KiB back. Not as fast as what unpacks plain deflate.
 */
export async function* inflate64(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const bits = new Bits(chunks);
  const out = new Uint8Array(room);
  let at = 0;
  let given = 0;
  /** Gives what is ready, and keeps the last 64 KiB for copies. */
  const flush = (): Uint8Array => {
    const piece = out.slice(given, at);
    out.copyWithin(0, Math.max(0, at - window), at);
    at = Math.min(at, window);
    given = at;
    return piece;
  };
  let total = 0;
  try {
    for (let last = false; !last; ) {
      await bits.fill();
      last = bits.bit() === 1;
      const kind = bits.number(2);
      if (kind === 3) throw new Error('a block of a kind that there is not');
      if (kind === 0) {
        const length = bits.byte() | (bits.byte() << 8);
        if ((length ^ (bits.byte() | (bits.byte() << 8))) !== 0xffff)
          throw new Error('the length of a block does not fit');
        for (let k = 0; k < length; k++) {
          if (!bits.ready) await bits.fill();
          if (at === room) yield flush();
          out[at++] = bits.byte();
          total++;
        }
        continue;
      }
      const [literals, distances] = kind === 1 ? fixedCodes() : await dynamicCodes(bits);
      for (;;) {
        if (!bits.ready) await bits.fill();
        const symbol = bits.symbol(literals);
        if (symbol === 256) break;
        if (at + longestCopy > room) yield flush();
        if (symbol < 256) {
          out[at++] = symbol;
          total++;
          continue;
        }
        if (symbol > 285) throw new Error('a length that there is not');
        const length = lengthBase[symbol - 257] + bits.number(lengthBits[symbol - 257]);
        const code = bits.symbol(distances);
        const distance = distanceBase[code] + bits.number(distanceBits[code]);
        if (distance > total) throw new Error('a copy reaches before the beginning');
        for (let k = 0; k < length; k++, at++) out[at] = out[at - distance];
        total += length;
      }
    }
    if (at > given) yield flush();
  } finally {
    await bits.close();
  }
}
