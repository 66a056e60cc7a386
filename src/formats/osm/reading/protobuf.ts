import { IsomericError } from '../../../core/errors.ts';

function cutShort(): never {
  throw new IsomericError('osm-damaged', 'A message of the file ends in the middle.', {
    advice: 'The file is damaged or was cut short: get it again.',
  });
}

const largest = Number.MAX_SAFE_INTEGER;

/** A number of 64 bits from its halves; beyond 2⁵³ it would lose digits, so it is refused. */
function whole(high: number, low: number): number {
  const value = high * 4294967296 + low;
  if (value > largest || value < -largest)
    throw new IsomericError('osm-number', 'A number of the file is beyond ±2⁵³.', {
      advice: 'The file is damaged: get it again.',
    });
  return value;
}

/** Goes through a message of Protocol Buffers (encoding: base 128 varints, length-delimited fields). */
export class MessageReader {
  readonly bytes: Uint8Array;
  at: number;
  end: number;
  /** The field that `next` came to, and how it is written: 0 varint, 1 eight bytes, 2 length-delimited, 5 four bytes. */
  field = 0;
  private wire = 0;

  constructor(bytes: Uint8Array, at = 0, end = bytes.length) {
    this.bytes = bytes;
    this.at = at;
    this.end = end;
  }

  /** Goes to another message of the same bytes. */
  move(at: number, end: number): this {
    this.at = at;
    this.end = end;
    return this;
  }

  /** Goes to the next field; false at the end. */
  next(): boolean {
    if (this.at >= this.end) return false;
    const first = this.bytes[this.at];
    if (first < 128) {
      this.at++;
      this.field = first >> 3;
      this.wire = first & 7;
    } else {
      const tag = this.unsigned();
      this.field = Math.floor(tag / 8);
      this.wire = tag % 8;
    }
    if (this.field === 0) cutShort();
    return true;
  }

  /** The upper half of the number that `varint` read; 0 for numbers of up to 28 bits. */
  private high = 0;

  /** Reads a varint; returns its lower 32 bits. */
  private varint(): number {
    const { bytes, end } = this;
    let low = 0;
    let at = this.at;
    this.high = 0;
    for (let shift = 0; shift < 28; shift += 7) {
      if (at >= end) cutShort();
      const byte = bytes[at++];
      low |= (byte & 127) << shift;
      if (byte < 128) {
        this.at = at;
        return low;
      }
    }
    if (at >= end) cutShort();
    let byte = bytes[at++];
    low |= (byte & 15) << 28;
    let high = (byte & 127) >> 4;
    for (let shift = 3; byte >= 128; shift += 7) {
      if (at >= end || shift > 31) cutShort();
      byte = bytes[at++];
      high |= (byte & 127) << shift;
    }
    this.at = at;
    this.high = high;
    return low >>> 0;
  }

  /** A varint without sign. Numbers of 64 bits with the highest bit set are negative ones (int64). */
  unsigned(): number {
    const low = this.varint();
    return this.high === 0 ? low : whole(this.high, low);
  }

  /** A varint in zigzag form (sint32, sint64). */
  signed(): number {
    const low = this.varint();
    const high = this.high >>> 0;
    const half = high === 0 ? low >>> 1 : whole(high >>> 1, ((low >>> 1) | (high << 31)) >>> 0);
    return (low & 1) === 0 ? half : -half - 1;
  }

  /** End of the length-delimited field that begins here; the reader stands at its first byte. */
  delimited(): number {
    if (this.wire !== 2) cutShort();
    const length = this.unsigned();
    const end = this.at + length;
    if (length < 0 || end > this.end) cutShort();
    return end;
  }

  /** The bytes of a length-delimited field, as a view. */
  view(): Uint8Array {
    const end = this.delimited();
    const view = this.bytes.subarray(this.at, end);
    this.at = end;
    return view;
  }

  text(): string {
    return new TextDecoder().decode(this.view());
  }

  /** The message in this field. */
  message(): MessageReader {
    const end = this.delimited();
    const inner = new MessageReader(this.bytes, this.at, end);
    this.at = end;
    return inner;
  }

  skip(): void {
    if (this.wire === 0) {
      while (this.at < this.end && this.bytes[this.at] >= 128) this.at++;
      this.at++;
    } else if (this.wire === 2) this.at = this.delimited();
    else if (this.wire === 1) this.at += 8;
    else if (this.wire === 5) this.at += 4;
    else cutShort();
    if (this.at > this.end) cutShort();
  }

  /** How many numbers the packed field here holds: as many as bytes without the continuation bit. Does not move. */
  packedCount(): number {
    const before = this.at;
    const end = this.delimited();
    const { bytes } = this;
    let count = 0;
    for (let at = this.at; at < end; at++) count += 1 - (bytes[at] >>> 7);
    this.at = before;
    return count;
  }

  /** Reads a packed field of zigzag differences; `out` gets their running sums from `from` on. Returns how many. */
  sums(out: Float64Array | Int32Array, from = 0): number {
    const stop = this.delimited();
    const { bytes } = this;
    let at = this.at;
    let sum = 0;
    let n = from;
    while (at < stop) {
      // Differences of up to three bytes, nearly all of them, without the general way.
      const a = bytes[at];
      if (a < 128) {
        sum += (a >>> 1) ^ -(a & 1);
        at++;
      } else {
        const b = bytes[at + 1];
        if (b < 128 && at + 1 < stop) {
          const v = (a & 127) | (b << 7);
          sum += (v >>> 1) ^ -(v & 1);
          at += 2;
        } else {
          const c = bytes[at + 2];
          if (c < 128 && b >= 128 && at + 2 < stop) {
            const v = (a & 127) | ((b & 127) << 7) | (c << 14);
            sum += (v >>> 1) ^ -(v & 1);
            at += 3;
          } else {
            this.at = at;
            sum += this.signed();
            at = this.at;
            if (at > stop) cutShort();
          }
        }
      }
      out[n++] = sum;
    }
    this.at = stop;
    return n - from;
  }

  /** Reads a packed field of numbers without sign into every `step`th place of `out` from `from` on. Returns how many. */
  numbers(out: Uint32Array | Uint8Array | Int32Array, from = 0, step = 1): number {
    const stop = this.delimited();
    const { bytes } = this;
    let at = this.at;
    let n = 0;
    for (let k = from; at < stop; k += step, n++) {
      const a = bytes[at];
      if (a < 128) {
        out[k] = a;
        at++;
        continue;
      }
      const b = bytes[at + 1];
      if (b < 128 && at + 1 < stop) {
        out[k] = (a & 127) | (b << 7);
        at += 2;
        continue;
      }
      this.at = at;
      out[k] = this.unsigned();
      at = this.at;
      if (at > stop) cutShort();
    }
    this.at = stop;
    return n;
  }
}
