import type { Crs } from '../crs/crs.ts';
import type { Template } from './templates.ts';

/** The columns or the rows of a grid: edges from west to east or from south to north, and what each is called. */
export interface Axis {
  /** One more than there are columns or rows, growing. */
  readonly edges: Float64Array;
  /** Names in the order of the edges: the westernmost or southernmost first. */
  readonly labels: readonly string[];
}

/** So many neighbours along a row make one sheet, where both sides of the row lie at least so far from the equator. */
export interface Join {
  readonly beyond: number;
  readonly columns: number;
}

/** A cell of a grid that has other sides than its column, or does not exist (no sides). */
export interface Exception {
  readonly column: number;
  readonly row: number;
  readonly sides?: readonly [west: number, east: number];
}

interface Common {
  readonly name: string;
  readonly title: string;
  /** The number that the scale is one over, where the sheets are printed at one. */
  readonly scale?: number;
  readonly code: Template;
  /** From the widest latitudes to the narrowest. */
  readonly joins: readonly Join[];
}

/** Sheets that divide the plane. */
export interface GridLevel extends Common {
  readonly kind: 'grid';
  readonly columns: Axis;
  readonly rows: Axis;
  readonly exceptions: readonly Exception[];
}

/** Sheets that divide the sheets of another level. */
export interface DivisionLevel extends Common {
  readonly kind: 'division';
  /** Number of the level that is divided. */
  readonly of: number;
  readonly columns: number;
  readonly rows: number;
  /** What a cell is called by its number: cell [row from the south × columns + column from the west]. */
  readonly numbers: readonly string[];
  /** Names of columns from the west and rows from the south, where codes are made of both. */
  readonly columnLabels: readonly string[];
  readonly rowLabels: readonly string[];
}

/** Squares of a projected CRS that depends on the sheet they lie in; at its border they are cut. */
export interface SquaresLevel extends Common {
  readonly kind: 'squares';
  readonly of: number;
  /** Side of a square, in units of the CRS. */
  readonly size: number;
  /** The CRS of the squares in a cell of the level above. */
  crsOf(column: number, row: number): Crs;
  /** Letters that follow each other again and again from 0 on, and by how much they begin later in each column of cells. */
  readonly columnLetters: Cycle;
  readonly rowLetters: Cycle;
}

/** Names that come again and again. */
export interface Cycle {
  readonly labels: readonly string[];
  /** Name of square 0 in the first, second … column of the cells above; again from the first when they are used up. */
  readonly starts: readonly number[];
}

export type SheetLevel = GridLevel | DivisionLevel | SquaresLevel;

/** A sheet scheme, its labels spelt out: how `formats/sheet-scheme` gives it. */
export interface SchemeRules {
  readonly title: string;
  readonly crs: Crs;
  /** Where the grid goes all around the globe: its western and eastern edge, which are one. */
  readonly round: readonly [west: number, east: number] | null;
  readonly levels: readonly SheetLevel[];
}

/** A cell within the one that it divides: columns count from the west, rows from the south. */
export interface Cell {
  readonly column: number;
  readonly row: number;
}

/** One sheet: the cells that lead to it from the first level on. Of cells that are joined, the last is the westernmost. */
export interface MapSheet {
  /** Number of its level. */
  readonly level: number;
  readonly path: readonly Cell[];
}
