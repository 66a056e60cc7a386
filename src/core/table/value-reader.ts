import { decodeText } from './column.ts';
import type { ColumnBuilder } from './column-builder.ts';
import { boundReasons, markSpelling } from './marks.ts';
import { numberFrom, numberFromText } from './number-text.ts';
import { dateFromBytes, parseTimestamp } from './time.ts';
import { dateFromNumbers, dressedNumber, type Reading } from './value-survey.ts';

const encoder = new TextEncoder();

/** Puts values of one column into a builder, read as its survey found; marks stand beside the value, never as zero. */
export class ValueReader {
  readonly reading: Reading;
  private readonly numbers: ReadonlyMap<string, number>;
  /** Bytes that a mark may begin with; others need no look. */
  private readonly begins = new Uint8Array(256);

  constructor(reading: Reading) {
    this.reading = reading;
    this.numbers = new Map(reading.marks.map((mark, k) => [mark.text, k + 1]));
    for (const mark of reading.marks) this.begins[encoder.encode(mark.text)[0]] = 1;
    // A minus of print stands for the plain one.
    if (this.begins[45] === 1) this.begins[encoder.encode('\u2212')[0]] = 1;
  }

  putText(builder: ColumnBuilder, text: string): void {
    const bytes = encoder.encode(text);
    this.put(builder, bytes, 0, bytes.length);
  }

  put(builder: ColumnBuilder, bytes: Uint8Array, from: number, to: number): void {
    const { reading } = this;
    if (from === to) {
      builder.null();
      return;
    }
    if (reading.type === 'text') {
      builder.raw(bytes, from, to);
      return;
    }
    let start = from;
    let end = to;
    while (start < end && bytes[start] === 32) start++;
    while (end > start && bytes[end - 1] === 32) end--;
    if (start === end) {
      builder.null();
      return;
    }
    if (this.begins[bytes[start]] === 1) {
      const text = decodeText(bytes, start, end);
      const number = this.numbers.get(text) ?? this.numbers.get(markSpelling(text));
      if (number !== undefined) {
        const { reason } = reading.marks[number - 1];
        if (boundReasons.has(reason)) this.dressed(builder, text);
        else builder.null();
        builder.mark(number);
        return;
      }
    }
    switch (reading.type) {
      case 'integer':
      case 'real': {
        const value = numberFrom(bytes, start, end, reading.comma);
        if (Number.isNaN(value)) this.dressed(builder, decodeText(bytes, start, end));
        else builder.number(value);
        return;
      }
      case 'boolean':
        builder.number((bytes[start] | 32) === 116 ? 1 : 0);
        return;
      case 'date': {
        builder.number(
          reading.dates === 'iso'
            ? dateFromBytes(bytes, start, end)
            : dateFromNumbers(decodeText(bytes, start, end), reading.dates === 'month first'),
        );
        return;
      }
      default:
        builder.number(parseTimestamp(decodeText(bytes, start, end)));
    }
  }

  private dressed(builder: ColumnBuilder, text: string): void {
    const dressed = dressedNumber(text);
    if (dressed === null) builder.null();
    else builder.number(numberFromText(dressed.number, this.reading.comma));
  }
}
