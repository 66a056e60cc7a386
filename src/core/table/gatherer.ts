import { ExactSums } from '../exact-sum.ts';
import type { Batch } from '../layer/batch.ts';
import type { Aggregate } from './aggregates.ts';
import { marginOfSum } from './margins.ts';

/** Different values that a list names; more are counted. */
const mostListed = 1000;

/** Gathers one aggregate for all groups. The order of the rows does not matter. */
export class Gatherer {
  private readonly sums = new ExactSums();
  /** Least or greatest value of each group. */
  private readonly ends: number[] = [];
  private readonly weights: number[] = [];
  private readonly counts: number[] = [];
  /** Rows of the group whose value is blank. */
  readonly blanks: number[] = [];
  private readonly values: number[][] = [];
  private readonly texts: Map<string, number>[] = [];
  private readonly margins: { margins: number[]; estimates: number[]; known: boolean }[] = [];
  private read: (i: number) => unknown = () => null;
  private readWeight: ((i: number) => unknown) | null = null;
  private readMargin: ((i: number) => unknown) | null = null;

  constructor(private readonly aggregate: Aggregate) {}

  get hasMargin(): boolean {
    const { name, value, weight } = this.aggregate;
    return (name === 'sum' || (name === 'mean' && weight === null)) && value?.margin != null;
  }

  bind(batch: Batch): void {
    const { value, weight } = this.aggregate;
    if (value !== null) this.read = value.bind(batch);
    this.readWeight = weight === null ? null : weight.bind(batch);
    this.readMargin = this.hasMargin ? value!.margin!(batch) : null;
  }

  /**
   * Adds a row to a group.
   *
   * @param share the part of the row that belongs to the group: sums take so much of it, means weigh it so
   */
  add(group: number, i: number, share = 1): void {
    while (group >= this.counts.length) this.start();
    const { name, value: compiled } = this.aggregate;
    if (compiled === null) {
      this.counts[group]++;
      return;
    }
    const value = this.read(i);
    const weight = this.readWeight === null ? 1 : this.readWeight(i);
    if (value === null || weight === null) {
      this.blanks[group]++;
      return;
    }
    this.counts[group]++;
    switch (name) {
      case 'count':
        return;
      case 'list':
      case 'distinct':
      case 'commonest':
        this.text(group, String(value));
        return;
      case 'share':
        this.sums.add(group, value === true ? (weight as number) * share : 0);
        this.weights[group] += (weight as number) * share;
        return;
      default:
        this.number(group, value as number, (weight as number) * share, share);
    }
    if (this.readMargin !== null) this.carryMargin(group, i, value as number, share);
  }

  private number(group: number, number: number, weight: number, share: number): void {
    const { name } = this.aggregate;
    const first = this.counts[group] === 1;
    if (name === 'least') this.ends[group] = first ? number : Math.min(this.ends[group], number);
    else if (name === 'greatest') this.ends[group] = first ? number : Math.max(this.ends[group], number);
    else if (name === 'median' || name === 'deviation') this.values[group].push(number);
    else {
      this.sums.add(group, number * (name === 'sum' ? share : weight));
      this.weights[group] += weight;
    }
  }

  private text(group: number, text: string): void {
    const texts = this.texts[group];
    texts.set(text, (texts.get(text) ?? 0) + 1);
  }

  private carryMargin(group: number, i: number, estimate: number, share: number): void {
    const margin = this.readMargin!(i);
    const own = this.margins[group];
    if (margin === null) own.known = false;
    else {
      own.margins.push((margin as number) * share);
      own.estimates.push(estimate * share);
    }
  }

  private start(): void {
    this.weights.push(0);
    this.counts.push(0);
    this.blanks.push(0);
    this.values.push([]);
    this.texts.push(new Map());
    this.margins.push({ margins: [], estimates: [], known: true });
  }

  /** The result for a group; null when it has no value (a mean of nothing, a division by weights of zero). */
  result(group: number): number | string | null {
    while (group >= this.counts.length) this.start();
    const { name } = this.aggregate;
    const count = this.counts[group] ?? 0;
    if (name === 'count') return count;
    if (name === 'distinct') return this.texts[group]?.size ?? 0;
    if (count === 0) return name === 'sum' && (this.blanks[group] ?? 0) === 0 && this.empties ? 0 : null;
    if (name === 'list' || name === 'commonest') return this.ofTexts(group);
    if (name === 'least' || name === 'greatest') return this.ends[group];
    if (name === 'median') return medianOf(this.values[group]);
    if (name === 'deviation') return deviationOf(this.values[group]);
    const sum = this.sums.of(group);
    if (name === 'sum') return sum;
    const mean = (sum / this.weights[group]) * (name === 'share' ? 100 : 1);
    return Number.isFinite(mean) ? mean : null;
  }

  /** Are there groups without a single row? A sum over nothing is then 0. */
  empties = false;

  private ofTexts(group: number): string {
    const texts = [...this.texts[group]].sort(([a], [b]) => (a < b ? -1 : 1));
    if (this.aggregate.name === 'commonest')
      return texts.reduce((most, each) => (each[1] > most[1] ? each : most))[0];
    const named = texts.slice(0, mostListed).map(([text]) => text);
    return `${named.join('; ')}${texts.length > mostListed ? `; and ${texts.length - mostListed} more` : ''}`;
  }

  margin(group: number): number | null {
    const own = this.margins[group];
    if (own === undefined || !own.known || own.margins.length === 0) return null;
    const margin = marginOfSum(own.margins, own.estimates);
    return this.aggregate.name === 'mean' ? margin / own.margins.length : margin;
  }
}

/** The middle of some values; the mean of the two in the middle where their number is even. */
export function medianOf(values: readonly number[]): number {
  const sorted = Float64Array.from(values).sort();
  const middle = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}

/** Standard deviation of a whole population: √(Σ (x − mean)² / n), in two passes. */
export function deviationOf(values: readonly number[]): number {
  const mean = values.reduce((sum, value) => sum + value, 0) / values.length;
  return Math.sqrt(values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / values.length);
}
