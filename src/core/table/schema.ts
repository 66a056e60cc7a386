import { IsomericError } from '../errors.ts';
import { suggest } from '../nearest.ts';
import type { Mark } from './marks.ts';

/** The types of fields. */
export const fieldTypes = [
  'integer',
  'real',
  'text',
  'boolean',
  'date',
  'timestamp',
  'bytes',
  'json',
] as const;

/**
 * - `integer`: whole numbers within ±2⁵³ (longer ones are kept as text, to the last digit)
 * - `date`: days since 1970-01-01; `timestamp`: milliseconds since 1970-01-01T00:00Z
 * - `json`: text that holds JSON
 */
export type FieldType = (typeof fieldTypes)[number];

/** A column: its name, its type, and what is known of it. */
export interface Field {
  name: string;
  type: FieldType;
  /** Readable title; falls back to the name. */
  title?: string;
  unit?: string;
  description?: string;
  /** Code → meaning. */
  codes?: Record<string, string>;
  /** What the column was called when it came, if it is called otherwise now. */
  code?: string;
  /** Whom or what is counted: `Households in private dwellings`. */
  universe?: string;
  /** The provider's table that it comes from. */
  table?: string;
  concept?: string;
  /** `code`: values name things (units, classes) and keep their zeros; `margin`: a margin of error. */
  role?: 'code' | 'margin';
  /**
   * The field holds the ids of the features (`Batch.ids`): `given` by the source, or a `numbering` (1, 2, 3 …) that
   * says no more than their order did.
   */
  featureId?: 'given' | 'numbering';
  /** Name of the field that holds this estimate's margin of error. */
  margin?: string;
  /** Marks in place of values; a column's `marks` holds numbers into this list, from 1. */
  marks?: readonly Mark[];
}

/** The fields of a table, in order. */
export type Schema = readonly Field[];

/** Place of a field by its name; -1 when there is none. */
export function fieldIndex(schema: Schema, name: string): number {
  return schema.findIndex((field) => field.name === name);
}

/** The field's number in the schema; an error with the nearest right name when there is none. */
export function requireField(schema: Schema, name: string, of: string): number {
  const index = fieldIndex(schema, name);
  if (index >= 0) return index;
  throw new IsomericError('field-unknown', `There is no field “${name}” in ${of}.`, {
    advice: suggest(
      name,
      schema.map((field) => field.name),
    ),
    blame: 'usage',
    wrong: name,
  });
}

/** What people read for a field: its title with its unit, or its name. */
export function fieldTitle(field: Field): string {
  return field.title ?? field.name;
}

/** A name like `wanted` that no field has yet: `code`, `code_2`, `code_3` … */
export function freeName(wanted: string, taken: Iterable<string>): string {
  const names = new Set(taken);
  if (!names.has(wanted)) return wanted;
  let n = 2;
  while (names.has(`${wanted}_${n}`)) n++;
  return `${wanted}_${n}`;
}
