import { type Column, decodeText } from '../column.ts';

/** Bytes of decimal digits for keys in integer columns. */
const scratch = new Uint8Array(32);
const encoder = new TextEncoder();

/**
 * Rows by key: an open-addressing table over the keys' UTF-8 bytes, so that neither building nor asking makes a
 * string. Whole numbers are keyed by their decimal digits, so that 1204 and "1204" meet.
 */
export class KeyIndex {
  private slots = new Int32Array(1024).fill(-1);
  private hashes = new Uint32Array(512);
  private starts = new Uint32Array(513);
  private bytes = new Uint8Array(8192);
  /** Number of different keys. */
  size = 0;
  /** For each key, the row that had it first. */
  firstRow = new Int32Array(512);
  /** How often each key came. */
  times = new Uint32Array(512);

  private find(source: Uint8Array, start: number, end: number, hash: number): number {
    const mask = this.slots.length - 1;
    let slot = hash & mask;
    for (;;) {
      const key = this.slots[slot];
      if (key < 0) return -slot - 1;
      if (this.hashes[key] === hash) {
        const from = this.starts[key];
        const length = end - start;
        if (this.starts[key + 1] - from === length) {
          let k = 0;
          while (k < length && this.bytes[from + k] === source[start + k]) k++;
          if (k === length) return key;
        }
      }
      slot = (slot + 1) & mask;
    }
  }

  /** Adds the key of one row; returns the key's number. */
  add(source: Uint8Array, start: number, end: number, row: number): number {
    const hash = hashBytes(source, start, end);
    const found = this.find(source, start, end, hash);
    if (found >= 0) {
      this.times[found]++;
      return found;
    }
    const key = this.size;
    if (2 * (key + 1) > this.slots.length) this.grow();
    if (key + 1 >= this.starts.length) this.starts = larger(this.starts, this.starts.length * 2);
    if (key >= this.hashes.length) {
      this.hashes = larger(this.hashes, this.hashes.length * 2);
      this.firstRow = larger(this.firstRow, this.hashes.length);
      this.times = larger(this.times, this.hashes.length);
    }
    const used = this.starts[key];
    const length = end - start;
    if (used + length > this.bytes.length)
      this.bytes = larger(this.bytes, Math.max(this.bytes.length * 2, used + length));
    for (let k = 0; k < length; k++) this.bytes[used + k] = source[start + k];
    this.starts[key + 1] = used + length;
    this.hashes[key] = hash;
    const slot = this.find(source, start, end, hash);
    this.slots[-slot - 1] = key;
    this.firstRow[key] = row;
    this.times[key] = 1;
    this.size++;
    return key;
  }

  /** Number of a key, or −1. */
  get(source: Uint8Array, start: number, end: number): number {
    const found = this.find(source, start, end, hashBytes(source, start, end));
    return found >= 0 ? found : -1;
  }

  getText(text: string): number {
    const bytes = encoder.encode(text);
    return this.get(bytes, 0, bytes.length);
  }

  /** Adds a key that is a text. */
  addText(text: string, row: number): number {
    const bytes = encoder.encode(text);
    return this.add(bytes, 0, bytes.length, row);
  }

  /** All keys as texts, in the order in which they came. */
  *texts(): Generator<string> {
    for (let key = 0; key < this.size; key++) yield this.text(key);
  }

  /** The key as text. */
  text(key: number): string {
    return decodeText(this.bytes, this.starts[key], this.starts[key + 1]);
  }

  private grow(): void {
    const slots = new Int32Array(this.slots.length * 2).fill(-1);
    const mask = slots.length - 1;
    for (let key = 0; key < this.size; key++) {
      let slot = this.hashes[key] & mask;
      while (slots[slot] >= 0) slot = (slot + 1) & mask;
      slots[slot] = key;
    }
    this.slots = slots;
  }
}

function larger<T extends Uint8Array | Uint32Array | Int32Array>(array: T, length: number): T {
  const grown = new (array.constructor as new (length: number) => T)(length);
  grown.set(array as never);
  return grown;
}

/** FNV-1a with a final mix (the low bits choose the slot). */
function hashBytes(bytes: Uint8Array, start: number, end: number): number {
  let hash = 0x811c9dc5;
  for (let k = start; k < end; k++) hash = Math.imul(hash ^ bytes[k], 0x01000193);
  hash ^= hash >>> 15;
  hash = Math.imul(hash, 0x2c1b3c6d);
  return (hash ^ (hash >>> 13)) >>> 0;
}

/** Gets the bytes `source[start … end]` of the key of a row; null: it has none. */
export type UseKey = (row: number, source: Uint8Array | null, start: number, end: number) => void;

/** Calls `use` with the key bytes of every row, or with null where the row has none. */
export function eachKey(column: Column, use: UseKey): void {
  const { length, offsets, bytes } = column;
  if (offsets !== null) {
    for (let i = 0; i < length; i++) {
      if (column.isNull(i)) use(i, null, 0, 0);
      else use(i, bytes, offsets[i], offsets[i + 1]);
    }
    return;
  }
  for (let i = 0; i < length; i++) {
    const text = column.text(i);
    if (text === null) use(i, null, 0, 0);
    else {
      const { written } = encoder.encodeInto(text, scratch);
      if (written < scratch.length - 3) use(i, scratch, 0, written);
      else {
        const whole = encoder.encode(text);
        use(i, whole, 0, whole.length);
      }
    }
  }
}
