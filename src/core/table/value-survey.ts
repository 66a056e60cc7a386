import { decodeText } from './column.ts';
import {
  doubtfulNumbers,
  knownReason,
  longestMark,
  type Mark,
  MarkList,
  markSpelling,
  reasons,
} from './marks.ts';
import { dividedBits, numberBits, Reads } from './number-text.ts';
import type { Field, FieldType } from './schema.ts';
import { dateFromBytes, daysOf, parseTimestamp } from './time.ts';

/** What the values of one column could be, as bits that fall away while values go by. */
const Can = { Number: 1, Boolean: 2, Date: 4, DayFirst: 8, MonthFirst: 16, Timestamp: 32 } as const;
const anything = 63;

/** How the values of a column are to be read. */
export interface Reading {
  type: FieldType;
  /** Numbers have a decimal comma. */
  comma: boolean;
  /** Sign before or after every number: `%`, `$`. */
  affix: string;
  dates: 'iso' | 'day first' | 'month first';
  marks: readonly Mark[];
  /** Digits that name something: leading zeros, or one length under a name that says so. */
  code: boolean;
}

export const plainText: Reading = {
  type: 'text',
  comma: false,
  affix: '',
  dates: 'iso',
  marks: [],
  code: false,
};

/** Things worth telling about a column. */
export interface Remarks {
  /** Dates such as 03/04/2024 that may be the third of April or the fourth of March. */
  ambiguousDates: boolean;
  /** Only the way of writing of the other columns, or none, says what `1,234` is. */
  ambiguousNumbers: boolean;
  /** Numbers like −9999 in a column without other negatives: the number and how often. */
  doubtful: { number: number; times: number }[];
  /** Numbers and texts in one column: how many numbers, and the first text. */
  mixed: { numbers: number; text: string } | null;
}

export const noRemarks: Remarks = {
  ambiguousDates: false,
  ambiguousNumbers: false,
  doubtful: [],
  mixed: null,
};

const longestNumber = 64;
const bound =
  /^(?:(<|>|≤|≥|<=|>=|under |fewer than |less than |below |up to |at most |over |more than |above |at least )\s*)?([$£€¥]?)([-+−]?[\d.,\u00a0\u202f'’ ]*\d)\s*([%$£€¥]?)\s*(\+|-)?$/;
const underWords: ReadonlySet<string> = new Set(['<', 'under', 'fewer than', 'less than', 'below']);
const atMostWords: ReadonlySet<string> = new Set(['≤', '<=', 'up to', 'at most']);
const dateNumbers = /^(\d{1,2})([./-])(\d{1,2})\2(\d{4})$/;
const encoder = new TextEncoder();

/** Columns with such names hold codes of units. */
/** Names that columns of codes have. */
export const codeName = /(^|[_\W])(code|codes|geo_?id|area_?id|unit_?id)$/i;

/** A number with what stands around it: the sign of a bound, a unit. Null when the text is no such thing. */
export function dressedNumber(
  text: string,
): { number: string; bits: number; affix: string; reason: string | null } | null {
  // Longer texts are no numbers, whatever they begin with.
  if (text.length > longestNumber) return null;
  const found = bound.exec(text);
  if (found === null) return null;
  const [, sign, before, number, after, end] = found;
  if (before !== '' && after !== '') return null;
  const bare = number.replace('−', '-').trim();
  const bytes = encoder.encode(bare);
  const bits = numberBits(bytes, 0, bytes.length) || dividedBits(bare);
  if (bits === 0) return null;
  let reason: string | null = null;
  const word = sign?.toLowerCase().trim();
  if (word !== undefined && underWords.has(word)) reason = reasons.under;
  else if (word !== undefined && atMostWords.has(word)) reason = reasons.atMost;
  else if (sign !== undefined || end === '+') reason = reasons.atLeast;
  else if (end === '-') reason = reasons.atMost;
  return { number: bare, bits, affix: before + after, reason };
}

/** Works out over all its values what a column holds. */
export class ValueSurvey {
  private can: number = anything;
  private reads: number = Reads.Point | Reads.Comma | Reads.WholePoint | Reads.WholeComma;
  private numbers = 0;
  private others = 0;
  private surePoint = 0;
  private sureComma = 0;
  private unsure = 0;
  private affix: string | null = null;
  private dots = 0;
  private firstText = '';
  private width = -1;
  private digits = true;
  private zeroLed = false;
  private negatives = 0;
  private readonly doubtful = new Map<number, number>();
  private readonly marks = new MarkList();
  private readonly own: ReadonlyMap<string, string>;

  /** `own`: marks that the user or the file names, text → reason; they go before those that everybody uses. */
  constructor(own: ReadonlyMap<string, string> = new Map()) {
    this.own = own;
  }

  /** Values that were neither blank nor marks. */
  get values(): number {
    return this.numbers + this.others;
  }

  seeText(text: string): void {
    const bytes = encoder.encode(text.length > 100 ? 'a long text' : text);
    this.see(bytes, 0, bytes.length);
  }

  /** Looks at one value. White space around it does not count; without anything else it is blank. */
  see(bytes: Uint8Array, from: number, to: number): void {
    let start = from;
    let end = to;
    while (start < end && bytes[start] === 32) start++;
    while (end > start && bytes[end - 1] === 32) end--;
    if (start === end) return;
    if (this.can === 0) {
      this.others++;
      if (this.digits) this.seeDigits(bytes, start, end);
      return;
    }
    if (this.can & Can.Number) {
      const first = bytes[start];
      if (
        !(this.own.size > 0 || (first === 45 && alike(bytes, start, end))) ||
        !this.seeMark(bytes, start, end)
      ) {
        const bits = numberBits(bytes, start, end);
        if (bits === 0) {
          this.seeOther(bytes, start, end);
          return;
        }
        this.seeNumber(bits, bytes, start, end, '');
      } else return;
    } else {
      const can = this.can & this.elsewhere(bytes, start, end);
      // A date is no mark; what fits nothing may be one.
      if (can === 0 && this.seeMark(bytes, start, end)) return;
      this.others++;
      this.can = can;
      return;
    }
    if (this.digits) this.seeDigits(bytes, start, end);
    this.can &= this.elsewhere(bytes, start, end);
  }

  private seeNumber(bits: number, bytes: Uint8Array, start: number, end: number, affix: string): void {
    this.numbers++;
    if (this.affix === null) this.affix = affix;
    else if (this.affix !== affix) this.can &= ~Can.Number;
    const ways = bits & (Reads.Point | Reads.Comma);
    if (bits !== 15) {
      if (ways === Reads.Point) {
        this.surePoint++;
        this.dots++;
      } else if (ways === Reads.Comma) this.sureComma++;
      else {
        this.unsure++;
        if (bits & Reads.WholeComma && !(bits & Reads.WholePoint)) this.dots++;
      }
      this.reads &= bits;
      if ((this.reads & (Reads.Point | Reads.Comma)) === 0) this.can &= ~Can.Number;
    }
    if (bytes[start] === 45) this.seeNegative(bytes, start, end);
  }

  private seeNegative(bytes: Uint8Array, start: number, end: number): void {
    let k = start + 1;
    while (k < end && bytes[k] === 57) k++;
    if (k === end && end - start <= 8) {
      const number = -(10 ** (end - start - 1) - 1);
      this.doubtful.set(number, (this.doubtful.get(number) ?? 0) + 1);
    } else this.negatives++;
  }

  /** Digits of one length are perhaps a code. */
  private seeDigits(bytes: Uint8Array, start: number, end: number): void {
    for (let k = start; k < end; k++) {
      if (bytes[k] < 48 || bytes[k] > 57) {
        this.digits = false;
        return;
      }
    }
    if (bytes[start] === 48 && end - start > 1) this.zeroLed = true;
    if (this.width === -1) this.width = end - start;
    else if (this.width !== end - start) this.width = 0;
  }

  /** True when the value is a mark; then it is counted as one. */
  private seeMark(bytes: Uint8Array, start: number, end: number): boolean {
    if (end - start > longestMark) return false;
    const text = decodeText(bytes, start, end);
    const reason = this.own.get(markSpelling(text)) ?? knownReason(text);
    return reason !== undefined && this.marks.number(text, reason) > 0;
  }

  /** A value that is no bare number: a mark, a number with something around it, or anything else. */
  private seeOther(bytes: Uint8Array, start: number, end: number): void {
    if (end - start <= 40) {
      const text = decodeText(bytes, start, end);
      const reason = this.own.get(markSpelling(text)) ?? knownReason(text);
      if (reason !== undefined && this.marks.number(text, reason) > 0) return;
      const dressed = dressedNumber(text);
      if (dressed !== null) {
        if (dressed.reason === null || this.marks.number(text, dressed.reason) > 0) {
          this.digits = false;
          this.can &= Can.Number;
          if (dressed.reason !== reasons.under)
            this.seeNumber(dressed.bits, bytes, start, end, dressed.affix);
          return;
        }
      }
      if (this.firstText === '') this.firstText = text;
    } else if (this.firstText === '') this.firstText = `${decodeText(bytes, start, start + 39)}…`;
    this.others++;
    if (this.digits) this.seeDigits(bytes, start, end);
    this.can &= ~Can.Number;
    this.can &= this.elsewhere(bytes, start, end);
  }

  /** Bits of what the value could be besides a number. */
  private elsewhere(bytes: Uint8Array, start: number, end: number): number {
    let can = Can.Number as number;
    const { can: before } = this;
    if ((before & ~Can.Number) === 0) return can;
    const length = end - start;
    const c = bytes[start];
    if (before & Can.Boolean) {
      if (
        ((c | 32) === 116 && length === 4 && sameWord(bytes, start, 'true')) ||
        ((c | 32) === 102 && length === 5 && sameWord(bytes, start, 'false'))
      )
        return can | Can.Boolean;
    }
    if (c < 48 || c > 57 || length < 8 || length > 40) return can;
    if (length === 10 && bytes[start + 4] === 45) {
      const iso = before & Can.Date && !Number.isNaN(dateFromBytes(bytes, start, end));
      return iso ? can | Can.Date : can;
    }
    const text = decodeText(bytes, start, end);
    if (before & Can.Timestamp && !Number.isNaN(parseTimestamp(text))) can |= Can.Timestamp;
    if (before & (Can.DayFirst | Can.MonthFirst)) {
      if (!Number.isNaN(dateFromNumbers(text, false))) can |= Can.DayFirst;
      if (!text.includes('.') && !Number.isNaN(dateFromNumbers(text, true))) can |= Can.MonthFirst;
    }
    return can;
  }

  /** Evidence for decimal points and commas that leaves no doubt; for the file as a whole. */
  get evidence(): { point: number; comma: number } {
    return { point: this.surePoint, comma: this.sureComma };
  }

  /**
   * How to read the column.
   * @param commas other columns of the file have decimal commas for sure
   * @param called the column's name: `ward_code` keeps digits of one length as they are
   */
  reading(commas = false, called = ''): { reading: Reading; remarks: Remarks } {
    const remarks: Remarks = {
      ambiguousDates: false,
      ambiguousNumbers: false,
      doubtful: [],
      mixed: null,
    };
    const reading: Reading = { ...plainText };
    const marked = { ...reading, marks: this.marks.list };
    if (this.values === 0) return { reading, remarks };
    if (this.can & Can.Number) {
      if (codeName.test(called) && this.digits && this.width > 2 && this.marks.list.length === 0)
        return { reading: { ...reading, code: true }, remarks };
      const both = (this.reads & 3) === 3;
      // 1.234 alone is a number with a fraction, 1,234 alone one with thousands.
      const comma = both ? commas && this.unsure > 0 : (this.reads & Reads.Comma) !== 0;
      remarks.ambiguousNumbers =
        both && this.unsure > 0 && this.dots === 0 && !commas && this.surePoint === 0;
      const whole = this.reads & (comma ? Reads.WholeComma : Reads.WholePoint);
      if (this.negatives === 0 && this.numbers > 1)
        for (const [number, times] of this.doubtful)
          if (doubtfulNumbers.includes(number) && times < this.numbers)
            remarks.doubtful.push({ number, times });
      return {
        reading: { ...marked, type: whole ? 'integer' : 'real', comma, affix: this.affix ?? '' },
        remarks,
      };
    }
    if (this.can & Can.Boolean) return { reading: { ...marked, type: 'boolean' }, remarks };
    if (this.can & Can.Date) return { reading: { ...marked, type: 'date' }, remarks };
    if (this.can & Can.Timestamp) return { reading: { ...marked, type: 'timestamp' }, remarks };
    const order = this.can & (Can.DayFirst | Can.MonthFirst);
    if (order === Can.DayFirst) return { reading: { ...marked, type: 'date', dates: 'day first' }, remarks };
    if (order === Can.MonthFirst)
      return { reading: { ...marked, type: 'date', dates: 'month first' }, remarks };
    remarks.ambiguousDates = order !== 0;
    if (this.numbers > 0 && this.others > 0 && this.numbers > 4 * this.others)
      remarks.mixed = { numbers: this.numbers, text: this.firstText };
    const short = this.others > 0 && codeName.test(called);
    return { reading: { ...reading, code: (this.digits && this.zeroLed) || short }, remarks };
  }
}

/** Marks are numbers of like digits: most negative numbers show with their second one that they are none. */
function alike(bytes: Uint8Array, start: number, end: number): boolean {
  if (end - start < 4) return true;
  const digit = bytes[start + 1];
  const next = bytes[start + 2];
  return next === digit || next < 48 || next > 57;
}

function sameWord(bytes: Uint8Array, start: number, text: string): boolean {
  for (let k = 0; k < text.length; k++) if ((bytes[start + k] | 32) !== text.charCodeAt(k)) return false;
  return true;
}

/** `31.12.2024`, `31/12/2024`, `12/31/2024` → days since 1970-01-01; NaN when it is none. */
export function dateFromNumbers(text: string, monthFirst: boolean): number {
  const found = dateNumbers.exec(text);
  if (found === null) return NaN;
  const [day, month] = monthFirst ? [found[3], found[1]] : [found[1], found[3]];
  return daysOf(+found[4], +month, +day);
}

/** What of a reading travels with the field. */
export function fieldOf(name: string, reading: Reading): Field {
  const field: Field = { name, type: reading.type };
  if (reading.code) field.role = 'code';
  if (reading.affix !== '') field.unit = reading.affix;
  if (reading.marks.length > 0) field.marks = reading.marks;
  return field;
}
