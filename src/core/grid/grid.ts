import type { Crs } from '../crs/crs.ts';
import { IsomericError } from '../errors.ts';
import type { Finding } from '../findings.ts';
import type { Box } from '../geometry/geometry-array.ts';

/** Type of the samples of a band. */
export type SampleType =
  | 'uint8'
  | 'int8'
  | 'uint16'
  | 'int16'
  | 'uint32'
  | 'int32'
  | 'uint64'
  | 'int64'
  | 'float16'
  | 'float32'
  | 'float64';

/** One band of a grid. */
export interface GridBand {
  name: string;
  type: SampleType;
  /** Value that stands for “no data”; null when there is none. */
  noData: number | null;
  unit?: string;
}

/** Cells [column, column + width) × [row, row + height), counted from the upper left corner. */
export interface GridWindow {
  column: number;
  row: number;
  width: number;
  height: number;
}

/**
 * Cells in rows and columns. `transform` takes a corner of cells to coordinates of the CRS:
 * x = t₀ + column · t₁ + row · t₂, y = t₃ + column · t₄ + row · t₅; (0, 0) is the upper left corner of the first cell.
 */
export interface Grid {
  readonly name: string;
  readonly width: number;
  readonly height: number;
  readonly bands: readonly GridBand[];
  readonly crs: Crs | null;
  readonly transform: readonly [number, number, number, number, number, number];
  readonly findings: readonly Finding[];
  /** How the file holds its cells: `tiles of 256 × 256, deflate`. */
  readonly layout: string;
  /**
   * Values of a window, row by row, NaN where there are no data. Only what the window needs is read. 64-bit integers
   * beyond ±2⁵³ are rounded.
   */
  read(band: number, window: GridWindow): Promise<Float64Array>;
}

/** Refuses a window that does not lie in the grid. */
export function checkWindow(grid: Grid, band: number, window: GridWindow): void {
  const { column, row, width, height } = window;
  const whole = [column, row, width, height].every(Number.isInteger);
  if (
    !whole ||
    column < 0 ||
    row < 0 ||
    width < 1 ||
    height < 1 ||
    column + width > grid.width ||
    row + height > grid.height
  ) {
    throw new IsomericError(
      'window-outside',
      `The window ${column}, ${row}, ${width} × ${height} does not lie in the ${grid.width} × ${grid.height} cells of ${grid.name}.`,
      { blame: 'usage' },
    );
  }
  if (!Number.isInteger(band) || band < 0 || band >= grid.bands.length)
    throw new IsomericError(
      'band-unknown',
      `${grid.name} has ${grid.bands.length} bands, and no number ${band}.`,
      {
        blame: 'usage',
        advice: 'Bands are counted from 0.',
      },
    );
}

/** Coordinates of a place in columns and rows (0.5, 0.5 is the middle of the first cell). */
export function placeOf(grid: Grid, column: number, row: number): [number, number] {
  const t = grid.transform;
  return [t[0] + column * t[1] + row * t[2], t[3] + column * t[4] + row * t[5]];
}

/** Column and row of coordinates, with fractions. */
export function cellAt(grid: Grid, x: number, y: number): [number, number] {
  const t = grid.transform;
  const determinant = t[1] * t[5] - t[2] * t[4];
  const dx = x - t[0];
  const dy = y - t[3];
  return [(dx * t[5] - dy * t[2]) / determinant, (dy * t[1] - dx * t[4]) / determinant];
}

/** Box of a grid in its own CRS. */
export function gridExtent(grid: Grid): Box {
  const corners = [
    placeOf(grid, 0, 0),
    placeOf(grid, grid.width, 0),
    placeOf(grid, 0, grid.height),
    placeOf(grid, grid.width, grid.height),
  ];
  const xs = corners.map(([x]) => x);
  const ys = corners.map(([, y]) => y);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/** Cells that meet a box in the grid's CRS; null when none does. */
export function windowOfBox(grid: Grid, box: Box): GridWindow | null {
  const corners = [
    cellAt(grid, box[0], box[1]),
    cellAt(grid, box[2], box[1]),
    cellAt(grid, box[0], box[3]),
    cellAt(grid, box[2], box[3]),
  ];
  const first = (k: 0 | 1, most: number) =>
    Math.min(most, Math.max(0, Math.floor(Math.min(...corners.map((each) => each[k])))));
  const last = (k: 0 | 1, most: number) =>
    Math.min(most, Math.max(0, Math.ceil(Math.max(...corners.map((each) => each[k])))));
  const column = first(0, grid.width);
  const row = first(1, grid.height);
  const width = last(0, grid.width) - column;
  const height = last(1, grid.height) - row;
  return width < 1 || height < 1 ? null : { column, row, width, height };
}

/** Strips of whole rows, as many at a time as make about a million cells: how a grid is gone through once. */
export function* strips(grid: Grid, within?: GridWindow): Generator<GridWindow> {
  const all = within ?? { column: 0, row: 0, width: grid.width, height: grid.height };
  const rows = Math.max(1, Math.min(all.height, Math.floor(1_000_000 / all.width)));
  for (let row = all.row; row < all.row + all.height; row += rows)
    yield { column: all.column, row, width: all.width, height: Math.min(rows, all.row + all.height - row) };
}

/** Least, greatest and mean value of a band, and how many cells have one. */
export interface BandSummary {
  cells: number;
  /** Cells without data. */
  blank: number;
  least: number;
  greatest: number;
  mean: number;
}

/** Count, least, greatest and mean of a band, read in strips. */
export async function summariseBand(grid: Grid, band: number): Promise<BandSummary> {
  let cells = 0;
  let blank = 0;
  let least = Number.POSITIVE_INFINITY;
  let greatest = Number.NEGATIVE_INFINITY;
  let sum = 0;
  for (const strip of strips(grid)) {
    const values = await grid.read(band, strip);
    for (const value of values) {
      cells++;
      if (Number.isNaN(value)) {
        blank++;
        continue;
      }
      if (value < least) least = value;
      if (value > greatest) greatest = value;
      sum += value;
    }
  }
  return { cells, blank, least, greatest, mean: sum / (cells - blank) };
}
