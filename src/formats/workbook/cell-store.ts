import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { Growing } from '../../core/growing.ts';
import { decodeText } from '../../core/table/column.ts';
import type { Cell, CellGrid } from '../cells/cell.ts';
import type { NumberFormat } from './number-formats.ts';

/** Cells that are held at most: some 13 bytes each. */
const mostCells = 60_000_000;
/** Columns that are sensible, and the most that any program writes. */
const mostColumns = 4096;
const lastColumn = 16_383;
const lastRow = 16_777_215;
/** Cells that merged cells may fill. */
const mostMerged = 2_000_000;

/** What a typed array may hold everywhere. */
const mostTextBytes = 2 ** 31 - 1;

const dayLength = 86_400_000;

const Kind = { Number: 0, Text: 1, Boolean: 2, Days: 3, Milliseconds: 4 } as const;

/** Texts that are looked for among those already held, and how long they are at most. */
const mostRemembered = 4096;
const longestRemembered = 40;
const encoder = new TextEncoder();

/** The texts of a workbook as UTF-8, those that come again and again held once. */
export class Texts {
  private bytes = new Uint8Array(1 << 16);
  private readonly ends = new Growing(new Uint32Array(256));
  private used = 0;
  private readonly numbers = new Map<string, number>();

  /** Holds a text; gives its number. */
  number(text: string): number {
    const known = text.length <= longestRemembered ? this.numbers.get(text) : undefined;
    if (known !== undefined) return known;
    const room = 3 * text.length;
    if (this.used + room > this.bytes.length) {
      if (this.used + room > mostTextBytes)
        throw new IsomericError('workbook-too-large', 'Its texts have more than 2 GB.', {
          advice: 'Export the sheet as CSV, which is read piece by piece.',
        });
      const larger = new Uint8Array(
        Math.min(mostTextBytes, Math.max(2 * this.bytes.length, this.used + room)),
      );
      larger.set(this.bytes.subarray(0, this.used));
      this.bytes = larger;
    }
    this.used += encoder.encodeInto(text, this.bytes.subarray(this.used)).written;
    const number = this.ends.length;
    this.ends.push(this.used);
    if (text.length <= longestRemembered && this.numbers.size < mostRemembered)
      this.numbers.set(this.get(number), number);
    return number;
  }

  get(number: number): string {
    return decodeText(this.bytes, number === 0 ? 0 : this.ends.at(number - 1), this.ends.at(number));
  }

  isBlank(number: number): boolean {
    return this.ends.at(number) === (number === 0 ? 0 : this.ends.at(number - 1));
  }
}

/** A range of merged cells: first and last row and column, from 0. */
export interface Merge {
  rows: readonly [number, number];
  columns: readonly [number, number];
}

/**
 * The cells of one sheet that hold something, in flat arrays: rows and columns that are blank cost nothing. Cells may
 * come in any order; of several in one place the last one counts.
 */
export class CellStore implements CellGrid {
  private readonly place: string;
  private readonly base1904: boolean;
  private readonly texts: Texts;
  private rowNumbers = new Growing(new Uint32Array(256));
  private columnNumbers = new Growing(new Uint32Array(256));
  private kinds = new Growing(new Uint8Array(256));
  private values = new Growing(new Float64Array(256));
  private inOrder = true;
  private readonly merges: Merge[] = [];
  /** Where the cells of every row that holds some begin, with the end of all behind them. */
  private starts = new Uint32Array(1);
  private first = 0;
  columns = 0;
  /** Formulas whose values the file does not hold. */
  uncomputed = 0;

  /** @param place how the sheet is called in messages */
  constructor(texts: Texts, base1904: boolean, place: string) {
    this.texts = texts;
    this.base1904 = base1904;
    this.place = place;
  }

  get rows(): number {
    return this.starts.length - 1;
  }

  private put(row: number, column: number, kind: number, value: number): void {
    if (!(row >= 0 && row <= lastRow && column >= 0 && column <= lastColumn))
      throw new IsomericError('workbook-damaged', 'A cell lies beyond what a sheet can hold.', {
        place: { file: this.place },
        advice: 'Get it again, or open it in an office program and save it anew.',
      });
    const n = this.rowNumbers.length;
    if (n >= mostCells)
      throw new IsomericError('workbook-too-large', `It has more than ${grouped(mostCells)} cells.`, {
        place: { file: this.place },
        advice: 'Export the sheet as CSV, which is read piece by piece.',
      });
    if (n > 0 && this.inOrder) {
      const above = this.rowNumbers.at(n - 1);
      this.inOrder = row > above || (row === above && column > this.columnNumbers.at(n - 1));
    }
    this.rowNumbers.push(row);
    this.columnNumbers.push(column);
    this.kinds.push(kind);
    this.values.push(value);
  }

  /** A number as its format shows it: a day, a moment, a code with leading zeros, or just a number. */
  number(row: number, column: number, value: number, format?: NumberFormat): void {
    if (Number.isNaN(value)) return;
    if (format === undefined || format.kind === 'plain') this.put(row, column, Kind.Number, value);
    else if (format.kind === 'code') {
      if (Number.isSafeInteger(value) && value >= 0)
        this.text(row, column, String(value).padStart(format.digits, '0'));
      else this.put(row, column, Kind.Number, value);
    } else {
      // Serial numbers of the 1900 system count a 29 February 1900 that never was (ECMA-376, part 1, 18.17.4.1).
      const days = this.base1904 ? value - 24_107 : value < 60 ? value - 25_568 : value - 25_569;
      this.moment(row, column, Math.round(days * dayLength));
    }
  }

  /** Milliseconds from 1970-01-01: a day where nothing is left of them. */
  moment(row: number, column: number, milliseconds: number): void {
    if (!(Math.abs(milliseconds) <= 8.64e15)) return;
    if (milliseconds % dayLength === 0) this.put(row, column, Kind.Days, milliseconds / dayLength);
    else this.put(row, column, Kind.Milliseconds, milliseconds);
  }

  boolean(row: number, column: number, value: boolean): void {
    this.put(row, column, Kind.Boolean, value ? 1 : 0);
  }

  text(row: number, column: number, text: string): void {
    if (text !== '') this.put(row, column, Kind.Text, this.texts.number(text));
  }

  /** A text by its number among those of the workbook. */
  sharedText(row: number, column: number, number: number): void {
    if (!this.texts.isBlank(number)) this.put(row, column, Kind.Text, number);
  }

  merge(merge: Merge): void {
    const [top, bottom] = merge.rows;
    // Over columns a text counts once, as for titles and groups.
    if (bottom > top && merge.columns[0] === merge.columns[1]) this.merges.push(merge);
  }

  /** Ends the filling: rows are found, merged cells filled, margins left out. */
  finish(): this {
    if (!this.inOrder) this.sort();
    if (this.merges.length > 0) this.fillMerged();
    let last = -1;
    let first = Number.POSITIVE_INFINITY;
    const columnNumbers = this.columnNumbers.view();
    for (let k = 0; k < columnNumbers.length; k++) {
      if (columnNumbers[k] > last) last = columnNumbers[k];
      if (columnNumbers[k] < first) first = columnNumbers[k];
    }
    const rowNumbers = this.rowNumbers.view();
    const starts = new Growing(new Uint32Array(64));
    for (let k = 0; k < rowNumbers.length; k++)
      if (k === 0 || rowNumbers[k] !== rowNumbers[k - 1]) starts.push(k);
    starts.push(rowNumbers.length);
    this.starts = starts.copy();
    this.columns = last < 0 ? 0 : last - first + 1;
    this.first = last < 0 ? 0 : first;
    // Which row of the sheet it was is no longer asked.
    this.rowNumbers = new Growing(new Uint32Array(0));
    if (this.columns > mostColumns)
      throw new IsomericError(
        'sheet-too-wide',
        `It has ${grouped(this.columns)} columns, where at most ${grouped(mostColumns)} are sensible.`,
        { place: { file: this.place }, advice: 'Export the columns that are needed as CSV.' },
      );
    return this;
  }

  /** Brings the cells into the order of rows and columns. */
  private sort(): void {
    const rowNumbers = this.rowNumbers.copy();
    const columnNumbers = this.columnNumbers.copy();
    const kinds = this.kinds.copy();
    const values = this.values.copy();
    const order = Uint32Array.from(rowNumbers, (_, k) => k).sort(
      (a, b) => rowNumbers[a] - rowNumbers[b] || columnNumbers[a] - columnNumbers[b] || a - b,
    );
    for (const each of [this.rowNumbers, this.columnNumbers, this.kinds, this.values]) each.clear();
    this.inOrder = true;
    order.forEach((k, n) => {
      const next = order[n + 1];
      if (
        next !== undefined &&
        rowNumbers[k] === rowNumbers[next] &&
        columnNumbers[k] === columnNumbers[next]
      )
        return;
      this.put(rowNumbers[k], columnNumbers[k], kinds[k], values[k]);
    });
  }

  /** A cell merged over rows stands for all of them. */
  private fillMerged(): void {
    const rowNumbers = this.rowNumbers.view();
    const columnNumbers = this.columnNumbers.view();
    const end = rowNumbers.length === 0 ? 0 : rowNumbers[rowNumbers.length - 1];
    const wanted = new Map<number, Merge>();
    for (const merge of this.merges.splice(0))
      wanted.set(merge.rows[0] * (lastColumn + 1) + merge.columns[0], merge);
    const found: [merge: Merge, kind: number, value: number][] = [];
    for (let k = 0; k < rowNumbers.length; k++) {
      const merge = wanted.get(rowNumbers[k] * (lastColumn + 1) + columnNumbers[k]);
      if (merge !== undefined) found.push([merge, this.kinds.at(k), this.values.at(k)]);
    }
    let filled = 0;
    for (const [{ rows, columns }, kind, value] of found)
      for (let row = rows[0] + 1; row <= rows[1] && row <= end && filled < mostMerged; row++, filled++)
        this.put(row, columns[0], kind, value);
    if (!this.inOrder) this.sort();
  }

  cell(row: number, column: number): Cell {
    const wanted = column + this.first;
    const end = this.starts[row + 1];
    let low = this.starts[row];
    // Mostly no cell of a row is blank.
    const guess = low + column;
    if (guess < end && this.columnNumbers.at(guess) === wanted) return this.at(guess);
    let high = end;
    while (low < high) {
      const middle = (low + high) >>> 1;
      if (this.columnNumbers.at(middle) < wanted) low = middle + 1;
      else high = middle;
    }
    return low < end && this.columnNumbers.at(low) === wanted ? this.at(low) : null;
  }

  private at(k: number): Cell {
    const value = this.values.at(k);
    switch (this.kinds.at(k)) {
      case Kind.Text:
        return this.texts.get(value);
      case Kind.Boolean:
        return value === 1;
      case Kind.Days:
        return { days: value };
      case Kind.Milliseconds:
        return { milliseconds: value };
      default:
        return value;
    }
  }
}
