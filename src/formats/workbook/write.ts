import * as workbooks from '@e965/xlsx';
import { type Account, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { isLayer, type Table } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { freeName } from '../../core/table/schema.ts';
import { wktText } from '../wkt.ts';

/** What a sheet can hold (ECMA-376, part 1, 18.3.1.73 and the limits of the programs that read it). */
const mostRows = 1_048_576;
const mostColumns = 16_384;
const longestText = 32_767;
/** Longest name of a sheet, and signs that it cannot have. */
const longestName = 31;
const forbidden = /[\\/?*[\]:]/g;

const dayLength = 86_400_000;

/**
 * Is it a day that a sheet holds as a number? Before 1 March 1900 the count is not the same everywhere, and after the year
 * 9999 there is none (ISO/IEC 29500-1, section 18.17.4.1).
 */
const isSheetDay = (days: number) => days >= -25_508 && days < 2_932_897;

/** Names of sheets: short enough, without forbidden signs, none twice. */
function sheetName(name: string, taken: string[]): string {
  const short = name.replace(forbidden, '_').slice(0, longestName) || 'table';
  let free = freeName(
    short,
    taken.map((each) => each.toLowerCase()),
  );
  if (taken.some((each) => each.toLowerCase() === short.toLowerCase()))
    free = freeName(short.slice(0, longestName - 4), taken);
  taken.push(free);
  return free;
}

/** A value as a cell; text stays text, whatever it looks like. */
function cell(column: Column, i: number, cut: { texts: number }): workbooks.CellObject | undefined {
  if (column.isNull(i)) return undefined;
  switch (column.type) {
    case 'integer':
    case 'real':
      return Number.isFinite(column.numbers![i])
        ? { t: 'n', v: column.numbers![i] }
        : { t: 's', v: String(column.numbers![i]) };
    case 'boolean':
      return { t: 'b', v: column.numbers![i] === 1 };
    case 'date':
      return isSheetDay(column.numbers![i])
        ? { t: 'n', v: column.numbers![i] + 25_569, z: 'yyyy-mm-dd' }
        : { t: 's', v: column.text(i)! };
    case 'timestamp':
      return isSheetDay(column.numbers![i] / dayLength)
        ? { t: 'n', v: column.numbers![i] / dayLength + 25_569, z: 'yyyy-mm-dd hh:mm:ss' }
        : { t: 's', v: column.text(i)! };
    default: {
      const text = column.text(i)!;
      if (text.length <= longestText) return { t: 's', v: text };
      cut.texts++;
      return { t: 's', v: text.slice(0, longestText) };
    }
  }
}

/**
 * A workbook with a sheet a table, and, where fields say more than their names, a sheet “columns” that describes them.
 * Geometry goes into a column of WKT. Held in memory whole.
 */
export async function writeWorkbook(
  tables: readonly Table[],
  accounts: readonly Account[],
): Promise<Uint8Array> {
  const book = workbooks.utils.book_new();
  const names: string[] = [];
  const described: string[][] = [];
  for (const [k, table] of tables.entries()) {
    const geometry = isLayer(table);
    const head = table.schema.map((field) => field.name);
    if (geometry) head.push(freeName('wkt', head));
    if (head.length > mostColumns)
      throw tooLarge(table, `${grouped(head.length)} columns`, grouped(mostColumns));
    const name = sheetName(table.name, names);
    const rows: (workbooks.CellObject | undefined)[][] = [head.map((each) => ({ t: 's', v: each }))];
    const cut = { texts: 0 };
    for await (const batch of table.batches()) {
      if (rows.length + batch.length > mostRows) throw tooLarge(table, 'more rows', grouped(mostRows - 1));
      for (let i = 0; i < batch.length; i++) {
        const cells = batch.columns.map((column) => cell(column, i, cut));
        if (geometry) {
          const text = batch.geometry === null ? null : wktText(batch.geometry, i);
          if (text === null) cells.push(undefined);
          else {
            if (text.length > longestText) cut.texts++;
            // A cut geometry would be a wrong one.
            cells.push(text.length > longestText ? undefined : { t: 's', v: text });
          }
        }
        rows.push(cells);
      }
    }
    const sheet: workbooks.WorkSheet = { '!data': rows as workbooks.CellObject[][] };
    sheet['!ref'] = workbooks.utils.encode_range({
      s: { r: 0, c: 0 },
      e: { r: rows.length - 1, c: Math.max(0, head.length - 1) },
    });
    workbooks.utils.book_append_sheet(book, sheet, name);
    if (cut.texts > 0)
      accounts[k].notes.push(
        `${grouped(cut.texts)} texts are longer than the ${grouped(longestText)} signs that a cell holds: attributes were cut, geometry was left out.`,
      );
    if (geometry) accounts[k].notes.push(`The geometry stands in the column ${head[head.length - 1]}.`);
    for (const field of table.schema)
      if (field.title !== undefined || field.unit !== undefined || field.description !== undefined)
        described.push([
          field.name,
          field.title ?? '',
          field.unit ?? '',
          field.description ?? '',
          field.universe ?? '',
          name,
        ]);
  }
  if (described.length > 0) {
    const rows = [['variable', 'title', 'unit', 'description', 'universe', 'table'], ...described];
    const sheet: workbooks.WorkSheet = {
      '!data': rows.map((row) => row.map((v): workbooks.CellObject => ({ t: 's', v }))),
      '!ref': workbooks.utils.encode_range({ s: { r: 0, c: 0 }, e: { r: rows.length - 1, c: 5 } }),
    };
    workbooks.utils.book_append_sheet(book, sheet, sheetName('columns', names));
  }
  const bytes = workbooks.write(book, {
    type: 'array',
    bookType: 'xlsx',
    compression: true,
    dense: true,
  } as workbooks.WritingOptions) as ArrayBuffer;
  return new Uint8Array(bytes);
}

function tooLarge(table: Table, what: string, limit: string): IsomericError {
  return new IsomericError('workbook-too-large', `${table.name} has ${what}, where a sheet holds ${limit}.`, {
    advice: 'Save it as .csv or .parquet.',
    blame: 'usage',
  });
}
