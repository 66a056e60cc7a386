import type { Box } from '../geometry/geometry-array.ts';
import type { Cell, DivisionLevel, GridLevel, Join, SheetLevel } from './scheme.ts';

/** The k-th of n + 1 evenly spaced edges from `low` to `high`; the last is `high` to the last digit, so that neighbours share it. */
export function edgeOf(low: number, high: number, n: number, k: number): number {
  return k === n ? high : low + ((high - low) * k) / n;
}

/** The number of the interval between growing edges that holds a value, its lower edge included, the very last edge too; −1: none. */
export function intervalOf(edges: Float64Array, value: number): number {
  const last = edges.length - 1;
  if (!(value >= edges[0] && value <= edges[last])) return -1;
  let low = 0;
  let high = last;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (value >= edges[middle]) low = middle;
    else high = middle;
  }
  return low;
}

/** The number of n evenly spaced intervals that holds a value which lies in all of them together. */
export function evenIntervalOf(low: number, high: number, n: number, value: number): number {
  let k = Math.min(n - 1, Math.max(0, Math.floor(((value - low) / (high - low)) * n)));
  while (k > 0 && value < edgeOf(low, high, n, k)) k--;
  while (k < n - 1 && value >= edgeOf(low, high, n, k + 1)) k++;
  return k;
}

/** How many columns make one sheet in a row between two latitudes. */
export function joinedAt(joins: readonly Join[], south: number, north: number, columns: number): number {
  if (joins.length === 0) return 1;
  const nearest = south <= 0 && north >= 0 ? 0 : Math.min(Math.abs(south), Math.abs(north));
  let joined = 1;
  for (const join of joins) if (nearest >= join.beyond) joined = join.columns;
  return Math.min(joined, columns);
}

/** The single cell of a grid; null where there is none. */
export function gridCell(level: GridLevel, { column, row }: Cell): Box | null {
  const { columns, rows, exceptions } = level;
  let [west, east] = [columns.edges[column], columns.edges[column + 1]];
  const exception = exceptions.find((each) => each.column === column && each.row === row);
  if (exception !== undefined) {
    if (exception.sides === undefined) return null;
    [west, east] = exception.sides;
  }
  return [west, rows.edges[row], east, rows.edges[row + 1]];
}

/** The single cell of a division, within the one that is divided. */
export function divisionCell(level: DivisionLevel, [x0, y0, x1, y1]: Box, { column, row }: Cell): Box {
  const { columns, rows } = level;
  return [
    edgeOf(x0, x1, columns, column),
    edgeOf(y0, y1, rows, row),
    edgeOf(x0, x1, columns, column + 1),
    edgeOf(y0, y1, rows, row + 1),
  ];
}

/** The box of the cells along a path, none of them joined; null where one does not exist. Not for squares. */
export function cellAlong(
  levels: readonly SheetLevel[],
  chain: readonly number[],
  path: readonly Cell[],
): Box | null {
  let box: Box | null = null;
  for (let k = 0; k < path.length; k++) {
    const level = levels[chain[k]];
    if (level.kind === 'grid') box = gridCell(level, path[k]);
    else if (level.kind === 'division' && box !== null) box = divisionCell(level, box, path[k]);
    if (box === null) return null;
  }
  return box;
}

/** How many columns there are, from which the first is the westernmost, and how many of them make the sheet of a cell. */
export function groupOf(
  level: GridLevel | DivisionLevel,
  box: Box,
  column: number,
): { first: number; end: number } {
  const columns = level.kind === 'grid' ? level.columns.labels.length : level.columns;
  const joined = joinedAt(level.joins, box[1], box[3], columns);
  const first = column - (column % joined);
  return { first, end: Math.min(first + joined, columns) };
}
