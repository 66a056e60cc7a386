import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import { daysOf } from '../../core/table/time.ts';
import { ByteQueue, type ByteSource } from '../bytes/byte-source.ts';
import { decodeText } from '../bytes/code-pages.ts';
import { type MemoTexts, openMemo } from './memo.ts';

export interface DbaseField {
  name: string;
  letter: string;
  at: number;
  width: number;
  decimals: number;
  type: FieldType;
}

export interface DbaseHeader {
  fields: DbaseField[];
  records: number;
  headerLength: number;
  recordLength: number;
  /** One that `code-pages.ts` knows. */
  encoding: string;
  findings: Finding[];
  /** Long texts that stand in a file of their own; null when no field has any. */
  memo: MemoTexts | null;
}

/** Code pages by the language byte of the header (byte 29). */
const languagePages: Record<number, string> = {
  1: 'cp437',
  2: 'cp850',
  3: 'cp1252',
  8: 'cp865',
  9: 'cp437',
  10: 'cp850',
  19: 'cp932',
  77: 'cp936',
  78: 'cp949',
  79: 'cp950',
  87: 'cp1252',
  88: 'cp1252',
  89: 'cp1252',
  100: 'cp852',
  101: 'cp866',
  102: 'cp865',
  106: 'cp737',
  107: 'cp857',
  200: 'cp1250',
  201: 'cp1251',
  202: 'cp1254',
  203: 'cp1253',
  204: 'cp1257',
};

/** Reads the header. `asked` is the encoding from a .cpg file or from the caller. */
export async function readDbaseHeader(
  source: ByteSource,
  asked?: string,
  memoFile: ByteSource | null = null,
): Promise<DbaseHeader> {
  const fail = (words: string, byte: number): never => {
    throw new IsomericError('dbase-damaged', words, {
      place: { file: source.name, byte },
      advice: 'The .dbf file is damaged or was cut short: get it again.',
    });
  };
  if (source.size < 33) fail(`It has only ${source.size} bytes, less than a header.`, 0);
  const head = await source.bytes(0, 32);
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  let records = view.getUint32(4, true);
  const headerLength = view.getUint16(8, true);
  const recordLength = view.getUint16(10, true);
  if (headerLength < 33 || headerLength > source.size || recordLength < 1)
    fail('Its header names impossible lengths.', 8);
  const findings: Finding[] = [];
  const present = Math.floor((source.size - headerLength) / recordLength);
  if (present < records) {
    findings.push({
      code: 'dbase-cut',
      severity: 'error',
      words: `${source.name}: the header promises ${grouped(records)} records, but only ${grouped(present)} are there.`,
      repair: 'get the file again',
    });
    records = present;
  }
  const language = head[29];
  let encoding = asked ?? languagePages[language];
  if (encoding === undefined) {
    encoding = 'utf-8';
    findings.push({
      code: 'encoding-guessed',
      severity: 'note',
      words: `${source.name} does not say its encoding: UTF-8 is taken, and windows-1252 where that does not fit.`,
    });
  }
  const descriptors = await source.bytes(32, headerLength);
  const fields: DbaseField[] = [];
  let at = 1;
  for (let k = 0; k + 32 <= descriptors.length && descriptors[k] !== 0x0d; k += 32) {
    let nameEnd = k;
    while (nameEnd < k + 11 && descriptors[nameEnd] !== 0) nameEnd++;
    const name = decode(descriptors.subarray(k, nameEnd), encoding).trim();
    const letter = String.fromCharCode(descriptors[k + 11]).toUpperCase();
    let width = descriptors[k + 16];
    let decimals = descriptors[k + 17];
    if (letter === 'C' && decimals > 0) {
      // Long text fields: the second byte counts on.
      width += 256 * decimals;
      decimals = 0;
    }
    if (!'CNFLDMIBOTY@+'.includes(letter))
      fail(`The field ${name} has the unknown type “${letter}”.`, 32 + k + 11);
    fields.push({ name, letter, at, width, decimals, type: typeOf(letter, width, decimals) });
    at += width;
  }
  if (fields.length === 0) fail('Its header describes no field.', 32);
  if (at > recordLength) fail(`Its fields take ${at} bytes, but a record has only ${recordLength}.`, 10);
  const memoFields = fields.filter((field) => field.letter === 'M');
  let memo: MemoTexts | null = null;
  if (memoFields.length > 0 && memoFile !== null) memo = await openMemo(memoFile, memoFields);
  else if (memoFields.length > 0)
    findings.push({
      code: 'part-missing',
      severity: 'warning',
      words: `${source.name}: the long texts of ${memoFields.map((field) => field.name).join(', ')} stand in a .dbt or .fpt file, which is not there; the fields are blank.`,
    });
  const header: DbaseHeader = { fields, records, headerLength, recordLength, encoding, findings, memo };
  await checkLongNumbers(source, header);
  return header;
}

function typeOf(letter: string, width: number, decimals: number): FieldType {
  switch (letter) {
    case 'N':
      return decimals === 0 && width <= 20 ? 'integer' : 'real';
    case 'F':
      return 'real';
    // Binary numbers have one width; of any other width they are something else, and shown as text.
    case 'B':
    case 'O':
    case 'Y':
      return width === 8 ? 'real' : 'text';
    case 'I':
    case '+':
      return width === 4 ? 'integer' : 'text';
    case 'L':
      return 'boolean';
    case 'D':
      return 'date';
    default:
      return 'text';
  }
}

/** Little-endian integer (I, +), double (B, O), or currency in ten-thousandths (Y). */
function binaryNumber(record: Uint8Array, start: number, letter: string): number {
  const view = new DataView(
    record.buffer,
    record.byteOffset + start,
    letter === 'I' || letter === '+' ? 4 : 8,
  );
  if (letter === 'Y') return Number(view.getBigInt64(0, true)) / 10_000;
  return letter === 'I' || letter === '+' ? view.getInt32(0, true) : view.getFloat64(0, true);
}

function decode(bytes: Uint8Array, encoding: string): string {
  if (encoding === 'utf-8') {
    try {
      return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
    } catch {
      return decodeText(bytes, 'windows-1252');
    }
  }
  return decodeText(bytes, encoding);
}

/** Whole-number fields wider than 15 digits may hold what a double cannot: then they are kept as text; or fractions. */
async function checkLongNumbers(source: ByteSource, header: DbaseHeader): Promise<void> {
  const wide = header.fields.filter(
    (field) => field.letter === 'N' && field.type === 'integer' && field.width > 15,
  );
  if (wide.length === 0) return;
  for await (const record of records(source, header)) {
    for (const field of wide) {
      const text = ascii(record, field.at, field.at + field.width);
      if (text === '' || text.startsWith('*')) continue;
      if (text.includes('.')) field.type = field.type === 'text' ? 'text' : 'real';
      else if (!Number.isSafeInteger(Number(text)) && /^-?\d+$/.test(text)) field.type = 'text';
    }
  }
}

function ascii(bytes: Uint8Array, start: number, end: number): string {
  let text = '';
  for (let k = start; k < end; k++)
    if (bytes[k] !== 32 && bytes[k] !== 0) text += String.fromCharCode(bytes[k]);
  return text;
}

/** All records in order, deleted ones too. A view is valid until the next one is asked for. */
export async function* records(source: ByteSource, header: DbaseHeader): AsyncGenerator<Uint8Array> {
  const queue = new ByteQueue(source.stream());
  try {
    await queue.ensure(header.headerLength);
    queue.take(header.headerLength);
    for (let n = 0; n < header.records; n++) {
      if (
        queue.ready < header.recordLength &&
        (await queue.ensure(header.recordLength)) < header.recordLength
      )
        return;
      yield queue.take(header.recordLength);
    }
  } finally {
    await queue.close();
  }
}

export function dbaseSchema(header: DbaseHeader): Field[] {
  const taken = new Set<string>();
  return header.fields.map(({ name, type }) => {
    let free = name === '' ? 'field' : name;
    for (let n = 2; taken.has(free); n++) free = `${name}_${n}`;
    taken.add(free);
    return { name: free, type };
  });
}

/** Reads records into column builders. */
export class DbaseColumns {
  readonly builders: ColumnBuilder[];
  /** Values written as asterisks because they did not fit their field. */
  overflowed = 0;
  /** Values that are not of their field's type; they become blanks. */
  unreadable = 0;
  private readonly fields: DbaseField[];
  /** Letters of the fields as numbers, which are compared faster. */
  private readonly letters: Uint8Array;
  private readonly encoding: string;
  private readonly memo: MemoTexts | null;

  constructor(header: DbaseHeader) {
    this.fields = header.fields;
    this.letters = Uint8Array.from(header.fields, ({ letter, type }) =>
      // Binary numbers of another width than theirs are shown as text.
      type === 'text' && 'I+OBY'.includes(letter) ? 67 : letter.charCodeAt(0),
    );
    this.memo = header.memo;
    this.encoding = header.encoding;
    this.builders = header.fields.map((field) => new ColumnBuilder(field.type));
  }

  blank(): void {
    for (const builder of this.builders) builder.null();
  }

  /** Adds the record that begins at byte `from`. */
  add(record: Uint8Array, from = 0): void {
    const { fields, builders, letters } = this;
    for (let f = 0; f < fields.length; f++) {
      const field = fields[f];
      const builder = builders[f];
      const letter = letters[f];
      let start = from + field.at;
      let end = start + field.width;
      if (letter === 67) {
        while (end > start && (record[end - 1] === 32 || record[end - 1] === 0)) end--;
        if (start === end) builder.null();
        // Every code page that is read begins with ASCII.
        else if (!builder.ascii(record, start, end)) this.text(record, start, end, builder);
      } else if (letter === 78 || letter === 70) {
        while (end > start && (record[end - 1] === 32 || record[end - 1] === 0)) end--;
        while (start < end && record[start] === 32) start++;
        if (start === end) builder.null();
        else this.decimal(record, start, end, field, builder);
      } else this.other(record, start, field, builder);
    }
  }

  private text(record: Uint8Array, start: number, end: number, builder: ColumnBuilder): void {
    if (this.encoding === 'utf-8' && isUtf8(record, start, end)) builder.raw(record, start, end);
    else builder.text(decode(record.subarray(start, end), this.encoding));
  }

  private decimal(
    record: Uint8Array,
    start: number,
    end: number,
    field: DbaseField,
    builder: ColumnBuilder,
  ): void {
    if (record[start] === 42) {
      this.overflowed++;
      builder.null();
    } else if (field.type === 'text') builder.raw(record, start, end);
    else {
      const value = decimal(record, start, end);
      if (Number.isNaN(value)) {
        this.unreadable++;
        builder.null();
      } else builder.number(value);
    }
  }

  /** All types but texts and decimal numbers. */
  private other(record: Uint8Array, at: number, field: DbaseField, builder: ColumnBuilder): void {
    if (field.letter === 'M') {
      const bytes = this.memo?.text(field.at);
      if (bytes == null || bytes.length === 0) builder.null();
      else builder.text(decode(bytes, this.encoding));
      return;
    }
    if ('I+OBY'.includes(field.letter)) {
      builder.number(binaryNumber(record, at, field.letter));
      return;
    }
    let start = at;
    let end = at + field.width;
    while (end > start && (record[end - 1] === 32 || record[end - 1] === 0)) end--;
    while (start < end && record[start] === 32) start++;
    if (start === end) builder.null();
    else if (field.letter === 'L') {
      const c = record[start] | 32;
      if (c === 116 || c === 121) builder.number(1);
      else if (c === 102 || c === 110) builder.number(0);
      else builder.null();
    } else if (field.letter === 'D') {
      const text = ascii(record, start, end);
      const days = /^\d{8}$/.test(text) ? daysOf(+text.slice(0, 4), +text.slice(4, 6), +text.slice(6)) : NaN;
      if (!Number.isNaN(days)) builder.number(days);
      else {
        // Zeros stand for a blank date.
        if (!/^0*$/.test(text)) this.unreadable++;
        builder.null();
      }
    } else if (field.type === 'text') this.text(record, start, end, builder);
    else {
      this.unreadable++;
      builder.null();
    }
  }
}

function isUtf8(bytes: Uint8Array, start: number, end: number): boolean {
  for (let k = start; k < end; k++) {
    if (bytes[k] > 127) {
      try {
        new TextDecoder('utf-8', { fatal: true }).decode(bytes.subarray(start, end));
        return true;
      } catch {
        return false;
      }
    }
  }
  return true;
}

const tens = Float64Array.from({ length: 23 }, (_, k) => Number(`1e${k}`));

/** A decimal number in ASCII, correctly rounded; NaN when it is none. */
function decimal(bytes: Uint8Array, start: number, end: number): number {
  let k = start;
  const negative = bytes[k] === 45;
  if (negative || bytes[k] === 43) k++;
  let value = 0;
  let digits = 0;
  let fraction = -1;
  for (; k < end; k++) {
    const c = bytes[k];
    if (c >= 48 && c <= 57) {
      value = value * 10 + (c - 48);
      if (value !== 0) digits++;
      if (fraction >= 0) fraction++;
    } else if (c === 46 && fraction < 0) fraction = 0;
    else break;
  }
  if (k < end || digits > 15 || fraction > 22) {
    const text = String.fromCharCode(...bytes.subarray(start, end));
    return /^[-+]?(\d+(?:\.\d*)?|\.\d+)([eE][-+]?\d+)?$/.test(text) ? Number(text) : NaN;
  }
  if (fraction > 0) value /= tens[fraction];
  return negative ? -value : value;
}
