import { IsomericError } from '../../core/errors.ts';
import type { Book } from './book.ts';
import { CellStore, Texts } from './cell-store.ts';
import { CompoundFile } from './compound.ts';
import { errorTexts, formatOfNumber, type NumberFormat } from './number-formats.ts';
import { lockedBook } from './parts.ts';
import { rkNumber } from './rk-number.ts';

/** Records of the binary format of 1997 to 2003 that hold what a table needs ([MS-XLS], section 2.4). */
const Rec = {
  Formula: 0x0006,
  End: 0x000a,
  DateMode: 0x0022,
  FilePass: 0x002f,
  Continue: 0x003c,
  BoundSheet: 0x0085,
  MulRk: 0x00bd,
  RString: 0x00d6,
  Xf: 0x00e0,
  MergedCells: 0x00e5,
  Sst: 0x00fc,
  LabelSst: 0x00fd,
  Number: 0x0203,
  Label: 0x0204,
  BoolErr: 0x0205,
  String: 0x0207,
  Rk: 0x027e,
  Format: 0x041e,
  Begin: 0x0809,
} as const;

const latin = new TextDecoder('windows-1252');
const wide = new TextDecoder('utf-16le');

interface Found {
  id: number;
  /** Where its data lie in the stream. */
  at: number;
  length: number;
}

/** Records one after the other, from a place in the stream; the last one may be cut short. */
function* recordsFrom(view: DataView, start: number): Generator<Found> {
  let at = start;
  while (at + 4 <= view.byteLength) {
    const id = view.getUint16(at, true);
    const length = view.getUint16(at + 2, true);
    if (at + 4 + length > view.byteLength) return;
    yield { id, at: at + 4, length };
    at += 4 + length;
  }
}

function fail(
  words: string,
  code = 'workbook-damaged',
  advice = 'Get it again, or open it in an office program and save it anew.',
): never {
  throw new IsomericError(code, words, { advice });
}

/** Reads a workbook of the binary format. Only values, their formats and merged cells; formulas give their last value. */
export function readBinaryWorkbook(bytes: Uint8Array, place: string): Book {
  const file = new CompoundFile(bytes);
  const stream = file.find('Workbook', 'Book');
  // A newer workbook with a password is a compound file around it ([MS-OFFCRYPTO], section 2.3.4.4).
  if (stream === null && file.find('EncryptedPackage') !== null) throw lockedBook();
  if (stream === null) return fail('It is a compound file, but holds no workbook.');
  const view = new DataView(stream.buffer, stream.byteOffset, stream.byteLength);
  const formats = new Map<number, string>();
  const cellFormats: number[] = [];
  const sheets: { name: string; at: number }[] = [];
  let strings: string[] = [];
  let base1904 = false;
  let first = true;
  const records = [...recordsFrom(view, 0)];
  for (let k = 0; k < records.length; k++) {
    const { id, at, length } = records[k];
    if (first) {
      if (id !== Rec.Begin || length < 4) return fail('Its stream does not begin as a workbook does.');
      if (view.getUint16(at, true) !== 0x0600)
        return fail(
          'It is in a binary format older than that of 1997.',
          'workbook-old',
          'Open it in an office program and save it as .xlsx.',
        );
      first = false;
      continue;
    }
    if (id === Rec.End) break;
    if (id === Rec.FilePass) throw lockedBook();
    if (id === Rec.DateMode && length >= 2) base1904 = view.getUint16(at, true) === 1;
    else if (id === Rec.Format && length >= 5)
      formats.set(view.getUint16(at, true), textAt(stream, view, at + 2, at + length));
    else if (id === Rec.Xf && length >= 4) cellFormats.push(view.getUint16(at + 2, true));
    else if (id === Rec.BoundSheet && length >= 8 && stream[at + 5] === 0)
      sheets.push({ name: shortText(stream, at + 6, at + length), at: view.getUint32(at, true) });
    else if (id === Rec.Sst) {
      const parts = [records[k]];
      while (records[k + 1]?.id === Rec.Continue) parts.push(records[++k]);
      strings = sharedStrings(stream, parts);
    }
  }
  const byCell = cellFormats.map((id) => formatOfNumber(id, formats));
  const texts = new Texts();
  return {
    entities: false,
    examineRest: async () => {},
    sheets: sheets.map(({ name, at }) => ({
      name,
      read: async () =>
        readSheet(
          stream,
          view,
          at,
          strings,
          byCell,
          new CellStore(texts, base1904, `${place}, sheet ${name}`),
        ),
    })),
  };
}

/** A text with its length in one byte (names of sheets). */
function shortText(stream: Uint8Array, at: number, end: number): string {
  const count = stream[at];
  const isWide = (stream[at + 1] & 1) === 1;
  const stop = Math.min(end, at + 2 + count * (isWide ? 2 : 1));
  return (isWide ? wide : latin).decode(stream.subarray(at + 2, stop));
}

/** A text with its length in two bytes. */
function textAt(stream: Uint8Array, view: DataView, at: number, end: number): string {
  if (at + 3 > end) return '';
  const count = view.getUint16(at, true);
  const isWide = (stream[at + 2] & 1) === 1;
  const stop = Math.min(end, at + 3 + count * (isWide ? 2 : 1));
  return (isWide ? wide : latin).decode(stream.subarray(at + 3, stop));
}

/**
 * The table of shared strings, which goes on over continuation records: characters may be cut anywhere, and the part
 * behind the cut says anew whether they have one byte or two ([MS-XLS], section 2.5.293).
 */
function sharedStrings(stream: Uint8Array, parts: readonly Found[]): string[] {
  const found: string[] = [];
  let part = 0;
  let at = parts[0].at + 8;
  let end = parts[0].at + parts[0].length;
  const onward = () => {
    part++;
    if (part >= parts.length) return false;
    ({ at } = parts[part]);
    end = at + parts[part].length;
    return true;
  };
  const byte = (): number => {
    while (at >= end) if (!onward()) return -1;
    return stream[at++];
  };
  const number = (bytes: number) => {
    let value = 0;
    for (let k = 0; k < bytes; k++) value += Math.max(0, byte()) * 256 ** k;
    return value;
  };
  const skip = (count: number) => {
    let left = count;
    while (left > 0) {
      const here = Math.min(left, end - at);
      at += here;
      left -= here;
      if (left > 0 && !onward()) return;
    }
  };
  for (;;) {
    while (at >= end) if (!onward()) return found;
    const count = number(2);
    const flags = byte();
    if (flags < 0) return found;
    const runs = flags & 8 ? number(2) : 0;
    const extra = flags & 4 ? number(4) : 0;
    let isWide = (flags & 1) === 1;
    let left = count;
    let text = '';
    while (left > 0) {
      if (at >= end) {
        if (!onward()) return found;
        isWide = (stream[at++] & 1) === 1;
      }
      const size = isWide ? 2 : 1;
      const here = Math.min(left, Math.floor((end - at) / size));
      if (here === 0) {
        at = end;
        continue;
      }
      text += (isWide ? wide : latin).decode(stream.subarray(at, at + here * size));
      at += here * size;
      left -= here;
    }
    skip(runs * 4 + extra);
    found.push(text);
  }
}

function readSheet(
  stream: Uint8Array,
  view: DataView,
  start: number,
  strings: readonly string[],
  formats: readonly NumberFormat[],
  store: CellStore,
): CellStore {
  const rowAt = (at: number) => view.getUint16(at, true);
  const columnAt = (at: number) => view.getUint16(at + 2, true);
  const text = (at: number, value: string | undefined) => {
    if (value !== undefined) store.text(rowAt(at), columnAt(at), value);
  };
  const number = (at: number, value: number) =>
    store.number(rowAt(at), columnAt(at), value, formats[view.getUint16(at + 4, true)]);
  const error = (at: number, code: number) => store.text(rowAt(at), columnAt(at), errorTexts[code] ?? '#N/A');
  let depth = 0;
  // Where the text of a formula belongs, which comes in the record after it.
  let awaited = -1;
  for (const { id, at, length } of recordsFrom(view, start)) {
    if (id === Rec.Begin) depth++;
    // Charts stand inside sheets, with an end of their own.
    if (id === Rec.End && --depth <= 0) break;
    if (depth !== 1) continue;
    switch (id) {
      case Rec.LabelSst:
        if (length >= 10) text(at, strings[view.getUint32(at + 6, true)]);
        break;
      case Rec.Label:
      case Rec.RString:
        if (length >= 9) text(at, textAt(stream, view, at + 6, at + length));
        break;
      case Rec.Number:
        if (length >= 14) number(at, view.getFloat64(at + 6, true));
        break;
      case Rec.Rk:
        if (length >= 10) number(at, rkNumber(view.getInt32(at + 6, true)));
        break;
      case Rec.MulRk: {
        for (let k = 0; 4 + 6 * (k + 1) <= length - 2; k++) {
          const p = at + 4 + 6 * k;
          store.number(
            rowAt(at),
            columnAt(at) + k,
            rkNumber(view.getInt32(p + 2, true)),
            formats[view.getUint16(p, true)],
          );
        }
        break;
      }
      case Rec.BoolErr:
        if (length < 8) break;
        if (stream[at + 7] === 1) error(at, stream[at + 6]);
        else store.boolean(rowAt(at), columnAt(at), stream[at + 6] === 1);
        break;
      case Rec.Formula:
        if (length < 14) break;
        awaited = -1;
        if (view.getUint16(at + 12, true) !== 0xffff) number(at, view.getFloat64(at + 6, true));
        else if (stream[at + 6] === 0) awaited = at;
        else if (stream[at + 6] === 1) store.boolean(rowAt(at), columnAt(at), stream[at + 8] === 1);
        else if (stream[at + 6] === 2) error(at, stream[at + 8]);
        break;
      case Rec.String:
        if (awaited >= 0) text(awaited, textAt(stream, view, at, at + length));
        awaited = -1;
        break;
      case Rec.MergedCells:
        for (let k = 0; 2 + 8 * (k + 1) <= length; k++) {
          const p = at + 2 + 8 * k;
          store.merge({
            rows: [view.getUint16(p, true), view.getUint16(p + 2, true)],
            columns: [view.getUint16(p + 4, true), view.getUint16(p + 6, true)],
          });
        }
    }
  }
  return store.finish();
}
