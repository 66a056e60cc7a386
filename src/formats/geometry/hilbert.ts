import type { Box } from '../../core/geometry/geometry-array.ts';

/** Cells along one side of the grid on which places are ordered. */
const side = 65_535;
const last = 2 ** 32 - 1;

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

/**
 * Hilbert number of the middle of a box within a whole extent. The last number is kept for empty boxes, so that in order
 * they stand behind all others.
 */
export function hilbertOfBox(box: Box, extent: Box): number {
  if (!(box[0] <= box[2] && box[1] <= box[3])) return last;
  const number = hilbertNumber(
    cell((box[0] + box[2]) / 2, extent[0], extent[2]),
    cell((box[1] + box[3]) / 2, extent[1], extent[3]),
  );
  return Math.min(number, last - 1);
}

function cell(middle: number, from: number, end: number): number {
  if (!(end > from)) return 0;
  const at = Math.floor((side * (middle - from)) / (end - from));
  return Math.max(0, Math.min(side, at));
}

/** Positions 0 … n − 1 in the order of their keys; equal keys keep their order. Two passes of sixteen bits each. */
export function orderOf(keys: Uint32Array): Uint32Array {
  let order = new Uint32Array(keys.length);
  for (let k = 0; k < order.length; k++) order[k] = k;
  let other = new Uint32Array(keys.length);
  const starts = new Uint32Array(65_537);
  for (let shift = 0; shift < 32; shift += 16) {
    starts.fill(0);
    for (let k = 0; k < keys.length; k++) starts[((keys[k] >>> shift) & 0xffff) + 1]++;
    for (let bucket = 0; bucket < 65_536; bucket++) starts[bucket + 1] += starts[bucket];
    for (let k = 0; k < order.length; k++) other[starts[(keys[order[k]] >>> shift) & 0xffff]++] = order[k];
    [order, other] = [other, order];
  }
  return order;
}
