import type { Pair } from './projection.ts';

const value = new Float64Array(2);
const aside = new Float64Array(2);

/**
 * Finds (λ, φ) whose image is (x, y), by Newton's method in two dimensions with differences for derivatives, from a guess
 * in `out`. Steps that leave the globe or make it worse are halved. NaN when nothing is found: the place has no origin.
 * `size` is the radius of the earth in the unit of x and y.
 */
export function invertByNewton(
  forward: (lambda: number, phi: number, out: Pair) => void,
  x: number,
  y: number,
  size: number,
  out: Pair,
): void {
  let lambda = out[0];
  let phi = out[1];
  const h = 1e-6;
  const enough = size * 1e-15;
  forward(lambda, phi, value);
  let dx = x - value[0];
  let dy = y - value[1];
  let off = Math.abs(dx) + Math.abs(dy);
  for (let step = 0; step < 60; step++) {
    if (!(off < Infinity)) break;
    if (off <= enough) break;
    // Differences to the inner side, so that the pole and the edge are never passed.
    const hl = lambda > 0 ? -h : h;
    const hp = phi > 0 ? -h : h;
    const x0 = x - dx;
    const y0 = y - dy;
    forward(lambda + hl, phi, aside);
    const xl = (aside[0] - x0) / hl;
    const yl = (aside[1] - y0) / hl;
    forward(lambda, phi + hp, aside);
    const xp = (aside[0] - x0) / hp;
    const yp = (aside[1] - y0) / hp;
    const determinant = xl * yp - xp * yl;
    if (!(Math.abs(determinant) > 0)) break;
    const stepLambda = (dx * yp - xp * dy) / determinant;
    const stepPhi = (xl * dy - dx * yl) / determinant;
    let part = 1;
    let better = false;
    for (let half = 0; half < 12; half++, part /= 2) {
      const nextLambda = lambda + part * stepLambda;
      const nextPhi = Math.max(-Math.PI / 2, Math.min(Math.PI / 2, phi + part * stepPhi));
      forward(nextLambda, nextPhi, value);
      const nx = x - value[0];
      const ny = y - value[1];
      const next = Math.abs(nx) + Math.abs(ny);
      if (next < off) {
        lambda = nextLambda;
        phi = nextPhi;
        dx = nx;
        dy = ny;
        off = next;
        better = true;
        break;
      }
    }
    if (!better) break;
  }
  // What rounding leaves is small; anything more is no solution.
  if (off <= size * 1e-11) {
    out[0] = lambda;
    out[1] = phi;
  } else {
    out[0] = NaN;
    out[1] = NaN;
  }
}
