/** Bytes that are packed with one table of places: copies reach no further back. */
const blockLength = 65_536;
const tableBits = 14;
/** Near the end of a block nothing is looked for: comparing would run over it. */
const margin = 15;

/** Packs bytes with Snappy (its format description): literals, and copies of what came up to 64 KiB before. */
export function packSnappy(bytes: Uint8Array): Uint8Array {
  const packer = new Packer(32 + bytes.length + Math.ceil(bytes.length / 6));
  packer.length(bytes.length);
  for (let from = 0; from < bytes.length; from += blockLength)
    packer.block(bytes, from, Math.min(bytes.length, from + blockLength));
  return packer.done();
}

class Packer {
  private readonly out: Uint8Array;
  private readonly table = new Uint16Array(1 << tableBits);
  private used = 0;

  constructor(most: number) {
    this.out = new Uint8Array(most);
  }

  done(): Uint8Array {
    return this.out.subarray(0, this.used);
  }

  length(value: number): void {
    let rest = value;
    while (rest >= 128) {
      this.out[this.used++] = (rest & 127) | 128;
      rest = Math.floor(rest / 128);
    }
    this.out[this.used++] = rest;
  }

  private literal(bytes: Uint8Array, from: number, end: number): void {
    const n = end - from - 1;
    if (n < 0) return;
    const { out } = this;
    if (n < 60) out[this.used++] = n << 2;
    else if (n < 256) {
      out[this.used++] = 60 << 2;
      out[this.used++] = n;
    } else {
      out[this.used++] = 61 << 2;
      out[this.used++] = n & 255;
      out[this.used++] = n >> 8;
    }
    if (n < 24) for (let k = from; k < end; k++) out[this.used++] = bytes[k];
    else {
      out.set(bytes.subarray(from, end), this.used);
      this.used += n + 1;
    }
  }

  private copy(distance: number, length: number): void {
    const { out } = this;
    let left = length;
    while (left > 0) {
      if (left < 12 && left >= 4 && distance < 2048) {
        out[this.used++] = 1 | ((left - 4) << 2) | ((distance >> 8) << 5);
        out[this.used++] = distance & 255;
        return;
      }
      // What is left of a long copy is kept long enough for one of the short kind.
      const some = left > 64 ? (left < 68 ? 60 : 64) : left;
      out[this.used++] = 2 | ((some - 1) << 2);
      out[this.used++] = distance & 255;
      out[this.used++] = distance >> 8;
      left -= some;
    }
  }

  block(bytes: Uint8Array, from: number, end: number): void {
    const { table } = this;
    table.fill(0);
    const word = (at: number) =>
      bytes[at] | (bytes[at + 1] << 8) | (bytes[at + 2] << 16) | (bytes[at + 3] << 24);
    let literal = from;
    let at = from + 1;
    const last = end - margin;
    let misses = 32;
    while (at < last) {
      const here = word(at);
      const slot = Math.imul(here, 0x1e35a7bd) >>> (32 - tableBits);
      const candidate = from + table[slot];
      table[slot] = at - from;
      if (candidate >= at || word(candidate) !== here) {
        // Where nothing repeats, steps grow.
        at += misses++ >> 5;
        continue;
      }
      misses = 32;
      let length = 4;
      while (at + length < end && bytes[candidate + length] === bytes[at + length]) length++;
      this.literal(bytes, literal, at);
      this.copy(at - candidate, length);
      at += length;
      literal = at;
    }
    this.literal(bytes, literal, end);
  }
}
