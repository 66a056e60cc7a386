const dayLength = 86_400_000;
const daysOfTurn = 146_097;

/** The last day that the language's own calendar knows, before and after 1970-01-01 (ECMA-262, section 21.4.1.1). */
const lastDay = 100_000_000;

/** Days since 1970-01-01 → `2024-05-01`; years of more than four digits are expanded: `+012345-01-01` (ISO 8601-1, 5.2.2.3). */
export function dateText(days: number): string {
  if (!Number.isFinite(days)) return String(days);
  // Files may hold any number of days: the calendar comes round every 400 years.
  const turns = Math.abs(days) < lastDay ? 0 : Math.floor(days / daysOfTurn);
  const [text] = new Date((days - turns * daysOfTurn) * dayLength).toISOString().split('T');
  if (turns === 0) return text;
  const year = Number(text.slice(0, 4)) + 400 * turns;
  return `${year < 0 ? '-' : '+'}${String(Math.abs(year)).padStart(6, '0')}${text.slice(4)}`;
}

/** Milliseconds since 1970-01-01T00:00Z → `2024-05-01T10:00:00Z` (with milliseconds only when there are any). */
export function timestampText(milliseconds: number): string {
  const days = Math.floor(milliseconds / dayLength);
  if (Math.abs(days) < lastDay) return new Date(milliseconds).toISOString().replace('.000Z', 'Z');
  if (!Number.isFinite(milliseconds)) return String(milliseconds);
  return `${dateText(days)}${new Date(milliseconds - days * dayLength).toISOString().slice(10).replace('.000Z', 'Z')}`;
}

const datePattern = /^(\d{4})-(\d{2})-(\d{2})$/;
const timestampPattern =
  /^(\d{4})-(\d{2})-(\d{2})[T ](\d{2}):(\d{2})(?::(\d{2})(\.\d{1,9})?)?(Z|[+-]\d{2}:?\d{2})$/;

/** `2024-05-01` → days since 1970-01-01; NaN when the text is no such date. */
export function parseDate(text: string): number {
  const found = datePattern.exec(text);
  if (found === null) return NaN;
  return daysOf(+found[1], +found[2], +found[3]);
}

/** ISO 8601 date and time with a zone → milliseconds since 1970-01-01T00:00Z; NaN when the text is none. */
export function parseTimestamp(text: string): number {
  const found = timestampPattern.exec(text);
  if (found === null || Number.isNaN(parseDate(text.slice(0, 10)))) return NaN;
  const [, , , , hour, minute, second] = found;
  if (+hour > 23 || +minute > 59 || +(second ?? 0) > 59) return NaN;
  return Date.parse(text.replace(' ', 'T').replace(/([+-]\d{2})(\d{2})$/, '$1:$2'));
}

const monthLengths = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

/** Days since 1970-01-01 of a day in the proleptic Gregorian calendar; NaN when there is no such day. */
export function daysOf(year: number, month: number, day: number): number {
  if (month < 1 || month > 12 || day < 1) return NaN;
  const leap = (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0;
  if (day > monthLengths[month - 1] + (month === 2 && leap ? 1 : 0)) return NaN;
  // Years begin in March, so that the leap day is their last.
  const y = month <= 2 ? year - 1 : year;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear = Math.floor((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) + day - 1;
  const dayOfEra = yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear;
  return era * daysOfTurn + dayOfEra - 719_468;
}

/** `parseDate` of the ten bytes of an ISO date in `bytes[start … end]`. */
export function dateFromBytes(bytes: Uint8Array, start: number, end: number): number {
  if (end - start !== 10 || bytes[start + 4] !== 45 || bytes[start + 7] !== 45) return NaN;
  let digits = 0;
  for (let k = 0; k < 10; k++) {
    if (k === 4 || k === 7) continue;
    const c = bytes[start + k] - 48;
    if (c < 0 || c > 9) return NaN;
    digits = digits * 10 + c;
  }
  return daysOf(Math.floor(digits / 10_000), Math.floor(digits / 100) % 100, digits % 100);
}
