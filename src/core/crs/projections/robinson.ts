// biome-ignore-all lint/suspicious/noApproximativeNumericConstant: 0.434 is an entry of the table, no logarithm.
import { longitude, worldParameters } from './parameters.ts';
import type { Method } from './projection.ts';
import { parallelsProjection, solveOdd } from './pseudocylindrical.ts';

/** Lengths of the parallels and their distances from the equator, every 5° (Robinson 1974; Snyder 1990). */
const lengths = [
  1, 0.9986, 0.9954, 0.99, 0.9822, 0.973, 0.96, 0.9427, 0.9216, 0.8962, 0.8679, 0.835, 0.7986, 0.7597, 0.7186,
  0.6732, 0.6213, 0.5722, 0.5322,
];
const distances = [
  0, 0.062, 0.124, 0.186, 0.248, 0.31, 0.372, 0.434, 0.4958, 0.5571, 0.6176, 0.6769, 0.7346, 0.7903, 0.8435,
  0.8936, 0.9394, 0.9761, 1,
];
const step = Math.PI / 36;

/** A cubic spline through values at every 5° of both hemispheres, an even or odd function of the latitude, free at the poles. */
function spline(values: readonly number[], odd: boolean): (phi: number) => number {
  const n = 2 * values.length - 1;
  const middle = values.length - 1;
  const y = Array.from({ length: n }, (_, i) => {
    const value = values[Math.abs(i - middle)];
    return i < middle && odd ? -value : value;
  });
  // Second derivatives times step²: m[i−1] + 4 m[i] + m[i+1] = 6 (y[i−1] − 2 y[i] + y[i+1]), by elimination.
  const m = new Float64Array(n);
  const upper = new Float64Array(n);
  for (let i = 1; i < n - 1; i++) {
    const pivot = 4 - upper[i - 1];
    upper[i] = 1 / pivot;
    m[i] = (6 * (y[i - 1] - 2 * y[i] + y[i + 1]) - m[i - 1]) / pivot;
  }
  for (let i = n - 2; i > 0; i--) m[i] -= upper[i] * m[i + 1];
  return (phi) => {
    const at = phi / step + middle;
    const i = Math.max(0, Math.min(n - 2, Math.floor(at)));
    const t = at - i;
    const s = 1 - t;
    return s * y[i] + t * y[i + 1] + ((s * s * s - s) * m[i] + (t * t * t - t) * m[i + 1]) / 6;
  };
}

const length = spline(lengths, false);
const distance = spline(distances, true);

/** Robinson: a table of lengths, here with a cubic spline between its entries, which the original leaves open. */
export const robinson: Method = {
  name: 'robinson',
  title: 'Robinson',
  wkt1: 'Robinson',
  parameters: [{ ...longitude, wkt1: 'longitude_of_center' }, ...worldParameters.slice(1)],
  keeps: 'nothing',
  spherical: true,
  make: (ellipsoid, p) =>
    parallelsProjection(ellipsoid.a, p, {
      parameter: (phi) => phi,
      latitude: (phi) => phi,
      width: (phi) => 0.8487 * length(phi),
      height: (phi) => 1.3523 * distance(phi),
      parameterAt: (y) => solveOdd(distance, y / 1.3523, Math.PI / 2),
    }),
};
