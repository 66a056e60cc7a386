import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { type ScanHandler, scanXml, type TagView } from '../xml/scan-xml.ts';
import type { Archive } from '../zip/zip.ts';
import type { Book } from './book.ts';
import { CellStore, Texts } from './cell-store.ts';
import type { NumberFormat } from './number-formats.ts';
import { putIsoDate } from './office-open.ts';
import { damagedBook, lockedBook, Package } from './parts.ts';

/** Comments, and frames with drawings: what is written in them is no contents of cells. */
const asides: ReadonlySet<string> = new Set([
  'annotation',
  'frame',
  'custom-shape',
  'line',
  'control',
  'shapes',
]);

/** A cell or row may say that it stands for many; those that hold something are put so often at most. */
const mostRepeated = 1_100_000;
/** Cells that a file may ask for so, all together: a few words could fill memory. */
const mostExpanded = 10_000_000;

const count = (tag: TagView, name: string): number => {
  const number = Number(tag.text(name) ?? 1);
  return Number.isInteger(number) && number > 0 ? number : 1;
};

/** `PT12H30M15.5S` → days; null when the text is no duration of hours. */
function durationDays(text: string): number | null {
  const found = /^(-?)PT(?:(\d{1,9})H)?(?:(\d{1,9})M)?(?:(\d{1,9}(?:[.,]\d{1,9})?)S)?$/.exec(text);
  if (found === null) return null;
  const [, sign, hours = '0', minutes = '0', seconds = '0'] = found;
  const days = (Number(hours) + Number(minutes) / 60 + Number(seconds.replace(',', '.')) / 3600) / 24;
  return sign === '-' ? -days : days;
}

interface Value {
  type: string;
  value: string;
  format: NumberFormat | undefined;
}

/** Sheets of a spreadsheet, as they come (OpenDocument 1.3, part 3, sections 9.1 and 19.385). */
class Content implements ScanHandler {
  readonly sheets: { name: string; store: CellStore }[] = [];
  private readonly texts: Texts;
  private readonly place: string;
  private store: CellStore | null = null;
  private row = 0;
  private rowTimes = 1;
  private column = 0;
  private columnTimes = 1;
  private span = 1;
  private value: Value | null = null;
  private words = '';
  private paragraphs = 0;
  private inParagraph = 0;
  /** Comments and drawings hold paragraphs that are no contents. */
  private aside = 0;
  /** Tables within a cell are no sheets. */
  private tables = 0;
  /** Cells of a row that stands for several: they are put again. */
  private held: ((row: number) => void)[] = [];
  private heldCells = 0;
  private expanded = 0;
  /** Formats with leading zeros, by the style of cells that has them. */
  private readonly zeroFormats = new Map<string, number>();
  private readonly cellFormats = new Map<string, NumberFormat>();
  private numberStyle = '';
  /** Style of the cells of a column that say none of their own. */
  private columnStyles: { until: number; style: string | undefined }[] = [];

  readonly entities: () => void;

  constructor(texts: Texts, place: string, entities: () => void) {
    this.entities = entities;
    this.texts = texts;
    this.place = place;
  }

  open(name: string, tag: TagView): void {
    if (this.aside > 0 || asides.has(name)) {
      this.aside++;
      return;
    }
    switch (name) {
      case 'number-style':
        this.numberStyle = tag.text('name') ?? '';
        return;
      case 'number':
        if (this.numberStyle !== '') this.seeNumber(tag);
        return;
      case 'style':
        this.seeStyle(tag);
        return;
      case 'table':
        if (this.tables++ === 0) this.beginSheet(tag.text('name') ?? '');
        return;
    }
    if (this.tables !== 1) return;
    switch (name) {
      case 'table-column': {
        const before = this.columnStyles[this.columnStyles.length - 1]?.until ?? 0;
        this.columnStyles.push({
          until: before + count(tag, 'number-columns-repeated'),
          style: tag.text('default-cell-style-name'),
        });
        return;
      }
      case 'table-row':
        this.rowTimes = count(tag, 'number-rows-repeated');
        this.column = 0;
        return;
      case 'table-cell':
      case 'covered-table-cell':
        this.beginCell(tag);
        return;
      case 'p':
      case 'h':
        if (this.paragraphs++ > 0) this.words += '\n';
        this.inParagraph++;
        return;
      case 's':
        if (this.inParagraph > 0) this.words += ' '.repeat(Math.min(count(tag, 'c'), 1000));
        return;
      case 'tab':
        if (this.inParagraph > 0) this.words += '\t';
        return;
      case 'line-break':
        if (this.inParagraph > 0) this.words += '\n';
    }
  }

  get wantsText(): boolean {
    return this.inParagraph > 0 && this.aside === 0 && this.tables === 1;
  }

  /** White space in paragraphs counts once (OpenDocument 1.3, part 3, section 6.1.2). */
  text(text: string): void {
    this.words += /[\t\r\n]| {2}/.test(text) ? text.replace(/\s+/g, ' ') : text;
  }

  close(name: string): void {
    if (this.aside > 0) {
      this.aside--;
      return;
    }
    if (name === 'number-style') this.numberStyle = '';
    if (name === 'table') {
      if (--this.tables === 0) this.store = null;
      return;
    }
    if (this.tables !== 1) return;
    if (name === 'p' || name === 'h') this.inParagraph--;
    else if (name === 'table-cell' || name === 'covered-table-cell') this.endCell();
    else if (name === 'table-row') {
      if (this.held.length > 0) {
        const times = Math.min(this.rowTimes, mostRepeated);
        this.expand(times * this.heldCells);
        for (let k = 0; k < times; k++) for (const put of this.held) put(this.row + k);
        this.held = [];
        this.heldCells = 0;
      }
      this.row += this.rowTimes;
    }
  }

  private expand(cells: number): void {
    this.expanded += cells;
    if (this.expanded > mostExpanded)
      throw new IsomericError(
        'workbook-too-large',
        `Its repeated rows and cells stand for more than ${grouped(mostExpanded)} cells.`,
        { advice: 'Export the sheet as CSV, which is read piece by piece.' },
      );
  }

  private seeNumber(tag: TagView): void {
    const digits = Number(tag.text('min-integer-digits') ?? 1);
    const decimals = Number(tag.text('decimal-places') ?? 0);
    const divided = tag.text('grouping') === 'true';
    if (digits >= 2 && digits <= 64 && decimals === 0 && !divided)
      this.zeroFormats.set(this.numberStyle, digits);
  }

  private seeStyle(tag: TagView): void {
    const digits = this.zeroFormats.get(tag.text('data-style-name') ?? '');
    const name = tag.text('name');
    if (digits !== undefined && name !== undefined) this.cellFormats.set(name, { kind: 'code', digits });
  }

  private beginSheet(name: string): void {
    this.store = new CellStore(this.texts, false, `${this.place}, sheet ${name}`);
    this.sheets.push({ name, store: this.store });
    this.row = 0;
    this.column = 0;
    this.columnStyles = [];
  }

  private beginCell(tag: TagView): void {
    this.columnTimes = count(tag, 'number-columns-repeated');
    this.span = count(tag, 'number-rows-spanned');
    const columns = count(tag, 'number-columns-spanned');
    if (this.span > 1 && columns === 1)
      this.store!.merge({
        rows: [this.row, this.row + this.span - 1],
        columns: [this.column, this.column],
      });
    this.words = '';
    this.paragraphs = 0;
    this.inParagraph = 0;
    const type = tag.text('value-type');
    if (type === undefined) {
      this.value = null;
      return;
    }
    const style =
      tag.text('style-name') ??
      (this.cellFormats.size === 0
        ? undefined
        : this.columnStyles.find((each) => this.column < each.until)?.style);
    const named: Record<string, string> = {
      date: 'date-value',
      time: 'time-value',
      boolean: 'boolean-value',
      string: 'string-value',
    };
    this.value = {
      type,
      value: tag.text(Object.hasOwn(named, type) ? named[type] : 'value') ?? '',
      format: style === undefined ? undefined : this.cellFormats.get(style),
    };
  }

  private endCell(): void {
    const put = this.putter();
    const { column } = this;
    this.column += this.columnTimes;
    if (put === null) return;
    const times = Math.min(this.columnTimes, mostRepeated);
    if (times > 1 && this.rowTimes === 1) this.expand(times);
    if (this.rowTimes > 1) this.heldCells += times;
    if (this.rowTimes === 1) for (let k = 0; k < times; k++) put(this.row, column + k);
    else
      this.held.push((row) => {
        for (let k = 0; k < times; k++) put(row, column + k);
      });
  }

  /** What puts the cell at hand into its place; null when it holds nothing. */
  private putter(): ((row: number, column: number) => void) | null {
    const store = this.store!;
    const { value, words: text } = this;
    if (value === null) return text === '' ? null : (row, column) => store.text(row, column, text);
    switch (value.type) {
      case 'float':
      case 'percentage':
      case 'currency': {
        const number = Number(value.value);
        if (value.value.trim() === '' || Number.isNaN(number))
          throw damagedBook(`A cell of numbers holds “${value.value.slice(0, 20)}”.`);
        return (row, column) => store.number(row, column, number, value.format);
      }
      case 'boolean':
        return (row, column) => store.boolean(row, column, value.value === 'true');
      case 'date':
        return (row, column) => putIsoDate(store, row, column, value.value);
      case 'time': {
        const days = durationDays(value.value);
        return days === null
          ? (row, column) => store.text(row, column, value.value)
          : (row, column) => store.number(row, column, days);
      }
      default: {
        const words = value.value !== '' ? value.value : text;
        return words === '' ? null : (row, column) => store.text(row, column, words);
      }
    }
  }
}

/** A spreadsheet of OpenDocument (.ods). */
export async function readOpenDocument(archive: Archive, place: string): Promise<Book> {
  const parts = await Package.of(archive);
  const manifest = await parts.tree('META-INF/manifest.xml');
  if (manifest !== null && !manifest.below('encryption-data').next().done) throw lockedBook();
  const book: Book = { sheets: [], entities: false, examineRest: () => parts.examineRest() };
  const content = new Content(new Texts(), place, () => {
    book.entities = true;
  });
  await scanXml(await parts.needed('content.xml'), content);
  book.sheets = content.sheets.map(({ name, store }) => ({ name, read: async () => store.finish() }));
  return book;
}
