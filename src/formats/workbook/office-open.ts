import { Growing } from '../../core/growing.ts';
import { parseDate, parseTimestamp } from '../../core/table/time.ts';
import { type Attributes, attribute } from '../xml/read-xml.ts';
import { type ScanHandler, scanXml, type TagView } from '../xml/scan-xml.ts';
import type { Archive } from '../zip/zip.ts';
import { readBinaryParts } from './binary-parts.ts';
import type { Book, BookSheet } from './book.ts';
import { CellStore, type Merge, Texts } from './cell-store.ts';
import { formatOfNumber, type NumberFormat } from './number-formats.ts';
import { damagedBook, Package } from './parts.ts';

/** Signs that XML cannot hold stand as `_x000B_` (ISO/IEC 29500-1, section 22.9.2.19). */
function withoutEscapes(text: string): string {
  return text.includes('_x')
    ? text.replace(/_x([0-9a-fA-F]{4})_/g, (_, code: string) =>
        String.fromCharCode(Number.parseInt(code, 16)),
      )
    : text;
}

/** `AB12` → row 11, column 27. Null when the text is no such reference. */
function place(reference: string): { row: number; column: number } | null {
  let column = 0;
  let k = 0;
  for (; k < reference.length; k++) {
    const c = reference.charCodeAt(k) & ~32;
    if (c < 65 || c > 90) break;
    column = column * 26 + (c - 64);
  }
  let row = 0;
  const digits = k;
  for (; k < reference.length; k++) {
    const c = reference.charCodeAt(k) - 48;
    if (c < 0 || c > 9) return null;
    row = row * 10 + c;
  }
  return digits === 0 || k === digits || row === 0 ? null : { row: row - 1, column: column - 1 };
}

function mergeOf(reference: string): Merge | null {
  const [from, to] = reference.split(':').map(place);
  return from == null || to == null ? null : { rows: [from.row, to.row], columns: [from.column, to.column] };
}

/** Texts of shared strings or cells: those of its runs, without the readings that stand above signs. */
class RunTexts {
  private held = '';
  private silent = 0;
  /** Within a text that counts. */
  inText = false;

  open(name: string): void {
    if (name === 'rPh') this.silent++;
    else if (name === 't') this.inText = this.silent === 0;
  }

  close(name: string): void {
    if (name === 'rPh') this.silent--;
    else if (name === 't') this.inText = false;
  }

  add(text: string): void {
    this.held = this.held === '' ? text : this.held + text;
  }

  take(): string {
    const { held } = this;
    this.held = '';
    return withoutEscapes(held);
  }
}

class SharedStrings implements ScanHandler {
  readonly numbers = new Growing(new Uint32Array(256));
  private readonly runs = new RunTexts();
  private readonly texts: Texts;
  readonly entities: () => void;

  constructor(texts: Texts, entities: () => void) {
    this.texts = texts;
    this.entities = entities;
  }

  get wantsText(): boolean {
    return this.runs.inText;
  }

  open(name: string): void {
    this.runs.open(name);
  }

  text(text: string): void {
    this.runs.add(text);
  }

  close(name: string): void {
    if (name === 'si') this.numbers.push(this.texts.number(this.runs.take()));
    else this.runs.close(name);
  }
}

/** Types of cells (ISO/IEC 29500-1, section 18.18.11). */
type CellType = 'n' | 's' | 'inlineStr' | 'str' | 'e' | 'b' | 'd';

/** Cells of a sheet, as they come (ISO/IEC 29500-1, section 18.3.1.4). */
class SheetCells implements ScanHandler {
  private readonly store: CellStore;
  private readonly strings: Growing<Uint32Array>;
  private readonly formats: readonly NumberFormat[];
  readonly entities: () => void;
  private row = -1;
  private column = -1;
  private type: CellType = 'n';
  private format = 0;
  private value = '';
  private inCell = false;
  private inValue = false;
  private formula = false;
  private readonly runs = new RunTexts();

  constructor(
    store: CellStore,
    strings: Growing<Uint32Array>,
    formats: readonly NumberFormat[],
    entities: () => void,
  ) {
    this.store = store;
    this.strings = strings;
    this.formats = formats;
    this.entities = entities;
  }

  get wantsText(): boolean {
    return this.inValue || this.runs.inText;
  }

  open(name: string, tag: TagView): void {
    if (name === 'c') {
      if (tag.find('r')) this.place(tag.bytes, tag.start, tag.end);
      else this.column++;
      this.format = tag.find('s') ? digits(tag.bytes, tag.start, tag.end) : 0;
      this.type = tag.find('t') ? (tag.text('t') as CellType) : 'n';
      this.value = '';
      this.inCell = true;
      this.formula = false;
    } else if (name === 'f') this.formula = true;
    else if (name === 'v') this.inValue = this.inCell;
    else if (name === 'row') {
      const number = tag.find('r') ? digits(tag.bytes, tag.start, tag.end) : 0;
      this.row = number > 0 ? number - 1 : this.row + 1;
      this.column = -1;
    } else if (name === 'mergeCell') {
      const merge = mergeOf(tag.text('ref') ?? '');
      if (merge !== null) this.store.merge(merge);
    } else if (this.inCell) this.runs.open(name);
  }

  text(text: string): void {
    if (this.inValue) this.value = this.value === '' ? text : this.value + text;
    else this.runs.add(text);
  }

  close(name: string): void {
    if (!this.inCell) return;
    if (name === 'v') this.inValue = false;
    else if (name === 'c') {
      this.inCell = false;
      this.put();
    } else this.runs.close(name);
  }

  /** `AB12`: row 11, column 27. What is no such reference counts on from the cell before. */
  private place(bytes: Uint8Array, start: number, end: number): void {
    let column = 0;
    let k = start;
    for (; k < end; k++) {
      const c = bytes[k] & ~32;
      if (c < 65 || c > 90) break;
      column = column * 26 + (c - 64);
    }
    const row = digits(bytes, k, end);
    if (k === start || row <= 0) this.column++;
    else {
      this.row = row - 1;
      this.column = column - 1;
    }
  }

  private put(): void {
    const { store, row, column, value } = this;
    const inline = this.runs.take();
    // A program that does not compute leaves the value out.
    if (this.formula && value === '' && inline === '' && this.type !== 'str') store.uncomputed++;
    switch (this.type) {
      case 's': {
        if (value.trim() === '') return;
        const number = Number(value);
        if (!(number >= 0 && number < this.strings.length))
          throw damagedBook(`A cell names the shared text ${value.slice(0, 20)}, which there is not.`);
        store.sharedText(row, column, this.strings.at(number));
        return;
      }
      case 'inlineStr':
        store.text(row, column, inline);
        return;
      case 'str':
      case 'e':
        store.text(row, column, withoutEscapes(value));
        return;
      case 'b':
        if (value !== '') store.boolean(row, column, /^(1|true)$/i.test(value.trim()));
        return;
      case 'd':
        putIsoDate(store, row, column, value.trim());
        return;
      default: {
        if (value.trim() === '') return;
        const number = Number(value);
        if (Number.isNaN(number)) throw damagedBook(`A cell of numbers holds “${value.slice(0, 20)}”.`);
        store.number(row, column, number, this.formats[this.format]);
      }
    }
  }
}

/** A whole number in digits; −1 when it is none. */
function digits(bytes: Uint8Array, start: number, end: number): number {
  if (start >= end) return -1;
  let value = 0;
  for (let k = start; k < end; k++) {
    const c = bytes[k] - 48;
    if (c < 0 || c > 9) return -1;
    value = value * 10 + c;
  }
  return value;
}

/** A day or a moment in ISO 8601; without a zone it is taken as one of UTC, as serial numbers are. */
export function putIsoDate(store: CellStore, row: number, column: number, text: string): void {
  const days = parseDate(text);
  const moment = Number.isNaN(days) ? parseTimestamp(/[Z+]|-\d\d:\d\d$/.test(text) ? text : `${text}Z`) : NaN;
  if (!Number.isNaN(days)) store.moment(row, column, days * 86_400_000);
  else if (!Number.isNaN(moment)) store.moment(row, column, moment);
  else store.text(row, column, text);
}

async function formatsOf(parts: Package, path: string | undefined): Promise<NumberFormat[]> {
  const tree = path === undefined ? null : await parts.tree(path);
  if (tree === null) return [];
  const own = new Map(
    tree
      .all('numFmts', 'numFmt')
      .map((each) => [Number(each.attribute('numFmtId')), each.attribute('formatCode') ?? '']),
  );
  return tree
    .all('cellXfs', 'xf')
    .map((each) => formatOfNumber(Number(each.attribute('numFmtId') ?? 0), own));
}

/** A workbook of Office Open XML, with its parts in XML or in binary records (.xlsx, .xlsm, .xlsb). */
export async function readOfficeOpen(archive: Archive, place: string): Promise<Book> {
  const parts = await Package.of(archive);
  const path = await parts.workbook();
  if (path.endsWith('.bin')) return readBinaryParts(parts, path, place);
  const workbook = await parts.tree(path);
  if (workbook === null) throw damagedBook(`Its part ${path} is empty.`);
  const relationships = await parts.relationships(path);
  const part = (type: string) => relationships.find((each) => each.type === type)?.path;
  const properties = workbook.first('workbookPr');
  const base1904 = /^(1|true|on)$/i.test(properties?.attribute('date1904') ?? '');
  const formats = await formatsOf(parts, part('styles'));
  const texts = new Texts();
  const book: Book = { sheets: [], entities: false, examineRest: () => parts.examineRest() };
  const onEntity = () => {
    book.entities = true;
  };
  const strings = new SharedStrings(texts, onEntity);
  const stringsPath = part('sharedStrings');
  const stringsPart = stringsPath === undefined ? null : await parts.part(stringsPath);
  if (stringsPart !== null) await scanXml(stringsPart, strings);
  book.sheets = workbook.all('sheets', 'sheet').flatMap((sheet): BookSheet[] => {
    const name = withoutEscapes(sheet.attribute('name') ?? '');
    const id = attributeWithPrefix(sheet.attributes, 'id');
    const found = relationships.find((each) => each.id === id);
    if (found === undefined) throw damagedBook(`The sheet ${name} is listed, but nothing says where it is.`);
    // Sheets of nothing but a chart hold no cells.
    if (found.type !== 'worksheet') return [];
    return [
      {
        name,
        async read() {
          const store = new CellStore(texts, base1904, `${place}, sheet ${name}`);
          await scanXml(
            await parts.needed(found.path),
            new SheetCells(store, strings.numbers, formats, onEntity),
          );
          return store.finish();
        },
      },
    ];
  });
  return book;
}

/** `r:id`, whatever the prefix is; sheets have an `sheetId` besides. */
function attributeWithPrefix(attributes: Attributes, name: string): string | undefined {
  for (const key in attributes) if (key.endsWith(`:${name}`)) return attributes[key];
  return attribute(attributes, name);
}
