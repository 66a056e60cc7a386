import { IsomericError } from '../errors.ts';
import { suggest } from '../nearest.ts';

/** The ways in which values are divided into classes. */
export const classMethods = ['equal', 'quantile', 'natural'] as const;
/** How values are divided into classes. */
export type ClassMethod = (typeof classMethods)[number];

/** Class k holds the values above `breaks[k]` up to and including `breaks[k + 1]`; the first also its own lower end. */
export interface Classes {
  method: ClassMethod | 'given';
  breaks: readonly number[];
}

/** Most values that natural breaks are computed over; more are sampled evenly by rank. */
const mostValues = 20_000;

/** Divides values into at most `count` classes; fewer when there are fewer different values. Blanks (NaN) are passed over. */
export function classify(values: ArrayLike<number>, method: ClassMethod, count: number): Classes {
  if (!Number.isInteger(count) || count < 1 || count > 20) {
    throw new IsomericError('class-count', `${count} classes cannot be drawn; ask for 1 to 20.`, {
      blame: 'usage',
    });
  }
  const sorted = Float64Array.from(Array.from(values).filter(Number.isFinite)).sort();
  if (sorted.length === 0) return { method, breaks: [] };
  const least = sorted[0];
  const greatest = sorted[sorted.length - 1];
  if (least === greatest) return { method, breaks: [least, greatest] };
  switch (method) {
    case 'equal':
      return {
        method,
        breaks: Array.from({ length: count + 1 }, (_, k) =>
          k === count ? greatest : least + ((greatest - least) * k) / count,
        ),
      };
    case 'quantile':
      return {
        method,
        breaks: [
          least,
          ...distinct([
            ...Array.from(
              { length: count },
              (_, k) => sorted[Math.ceil(((k + 1) * sorted.length) / count) - 1],
            ),
          ]),
        ],
      };
    default:
      return { method, breaks: naturalBreaks(sorted, count) };
  }
}

/** Classes by hand: the inner limits, or all of them. */
export function givenClasses(limits: readonly number[]): Classes {
  const sorted = distinct([...limits].sort((a, b) => a - b));
  if (sorted.length < 2)
    throw new IsomericError('class-limits', 'Classes by hand need at least two limits.', { blame: 'usage' });
  return { method: 'given', breaks: sorted };
}

function distinct(sorted: readonly number[]): number[] {
  return sorted.filter((value, k) => k === 0 || value !== sorted[k - 1]);
}

/**
 * Natural breaks: the division into classes with the least sum of squared deviations from the class means (Fisher 1958),
 * found exactly by dynamic programming; rows are filled by divide and conquer, since the best cut moves one way only.
 */
function naturalBreaks(all: Float64Array, count: number): number[] {
  const sorted =
    all.length <= mostValues
      ? all
      : Float64Array.from(
          { length: mostValues },
          (_, k) => all[Math.round((k * (all.length - 1)) / (mostValues - 1))],
        );
  const n = sorted.length;
  const different = distinct(Array.from(sorted)).length;
  const classes = Math.min(count, different);
  // Prefix sums about the mean, so that squares do not lose digits.
  const mean = sorted.reduce((sum, value) => sum + value, 0) / n;
  const sums = new Float64Array(n + 1);
  const squares = new Float64Array(n + 1);
  for (let k = 0; k < n; k++) {
    const d = sorted[k] - mean;
    sums[k + 1] = sums[k] + d;
    squares[k + 1] = squares[k] + d * d;
  }
  /** Squared deviations of the values from … end − 1. */
  const cost = (from: number, end: number) => {
    const sum = sums[end] - sums[from];
    return squares[end] - squares[from] - (sum * sum) / (end - from);
  };
  let before = Float64Array.from({ length: n + 1 }, (_, end) => (end === 0 ? 0 : cost(0, end)));
  const cuts: Uint32Array[] = [];
  for (let c = 2; c <= classes; c++) {
    const now = new Float64Array(n + 1).fill(Infinity);
    const cut = new Uint32Array(n + 1);
    const fill = (low: number, high: number, from: number, to: number): void => {
      if (low > high) return;
      const middle = (low + high) >> 1;
      let best = Math.max(from, c - 1);
      for (let k = best; k <= Math.min(to, middle - 1); k++) {
        const value = before[k] + cost(k, middle);
        if (value < now[middle]) {
          now[middle] = value;
          best = k;
        }
      }
      cut[middle] = best;
      fill(low, middle - 1, from, best);
      fill(middle + 1, high, best, to);
    };
    fill(c, n, c - 1, n - 1);
    cuts.push(cut);
    before = now;
  }
  const ends = [n];
  for (let c = cuts.length - 1; c >= 0; c--) ends.unshift(cuts[c][ends[0]]);
  // The first limit stands twice when the least value has a class of its own.
  return [all[0], ...distinct(ends.map((end) => sorted[end - 1]))];
}

/** Number of the class of a value; −1 for blanks and values outside. */
export function classOf(classes: Classes, value: number): number {
  const { breaks } = classes;
  const last = breaks.length - 1;
  if (!(value >= breaks[0] && value <= breaks[last])) return -1;
  for (let k = 1; k <= last; k++) if (value <= breaks[k]) return k - 1;
  return -1;
}

/** `5 natural`, `4 quantile`, `equal` or `10, 20, 40` → what it asks for. */
export function parseClasses(text: string): { method: ClassMethod; count: number } | { limits: number[] } {
  const found = /^\s*(?:(\d+)\s+)?([a-z]+)\s*$/i.exec(text);
  if (found !== null) {
    const method = classMethods.find((known) => known === found[2].toLowerCase());
    if (method !== undefined) return { method, count: Number(found[1] ?? 5) };
    throw new IsomericError('class-method', `There is no way “${found[2]}” to divide into classes.`, {
      blame: 'usage',
      advice: suggest(found[2], classMethods),
      wrong: found[2],
    });
  }
  const limits = text
    .split(/[,;\s]+/)
    .filter((part) => part !== '')
    .map(Number);
  if (limits.length >= 2 && limits.every(Number.isFinite)) return { limits };
  throw new IsomericError('class-method', `“${text}” does not say how to divide into classes.`, {
    blame: 'usage',
    wrong: text,
    advice: 'Write “5 natural”, “4 quantile”, “6 equal”, or limits such as “0, 10, 25, 50”.',
  });
}
