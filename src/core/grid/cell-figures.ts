import { IsomericError } from '../errors.ts';
import { ExactSum } from '../exact-sum.ts';
import { suggest } from '../nearest.ts';

/** Figures of the cells of a unit, by name; `above` takes a bound. */
export const cellFigureNames = [
  'mean',
  'sum',
  'count',
  'least',
  'greatest',
  'median',
  'deviation',
  'above',
  'majority',
  'shares',
  'covered',
] as const;

/** One figure of cells: `mean`, `above 0.5`. */
export interface CellFigure {
  figure: (typeof cellFigureNames)[number];
  bound?: number;
}

/**
 * `mean`, `greatest`, `above 0.5` …
 *
 * @throws IsomericError `cell-figure-unknown`
 */
export function parseCellFigure(text: string): CellFigure {
  const [name, bound, ...more] = text.trim().split(/\s+/);
  const figure = cellFigureNames.find((each) => each === name);
  const value = bound === undefined ? Number.NaN : Number(bound);
  const right = figure === 'above' ? Number.isFinite(value) : bound === undefined;
  if (figure !== undefined && right && more.length === 0)
    return figure === 'above' ? { figure, bound: value } : { figure };
  throw new IsomericError('cell-figure-unknown', `“${text}” is no figure of cells.`, {
    blame: 'usage',
    wrong: text,
    advice: suggest(
      text.split(' ')[0],
      cellFigureNames.map((name) => (name === 'above' ? 'above 0.5' : name)),
    ),
  });
}

/** Different values that shares are told of. */
export const mostCategories = 64;

/** What is gathered of the cells of one unit. Weights are shares of cells, by area where cells differ in size. */
export class CellSums {
  /** Cells with data that the unit covers, shares summed. */
  cells = 0;
  /** Size of the whole unit in cells, also outside of the grid. */
  all = 0;
  private weight = 0;
  private mean = 0;
  private squares = 0;
  private readonly sum = new ExactSum();
  private least = Number.POSITIVE_INFINITY;
  private greatest = Number.NEGATIVE_INFINITY;
  /** Weight above each bound, in the order of `bounds`. */
  private readonly above: Float64Array;
  /** Weight of each value; null when nobody asks for them. */
  private readonly values: Map<number, number> | null;

  constructor(
    private readonly bounds: readonly number[],
    keepsValues: boolean,
  ) {
    this.above = new Float64Array(bounds.length);
    this.values = keepsValues ? new Map() : null;
  }

  /** @param share share of the cell that is covered; @param weight the same, times the size of the cell */
  add(value: number, share: number, weight: number): void {
    if (Number.isNaN(value)) return;
    this.cells += share;
    // Running mean and squares (West 1979), which lose nothing where values are large and near each other.
    this.weight += weight;
    const from = value - this.mean;
    this.mean += (from * weight) / this.weight;
    this.squares += weight * from * (value - this.mean);
    this.sum.add(value * share);
    if (value < this.least) this.least = value;
    if (value > this.greatest) this.greatest = value;
    for (let k = 0; k < this.bounds.length; k++) if (value > this.bounds[k]) this.above[k] += weight;
    if (this.values !== null) this.values.set(value, (this.values.get(value) ?? 0) + weight);
  }

  /** A figure; null where no cell has data. */
  figure({ figure, bound }: CellFigure): number | null {
    if (figure === 'count') return this.cells;
    if (figure === 'covered') return this.all > 0 ? Math.min(100, (100 * this.cells) / this.all) : null;
    if (this.weight === 0) return null;
    switch (figure) {
      case 'mean':
        return this.mean;
      case 'sum':
        return this.sum.value;
      case 'least':
        return this.least;
      case 'greatest':
        return this.greatest;
      case 'deviation':
        return Math.sqrt(Math.max(0, this.squares / this.weight));
      case 'above':
        return (100 * this.above[this.bounds.indexOf(bound!)]) / this.weight;
      case 'median':
        return this.median();
      default:
        return this.majority();
    }
  }

  /** Per cent of the unit's cells that have a value. */
  shareOf(value: number): number | null {
    return this.weight === 0 ? null : (100 * (this.values!.get(value) ?? 0)) / this.weight;
  }

  /** The value below which half of the weight lies; between two where it is exactly half. */
  private median(): number {
    const sorted = [...this.values!].sort(([a], [b]) => a - b);
    const half = this.weight / 2;
    let below = 0;
    for (let k = 0; k < sorted.length; k++) {
      below += sorted[k][1];
      if (below > half * (1 + 1e-12)) return sorted[k][0];
      if (below >= half * (1 - 1e-12))
        return k + 1 < sorted.length ? (sorted[k][0] + sorted[k + 1][0]) / 2 : sorted[k][0];
    }
    return sorted[sorted.length - 1][0];
  }

  /** The value with the greatest weight; of equal ones the least. */
  private majority(): number {
    let [best, most] = [Number.NaN, -1];
    for (const [value, weight] of this.values!)
      if (weight > most * (1 + 1e-12) || (weight >= most * (1 - 1e-12) && value < best))
        [best, most] = [value, weight];
    return best;
  }
}
