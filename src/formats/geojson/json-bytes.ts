import { IsomericError } from '../../core/errors.ts';
import { productError } from '../../core/exact-product.ts';
import { decodeText } from '../../core/table/column.ts';

/** Raised when the bytes at hand end in the middle of something; the reader goes back and gets more. */
export const needMore = Symbol('need more bytes');

const powers = Float64Array.from({ length: 23 }, (_, k) => Number(`1e${k}`));

/** 1 for every byte that neither opens nor closes anything, nor begins a string, nor ends the window. */
const plain = new Uint8Array(256).fill(1);
for (const byte of [0, 34, 91, 93, 123, 125]) plain[byte] = 0;

/** A cursor over JSON bytes in a window that ends with a 0, which no JSON has. */
export class JsonBytes {
  buf = new Uint8Array(1 << 16);
  pos = 0;
  end = 0;
  /** Bytes of the source before the window. */
  before = 0;
  /** True when nothing follows the window. */
  last = false;
  readonly name: string;

  constructor(name: string) {
    this.name = name;
  }

  /** Drops what lies before `keep` and appends a chunk. Positions move: `pos` is set to where `keep` was. */
  append(chunk: Uint8Array, keep: number): void {
    const kept = this.end - keep;
    if (kept + chunk.length + 1 > this.buf.length) {
      let capacity = this.buf.length * 2;
      while (capacity < kept + chunk.length + 1) capacity *= 2;
      const larger = new Uint8Array(capacity);
      larger.set(this.buf.subarray(keep, this.end));
      this.buf = larger;
    } else this.buf.copyWithin(0, keep, this.end);
    this.buf.set(chunk, kept);
    this.before += keep;
    this.end = kept + chunk.length;
    this.buf[this.end] = 0;
    this.pos = 0;
  }

  fail(words: string, at = this.pos): never {
    throw new IsomericError('json-syntax', words, {
      place: { file: this.name, byte: this.before + at },
      advice: 'The file is damaged or was cut short: get it again.',
    });
  }

  /** What to do at a 0 byte. */
  private atZero(): never {
    if (this.pos >= this.end) {
      if (this.last) this.fail('The JSON ends in the middle');
      throw needMore;
    }
    return this.fail('A control character stands in the JSON');
  }

  /** Goes to the next byte that is no white space and returns it. */
  next(): number {
    const { buf } = this;
    let { pos } = this;
    for (;;) {
      const c = buf[pos];
      if (c > 32) {
        this.pos = pos;
        return c;
      }
      if (c === 32 || c === 10 || c === 13 || c === 9) pos++;
      else {
        this.pos = pos;
        this.atZero();
      }
    }
  }

  /** The next byte, or −1 at the end of everything. */
  nextOrEnd(): number {
    while (this.pos < this.end && this.buf[this.pos] <= 32 && this.buf[this.pos] !== 0) this.pos++;
    if (this.pos < this.end) return this.next();
    if (this.last) return -1;
    throw needMore;
  }

  expect(byte: number): void {
    const c = this.next();
    if (c !== byte) this.fail(`“${String.fromCharCode(byte)}” is expected, not “${String.fromCharCode(c)}”`);
    this.pos++;
  }

  /** Where the last string lay, between its quotes, and whether it has escapes. */
  stringStart = 0;
  stringEnd = 0;
  escaped = false;

  /** Passes a string. */
  string(): void {
    if (this.next() !== 34)
      this.fail(`A string is expected, not “${String.fromCharCode(this.buf[this.pos])}”`);
    const { buf } = this;
    let pos = this.pos + 1;
    this.stringStart = pos;
    this.escaped = false;
    for (;;) {
      const c = buf[pos];
      if (c === 34) break;
      if (c === 92) {
        this.escaped = true;
        if (buf[pos + 1] === 0) {
          this.pos = pos + 1;
          this.atZero();
        }
        pos += 2;
      } else if (c < 32) {
        this.pos = pos;
        if (c === 0) this.atZero();
        this.fail('A control character stands in a string');
      } else pos++;
    }
    this.stringEnd = pos;
    this.pos = pos + 1;
  }

  /** The last string as text. */
  text(): string {
    if (!this.escaped) return decodeText(this.buf, this.stringStart, this.stringEnd);
    const raw = new TextDecoder().decode(this.buf.subarray(this.stringStart - 1, this.stringEnd + 1));
    try {
      return JSON.parse(raw) as string;
    } catch {
      return this.fail('A string has a damaged escape', this.stringStart);
    }
  }

  /** True when the last string is this one. */
  stringIs(bytes: Uint8Array): boolean {
    if (this.escaped || this.stringEnd - this.stringStart !== bytes.length) return false;
    for (let k = 0; k < bytes.length; k++) if (this.buf[this.stringStart + k] !== bytes[k]) return false;
    return true;
  }

  /** True when the last number had neither a fraction nor an exponent. */
  whole = true;

  /** Reads a number, correctly rounded; the cursor stands at its first byte. */
  number(): number {
    const { buf } = this;
    const start = this.pos;
    let pos = start;
    let c = buf[pos];
    const negative = c === 45;
    if (negative) c = buf[++pos];
    let high = 0;
    let digits = 0;
    let fraction = 0;
    // The first 15 significant digits are exact in a double.
    const first = pos;
    while (c >= 48 && c <= 57 && digits < 15) {
      high = high * 10 + (c - 48);
      if (high !== 0) digits++;
      c = buf[++pos];
    }
    let low = 0;
    let lowDigits = 0;
    while (c >= 48 && c <= 57) {
      low = low * 10 + (c - 48);
      lowDigits++;
      c = buf[++pos];
    }
    if (pos === first) {
      this.pos = pos;
      if (c === 0) this.atZero();
      this.fail('A number is expected');
    }
    if (buf[first] === 48 && pos > first + 1) this.fail('A number begins with 0', first);
    this.whole = c !== 46 && c !== 101 && c !== 69;
    if (c === 46) {
      c = buf[++pos];
      const from = pos;
      if (lowDigits === 0) {
        while (c >= 48 && c <= 57 && digits < 15) {
          high = high * 10 + (c - 48);
          if (high !== 0) digits++;
          c = buf[++pos];
        }
      }
      while (c >= 48 && c <= 57) {
        low = low * 10 + (c - 48);
        lowDigits++;
        c = buf[++pos];
      }
      fraction = pos - from;
      if (fraction === 0) {
        this.pos = pos;
        if (c === 0) this.atZero();
        this.fail('A digit is expected after the point');
      }
    }
    if (c === 101 || c === 69) {
      c = buf[++pos];
      if (c === 43 || c === 45) c = buf[++pos];
      const from = pos;
      while (c >= 48 && c <= 57) c = buf[++pos];
      if (pos === from) {
        this.pos = pos;
        if (c === 0) this.atZero();
        this.fail('A digit is expected in the exponent');
      }
      fraction = 99;
    }
    if (c === 0 && pos >= this.end && !this.last) throw needMore;
    this.pos = pos;
    if (lowDigits === 0 && fraction <= 22) {
      const value = fraction === 0 ? high : high / powers[fraction];
      return negative ? -value : value;
    }
    if (lowDigits <= 7 && fraction <= 22) {
      const value = longDecimal(high, low, lowDigits, fraction);
      if (!Number.isNaN(value)) return negative ? -value : value;
    }
    return Number(decodeText(buf, start, pos));
  }

  /** Passes any value. */
  skip(): void {
    const c = this.next();
    if (c === 34) {
      this.string();
      return;
    }
    if (c === 123 || c === 91) {
      this.skipNested();
      return;
    }
    if (c === 116) this.word('true');
    else if (c === 102) this.word('false');
    else if (c === 110) this.word('null');
    else this.number();
  }

  /** Passes an object or array, however deep, without recursion. */
  private skipNested(): void {
    const { buf } = this;
    let depth = 0;
    let pos = this.pos;
    for (;;) {
      let c = buf[pos];
      // Most bytes of an array of coordinates say nothing of its nesting.
      while (plain[c] === 1) c = buf[++pos];
      if (c === 91 || c === 123) depth++;
      else if (c === 93 || c === 125) {
        if (--depth === 0) {
          this.pos = pos + 1;
          return;
        }
      } else if (c === 34) {
        this.pos = pos;
        this.string();
        pos = this.pos;
        continue;
      } else if (c === 0) {
        this.pos = pos;
        this.atZero();
      }
      pos++;
    }
  }

  word(word: 'true' | 'false' | 'null'): void {
    for (let k = 0; k < word.length; k++) {
      if (this.buf[this.pos + k] === word.charCodeAt(k)) continue;
      this.pos += k;
      if (this.buf[this.pos] === 0) this.atZero();
      this.fail(`“${word}” is misspelt`);
    }
    this.pos += word.length;
  }

  /** Passes `{`; true when a member follows, false when the object is empty (and passed). */
  openObject(): boolean {
    this.expect(123);
    if (this.next() !== 125) return true;
    this.pos++;
    return false;
  }

  /** After a member: true when another one follows, false when the object ends (and is passed). */
  moreMembers(): boolean {
    const c = this.next();
    this.pos++;
    if (c === 44) return true;
    if (c === 125) return false;
    this.pos--;
    return this.fail(`“,” or “}” is expected, not “${String.fromCharCode(c)}”`);
  }

  /** After an element of an array: true when another one follows, false when the array ends (and is passed). */
  moreElements(): boolean {
    const c = this.next();
    this.pos++;
    if (c === 44) return true;
    if (c === 93) return false;
    this.pos--;
    return this.fail(`“,” or “]” is expected, not “${String.fromCharCode(c)}”`);
  }

  /** Passes a member's name and the colon; the name is the last string. */
  memberName(): void {
    this.string();
    const start = this.stringStart;
    const end = this.stringEnd;
    this.expect(58);
    this.stringStart = start;
    this.stringEnd = end;
  }
}

/**
 * (high · 10^lowDigits + low) / 10^fraction, correctly rounded: in double-double, with a check that no other double
 * could be meant; NaN when that cannot be told (about one number in 2^40).
 */
function longDecimal(high: number, low: number, lowDigits: number, fraction: number): number {
  const p = powers[lowDigits];
  const product = high * p;
  const error = productError(high, p, product);
  const sum = product + low;
  const part = sum - product;
  const rest = product - (sum - part) + (low - part) + error;
  const d = powers[fraction];
  const q = sum / d;
  const back = q * d;
  const backError = productError(q, d, back);
  const correction = (sum - back - backError + rest) / d;
  const value = q + correction;
  const slack = Math.abs(correction) * 2 ** -45 + Math.abs(q) * 2 ** -98;
  return q + (correction - slack) === value && q + (correction + slack) === value ? value : NaN;
}
