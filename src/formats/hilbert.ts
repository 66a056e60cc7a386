import type { Box } from '../core/geometry/geometry-array.ts';

/** Cells along one side of the grid on which places are ordered. */
const side = 65_535;

/**
 * Number of a cell along the Hilbert curve of order 16 (x and y from 0 to 65,535), from 0 to 2³² − 1. Bit by bit, from
 * the highest: which quarter, and how the curve is turned inside it (after D. Hilbert, Math. Ann. 38, 1891).
 */
export function hilbertNumber(x: number, y: number): number {
  let number = 0;
  let a = x;
  let b = y;
  for (let bit = 1 << 15; bit > 0; bit >>= 1) {
    const right = (a & bit) !== 0 ? 1 : 0;
    const upper = (b & bit) !== 0 ? 1 : 0;
    number = number * 4 + ((3 * right) ^ upper);
    if (upper === 0) {
      if (right === 1) {
        a = side - a;
        b = side - b;
      }
      const kept = a;
      a = b;
      b = kept;
    }
  }
  return number;
}

/** Hilbert number of the middle of a box within a whole extent; the last number for an empty box. */
export function hilbertOfBox(box: Box, extent: Box): number {
  if (!(box[0] <= box[2] && box[1] <= box[3])) return 2 ** 32 - 1;
  const cell = (low: number, high: number, from: number, end: number) =>
    end > from
      ? Math.max(0, Math.min(side, Math.floor((side * ((low + high) / 2 - from)) / (end - from))))
      : 0;
  return hilbertNumber(
    cell(box[0], box[2], extent[0], extent[2]),
    cell(box[1], box[3], extent[1], extent[3]),
  );
}

/** Positions 0 … n − 1 in the order of their keys; equal keys keep their order. */
export function orderOf(keys: Float64Array, count: number): Uint32Array {
  const order = new Uint32Array(count);
  for (let k = 0; k < count; k++) order[k] = k;
  return order.sort((a, b) => keys[a] - keys[b] || a - b);
}
