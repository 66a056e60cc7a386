import type { Crs } from '../../crs/crs.ts';
import type { Batch } from '../../layer/batch.ts';
import type { FieldType } from '../schema.ts';

/** Kinds of value inside expressions; dates are days, time stamps milliseconds. */
export type Kind = 'number' | 'text' | 'boolean' | 'date' | 'timestamp' | 'null';
export type Cell = number | string | boolean | null;
export type Reader = (i: number) => Cell;
export type Binder = (batch: Batch) => Reader;

/** What the values of a field are in expressions. */
export const kindOfType: Record<FieldType, Kind> = {
  integer: 'number',
  real: 'number',
  text: 'text',
  boolean: 'boolean',
  date: 'date',
  timestamp: 'timestamp',
  bytes: 'text',
  json: 'text',
};

export const kindWords: Record<Kind, string> = {
  number: 'a number',
  text: 'text',
  boolean: 'true or false',
  date: 'a date',
  timestamp: 'a time',
  null: 'NULL',
};

/** A part of an expression, checked, ready to be bound to batches. */
export interface Node {
  kind: Kind;
  /** True when every result is a whole number. */
  whole: boolean;
  bind: Binder;
  /** Its margin of error; null where it has none. */
  margin: Binder | null;
  /** Name of the field, when it is nothing else. */
  field?: string;
}

/** What expressions may need to know besides the rows. */
export interface ExpressionContext {
  /** CRS of the layer; undefined for tables without geometry. */
  crs?: Crs | null;
  /** Level of confidence of margins of error, per cent. */
  confidence?: number;
}

export function node(kind: Kind, bind: Binder): Node {
  return { kind, whole: false, bind, margin: null };
}

/** A number from numbers; blank when one of them is, or when the result is no number (a division by zero). */
export function numberFromNumbers(args: readonly Node[], compute: (...values: number[]) => number): Binder {
  return (batch) => {
    const readers = args.map((arg) => arg.bind(batch));
    const values = new Array<number>(args.length);
    return (i) => {
      for (let k = 0; k < readers.length; k++) {
        const value = readers[k](i);
        if (value === null) return null;
        values[k] = value as number;
      }
      const result = compute(...values);
      return Number.isFinite(result) ? result : null;
    };
  };
}

/**
 * The margin of a result from the values of its arguments and their margins; an argument without one is exact. Null
 * when none of them has one.
 */
export function marginFrom(
  args: readonly Node[],
  compute: (values: readonly number[], margins: readonly number[]) => number,
): Binder | null {
  if (args.every((arg) => arg.margin === null)) return null;
  return (batch) => {
    const readers = args.map((arg) => arg.bind(batch));
    const margins = args.map((arg) => arg.margin?.(batch) ?? (() => 0));
    const values = new Array<number>(args.length);
    const errors = new Array<number>(args.length);
    return (i) => {
      for (let k = 0; k < readers.length; k++) {
        const value = readers[k](i);
        const error = margins[k](i);
        if (value === null || error === null) return null;
        values[k] = value as number;
        errors[k] = error as number;
      }
      const result = compute(values, errors);
      return Number.isFinite(result) ? result : null;
    };
  };
}
