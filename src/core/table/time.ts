const dayLength = 86_400_000;

/** Days since 1970-01-01 → `2024-05-01`. */
export function dateText(days: number): string {
  return new Date(days * dayLength).toISOString().slice(0, 10);
}

/** Milliseconds since 1970-01-01T00:00Z → `2024-05-01T10:00:00Z` (with milliseconds only when there are any). */
export function timestampText(milliseconds: number): string {
  return new Date(milliseconds).toISOString().replace('.000Z', 'Z');
}

const datePattern = /^(\d{4})-(\d{2})-(\d{2})$/;
const timestampPattern =
  /^(\d{4})-(\d{2})-(\d{2})[T ](\d{2}):(\d{2})(?::(\d{2})(\.\d{1,9})?)?(Z|[+-]\d{2}:?\d{2})$/;

/** `2024-05-01` → days since 1970-01-01; NaN when the text is no such date. */
export function parseDate(text: string): number {
  const found = datePattern.exec(text);
  if (found === null) return NaN;
  const [, year, month, day] = found;
  const time = Date.UTC(+year, +month - 1, +day);
  const date = new Date(time);
  return date.getUTCMonth() === +month - 1 && date.getUTCDate() === +day ? time / dayLength : NaN;
}

/** ISO 8601 date and time with a zone → milliseconds since 1970-01-01T00:00Z; NaN when the text is none. */
export function parseTimestamp(text: string): number {
  const found = timestampPattern.exec(text);
  if (found === null || Number.isNaN(parseDate(text.slice(0, 10)))) return NaN;
  const [, , , , hour, minute, second] = found;
  if (+hour > 23 || +minute > 59 || +(second ?? 0) > 59) return NaN;
  return Date.parse(text.replace(' ', 'T').replace(/([+-]\d{2})(\d{2})$/, '$1:$2'));
}
