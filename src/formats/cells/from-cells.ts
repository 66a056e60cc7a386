import { grouped } from '../../core/account.ts';
import type { Finding } from '../../core/findings.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { type HeaderPlan, isFootnote, planHeader } from '../../core/table/header-rows.ts';
import { markFromNote } from '../../core/table/marks.ts';
import type { Field } from '../../core/table/schema.ts';
import { type Cell, type CellGrid, cellText } from './cell.ts';
import { ColumnOfCells } from './column-of-cells.ts';

export interface FromCellsOptions {
  /** Name of the table. */
  name: string;
  /** How the place is called in messages: `housing.xlsx, sheet Wards`. */
  place: string;
  marks?: ReadonlyMap<string, string>;
  /** Meanings of marks that notes elsewhere give. */
  explained?: ReadonlyMap<string, string>;
  /** Names of the columns, when they are no row of the grid. */
  names?: readonly string[];
  /** Figures may be written as text (rows of a service that quotes everything). */
  numbersInText?: boolean;
  /** Rows of the header, when that is known. */
  headerRows?: number;
  /** The grid is compact and may be kept: columns are made of it when they are asked for. */
  lazy?: boolean;
}

const headerLooked = 100;

/** Only the first cell of the row holds something. */
function alone(grid: CellGrid, row: number): boolean {
  for (let c = 1; c < grid.columns; c++) if (filled(grid.cell(row, c))) return false;
  return true;
}

const filled = (cell: Cell) => cell !== null && (typeof cell !== 'string' || cell.trim() !== '');

function blankRow(grid: CellGrid, row: number): boolean {
  return alone(grid, row) && !filled(grid.cell(row, 0));
}

function givenNames(names: readonly string[]): HeaderPlan {
  return {
    above: [],
    dataRow: 0,
    names: [...names],
    titles: names.map(() => undefined),
    units: names.map(() => undefined),
    headerRows: 1,
    renamed: [],
    unnamed: 0,
    doubtful: null,
  };
}

/**
 * Rows of cells → a table in memory: the header found under titles and over a second row, notes below set aside, one
 * type a column. Text that looks like numbers stays text. Null when there is nothing but blank cells.
 */
export function tableFromCells(grid: CellGrid, options: FromCellsOptions): Table | null {
  const findings: Finding[] = [];
  const say = (code: string, severity: Finding['severity'], words: string, repair?: string) =>
    findings.push({ code, severity, words: `${options.place}: ${words}`, repair });
  // Blank rows above, below and between do not count.
  const rows: number[] = [];
  for (let r = 0; r < grid.rows; r++) if (!blankRow(grid, r)) rows.push(r);
  if (rows.length === 0) return null;
  const sample = rows
    .slice(0, headerLooked)
    .map((r) => Array.from({ length: grid.columns }, (_, c) => cellText(grid.cell(r, c))));
  const header =
    options.names === undefined ? planHeader(sample, options.headerRows) : givenNames(options.names);
  let end = rows.length;
  const notes: string[] = [];
  if (grid.columns > 1) {
    let longest = 0;
    for (let k = header.dataRow; k < Math.min(rows.length, header.dataRow + 1000); k++)
      if (!alone(grid, rows[k])) longest = Math.max(longest, cellText(grid.cell(rows[k], 0)).length);
    let first = end;
    while (first > header.dataRow && alone(grid, rows[first - 1])) first--;
    const at = rows.slice(first, end).findIndex((r) => isFootnote(cellText(grid.cell(r, 0)), longest, true));
    if (at >= 0) {
      for (const r of rows.slice(first + at, end)) notes.push(cellText(grid.cell(r, 0)).trim());
      end = first + at;
    }
  }
  const data = rows.slice(header.dataRow, end);
  const explained = new Map(options.explained ?? []);
  for (const note of notes) {
    const mark = markFromNote(note);
    if (mark !== null) explained.set(mark.text, mark.reason);
  }
  const columns = header.names.map((name, c) => {
    const column = new ColumnOfCells(name, options.marks ?? new Map(), explained, options.numbersInText);
    for (const r of data) column.see(grid.cell(r, c));
    return column;
  });
  // Columns without a name and without a value are the margin of the sheet.
  const kept = columns.flatMap((column, c) =>
    column.empty && (header.names[c] === `column_${c + 1}` || header.names[c] === '') ? [] : [c],
  );
  const readings = columns.map((column) => column.decide(say));
  const schema = kept.map((c): Field => {
    const field: Field = { name: header.names[c], ...readings[c] };
    if (header.titles[c] !== undefined) field.title = header.titles[c];
    if (header.units[c] !== undefined) field.unit = header.units[c];
    return field;
  });
  tellHeader(header, say);
  if (notes.length > 0)
    say(
      'notes-below',
      'note',
      `${notes.length === 1 ? 'a note below the table is' : `${grouped(notes.length)} notes below the table are`} no data and ${notes.length === 1 ? 'was' : 'were'} left out: “${notes[0].slice(0, 90)}”.`,
    );
  const batches = () => batchesOf(grid, data, kept, schema, columns);
  const made = options.lazy === true ? null : [...batches()];
  return {
    name: options.name,
    title: header.above[0],
    notes: [...header.above, ...notes],
    schema,
    count: data.length,
    findings,
    accounts: [],
    async *batches() {
      yield* made ?? batches();
    },
  };
}

/** What is said of a header that is not just the first row. */
export function tellHeader(
  header: HeaderPlan,
  say: (code: string, severity: Finding['severity'], words: string, repair?: string) => void,
): void {
  for (const [name, free] of header.renamed)
    say('column-twice', 'note', `the column name ${name} occurs again; the later one is called ${free}.`);
  if (header.headerRows === 0)
    say(
      'header-missing',
      'warning',
      'the first row holds figures already, so the columns have no names; they are called column_1 and so on.',
      'if it is the header all the same: --header-rows 1 (“header rows: 1” in a study)',
    );
  if (header.doubtful !== null)
    say(
      'header-doubtful',
      'warning',
      `the first row below the header (${header.doubtful.slice(0, 90)}) may be a second one of it; it was read as data.`,
      'if it belongs to the header: --header-rows 2 (“header rows: 2” in a study)',
    );
  if (header.headerRows === 2) {
    const gave = header.units.some((unit) => unit !== undefined)
      ? 'the units'
      : header.titles.some((title) => title !== undefined)
        ? 'titles'
        : 'the lower part of the names';
    say(
      'header-two-rows',
      'warning',
      `the header has two rows; the second one is no data and gave ${gave}.`,
      'if it is data: --header-rows 1 (“header rows: 1” in a study)',
    );
  }
  const { above } = header;
  if (above.length > 0)
    say(
      'titles-above',
      'note',
      `${above.length === 1 ? 'a line stands' : `${above.length} lines stand`} above the header and ${above.length === 1 ? 'is' : 'are'} no data: “${above[0].slice(0, 90)}”.`,
    );
}

function* batchesOf(
  grid: CellGrid,
  data: readonly number[],
  kept: readonly number[],
  schema: readonly Field[],
  columns: readonly ColumnOfCells[],
): Generator<Batch> {
  for (let first = 0; first < data.length; first += batchLimit) {
    const some = data.slice(first, first + batchLimit);
    yield new Batch({
      length: some.length,
      first,
      geometry: null,
      columns: kept.map((c, k) => {
        const builder = new ColumnBuilder(schema[k].type);
        for (const r of some) columns[c].put(builder, grid.cell(r, c));
        return builder.finish();
      }),
    });
  }
}
