import { isDeepJson } from '../json-depth.ts';
import type { FieldType } from './schema.ts';
import { dateText, timestampText } from './time.ts';

/** What a cell is at the edge: dates and time stamps as ISO 8601 text, JSON parsed (as text where it is nested without end). */
export type Value = string | number | boolean | Uint8Array | object | null;

/** A column as plain buffers, to be handed to another thread. */
export interface ColumnBuffers {
  type: FieldType;
  length: number;
  /** Bit i (least first) set: value i is there. Null: all are. */
  valid: Uint8Array | null;
  /** integer, real, timestamp: Float64Array; date: Int32Array; boolean: Uint8Array. Null for text, json and bytes. */
  numbers: Float64Array | Int32Array | Uint8Array | null;
  /** text, json, bytes: value i is `bytes[offsets[i] … offsets[i + 1]]`, UTF-8. */
  offsets: Uint32Array | null;
  bytes: Uint8Array | null;
  /** text as dictionary: value i is `dictionary[codes[i]]`. */
  codes: Uint32Array | null;
  dictionary: string[] | null;
  /** Value i was written as mark `marks[i] − 1` of the field's list; 0: as it is. Absent or null: no marks. */
  marks?: Uint8Array | null;
}

const decoder = new TextDecoder();

/** UTF-8 → string; short ASCII text (most of what tables hold) without the decoder. */
export function decodeText(bytes: Uint8Array, start: number, end: number): string {
  if (end - start <= 24) {
    let text = '';
    let i = start;
    for (; i < end; i++) {
      const c = bytes[i];
      if (c > 127) break;
      text += String.fromCharCode(c);
    }
    if (i === end) return text;
  }
  return decoder.decode(bytes.subarray(start, end));
}

/** One column of one batch: typed arrays and a validity bitmap. */
export class Column implements ColumnBuffers {
  readonly type: FieldType;
  readonly length: number;
  readonly valid: Uint8Array | null;
  readonly numbers: Float64Array | Int32Array | Uint8Array | null;
  readonly offsets: Uint32Array | null;
  readonly bytes: Uint8Array | null;
  readonly codes: Uint32Array | null;
  readonly dictionary: string[] | null;
  readonly marks: Uint8Array | null;

  constructor(buffers: ColumnBuffers) {
    this.type = buffers.type;
    this.length = buffers.length;
    this.valid = buffers.valid;
    this.numbers = buffers.numbers;
    this.offsets = buffers.offsets;
    this.bytes = buffers.bytes;
    this.codes = buffers.codes;
    this.dictionary = buffers.dictionary;
    this.marks = buffers.marks ?? null;
  }

  /** Is value i blank? */
  isNull(i: number): boolean {
    return this.valid !== null && (this.valid[i >> 3] & (1 << (i & 7))) === 0;
  }

  /** integer, real, boolean (0, 1), date (days), timestamp (milliseconds); NaN when null or not a number. */
  number(i: number): number {
    return this.numbers === null || this.isNull(i) ? NaN : this.numbers[i];
  }

  /** The value as text; null when there is none. */
  text(i: number): string | null {
    if (this.isNull(i)) return null;
    if (this.codes !== null) return this.dictionary![this.codes[i]];
    if (this.offsets !== null) {
      if (this.type === 'bytes') return hex(this.bytes!.subarray(this.offsets[i], this.offsets[i + 1]));
      return decodeText(this.bytes!, this.offsets[i], this.offsets[i + 1]);
    }
    const value = this.numbers![i];
    switch (this.type) {
      case 'boolean':
        return value === 1 ? 'true' : 'false';
      case 'date':
        return dateText(value);
      case 'timestamp':
        return timestampText(value);
      default:
        return String(value);
    }
  }

  /** Value i as JavaScript has it; null where it is blank. */
  value(i: number): Value {
    if (this.isNull(i)) return null;
    switch (this.type) {
      case 'integer':
      case 'real':
        return this.numbers![i];
      case 'boolean':
        return this.numbers![i] === 1;
      case 'bytes':
        return this.bytes!.slice(this.offsets![i], this.offsets![i + 1]);
      case 'json': {
        const text = this.text(i)!;
        // Nested without end it would stop whoever walks it.
        return isDeepJson(text) ? text : (JSON.parse(text) as Value);
      }
      default:
        return this.text(i);
    }
  }

  /** Its buffers, to be handed to another thread; views, not copies. */
  buffers(): ColumnBuffers {
    const { type, length, valid, numbers, offsets, bytes, codes, dictionary, marks } = this;
    return { type, length, valid, numbers, offsets, bytes, codes, dictionary, marks };
  }

  /** The buffers that may be handed over instead of being copied. */
  transferables(): ArrayBuffer[] {
    const arrays = [this.valid, this.numbers, this.offsets, this.bytes, this.codes, this.marks];
    return arrays.filter((a) => a !== null).map((a) => a.buffer as ArrayBuffer);
  }
}

function hex(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) text += byte.toString(16).padStart(2, '0');
  return text;
}

/** Reads every value of a text or json column as a string once; for keys and filters that ask often. */
export function columnTexts(column: Column): (string | null)[] {
  const texts = new Array<string | null>(column.length);
  for (let i = 0; i < column.length; i++) texts[i] = column.text(i);
  return texts;
}
