import * as workbooks from '@e965/xlsx';
import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Table } from '../../core/layer/layer.ts';
import { type Mark, markFromNote } from '../../core/table/marks.ts';
import { freeName } from '../../core/table/schema.ts';
import type { ByteSource, Surroundings } from '../byte-source.ts';
import { type Cell, type CellGrid, tableFromCells } from '../cells/from-cells.ts';
import { baseName } from '../names.ts';
import { readBinaryWorkbook } from './binary-records.ts';
import type { Book, BookCell, Sheet } from './book.ts';
import { isCompoundFile } from './sniff.ts';

/** Workbooks are held whole: more bytes, unpacked bytes or columns than these are refused. */
const largestFile = 400_000_000;
const largestUnpacked = 1_500_000_000;
const mostColumns = 4096;
/** Cells that one merged cell may fill. */
const mostMerged = 2_000_000;

const dayLength = 86_400_000;

type SheetCell = BookCell | undefined;

/** Reads all of an archive's bytes once: an entry that is larger than it says is told before anything is held. */
async function refuseBombs(source: ByteSource, around: Surroundings): Promise<void> {
  let total = 0;
  for (const path of await around.list()) {
    const entry = await around.open(path);
    for await (const chunk of entry.stream()) {
      total += chunk.length;
      if (total > largestUnpacked) throw tooLarge(source, total);
    }
  }
}

function tooLarge(source: ByteSource, bytes: number): IsomericError {
  return new IsomericError(
    'workbook-too-large',
    `The workbook has more than ${grouped(Math.floor(bytes / 1e6))} MB.`,
    {
      place: { file: source.name },
      advice: 'Workbooks are held in memory whole; export the sheet as CSV.',
    },
  );
}

/** Opens a workbook (.xlsx, .xls, .ods): every sheet that holds a table. */
export async function openWorkbook(
  source: ByteSource,
  around: Surroundings | null,
  marks: readonly Mark[] = [],
): Promise<Table[]> {
  if (source.size > largestFile) throw tooLarge(source, source.size);
  if (around !== null) await refuseBombs(source, around);
  const bytes = await source.bytes(0, source.size);
  const book = isCompoundFile(bytes) ? binaryBook(source, bytes) : packedBook(source, bytes);
  const sheets: { name: string; sheet: SheetGrid }[] = [];
  const findings: Finding[] = [];
  const explained = new Map<string, string>();
  for (const { name, read } of book.sheets) {
    const sheet = new SheetGrid(read(), book.base1904, `${source.name}, sheet ${name}`);
    const lines = sheet.columns === 1 ? sheet.lines() : [];
    if (sheet.rows === 0 || (lines.length > 0 && book.sheets.length > 1 && isProse(lines))) {
      for (const line of lines) {
        const mark = markFromNote(line);
        if (mark !== null) explained.set(mark.text, mark.reason);
      }
      findings.push({
        code: sheet.rows === 0 ? 'sheet-empty' : 'sheet-prose',
        severity: 'note',
        words: `${source.name}: the sheet ${name} ${sheet.rows === 0 ? 'is empty' : 'holds text only, no table'}.`,
      });
    } else sheets.push({ name, sheet });
  }
  const names: string[] = [];
  const tables: Table[] = [];
  for (const { name, sheet } of sheets) {
    const plain = sheets.length === 1 && /^(sheet|tabelle|feuil|hoja|foglio|blad|table)\s?\d*$/i.test(name);
    const called = freeName(plain ? baseName(source.name) : name, names);
    const table = tableFromCells(sheet, {
      name: called,
      place: sheets.length === 1 ? source.name : `${source.name}, sheet ${name}`,
      marks: new Map(marks.map((mark) => [mark.text, mark.reason])),
      explained,
    });
    if (table === null) continue;
    names.push(called);
    tables.push(tables.length === 0 ? { ...table, findings: [...findings, ...table.findings] } : table);
  }
  if (tables.length === 0)
    throw new IsomericError('no-layers', 'None of its sheets holds a table.', {
      place: { file: source.name },
      advice: `Its sheets: ${book.sheets
        .slice(0, 12)
        .map(({ name }) => name)
        .join(', ')}.`,
    });
  return tables;
}

/** A workbook of the binary format of 1997 to 2003. */
function binaryBook(source: ByteSource, bytes: Uint8Array): Book {
  try {
    return readBinaryWorkbook(bytes);
  } catch (error) {
    throw error instanceof IsomericError ? error.at({ file: source.name }) : error;
  }
}

/** A workbook in a zip archive (.xlsx, .xlsb, .ods). */
function packedBook(source: ByteSource, bytes: Uint8Array): Book {
  let book: workbooks.WorkBook;
  try {
    book = workbooks.read(bytes, {
      type: 'array',
      dense: true,
      cellNF: true,
      cellText: false,
      cellHTML: false,
      cellFormula: false,
    });
  } catch (error) {
    throw damaged(source, error);
  }
  return {
    base1904: book.Workbook?.WBProps?.date1904 === true,
    sheets: book.SheetNames.map((name) => ({
      name,
      read: () => {
        const sheet = book.Sheets[name];
        delete book.Sheets[name];
        return { rows: (sheet['!data'] ?? []) as BookCell[][], merges: sheet['!merges'] ?? [] };
      },
    })),
  };
}

function damaged(source: ByteSource, error: unknown): IsomericError {
  const words = error instanceof Error ? error.message : String(error);
  const locked = /password|ODS Encryption|ECMA-376 Encrypted/i.test(words);
  return new IsomericError(
    locked ? 'workbook-locked' : 'workbook-damaged',
    locked
      ? 'The workbook is protected by a password.'
      : 'It is no workbook that can be read, or it is damaged.',
    {
      place: { file: source.name },
      advice: locked
        ? 'Save it without one.'
        : 'Get it again, or open it in an office program and save it anew.',
      cause: error,
    },
  );
}

/** Lines of a read-me: mostly sentences. */
function isProse(lines: readonly string[]): boolean {
  return lines.filter((line) => /\s/.test(line)).length * 2 > lines.length;
}

/** One sheet as rows of cells: blank rows and the columns beyond the last value left out, merged cells filled. */
class SheetGrid implements CellGrid {
  readonly columns: number = 0;
  private readonly data: SheetCell[][] = [];
  private readonly base1904: boolean;

  constructor(sheet: Sheet, base1904: boolean, place: string) {
    this.base1904 = base1904;
    const all = sheet.rows;
    fillMerged(all, sheet.merges);
    // Sparse arrays: a lone cell at the far end of a sheet makes no million rows.
    let last = -1;
    let first = Number.POSITIVE_INFINITY;
    all.forEach((row) => {
      let held = false;
      row?.forEach((cell, c) => {
        if (!holds(cell)) return;
        held = true;
        if (c > last) last = c;
        if (c < first) first = c;
      });
      if (held) this.data.push(row);
    });
    if (last < 0) return;
    this.columns = last - first + 1;
    if (first > 0) this.data = this.data.map((row) => row.slice(first));
    if (this.columns > mostColumns)
      throw new IsomericError(
        'sheet-too-wide',
        `It has ${grouped(this.columns)} columns, where at most ${grouped(mostColumns)} are sensible.`,
        { place: { file: place } },
      );
  }

  get rows(): number {
    return this.data.length;
  }

  lines(): string[] {
    return this.data.map((row) => String(row[0]?.v ?? '').trim());
  }

  cell(row: number, column: number): Cell {
    const cell = this.data[row][column];
    if (cell === undefined || cell.v === undefined || cell.v === null) return null;
    switch (cell.t) {
      case 'n':
        return this.number(cell.v as number, cell.z);
      case 'b':
        return cell.v === true;
      case 'd':
        return moment((cell.v as Date).getTime());
      case 'e':
        return errorTexts[cell.v as number] ?? '#N/A';
      case 's':
        return cell.v as string;
      default:
        return null;
    }
  }

  private number(value: number, format: string | number | undefined): Cell {
    if (typeof format !== 'string' || format === 'General') return value;
    // 020408 shown by a format of zeros alone is a code.
    if (/^0{2,}$/.test(format) && Number.isSafeInteger(value) && value >= 0)
      return String(value).padStart(format.length, '0');
    if (!workbooks.SSF.is_date(format)) return value;
    // A time of day or a duration alone has no date.
    if (!/[yd]/i.test(format.slice(0, 255).replace(/\[[^\]]*\]|"[^"]*"/g, ''))) return value;
    // Serial numbers of the 1900 system count a 29 February 1900 that never was (ECMA-376, part 1, 18.17.4.1).
    const days = this.base1904 ? value - 24_107 : value < 60 ? value - 25_568 : value - 25_569;
    return moment(Math.round(days * dayLength));
  }
}

const errorTexts: Record<number, string> = {
  0: '#NULL!',
  7: '#DIV/0!',
  15: '#VALUE!',
  23: '#REF!',
  29: '#NAME?',
  36: '#NUM!',
  42: '#N/A',
};

function moment(milliseconds: number): Cell {
  if (!Number.isFinite(milliseconds) || Math.abs(milliseconds) > 8.64e15) return null;
  return milliseconds % dayLength === 0 ? { days: milliseconds / dayLength } : { milliseconds };
}

function holds(cell: SheetCell): boolean {
  return cell !== undefined && cell.v !== undefined && cell.v !== null && cell.v !== '' && cell.t !== 'z';
}

/** A cell merged over rows stands for all of them; over columns its text counts once, as for titles and groups. */
function fillMerged(data: SheetCell[][], merges: Sheet['merges']): void {
  let filled = 0;
  for (const { s, e } of merges) {
    const value = data[s.r]?.[s.c];
    if (!holds(value) || e.r === s.r || e.c !== s.c) continue;
    for (let r = s.r + 1; r <= e.r && filled < mostMerged && r < data.length; r++, filled++) {
      if (data[r] === undefined) data[r] = [];
      data[r][s.c] = value;
    }
  }
}
