import { IsomericError } from '../errors.ts';
import type { Batch } from '../layer/batch.ts';
import { type Compiled, compileExpression } from './cql2/evaluate.ts';
import type { ExpressionContext } from './cql2/node.ts';
import { marginOfSum } from './margins.ts';
import type { Schema } from './schema.ts';

/** Names of the aggregates that `groupRows` computes. */
export const aggregateNames = ['count', 'sum', 'mean', 'least', 'greatest', 'median'] as const;
type AggregateName = (typeof aggregateNames)[number];

/** `sum(households)`, `mean(age, persons)` (weighted), `count()`. */
export interface Aggregate {
  name: AggregateName;
  value: Compiled | null;
  weight: Compiled | null;
  text: string;
}

/** Parses an aggregate; its arguments are CQL2 expressions over the rows. */
export function parseAggregate(
  text: string,
  schema: Schema,
  of: string,
  context: ExpressionContext = {},
): Aggregate {
  const found = /^\s*([a-z]+)\s*\(([\s\S]*)\)\s*$/i.exec(text);
  const name = found?.[1].toLowerCase() as AggregateName;
  if (found === null || !aggregateNames.includes(name)) {
    throw new IsomericError('aggregate-syntax', `“${text}” sums nothing up.`, {
      blame: 'usage',
      advice: `Write one of ${aggregateNames.map((each) => `${each}(…)`).join(', ')}, for example sum(households), or mean(share, households) for a weighted mean.`,
    });
  }
  const parts = splitAtCommas(found[2]);
  const wanted = name === 'count' ? [0, 1] : name === 'mean' ? [1, 2] : [1];
  if (!wanted.includes(parts.length))
    throw new IsomericError(
      'aggregate-syntax',
      `${name} cannot have ${parts.length} parts in its brackets.`,
      {
        blame: 'usage',
      },
    );
  const [value, weight] = parts.map((part) => compileExpression(part, schema, of, context));
  for (const part of [value, weight])
    if (part !== undefined && part.kind !== 'number' && name !== 'count')
      throw new IsomericError('expression-type', `${text}: a number is needed, not ${part.kind}.`, {
        blame: 'usage',
      });
  return { name, value: value ?? null, weight: weight ?? null, text };
}

/** Splits at commas outside brackets and quotes. */
function splitAtCommas(text: string): string[] {
  if (text.trim() === '') return [];
  const parts: string[] = [];
  let depth = 0;
  let quote = '';
  let from = 0;
  for (let k = 0; k < text.length; k++) {
    const c = text[k];
    if (quote !== '') {
      if (c === quote) quote = '';
    } else if (c === "'" || c === '"') quote = c;
    else if (c === '(') depth++;
    else if (c === ')') depth--;
    else if (c === ',' && depth === 0) {
      parts.push(text.slice(from, k));
      from = k + 1;
    }
  }
  parts.push(text.slice(from));
  return parts;
}

/** Gathers one aggregate for all groups. Sums are compensated (Neumaier), so that their order does not matter. */
export class Gatherer {
  private readonly aggregate: Aggregate;
  private readonly sums: number[] = [];
  private readonly rests: number[] = [];
  private readonly weights: number[] = [];
  private readonly counts: number[] = [];
  /** Rows of the group whose value is blank. */
  readonly blanks: number[] = [];
  private readonly values: number[][] = [];
  private readonly margins: { margins: number[]; estimates: number[]; known: boolean }[] = [];
  private read: (i: number) => unknown = () => null;
  private readWeight: ((i: number) => unknown) | null = null;
  private readMargin: ((i: number) => unknown) | null = null;

  constructor(aggregate: Aggregate) {
    this.aggregate = aggregate;
  }

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

  add(group: number, i: number): void {
    if (group >= this.counts.length) this.start();
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
    if (name === 'count') return;
    const number = value as number;
    if (name === 'least')
      this.sums[group] = this.counts[group] === 1 ? number : Math.min(this.sums[group], number);
    else if (name === 'greatest')
      this.sums[group] = this.counts[group] === 1 ? number : Math.max(this.sums[group], number);
    else if (name === 'median') this.values[group].push(number);
    else {
      this.plus(group, number * (weight as number));
      this.weights[group] += weight as number;
    }
    if (this.readMargin === null) return;
    const margin = this.readMargin(i);
    const own = this.margins[group];
    if (margin === null) own.known = false;
    else {
      own.margins.push(margin as number);
      own.estimates.push(number);
    }
  }

  private start(): void {
    this.sums.push(0);
    this.rests.push(0);
    this.weights.push(0);
    this.counts.push(0);
    this.blanks.push(0);
    this.values.push([]);
    this.margins.push({ margins: [], estimates: [], known: true });
  }

  private plus(group: number, value: number): void {
    const sum = this.sums[group];
    const next = sum + value;
    this.rests[group] += Math.abs(sum) >= Math.abs(value) ? sum - next + value : value - next + sum;
    this.sums[group] = next;
  }

  /** The result for a group; null when it has no value (a mean of nothing, a division by weights of zero). */
  result(group: number): number | null {
    const { name } = this.aggregate;
    const count = this.counts[group];
    if (name === 'count') return count;
    if (count === 0) return null;
    if (name === 'least' || name === 'greatest') return this.sums[group];
    if (name === 'median') {
      const sorted = Float64Array.from(this.values[group]).sort();
      const middle = sorted.length >> 1;
      return sorted.length % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
    }
    const sum = this.sums[group] + this.rests[group];
    if (name === 'sum') return sum;
    const mean = sum / this.weights[group];
    return Number.isFinite(mean) ? mean : null;
  }

  margin(group: number): number | null {
    const { margins, estimates, known } = this.margins[group];
    if (!known || margins.length === 0) return null;
    const margin = marginOfSum(margins, estimates);
    return this.aggregate.name === 'mean' ? margin / margins.length : margin;
  }
}
