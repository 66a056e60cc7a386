import { Column } from './column.ts';
import type { FieldType } from './schema.ts';

const encoder = new TextEncoder();

/** Builds one column value by value; its buffers double as they fill. */
export class ColumnBuilder {
  length = 0;
  readonly type: FieldType;
  private nulls = 0;
  private valid = new Uint8Array(32);
  private numbers: Float64Array | Int32Array | Uint8Array | null = null;
  private offsets: Uint32Array | null = null;
  private bytes: Uint8Array | null = null;
  private used = 0;
  /** Made when the first mark comes. */
  private marks: Uint8Array | null = null;

  constructor(type: FieldType) {
    this.type = type;
    if (type === 'text' || type === 'json' || type === 'bytes') {
      this.offsets = new Uint32Array(65);
      this.bytes = new Uint8Array(1024);
    } else if (type === 'boolean') this.numbers = new Uint8Array(64);
    else if (type === 'date') this.numbers = new Int32Array(64);
    else this.numbers = new Float64Array(64);
  }

  private room(): void {
    const { length } = this;
    if (length >> 3 >= this.valid.length) {
      const larger = new Uint8Array(this.valid.length * 2);
      larger.set(this.valid);
      this.valid = larger;
    }
    if (this.numbers !== null && length >= this.numbers.length) {
      const larger = new (this.numbers.constructor as Float64ArrayConstructor)(length * 2);
      larger.set(this.numbers);
      this.numbers = larger;
    }
    if (this.offsets !== null && length + 1 >= this.offsets.length) {
      const larger = new Uint32Array(this.offsets.length * 2);
      larger.set(this.offsets);
      this.offsets = larger;
    }
  }

  private reserve(count: number): Uint8Array {
    const needed = this.used + count;
    if (needed > this.bytes!.length) {
      let capacity = this.bytes!.length * 2;
      while (capacity < needed) capacity *= 2;
      const larger = new Uint8Array(capacity);
      larger.set(this.bytes!.subarray(0, this.used));
      this.bytes = larger;
    }
    return this.bytes!;
  }

  private there(): void {
    this.valid[this.length >> 3] |= 1 << (this.length & 7);
  }

  /** Adds a blank. */
  null(): void {
    this.room();
    this.valid[this.length >> 3] &= ~(1 << (this.length & 7));
    if (this.offsets !== null) this.offsets[this.length + 1] = this.used;
    this.nulls++;
    this.length++;
  }

  /** Says that the last value was written as a mark: its number in the field's list, from 1. */
  mark(number: number): void {
    const at = this.length - 1;
    if (this.marks === null || at >= this.marks.length) {
      const larger = new Uint8Array(Math.max(64, this.valid.length * 8));
      if (this.marks !== null) larger.set(this.marks);
      this.marks = larger;
    }
    this.marks[at] = number;
  }

  /** integer, real, boolean (0 or 1), date (days) or timestamp (milliseconds). */
  number(value: number): void {
    this.room();
    this.there();
    this.numbers![this.length] = value;
    this.length++;
  }

  /** Adds a text; null becomes a blank. */
  text(value: string): void {
    const bytes = this.reserve(value.length * 3);
    const { written } = encoder.encodeInto(value, bytes.subarray(this.used));
    this.closeBytes(written);
  }

  /** UTF-8 as it lies in `source[start … end]`. */
  raw(source: Uint8Array, start: number, end: number): void {
    const count = end - start;
    const bytes = this.reserve(count);
    if (count < 24) for (let i = 0; i < count; i++) bytes[this.used + i] = source[start + i];
    else bytes.set(source.subarray(start, end), this.used);
    this.closeBytes(count);
  }

  /** Bytes `source[start … end]`, if all of them are ASCII; else nothing is added and false comes back. */
  ascii(source: Uint8Array, start: number, end: number): boolean {
    const bytes = this.reserve(end - start);
    let at = this.used;
    for (let i = start; i < end; i++) {
      const c = source[i];
      if (c > 127) return false;
      bytes[at++] = c;
    }
    this.closeBytes(end - start);
    return true;
  }

  private closeBytes(count: number): void {
    this.used += count;
    this.room();
    this.there();
    this.offsets![this.length + 1] = this.used;
    this.length++;
  }

  /** Value i of another column of the same type. */
  copy(from: Column, i: number): void {
    if (from.isNull(i)) this.null();
    else if (from.numbers !== null) this.number(from.numbers[i]);
    else if (from.codes !== null) this.text(from.dictionary![from.codes[i]]);
    else this.raw(from.bytes!, from.offsets![i], from.offsets![i + 1]);
    if (from.marks !== null && from.marks[i] !== 0) this.mark(from.marks[i]);
  }

  /** All values of another column of the same type. */
  copyAll(from: Column): void {
    if (from.numbers === null || from.valid !== null || from.marks !== null) {
      for (let i = 0; i < from.length; i++) this.copy(from, i);
      return;
    }
    for (let i = 0; i < from.length; i++) this.number(from.numbers[i]);
  }

  /** Forgets all values from number `length` on. */
  back(length: number): void {
    for (let i = length; i < this.length; i++) {
      const bit = 1 << (i & 7);
      if ((this.valid[i >> 3] & bit) === 0) this.nulls--;
      this.valid[i >> 3] &= ~bit;
    }
    this.marks?.fill(0, length);
    this.length = length;
    if (this.offsets !== null) this.used = this.offsets[length];
  }

  /** The finished column, of exactly the size needed; the builder is empty afterwards and may be used again. */
  finish(): Column {
    const { length } = this;
    const column = new Column({
      type: this.type,
      length,
      valid: this.nulls === 0 ? null : this.valid.slice(0, (length + 7) >> 3),
      numbers: this.numbers === null ? null : this.numbers.slice(0, length),
      offsets: this.offsets === null ? null : this.offsets.slice(0, length + 1),
      bytes: this.bytes === null ? null : this.bytes.slice(0, this.used),
      codes: null,
      dictionary: null,
      marks: this.finishedMarks(),
    });
    this.length = 0;
    this.nulls = 0;
    this.used = 0;
    this.valid.fill(0);
    return column;
  }

  private finishedMarks(): Uint8Array | null {
    if (this.marks === null) return null;
    const marks = new Uint8Array(this.length);
    marks.set(this.marks.subarray(0, this.length));
    this.marks = null;
    return marks;
  }
}

/** The values of `column` whose numbers stand in `indices`, in that order; −1 gives null. */
export function takeValues(column: Column, indices: ArrayLike<number>): Column {
  const builder = new ColumnBuilder(column.type);
  for (let k = 0; k < indices.length; k++) {
    if (indices[k] < 0) builder.null();
    else builder.copy(column, indices[k]);
  }
  return builder.finish();
}

/** `length` values of a column from number `first` on. */
export function sliceValues(column: Column, first: number, length: number): Column {
  const builder = new ColumnBuilder(column.type);
  for (let i = 0; i < length; i++) builder.copy(column, first + i);
  return builder.finish();
}

/** A column of `length` nulls. */
export function nullColumn(type: FieldType, length: number): Column {
  const builder = new ColumnBuilder(type);
  for (let i = 0; i < length; i++) builder.null();
  return builder.finish();
}

/** Texts → one text column, stored as a dictionary when values recur enough for that to be smaller. */
export function textColumn(values: readonly (string | null)[]): Column {
  const numbers = new Map<string, number>();
  for (const value of values) if (value !== null && !numbers.has(value)) numbers.set(value, numbers.size);
  const builder = new ColumnBuilder('text');
  if (numbers.size * 2 > values.length) {
    for (const value of values) value === null ? builder.null() : builder.text(value);
    return builder.finish();
  }
  const codes = new Uint32Array(values.length);
  const valid = new Uint8Array((values.length + 7) >> 3);
  values.forEach((value, i) => {
    if (value === null) return;
    codes[i] = numbers.get(value)!;
    valid[i >> 3] |= 1 << (i & 7);
  });
  const dictionary = [...numbers.keys()];
  return new Column({
    type: 'text',
    length: values.length,
    valid,
    numbers: null,
    offsets: null,
    bytes: null,
    codes,
    dictionary,
  });
}
