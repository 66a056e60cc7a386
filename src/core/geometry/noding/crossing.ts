import { productError } from '../../exact-product.ts';
import { leastExponent, scaledInteger } from '../predicates.ts';

/**
 * The point where two segments cross, to the last digit: in double-double arithmetic (Dekker 1971, Knuth's two-sum),
 * and with whole numbers of any length where the segments are so nearly parallel that even that would not do.
 */

let hi = 0;
let lo = 0;

function twoProduct(a: number, b: number): void {
  hi = a * b;
  lo = productError(a, b, hi);
}

function twoDifference(a: number, b: number): void {
  hi = a - b;
  const bv = a - hi;
  lo = a - (hi + bv) + (bv - b);
}

/** (ah + al) · (bh + bl) → hi, lo */
function multiply(ah: number, al: number, bh: number, bl: number): void {
  twoProduct(ah, bh);
  lo += ah * bl + al * bh;
  const sum = hi + lo;
  lo = lo - (sum - hi);
  hi = sum;
}

/** (ah + al) − (bh + bl) → hi, lo */
function subtract(ah: number, al: number, bh: number, bl: number): void {
  twoDifference(ah, bh);
  lo += al - bl;
  const sum = hi + lo;
  lo = lo - (sum - hi);
  hi = sum;
}

/**
 * p + (hi + lo) rounded to the nearest double, hi + lo being off by at most `doubt`; NaN where the doubt leaves two
 * doubles to choose from.
 */
function addedTo(p: number, doubt: number): number {
  const sum = p + hi;
  const part = sum - p;
  const rest = p - (sum - part) + (hi - part) + lo;
  // No less than the sums here can show: halfway between two doubles the rest is not in doubt, but which one is.
  const margin = doubt + Math.abs(rest) * 2 ** -50;
  const value = sum + (rest - margin);
  return value === sum + (rest + margin) ? value : Number.NaN;
}

/**
 * Where two segments cross, which must cross properly: p → q and r → s, eight coordinates in this order.
 * Writes x and y into `into`: those
 * of the true point, each rounded to the nearest double (halfway, to the greater one). So they are the same whatever the order and direction of the
 * segments, lie in the boxes of both, and several crossings along a segment never change their order in x or in y.
 */
export function crossingPoint(ends: ArrayLike<number>, into: Float64Array): void {
  const px = ends[0];
  const py = ends[1];
  const qx = ends[2];
  const qy = ends[3];
  const rx = ends[4];
  const ry = ends[5];
  const sx = ends[6];
  const sy = ends[7];
  twoDifference(qx, px);
  const dxh = hi;
  const dxl = lo;
  twoDifference(qy, py);
  const dyh = hi;
  const dyl = lo;
  twoDifference(sx, rx);
  const exh = hi;
  const exl = lo;
  twoDifference(sy, ry);
  const eyh = hi;
  const eyl = lo;
  multiply(dxh, dxl, eyh, eyl);
  let ah = hi;
  let al = lo;
  multiply(dyh, dyl, exh, exl);
  const size = Math.abs(ah) + Math.abs(hi);
  subtract(ah, al, hi, lo);
  const denH = hi;
  const denL = lo;
  twoDifference(rx, px);
  const fxh = hi;
  const fxl = lo;
  twoDifference(ry, py);
  const fyh = hi;
  const fyl = lo;
  multiply(fxh, fxl, eyh, eyl);
  ah = hi;
  al = lo;
  multiply(fyh, fyl, exh, exl);
  const reach = Math.abs(ah) + Math.abs(hi);
  subtract(ah, al, hi, lo);
  const numH = hi;
  const numL = lo;
  // Double-double errs by about 2^-102 of the products; what is left of that after cancelling is in doubt.
  const doubt = (Math.max(size, reach) / Math.abs(denH)) * 2 ** -98;
  into[0] = Number.NaN;
  if (doubt < 2 ** -50 && size > 1e-200 && size < 1e200) {
    const t1 = numH / denH;
    multiply(t1, 0, denH, denL);
    subtract(numH, numL, hi, lo);
    const t2 = hi / denH;
    multiply(t1, t2, dxh, dxl);
    into[0] = addedTo(px, doubt * Math.abs(dxh));
    multiply(t1, t2, dyh, dyl);
    into[1] = addedTo(py, doubt * Math.abs(dyh));
  }
  if (Number.isNaN(into[0]) || Number.isNaN(into[1])) exactCrossing([px, py, qx, qy, rx, ry, sx, sy], into);
  // No negative zero: a node is found by its bits.
  into[0] += 0;
  into[1] += 0;
}

/** A point with whole-number coordinates over a common denominator: (X / W, Y / W), W > 0, scaled by a power of two. */
export type RationalPoint = readonly [X: bigint, Y: bigint, W: bigint];

/** Exact crossing of p → q with r → s, coordinates scaled by 2^shift. */
export function rationalCrossing(edges: readonly number[], shift: number): RationalPoint {
  const [px, py, qx, qy, rx, ry, sx, sy] = edges.map((v) => scaledInteger(v, shift));
  const dx = qx - px;
  const dy = qy - py;
  const ex = sx - rx;
  const ey = sy - ry;
  let den = dx * ey - dy * ex;
  let num = (rx - px) * ey - (ry - py) * ex;
  if (den < 0n) {
    den = -den;
    num = -num;
  }
  return [px * den + num * dx, py * den + num * dy, den];
}

/** N / W (W > 0) scaled back by 2^-shift, rounded to the nearest double; halfway, to the greater one. */
export function nearestDouble(N: bigint, W: bigint, shift: number): number {
  if (N === 0n) return 0;
  const negative = N < 0n;
  const n = negative ? -N : N;
  // Keep 64 bits of quotient and whether there is more, then one correctly rounded conversion.
  const bits = n.toString(2).length - W.toString(2).length;
  const up = 64 - bits;
  const dividend = up >= 0 ? n << BigInt(up) : n;
  const divisor = up >= 0 ? W : W << BigInt(-up);
  let quotient = dividend / divisor;
  if (quotient * divisor !== dividend) quotient |= 1n;
  // The conversion would take the even one of two that are equally near.
  else if (quotient >> 64n === 0n ? quotient % 2048n === 1024n : quotient % 4096n === 2048n)
    quotient += negative ? -1n : 1n;
  let value = Number(quotient);
  let exponent = -up - shift;
  while (exponent < -1000) {
    value *= 2 ** -1000;
    exponent += 1000;
  }
  while (exponent > 1000) {
    value *= 2 ** 1000;
    exponent -= 1000;
  }
  value *= 2 ** exponent;
  return negative ? -value : value;
}

function exactCrossing(edges: readonly number[], into: Float64Array): void {
  const shift = -Math.min(...edges.map(leastExponent));
  const [X, Y, W] = rationalCrossing(edges, shift);
  into[0] = nearestDouble(X, W, shift);
  into[1] = nearestDouble(Y, W, shift);
}
