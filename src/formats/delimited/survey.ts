import { counted, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { decodeText } from '../../core/table/column.ts';
import { type HeaderPlan, isFootnote, planHeader } from '../../core/table/header-rows.ts';
import { markFromNote, markSpelling } from '../../core/table/marks.ts';
import type { Field } from '../../core/table/schema.ts';
import {
  fieldOf,
  noRemarks,
  plainText,
  type Reading,
  type Remarks,
  ValueSurvey,
} from '../../core/table/value-survey.ts';
import { tellHeader } from '../cells/from-cells.ts';
import type { RowScanner } from './scan.ts';

/** Rows with nothing but a first cell that wait for what comes after them; more are data. */
const mostNotes = 200;

export interface SurveyOptions {
  name: string;
  marks: ReadonlyMap<string, string>;
  /** Semicolons between fields: then a comma is rather a decimal one. */
  semicolons: boolean;
  /** Rows to look at first, to find the header. */
  first: readonly (readonly string[])[];
  /** Rows of the header, when that is known. */
  headerRows?: number;
  /** Columns that are text whatever their values look like, as a description or a standard says. */
  text?: readonly boolean[];
}

/** All that is found out about delivered rows before they are read for good. */
export interface TablePlan {
  header: HeaderPlan;
  fields: Field[];
  readings: Reading[];
  /** Number of rows, notes below not counted. */
  rows: number;
  notes: string[];
}

/** A row of nothing but delimiters is none; one with blank quotes is a row that holds nothing. */
export function isBlankRow({ starts, ends, fields, quoted }: RowScanner): boolean {
  if (fields < 2 || quoted) return false;
  for (let f = 0; f < fields; f++) if (ends[f] > starts[f]) return false;
  return true;
}

/** Takes the rows below the header, one after the other, and works out what the columns hold. */
export class RowSurvey {
  readonly header: HeaderPlan;
  private readonly surveys: ValueSurvey[];
  private readonly options: SurveyOptions;
  private rows = 0;
  private ragged = 0;
  private raggedLine = 0;
  /** Rows that may turn out to be notes below the table: the text, and whether they had further fields, all blank. */
  private waiting: { text: string; whole: boolean; line: number }[] = [];
  /** Rows of nothing but delimiters. */
  blank = 0;
  private longestKey = 0;
  private readonly columns: number;

  constructor(options: SurveyOptions) {
    this.options = options;
    this.header = planHeader(options.first, options.headerRows);
    this.columns = this.header.names.length;
    this.surveys = this.header.names.map(() => new ValueSurvey(options.marks));
  }

  /** Rows of the source that stand before the data. */
  get skipped(): number {
    return this.header.dataRow;
  }

  see(bytes: Uint8Array, starts: Uint32Array, ends: Uint32Array, fields: number, line: number): void {
    const { columns } = this;
    if (columns > 1 && this.alone(starts, ends, fields) && this.waiting.length < mostNotes) {
      this.waiting.push({
        text: decodeText(bytes, starts[0], Math.min(ends[0], starts[0] + 2000)),
        whole: fields === columns,
        line,
      });
      return;
    }
    if (this.waiting.length > 0) this.flush(this.waiting.length);
    this.count(fields === columns, line);
    const { surveys } = this;
    const n = Math.min(fields, columns);
    const key = ends[0] - starts[0];
    if (key > this.longestKey) this.longestKey = key;
    for (let f = 0; f < n; f++) if (ends[f] > starts[f]) surveys[f].see(bytes, starts[f], ends[f]);
  }

  private count(whole: boolean, line: number): void {
    this.rows++;
    if (whole) return;
    this.ragged++;
    if (this.raggedLine === 0) this.raggedLine = line;
  }

  private alone(starts: Uint32Array, ends: Uint32Array, fields: number): boolean {
    for (let f = 1; f < fields; f++) if (ends[f] > starts[f]) return false;
    return true;
  }

  /** The first `n` of the waiting rows are data after all. */
  private flush(n: number): void {
    for (const { text, whole, line } of this.waiting.splice(0, n)) {
      this.count(whole, line);
      this.surveys[0].seeText(text);
    }
  }

  close(findings: Finding[]): TablePlan {
    const { header, options } = this;
    // From the first row that reads as a note on, all that waits is notes; blank keys above it are data.
    const at = this.waiting.findIndex(
      ({ text, whole }) => isFootnote(text, this.longestKey, whole) || (!whole && /\S\s+\S/.test(text)),
    );
    this.flush(at < 0 ? this.waiting.length : at);
    const notes = this.waiting.map(({ text }) => text.trim()).filter((text) => text !== '');
    const say = (code: string, severity: Finding['severity'], words: string, repair?: string) =>
      findings.push({ code, severity, words: `${options.name}: ${words}`, repair });
    tellHeader(header, say);
    const sure = this.surveys.map((survey) => survey.evidence);
    const commas =
      sure.some((each) => each.comma > 0) && !sure.some((each) => each.point > 0 && each.comma === 0);
    const explained = new Map(
      notes
        .map(markFromNote)
        .flatMap((mark) => (mark === null ? [] : [[markSpelling(mark.text), mark.reason] as const])),
    );
    const readings: Reading[] = [];
    const fields = this.surveys.map((survey, c): Field => {
      const found = survey.reading(commas, header.names[c]);
      const declared = options.text?.[c] === true;
      const reading = declared
        ? { ...plainText, code: found.reading.type !== 'text' || found.reading.code }
        : found.reading;
      const remarks = declared ? noRemarks : found.remarks;
      const told = {
        ...reading,
        marks: reading.marks.map((mark) => ({
          text: mark.text,
          reason: options.marks.get(mark.text) ?? explained.get(mark.text) ?? mark.reason,
        })),
      };
      readings.push(told);
      this.tellRemarks(remarks, header.names[c], say);
      const field = fieldOf(header.names[c], told);
      if (header.titles[c] !== undefined) field.title = header.titles[c];
      if (header.units[c] !== undefined) field.unit = header.units[c];
      return field;
    });
    if (this.blank > 0)
      say(
        'rows-blank',
        'note',
        `${counted(this.blank, 'row holds', 'rows hold')} nothing but delimiters and ${this.blank === 1 ? 'was' : 'were'} left out.`,
      );
    if (this.ragged > 0)
      say(
        'rows-ragged',
        'warning',
        `${grouped(this.ragged)} ${this.ragged === 1 ? 'row has' : 'rows have'} more or fewer fields than the ${this.columns} of the header, the first on line ${this.raggedLine}; missing ones are blank, surplus ones are left out.`,
      );
    if (notes.length > 0)
      say(
        'notes-below',
        'note',
        `${notes.length === 1 ? 'a note below the table is' : `${notes.length} notes below the table are`} no data and ${notes.length === 1 ? 'was' : 'were'} left out: “${notes[0].slice(0, 90)}”.`,
      );
    return { header, fields, readings, rows: this.rows, notes };
  }

  private tellRemarks(
    remarks: Remarks,
    name: string,
    say: (code: string, severity: Finding['severity'], words: string, repair?: string) => void,
  ): void {
    for (const { number, times } of remarks.doubtful)
      say(
        'mark-suspected',
        'warning',
        `${name} has ${number} ${times === 1 ? 'once' : `${grouped(times)} times`} and no other negative number; it probably stands for a missing value, and is kept as a number until you say so.`,
        `--marks "${number} = missing"`,
      );
    if (remarks.ambiguousNumbers && this.options.semicolons)
      say(
        'number-style-guessed',
        'warning',
        `the commas in ${name} were taken as thousands marks; nothing in the file tells them from decimal commas.`,
      );
    if (remarks.ambiguousDates)
      say(
        'date-ambiguous',
        'warning',
        `the dates in ${name} may have the day or the month first, so they stay text.`,
      );
    if (remarks.mixed !== null)
      say(
        'numbers-and-text',
        'warning',
        `${name} holds ${grouped(remarks.mixed.numbers)} numbers and also text (“${remarks.mixed.text}”), so it stays text.`,
        `--marks "${remarks.mixed.text} = missing", if that is what it stands for`,
      );
  }
}

/** Rejects what is no table: a quote that was never closed. */
export function quoteOpen(file: string, line: number): IsomericError {
  return new IsomericError('quote-open', 'A quote is opened and never closed.', {
    place: { file, line },
    advice: 'The file is damaged or was cut short.',
  });
}
