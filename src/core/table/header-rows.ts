import { knownReason } from './marks.ts';
import { freeName } from './schema.ts';
import { dressedNumber } from './value-survey.ts';

/** What the first rows of a delivered table are. Row numbers count from 0 among the rows that were given. */
export interface HeaderPlan {
  /** Lines above the header: titles, dates, sources. */
  above: string[];
  /** First row of data. */
  dataRow: number;
  names: string[];
  /** From a second header row. */
  titles: (string | undefined)[];
  units: (string | undefined)[];
  /** How many rows make the header; 0 when there is none. */
  headerRows: number;
  /** Column names that came twice, with what the later one is called. */
  renamed: [name: string, free: string][];
  /** Columns without a name: the number of the first one that had to be called something. */
  unnamed: number;
  /** A first row of data that might be a second one of the header: its first cells. */
  doubtful: string | null;
}

/** Most rows that a header is believed to have. */
export const mostHeaderRows = 8;

const unitWords =
  /^[([]?\s*(%|per ?cent|percent|percentage|‰|number|no\.|count|counts|n|km²|km2|sq\.? ?km|ha|hectares?|m|m²|m2|km|metres?|years?|persons|people|households|dwellings|per 1,?000|€|\$|£|code|text|name)\s*[)\]]?$/i;

/** Is the cell a figure, or something that stands for one? */
export function isFigure(cell: string): boolean {
  const text = cell.trim();
  return text !== '' && (dressedNumber(text) !== null || knownReason(text) !== undefined);
}

/** “over 65” is a bound among figures, and a name among names. */
const isNumber = (cell: string) => !/[a-z]/i.test(cell) && dressedNumber(cell.trim()) !== null;
const isYear = (cell: string) => /^(1[89]|20|21)\d\d$/.test(cell.trim());
const filled = (row: readonly string[]) => row.reduce((n, cell) => n + (cell.trim() === '' ? 0 : 1), 0);
const phrase = (cell: string) => /\s/.test(cell.trim()) && cell.trim().length > 8;
/** A name with what divides it in figures: `0204`, `T-204` and `T-205` have one shape. Null without any digit. */
const shapeOf = (cell: string) => {
  const text = cell.trim();
  return /\d/.test(text) && text.length <= 40
    ? text.replace(/[\p{L}]+/gu, 'a').replace(/\d+/g, (digits) => '9'.repeat(Math.min(digits.length, 12)))
    : null;
};
const codeLike = (cell: string) =>
  cell.trim().length <= 24 && /^[A-Za-z]{0,12}[_.-]?[A-Za-z0-9_.-]*$/.test(cell.trim());

/** `(km²)` → `km²` */
function withoutBrackets(cell: string): string {
  const from = /^[([]/.test(cell) ? 1 : 0;
  const end = /[)\]]$/.test(cell) ? cell.length - 1 : cell.length;
  return cell.slice(from, Math.max(from, end)).trim();
}

/** Width that most rows have. */
function usualWidth(rows: readonly (readonly string[])[]): number {
  const times = new Map<number, number>();
  for (const row of rows) {
    let width = row.length;
    while (width > 0 && row[width - 1].trim() === '') width--;
    if (width > 0) times.set(width, (times.get(width) ?? 0) + 1);
  }
  let best = 0;
  let most = 0;
  for (const [width, n] of times) if (n > most || (n === most && width > best)) [best, most] = [width, n];
  return Math.max(1, best);
}

/**
 * The first rows of a table → where its header is, how many rows it has, what the columns are called.
 *
 * @param asked how many rows the header has, when that is known
 */
export function planHeader(rows: readonly (readonly string[])[], asked?: number): HeaderPlan {
  const width = usualWidth(rows);
  let header = 0;
  if (width > 1) {
    // Titles stand alone in their row; a header fills most of it.
    const wanted = width === 2 ? 2 : Math.max(2, Math.ceil(width * 0.5));
    while (header < rows.length - 1 && header < 40 && filled(rows[header]) < wanted) header++;
    if (header >= Math.min(rows.length - 1, 40)) header = 0;
  }
  const above = rows
    .slice(0, header)
    .map((row) =>
      row
        .map((cell) => cell.trim())
        .filter((cell) => cell !== '')
        .join(' '),
    )
    .filter((line) => line !== '');
  const plan: HeaderPlan = {
    above,
    dataRow: header + 1,
    names: [],
    titles: [],
    units: [],
    headerRows: 1,
    renamed: [],
    unnamed: 0,
    doubtful: null,
  };
  const first = rows[header] ?? [];
  const columns = Math.max(first.length, 1);
  const below = rows.slice(header + 1, header + 41);
  const cellsBelow = (from: number, c: number) =>
    below
      .slice(from)
      .map((row) => row[c] ?? '')
      .filter((cell) => cell.trim() !== '');
  const figuresBelow = (from: number, c: number) => {
    const cells = cellsBelow(from, c);
    return cells.length > (from === 0 ? 0 : 1) && cells.every(isFigure) && cells.some(isNumber);
  };
  const missing = header === 0 && below.length >= 2 && lacksHeader(first, columns, figuresBelow);
  if (asked === 0 || (asked === undefined && missing)) {
    plan.dataRow = header;
    plan.headerRows = 0;
    plan.names = Array.from({ length: columns }, (_, c) => `column_${c + 1}`);
    plan.titles = plan.names.map(() => undefined);
    plan.units = plan.names.map(() => undefined);
    return plan;
  }
  let raw: string[] = Array.from({ length: columns }, (_, c) => (first[c] ?? '').trim());
  let titles: (string | undefined)[] = raw.map(() => undefined);
  let units: (string | undefined)[] = raw.map(() => undefined);
  const second = below[0];
  const cells = (row: readonly string[] | undefined) =>
    Array.from({ length: columns }, (_, c) => (row?.[c] ?? '').trim());
  if (asked !== undefined && asked > 2) {
    // Groups over groups: the lowest row tells the columns apart.
    const upper = [first, ...below.slice(0, asked - 2)].map((row) => filledForward(cells(row)));
    const lowest = cells(below[asked - 2]);
    raw = lowest.map((name, c) =>
      [...new Set([...upper.map((row) => row[c]), name])].filter(Boolean).join(' '),
    );
    plan.headerRows = asked;
    plan.dataRow = header + asked;
  } else if (second !== undefined && (asked === 2 || (asked === undefined && below.length >= 2))) {
    const figures = (c: number) => figuresBelow(1, c);
    const found = secondHeader(first, second, columns, figures, below.slice(1));
    const kind = asked === 2 ? (found?.kind ?? 'titles') : found?.sure ? found.kind : null;
    if (found !== null && kind === null)
      plan.doubtful = second
        .slice(0, 3)
        .map((cell) => cell.trim())
        .join(', ');
    if (kind !== null) {
      plan.headerRows = 2;
      plan.dataRow = header + 2;
      const under = cells(second);
      if (kind === 'units') units = under.map((cell) => withoutBrackets(cell) || undefined);
      else if (kind === 'groups') {
        const groups = filledForward(raw);
        raw = groups.map((group, c) => [group, under[c]].filter((part) => part !== '').join(' '));
      } else if (kind === 'codes below') {
        titles = raw.map((title) => title || undefined);
        raw = under;
      } else titles = under.map((title) => title || undefined);
    }
  }
  for (const [c, name] of raw.entries()) {
    const called = name.replace(/\s+/g, ' ') || `column_${c + 1}`;
    if (name === '') plan.unnamed++;
    const free = freeName(called, plan.names);
    if (free !== called) plan.renamed.push([called, free]);
    plan.names.push(free);
  }
  plan.titles = titles;
  plan.units = units;
  return plan;
}

/** Figures in the first row over figures, and no words over figures: then it is data. */
function lacksHeader(
  first: readonly string[],
  columns: number,
  figuresBelow: (from: number, c: number) => boolean,
): boolean {
  let data = 0;
  let words = 0;
  for (let c = 0; c < columns; c++) {
    const cell = first[c] ?? '';
    if (cell.trim() === '' || !figuresBelow(0, c)) continue;
    if (isNumber(cell) && !isYear(cell)) data++;
    else words++;
  }
  return data > 0 && words === 0;
}

type Second = 'titles' | 'codes below' | 'units' | 'groups';

/**
 * What a second row is when it is no data: words where all rows below have figures, or names under groups. One text over
 * figures alone proves nothing, and is not `sure`: a place may have no figure but a remark.
 */
function secondHeader(
  first: readonly string[],
  second: readonly string[],
  columns: number,
  figures: (c: number) => boolean,
  below: readonly (readonly string[])[],
): { kind: Second; sure: boolean } | null {
  let words = 0;
  let numbers = 0;
  let units = 0;
  let phrases = 0;
  let codes = 0;
  let upperPhrases = 0;
  let there = 0;
  let repeated = 0;
  let groupNames = 0;
  for (let c = 0; c < columns; c++) {
    const cell = (second[c] ?? '').trim();
    const upper = (first[c] ?? '').trim();
    if (phrase(upper)) upperPhrases++;
    if (cell === '') continue;
    there++;
    if (upper === '') groupNames++;
    if (unitWords.test(cell)) units++;
    if (phrase(cell)) phrases++;
    if (codeLike(cell)) codes++;
    if (isNumber(cell) && !isYear(cell)) numbers++;
    else if (isFigure(cell)) {
      // A mark stands in place of a figure, and there are none in headers; “over 65” may be a name.
      if (figures(c) && (knownReason(cell) !== undefined || !/[a-z]/i.test(cell))) return null;
    } else if (figures(c)) words++;
    // A key of the same shape as those below is one of them.
    const shape = shapeOf(cell);
    if (shape !== null && !isYear(cell)) {
      const others = below.map((row) => row[c] ?? '').filter((each) => each.trim() !== '');
      if (others.length > 0 && others.every((each) => shapeOf(each) === shape)) return null;
    }
    if (upper !== '' && saysTheSame(upper, cell)) repeated++;
  }
  if (there === 0 || numbers > 0) return null;
  const upperFilled = filled(first.slice(0, columns));
  const upperCodes = first.filter((cell) => cell.trim() !== '' && codeLike(cell)).length;
  if (words === 0) {
    // No column of figures proves it: codes over phrases that no later row has.
    const phrasesBelow = below
      .slice(0, 5)
      .some((row) => row.filter((cell) => phrase(cell)).length >= phrases);
    if (phrases * 2 < columns || upperCodes < columns * 0.8 || phrasesBelow || phrases < 2) return null;
    return { kind: 'titles', sure: true };
  }
  if (units === there && units * 2 >= Math.min(there, columns)) return { kind: 'units', sure: true };
  const groups = upperFilled < columns || new Set(first.map((cell) => cell.trim())).size < columns;
  const manyGroups = groups && new Set(second.map((cell) => cell.trim())).size > 1 && upperFilled < there;
  if (manyGroups || (groups && upperFilled === columns))
    return { kind: 'groups', sure: groupNames > 0 || words > 1 };
  const sure = words > 1 || repeated > 0 || units > 0;
  if (upperPhrases * 2 > columns && codes === there && phrases === 0)
    return { kind: 'codes below', sure: sure || codes > 1 };
  return { kind: 'titles', sure };
}

/** `AREA` and “Area identifier”: the second begins with the first, or the other way round. */
function saysTheSame(upper: string, cell: string): boolean {
  const plain = (text: string) =>
    text
      .toLowerCase()
      .replace(/[^\p{L}\p{N}]+/gu, ' ')
      .trim();
  const [a, b] = [plain(upper), plain(cell)];
  return a.length > 1 && b.length > 1 && (b.startsWith(a) || a.startsWith(b));
}

/** Cells that were merged hold their text in the first one only. */
function filledForward(cells: readonly string[]): string[] {
  let last = '';
  return cells.map((cell) => {
    if (cell !== '') last = cell;
    return last;
  });
}

/** How lines begin that tell of a table: a word for it with its sign, a mark with its meaning, a number in brackets. */
const noteBegins =
  /^\s*((notes?|source|sources|footnotes?|remarks?|legend|key|symbols?|explanations?|copyright)\s?[:.]|©|last updated\b|data (as|from|extracted)\b|[*†‡§¹²³]+\s*(=|:|means\b|stands for\b|[A-Za-z]{4,}|\s[A-Za-z])|\(\d{1,2}\)\s|\d{1,2}\)\s|["'“]?(\.{1,3}|[-–—:]|[xXcC]|[nN]\/[aA])["'”]?\s*(=|:\s|means\b|stands for\b))/i;
/** Weaker ones, that a name might begin with as well. */
const noteWords =
  /^\s*(notes?\b|source\b|sources\b|footnote|remark|legend|symbols?\b|explanation|copyright|prepared\b|published\b|the (figures|table|data)\b|\d{1,2}\s[A-Z]|["'“]?(\.{1,3}|[-–—:*])["'”]?\s*[A-Za-z]{4,})/i;
/** Words that a sentence has at least. */
const sentenceWords = 5;

/**
 * Does a row with nothing but this in its first cell read as a note below the table?
 *
 * @param usual the longest key above
 * @param divided the row has its other cells, and all are blank: then it is data, unless it plainly is a note
 */
export function isFootnote(text: string, usual: number, divided: boolean): boolean {
  const bare = text.trim();
  if (noteBegins.test(bare)) return true;
  const long = bare.length > Math.max(30, 1.5 * usual);
  if (divided) return long && /[.!]$/.test(bare) && bare.split(/\s+/, sentenceWords).length === sentenceWords;
  return noteWords.test(bare) || (long && /\s\S+\s/.test(bare));
}
