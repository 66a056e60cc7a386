import { orient2d } from 'robust-predicates';
import { IsomericError } from '../errors.ts';

/**
 * Sign-exact orientation of three points (Shewchuk's adaptive predicate): > 0 when a → b → c turns left
 * (counter-clockwise with y up), < 0 when it turns right, 0 when the three lie on one line.
 */
export function orientation(ax: number, ay: number, bx: number, by: number, cx: number, cy: number): number {
  return -orient2d(ax, ay, bx, by, cx, cy);
}

const doubles = new Float64Array(1);
const words = new Uint32Array(doubles.buffer);

/** The exponent e of the least bit of a double: it is a whole multiple of 2^e. 2000 for zero. */
export function leastExponent(value: number): number {
  if (value === 0) return 2000;
  doubles[0] = value;
  const high = words[1];
  const low = words[0];
  const biased = (high >>> 20) & 0x7ff;
  const base = biased === 0 ? -1074 : biased - 1075;
  if (low !== 0) return base + (31 - Math.clz32(low & -low));
  const mantissa = (high & 0xfffff) | (biased === 0 ? 0 : 0x100000);
  return base + 32 + (31 - Math.clz32(mantissa & -mantissa));
}

/** value · 2^shift as a whole number; shift must be at least −leastExponent(value). */
export function scaledInteger(value: number, shift: number): bigint {
  if (value === 0) return 0n;
  const least = leastExponent(value);
  // Two steps, since 2^-least alone can overflow for the smallest doubles.
  let mantissa = value;
  let rest = -least;
  while (rest > 1000) {
    mantissa *= 2 ** 1000;
    rest -= 1000;
  }
  mantissa *= 2 ** rest;
  return BigInt(mantissa) << BigInt(least + shift);
}

/** Exact sign of (b − a) × (d − c): > 0 when direction c → d lies left of direction a → b. */
export function turnSign(
  ax: number,
  ay: number,
  bx: number,
  by: number,
  cx: number,
  cy: number,
  dx: number,
  dy: number,
): number {
  const left = (bx - ax) * (dy - cy);
  const right = (by - ay) * (dx - cx);
  const det = left - right;
  // Each difference and product is off by at most 2^-53 of itself, the last difference too: 2^-50 is ample.
  if (Math.abs(det) > 8.9e-16 * (Math.abs(left) + Math.abs(right))) return det;
  if (ax === cx && ay === cy) return orientation(ax, ay, bx, by, dx, dy);
  const values = [ax, ay, bx, by, cx, cy, dx, dy];
  const shift = -Math.min(...values.map(leastExponent));
  const [Ax, Ay, Bx, By, Cx, Cy, Dx, Dy] = values.map((v) => scaledInteger(v, shift));
  const exact = (Bx - Ax) * (Dy - Cy) - (By - Ay) * (Dx - Cx);
  return exact > 0n ? 1 : exact < 0n ? -1 : 0;
}

/**
 * Where a point lies to a closed ring (vertices `from … end` of `xy`, last = first): 1 inside, 0 on it, −1 outside.
 * Exact for every input; even–odd for rings that cross themselves.
 */
export function locateInRing(x: number, y: number, xy: Float64Array, from: number, end: number): number {
  let inside = false;
  for (let v = from; v < end - 1; v++) {
    const ax = xy[2 * v];
    const ay = xy[2 * v + 1];
    const bx = xy[2 * v + 2];
    const by = xy[2 * v + 3];
    if (ay <= y === by <= y) {
      if (ax === x && ay === y) return 0;
      if (ay !== y || by !== y) continue;
      if (x >= Math.min(ax, bx) && x <= Math.max(ax, bx)) return 0;
      continue;
    }
    if (x > ax && x > bx) continue;
    const turn = orientation(ax, ay, bx, by, x, y);
    if (turn === 0) return 0;
    if (turn > 0 === by > ay) inside = !inside;
  }
  return inside ? 1 : -1;
}

/** Coordinates of this size and more are refused; see `usable`. */
export const greatestCoordinate = 1e120;

/**
 * The predicates are exact as long as products of coordinates neither overflow nor fall below the least double: values
 * under 10^-120 are taken for zero (and −0 for 0), those over 10^120 and those that are no numbers are refused.
 *
 * @throws IsomericError `coordinate-unusable`; layers find the features that have such coordinates before
 */
export function usable(value: number): number {
  const size = Math.abs(value);
  if (size < 1e-120) return 0;
  if (size < greatestCoordinate) return value;
  throw new IsomericError(
    'coordinate-unusable',
    `A coordinate is ${value}: geometry cannot be computed with it.`,
    {
      advice: 'Repair the feature, or leave it out with a filter.',
    },
  );
}
