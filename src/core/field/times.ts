import { IsomericError } from '../errors.ts';
import type { Column } from '../table/column.ts';
import type { Field } from '../table/schema.ts';
import { parseTimestamp } from '../table/time.ts';

/** A time in a column of time stamps, or of texts that are such (ISO 8601 with a zone); NaN where there is none. */
export function timeIn(column: Column, i: number): number {
  if (column.type === 'timestamp') return column.number(i);
  const text = column.text(i);
  return text === null ? Number.NaN : parseTimestamp(text);
}

/** Refuses fields that cannot hold times. @throws IsomericError `motion-times` */
export function requireTimes(field: Field, of: string): void {
  if (field.type !== 'timestamp' && field.type !== 'text') throw noTimes(field, of);
}

/** That none of the values is a time. */
export function noTimes({ name }: Field, of: string): IsomericError {
  return new IsomericError('motion-times', `${name} of ${of} holds no times.`, {
    place: { field: name },
    advice: 'Name the field with “time”; times need a date and a zone (2024-06-14T09:30:00Z).',
    blame: 'usage',
  });
}
