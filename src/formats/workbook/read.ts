import { counted, grouped } from '../../core/account.ts';
import { IsomericError, placed } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Table } from '../../core/layer/layer.ts';
import { markFromNote, markReasons } from '../../core/table/marks.ts';
import { freeName } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { cellText } from '../cells/cell.ts';
import { tableFromCells } from '../cells/from-cells.ts';
import { baseName } from '../opening/names.ts';
import type { OpenContext } from '../register.ts';
import { openZip } from '../zip/zip.ts';
import { readBinaryWorkbook } from './binary-records.ts';
import type { Book } from './book.ts';
import type { CellStore } from './cell-store.ts';
import { readOfficeOpen } from './office-open.ts';
import { readOpenDocument } from './open-document.ts';
import { isCompoundFile } from './sniff.ts';

/** Cells are held in memory: larger files are refused. */
const largestFile = 1_000_000_000;

function tooLarge(source: ByteSource, bytes: number): IsomericError {
  return new IsomericError(
    'workbook-too-large',
    `The workbook has more than ${grouped(Math.floor(bytes / 1e6))} MB.`,
    {
      place: { file: source.name },
      advice: 'Cells of workbooks are held in memory; export the sheet as CSV, which is read piece by piece.',
    },
  );
}

type WorkbookReading = Pick<OpenContext, 'capabilities' | 'marks' | 'headerRows'>;

/** Opens a workbook (.xlsx, .xlsm, .xlsb, .xls, .ods): every sheet that holds a table. */
export async function openWorkbook(source: ByteSource, reading: WorkbookReading): Promise<Table[]> {
  return placed({ file: source.name }, () => tablesOf(source, reading));
}

async function bookOf(source: ByteSource, { capabilities }: WorkbookReading): Promise<Book> {
  if (source.size > largestFile) throw tooLarge(source, source.size);
  if (isCompoundFile(await source.bytes(0, 8)))
    return readBinaryWorkbook(await source.bytes(0, source.size), source.name);
  // Parts are unpacked while they are read, and not kept.
  const archive = await openZip(source, { inflateRaw: capabilities.inflateRaw, keep: false });
  return (await archive.list()).includes('content.xml')
    ? readOpenDocument(archive, source.name)
    : readOfficeOpen(archive, source.name);
}

async function tablesOf(source: ByteSource, reading: WorkbookReading): Promise<Table[]> {
  const book = await bookOf(source, reading);
  const sheets: { name: string; sheet: CellStore }[] = [];
  const findings: Finding[] = [];
  const explained = new Map<string, string>();
  for (const { name, read } of book.sheets) {
    const sheet = await read();
    if (sheet.uncomputed > 0)
      findings.push({
        code: 'formula-uncomputed',
        severity: 'warning',
        words: `${source.name}, sheet ${name}: ${counted(sheet.uncomputed, 'cell holds a formula', 'cells hold formulas')} without a value, and ${sheet.uncomputed === 1 ? 'is' : 'are'} blank.`,
        repair: 'open it in an office program, which computes them, and save it',
      });
    const lines = sheet.columns === 1 ? linesOf(sheet) : [];
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
  await book.examineRest();
  if (book.entities)
    findings.push({
      code: 'entity-kept',
      severity: 'warning',
      words: `${source.name}: it defines names for texts (XML entities), which are never put in; they stand as they are written.`,
    });
  const names: string[] = [];
  const tables: Table[] = [];
  for (const { name, sheet } of sheets) {
    const plain = sheets.length === 1 && /^(sheet|tabelle|feuil|hoja|foglio|blad|table)\s?\d*$/i.test(name);
    const called = freeName(plain ? baseName(source.name) : name, names);
    const table = tableFromCells(sheet, {
      name: called,
      place: sheets.length === 1 ? source.name : `${source.name}, sheet ${name}`,
      marks: markReasons(reading.marks ?? []),
      headerRows: reading.headerRows,
      explained,
      lazy: true,
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

const linesOf = (sheet: CellStore) =>
  Array.from({ length: sheet.rows }, (_, row) => cellText(sheet.cell(row, 0)).trim());

/** Lines of a read-me: mostly sentences. */
function isProse(lines: readonly string[]): boolean {
  return lines.filter((line) => /\s/.test(line)).length * 2 > lines.length;
}
