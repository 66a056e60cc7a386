import type { Box, GeometryArray } from './geometry-array.ts';
import { greatestCoordinate } from './predicates.ts';

/**
 * The box of feature i, written into `box`. False when a coordinate of it is one that geometry cannot be computed with:
 * NaN, infinite, or beyond 10^120 (see `usable`); the box says nothing then.
 */
export function usableBox(array: GeometryArray, i: number, box: Box): boolean {
  const { xy } = array;
  let x0 = Infinity;
  let y0 = Infinity;
  let x1 = -Infinity;
  let y1 = -Infinity;
  // Comparisons pass NaN over; a sum keeps it.
  let sum = 0;
  const end = 2 * array.endVertex(i);
  for (let k = 2 * array.firstVertex(i); k < end; k += 2) {
    const x = xy[k];
    const y = xy[k + 1];
    sum += x + y;
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
  }
  box[0] = x0;
  box[1] = y0;
  box[2] = x1;
  box[3] = y1;
  return (
    sum - sum === 0 &&
    !(
      x0 <= -greatestCoordinate ||
      y0 <= -greatestCoordinate ||
      x1 >= greatestCoordinate ||
      y1 >= greatestCoordinate
    )
  );
}

/** The first vertex of feature i (counted from one) with such a coordinate, the coordinate, and the last place before. */
export function unusableVertex(
  array: GeometryArray,
  i: number,
): { vertex: number; value: number; at?: [number, number] } | null {
  const first = array.firstVertex(i);
  let at: [number, number] | undefined;
  for (let v = first; v < array.endVertex(i); v++) {
    const [x, y] = [array.xy[2 * v], array.xy[2 * v + 1]];
    for (const value of [x, y])
      if (!(Math.abs(value) < greatestCoordinate)) return { vertex: v - first + 1, value, at };
    at = [x, y];
  }
  return null;
}
