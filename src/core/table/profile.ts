import type { Column } from './column.ts';
import type { Field } from './schema.ts';
import { dateText, timestampText } from './time.ts';

/** Different values that are counted each; columns with more have “many”. */
const mostDistinct = 10_000;
/** Numbers that are kept for quantiles; of more, every second, fourth, eighth … is kept. */
const mostKept = 1 << 20;

/** What is in a column: how many values, blanks, different ones, the least and greatest, the most frequent. */
export interface ColumnProfile {
  field: Field;
  rows: number;
  /** Rows without a value. */
  blank: number;
  /** Why values are blank or bounds: reason, the mark that was written, how often. */
  reasons: { reason: string; mark: string; times: number }[];
  /** Number of different values; null when there are more than are counted. */
  distinct: number | null;
  /** Values with their counts, the most frequent first; of columns with many, those that came up first. */
  values: { value: string; times: number }[];
  /** Of numbers, dates and times. */
  least: number | null;
  greatest: number | null;
  mean: number | null;
  /** 10, 25, 50, 75 and 90 per cent. */
  quantiles: number[];
  /** True when quantiles and histogram are of all values, not of a part. */
  exact: boolean;
  /** Counts of values in parts of equal width from least to greatest. */
  histogram: number[];
}

/** Shares of the values below which the quantiles of a profile lie. */
export const quantileShares = [0.1, 0.25, 0.5, 0.75, 0.9] as const;

/** Gathers what there is to say of one column while batches go by. */
export class ColumnProfiler {
  private readonly field: Field;
  private rows = 0;
  private blank = 0;
  private readonly marked = new Map<number, number>();
  private readonly counts = new Map<string, number>();
  private many = false;
  private kept: Float64Array;
  private used = 0;
  private every = 1;
  private seen = 0;
  private least = Number.POSITIVE_INFINITY;
  private greatest = Number.NEGATIVE_INFINITY;
  private sum = 0;

  constructor(field: Field) {
    this.field = field;
    this.kept = new Float64Array(1024);
  }

  /** Looks at the values of one batch. */
  see(column: Column): void {
    const { counts } = this;
    const numeric = column.numbers !== null && column.type !== 'boolean';
    const asNumbers = new Map<number, number>();
    for (let i = 0; i < column.length; i++) {
      const mark = column.marks?.[i] ?? 0;
      if (mark > 0) this.marked.set(mark, (this.marked.get(mark) ?? 0) + 1);
      if (column.isNull(i)) {
        this.blank++;
        continue;
      }
      if (numeric) {
        const value = column.numbers![i];
        this.number(value);
        if (!this.many) asNumbers.set(value, (asNumbers.get(value) ?? 0) + 1);
      } else if (!this.many || counts.size < mostDistinct) this.count(column.text(i)!, 1);
    }
    for (const [value, times] of asNumbers) this.count(this.text(value), times);
    this.rows += column.length;
  }

  private count(text: string, times: number): void {
    const before = this.counts.get(text);
    if (before !== undefined) this.counts.set(text, before + times);
    else if (this.counts.size < mostDistinct) this.counts.set(text, times);
    else this.many = true;
  }

  private text(value: number): string {
    if (this.field.type === 'date') return dateText(value);
    return this.field.type === 'timestamp' ? timestampText(value) : String(value);
  }

  private number(value: number): void {
    if (Number.isNaN(value)) return;
    if (value < this.least) this.least = value;
    if (value > this.greatest) this.greatest = value;
    this.sum += value;
    if (this.seen++ % this.every !== 0) return;
    if (this.used === this.kept.length) {
      if (this.used < mostKept) {
        const larger = new Float64Array(this.used * 2);
        larger.set(this.kept);
        this.kept = larger;
      } else {
        for (let k = 0; 2 * k < this.used; k++) this.kept[k] = this.kept[2 * k];
        this.used >>= 1;
        this.every *= 2;
        if ((this.seen - 1) % this.every !== 0) return;
      }
    }
    this.kept[this.used++] = value;
  }

  /** The profile of all that was seen. */
  close(bins = 12): ColumnProfile {
    const { field } = this;
    const sorted = this.kept.slice(0, this.used).sort();
    const values = [...this.counts].map(([value, times]) => ({ value, times }));
    // Of equals the order in which they came.
    values.sort((a, b) => b.times - a.times);
    const some = sorted.length > 0;
    return {
      field,
      rows: this.rows,
      blank: this.blank,
      reasons: [...this.marked]
        .map(([mark, times]) => ({
          reason: field.marks?.[mark - 1]?.reason ?? 'marked',
          mark: field.marks?.[mark - 1]?.text ?? '',
          times,
        }))
        .sort((a, b) => b.times - a.times),
      distinct: this.many ? null : this.counts.size,
      values,
      least: some ? this.least : null,
      greatest: some ? this.greatest : null,
      mean: some && field.type !== 'date' && field.type !== 'timestamp' ? this.sum / this.seen : null,
      quantiles: some ? quantileShares.map((share) => quantileOf(sorted, share)) : [],
      exact: this.every === 1,
      histogram: some ? histogramOf(sorted, this.least, this.greatest, bins) : [],
    };
  }
}

/** Linear interpolation between order statistics (definition 7 of Hyndman and Fan, 1996). */
export function quantileOf(sorted: Float64Array, share: number): number {
  const at = (sorted.length - 1) * share;
  const below = Math.floor(at);
  const above = Math.min(sorted.length - 1, below + 1);
  return sorted[below] + (sorted[above] - sorted[below]) * (at - below);
}

function histogramOf(sorted: Float64Array, least: number, greatest: number, bins: number): number[] {
  const counts = new Array<number>(bins).fill(0);
  const width = greatest - least;
  for (const value of sorted) {
    const bin = width > 0 ? Math.min(bins - 1, Math.floor(((value - least) / width) * bins)) : 0;
    counts[bin]++;
  }
  return counts;
}
