import { counted } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Column } from '../../core/table/column.ts';
import type { Field, Schema } from '../../core/table/schema.ts';
import { dateText } from '../../core/table/time.ts';
import type { WritingSurvey } from '../writing/survey.ts';
import type { ByteSink } from '../writing/target.ts';

/** Widest text field, most fields and longest record of a .dbf. */
const widest = 254;
const mostFields = 255;
const longestRecord = 65_535;

interface Written {
  field: Field;
  name: string;
  letter: 'C' | 'N' | 'F' | 'L' | 'D';
  width: number;
  decimals: number;
}

const encoder = new TextEncoder();

/** The first `most` bytes of a text in UTF-8, never half a character. */
function shortened(text: string, most: number): string {
  let short = text;
  while (encoder.encode(short).length > most) short = [...short].slice(0, -1).join('');
  return short;
}

function dbaseName(name: string, taken: Set<string>): string {
  const short = shortened(name, 10) || 'field';
  let free = short;
  for (let n = 1; taken.has(free.toLowerCase()); n++) free = shortened(short, 9 - String(n).length) + `_${n}`;
  taken.add(free.toLowerCase());
  return free;
}

function layoutOf(field: Field, name: string, c: number, survey: WritingSurvey): Written {
  const of = (letter: Written['letter'], width: number, decimals = 0): Written => ({
    field,
    name,
    letter,
    width,
    decimals,
  });
  const { whole, fraction } = survey.digits[c];
  switch (field.type) {
    case 'integer':
      return fraction > 0 ? of('F', 24, 15) : of('N', Math.max(1, whole));
    case 'real':
      // Digits as they are where they fit into twenty; else the shortest text that gives the same number again.
      if (fraction === 0) return of('N', Math.min(20, whole + 2), 1);
      return fraction <= 15 && whole + 1 + fraction <= 20
        ? of('N', whole + 1 + fraction, fraction)
        : of('F', 24, 15);
    case 'boolean':
      return of('L', 1);
    case 'date':
      return of('D', 8);
    default:
      return of('C', Math.max(1, Math.min(widest, survey.widths[c])));
  }
}

/** Language byte of windows-1252. */
const western = 0x57;

/**
 * Writes a .dbf (dBASE III table) record by record. Texts are windows-1252 where that holds all of them, said by the
 * language byte, which every program knows; else UTF-8, which only a .cpg beside it can say.
 */
export class DbaseWriter {
  readonly recordLength: number;
  readonly notes: string[] = [];
  /** What the .cpg beside it has to say. */
  readonly codePage: '1252' | 'UTF-8';
  private readonly columns: Written[];
  private readonly sink: ByteSink;
  private readonly record: Uint8Array;
  private records = 0;
  private cut = 0;
  private datesLost = 0;

  /**
   * @param date the day of writing, ISO 8601; it stands in the header
   */
  constructor(sink: ByteSink, schema: Schema, survey: WritingSurvey, date: string, layer: string) {
    this.sink = sink;
    this.codePage = survey.latin ? '1252' : 'UTF-8';
    const taken = new Set<string>();
    // A .dbf cannot be without any field.
    const fields: Schema = schema.length > 0 ? schema : [{ name: 'id', type: 'integer' }];
    const digits =
      schema.length > 0 ? survey : { ...survey, digits: [{ whole: 10, fraction: 0 }], widths: [0] };
    this.columns = fields.map((field, c) => layoutOf(field, dbaseName(field.name, taken), c, digits));
    this.recordLength = 1 + this.columns.reduce((sum, column) => sum + column.width, 0);
    if (fields.length > mostFields || this.recordLength > longestRecord) {
      throw new IsomericError(
        'dbase-too-wide',
        `${layer} has ${fields.length} fields of together ${this.recordLength} bytes a row; a .dbf holds ${mostFields} and ${longestRecord}.`,
        { advice: 'Choose columns, or save to a GeoPackage (.gpkg).' },
      );
    }
    const renamed = this.columns.filter(({ field, name }) => field.name !== name);
    if (renamed.length > 0)
      this.notes.push(
        `Field names hold ten bytes: ${renamed.map(({ field, name }) => `${field.name} is called ${name}`).join(', ')}.`,
      );
    const asText = this.columns.filter(({ field }) => ['timestamp', 'json', 'bytes'].includes(field.type));
    if (asText.length > 0)
      this.notes.push(
        `Written as text, because a .dbf has no such type: ${asText.map(({ field }) => `${field.name} (${field.type})`).join(', ')}.`,
      );
    this.record = new Uint8Array(this.recordLength);
    this.header(date);
  }

  private header(date: string): void {
    const bytes = new Uint8Array(33 + 32 * this.columns.length);
    const view = new DataView(bytes.buffer);
    bytes[0] = 3;
    bytes[1] = Number(date.slice(0, 4)) - 1900;
    bytes[2] = Number(date.slice(5, 7));
    bytes[3] = Number(date.slice(8, 10));
    view.setUint16(8, bytes.length, true);
    view.setUint16(10, this.recordLength, true);
    if (this.codePage === '1252') bytes[29] = western;
    this.columns.forEach(({ name, letter, width, decimals }, c) => {
      this.encode(name, bytes.subarray(32 + 32 * c, 42 + 32 * c));
      bytes[43 + 32 * c] = letter.charCodeAt(0);
      bytes[48 + 32 * c] = width;
      bytes[49 + 32 * c] = decimals;
    });
    bytes[bytes.length - 1] = 0x0d;
    this.sink.write(bytes);
  }

  /** Adds row i of a batch's columns. */
  add(columns: readonly Column[], i: number): void {
    const { record } = this;
    record.fill(32);
    this.records++;
    let at = 1;
    for (let c = 0; c < this.columns.length; c++) {
      const written = this.columns[c];
      if (columns.length === 0) this.right(String(this.records), at, written.width);
      else if (!columns[c].isNull(i)) this.value(written, columns[c], i, at);
      else if (written.letter === 'L') record[at] = 63;
      at += written.width;
    }
    this.sink.write(record);
  }

  /** Puts as much of a text as there is room for; returns how many UTF-16 units of it. */
  private encode(text: string, target: Uint8Array): number {
    if (this.codePage === 'UTF-8') return encoder.encodeInto(text, target).read;
    const count = Math.min(text.length, target.length);
    for (let k = 0; k < count; k++) target[k] = text.charCodeAt(k);
    return count;
  }

  private right(text: string, at: number, width: number): void {
    encoder.encodeInto(text, this.record.subarray(at + width - text.length, at + width));
  }

  private value(written: Written, column: Column, i: number, at: number): void {
    const { width } = written;
    switch (written.letter) {
      case 'N':
      case 'F': {
        const value = column.numbers![i];
        if (!Number.isFinite(value)) return;
        this.right(
          written.letter === 'N' ? value.toFixed(written.decimals) : shortest(value, width),
          at,
          width,
        );
        return;
      }
      case 'L':
        this.record[at] = column.numbers![i] === 1 ? 84 : 70;
        return;
      case 'D': {
        const text = dateText(column.numbers![i]).replaceAll('-', '');
        if (/^\d{8}$/.test(text)) encoder.encodeInto(text, this.record.subarray(at, at + 8));
        else this.datesLost++;
        return;
      }
      default: {
        const text = column.text(i)!;
        if (this.encode(text, this.record.subarray(at, at + width)) < text.length) this.cut++;
      }
    }
  }

  /** Ends the file: the count goes into the header. */
  finish(): void {
    this.sink.write(Uint8Array.of(0x1a));
    const count = new Uint8Array(4);
    new DataView(count.buffer).setUint32(0, this.records, true);
    this.sink.patch(4, count);
    if (this.cut > 0)
      this.notes.push(
        `${counted(this.cut, 'text was', 'texts were')} cut to the ${widest} bytes that a .dbf field holds.`,
      );
    if (this.datesLost > 0)
      this.notes.push(
        `${counted(this.datesLost, 'date lies', 'dates lie')} outside the years 0 to 9999 and became blank.`,
      );
  }
}

/** The shortest text that gives the same number again: −0.0000010632097024657981 needs an exponent to fit. */
function shortest(value: number, width: number): string {
  const text = String(value);
  return text.length <= width ? text : value.toExponential();
}
