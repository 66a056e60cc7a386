import { Growing } from '../../core/growing.ts';
import { type ByteSource, wholeSource } from '../bytes/byte-source.ts';
import type { Book, BookSheet } from './book.ts';
import { CellStore, Texts } from './cell-store.ts';
import { errorTexts, formatOfNumber, type NumberFormat } from './number-formats.ts';
import { damagedBook, type Package } from './parts.ts';
import { rkNumber } from './rk-number.ts';

/** Records of the binary parts of a package that hold what a table needs ([MS-XLSB], section 2.3.2). */
const Rec = {
  RowHeader: 0,
  CellBlank: 1,
  CellRk: 2,
  CellError: 3,
  CellBoolean: 4,
  CellReal: 5,
  CellText: 6,
  CellShared: 7,
  FormulaText: 8,
  FormulaNumber: 9,
  FormulaBoolean: 10,
  FormulaError: 11,
  /** The same as those from 1 on, without a column: it is the one after the cell before. */
  ShortBlank: 12,
  ShortShared: 18,
  SharedItem: 19,
  Format: 44,
  CellFormat: 47,
  CellRichText: 62,
  BookProperties: 153,
  BundleSheet: 156,
  MergeCell: 176,
  BeginCellFormats: 617,
  EndCellFormats: 618,
} as const;

/** Parts are held whole while their records are gone through. */
const largestPart = 1_000_000_000;
const wide = new TextDecoder('utf-16le');

/** One record: its data as a view, from 0. */
class BinaryRecord {
  readonly id: number;
  readonly view: DataView;
  private readonly bytes: Uint8Array;

  constructor(id: number, bytes: Uint8Array) {
    this.id = id;
    this.bytes = bytes;
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  need(length: number): void {
    if (this.bytes.length < length) throw damagedBook('A record is shorter than its kind.');
  }

  /** A text with its length in four bytes ([MS-XLSB], section 2.5.168), and where it ends. */
  text(at: number): { text: string; end: number } {
    this.need(at + 4);
    const end = at + 4 + 2 * this.view.getUint32(at, true);
    this.need(end);
    return { text: wide.decode(this.bytes.subarray(at + 4, end)), end };
  }
}

/** Records one after the other: number and length have up to two and four bytes of seven bits ([MS-XLSB], section 2.1.4). */
async function* recordsOf(source: ByteSource): AsyncGenerator<BinaryRecord> {
  const bytes = await wholeSource(source, largestPart);
  let at = 0;
  const byte = () => {
    if (at >= bytes.length) throw damagedBook('A part ends within a record.');
    return bytes[at++];
  };
  while (at < bytes.length) {
    let id = byte();
    if (id & 0x80) id = (id & 0x7f) | ((byte() & 0x7f) << 7);
    let length = 0;
    for (let k = 0; k < 4; k++) {
      const next = byte();
      length |= (next & 0x7f) << (7 * k);
      if ((next & 0x80) === 0) break;
    }
    if (at + length > bytes.length) throw damagedBook('A part ends within a record.');
    yield new BinaryRecord(id, bytes.subarray(at, at + length));
    at += length;
  }
}

async function formatsOf(part: ByteSource | null): Promise<NumberFormat[]> {
  const formats: NumberFormat[] = [];
  if (part === null) return formats;
  const own = new Map<number, string>();
  let inCells = false;
  for await (const record of recordsOf(part)) {
    if (record.id === Rec.BeginCellFormats) inCells = true;
    else if (record.id === Rec.EndCellFormats) inCells = false;
    else if (record.id === Rec.Format) {
      record.need(6);
      own.set(record.view.getUint16(0, true), record.text(2).text);
    } else if (record.id === Rec.CellFormat && inCells) {
      record.need(4);
      formats.push(formatOfNumber(record.view.getUint16(2, true), own));
    }
  }
  return formats;
}

async function readCells(
  part: ByteSource,
  store: CellStore,
  strings: Growing<Uint32Array>,
  formats: readonly NumberFormat[],
): Promise<CellStore> {
  let row = 0;
  let column = -1;
  for await (const record of recordsOf(part)) {
    const { id, view } = record;
    if (id === Rec.RowHeader) {
      record.need(4);
      row = view.getUint32(0, true);
      column = -1;
      continue;
    }
    if (id === Rec.MergeCell) {
      record.need(16);
      store.merge({
        rows: [view.getUint32(0, true), view.getUint32(4, true)],
        columns: [view.getUint32(8, true), view.getUint32(12, true)],
      });
      continue;
    }
    const short = id >= Rec.ShortBlank && id <= Rec.ShortShared;
    if (!(id >= Rec.CellBlank && id <= Rec.FormulaError) && !short && id !== Rec.CellRichText) continue;
    const at = short ? 4 : 8;
    record.need(at);
    column = short ? column + 1 : view.getUint32(0, true);
    const format = formats[view.getUint32(at - 4, true) & 0xffffff];
    const kind = short ? id - Rec.ShortBlank + Rec.CellBlank : id;
    if (kind === Rec.CellBlank) continue;
    record.need(at + 1);
    switch (kind) {
      case Rec.CellRk:
        record.need(at + 4);
        store.number(row, column, rkNumber(view.getInt32(at, true)), format);
        break;
      case Rec.CellReal:
      case Rec.FormulaNumber:
        record.need(at + 8);
        store.number(row, column, view.getFloat64(at, true), format);
        break;
      case Rec.CellBoolean:
      case Rec.FormulaBoolean:
        store.boolean(row, column, view.getUint8(at) === 1);
        break;
      case Rec.CellError:
      case Rec.FormulaError:
        store.text(row, column, errorTexts[view.getUint8(at)] ?? '#N/A');
        break;
      case Rec.CellShared: {
        record.need(at + 4);
        const number = view.getUint32(at, true);
        if (number >= strings.length)
          throw damagedBook(`A cell names the shared text ${number}, which there is not.`);
        store.sharedText(row, column, strings.at(number));
        break;
      }
      case Rec.CellRichText:
        store.text(row, column, record.text(at + 1).text);
        break;
      default:
        store.text(row, column, record.text(at).text);
    }
  }
  return store.finish();
}

/** A workbook whose parts are binary records ([MS-XLSB]). */
export async function readBinaryParts(parts: Package, path: string, place: string): Promise<Book> {
  const relationships = await parts.relationships(path);
  const part = async (type: string) => {
    const found = relationships.find((each) => each.type === type);
    return found === undefined ? null : parts.part(found.path);
  };
  const formats = await formatsOf(await part('styles'));
  const texts = new Texts();
  const strings = new Growing(new Uint32Array(256));
  const shared = await part('sharedStrings');
  if (shared !== null)
    for await (const record of recordsOf(shared))
      if (record.id === Rec.SharedItem) strings.push(texts.number(record.text(1).text));
  let base1904 = false;
  const sheets: BookSheet[] = [];
  for await (const record of recordsOf(await parts.needed(path))) {
    if (record.id === Rec.BookProperties) {
      record.need(4);
      base1904 = (record.view.getUint32(0, true) & 1) === 1;
    } else if (record.id === Rec.BundleSheet) {
      const { text: id, end } = record.text(8);
      const name = record.text(end).text;
      const found = relationships.find((each) => each.id === id);
      if (found === undefined)
        throw damagedBook(`The sheet ${name} is listed, but nothing says where it is.`);
      if (found.type === 'worksheet')
        sheets.push({
          name,
          read: async () =>
            readCells(
              await parts.needed(found.path),
              new CellStore(texts, base1904, `${place}, sheet ${name}`),
              strings,
              formats,
            ),
        });
    }
  }
  return { sheets, entities: false, examineRest: () => parts.examineRest() };
}
