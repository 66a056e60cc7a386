import { type DatumShift, eccentricitySquared, type GeographicCrs } from './crs.ts';
import {
  type Affine,
  affineOfShift,
  composed,
  fromGeocentric,
  inverseAffine,
  toGeocentric,
} from './geocentric.ts';
import { wrapped } from './projections/projection.ts';

/** Works on radians in place: `count` pairs from pair `from`. */
export type Step = (xy: Float64Array, from: number, count: number) => void;

/** Does a shift move nothing? */
export const isZeroShift = (shift: DatumShift): boolean =>
  shift.tx === 0 &&
  shift.ty === 0 &&
  shift.tz === 0 &&
  shift.rx === 0 &&
  shift.ry === 0 &&
  shift.rz === 0 &&
  shift.ppm === 0;

/** Turns longitudes by the angle between two prime meridians. */
export function meridianStep(turn: number): Step | null {
  if (turn === 0) return null;
  return (xy, from, count) => {
    for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) xy[k] = wrapped(xy[k] + turn);
  };
}

/**
 * Between two ellipsoids that differ by a tenth of a millimetre, without a shift: Δφ = Δf sin 2φ (Heiskanen & Moritz 1967,
 * 5-53, for Δa = 0), the sine by a parabola of parabolas, which is good to 0.2 % here: 0.2 micrometres.
 */
function nearlyEqual(source: GeographicCrs, target: GeographicCrs, turn: number): Step {
  const df = target.ellipsoid.f - source.ellipsoid.f;
  const five = 5 * Math.PI * Math.PI;
  return (xy, from, count) => {
    for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
      const phi = xy[k + 1];
      const t = 2 * phi;
      const bow = t * (Math.PI - (t < 0 ? -t : t));
      xy[k + 1] = phi + (df * 16 * bow) / (five - 4 * (bow < 0 ? -bow : bow));
      if (turn !== 0) xy[k] = wrapped(xy[k] + turn);
    }
  };
}

/** Beyond this no datum in use lies: points end far from the ellipsoid, where the short way is not exact. */
const isLarge = ({ tx, ty, tz, rx, ry, rz, ppm }: DatumShift) =>
  Math.hypot(tx, ty, tz) > 10_000 || Math.hypot(rx, ry, rz) > 600 || Math.abs(ppm) > 1000;

/** The long way over geocentric coordinates, for shifts of any size. */
function overSpace(source: GeographicCrs, target: GeographicCrs, m: Affine): Step {
  const turn1 = (source.primeMeridian * Math.PI) / 180;
  const turn2 = (target.primeMeridian * Math.PI) / 180;
  return (xy, from, count) => {
    for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
      const [x, y, z] = toGeocentric(source.ellipsoid, xy[k] + turn1, xy[k + 1]);
      const [lambda, phi] = fromGeocentric(
        target.ellipsoid,
        m[0] * x + m[1] * y + m[2] * z + m[3],
        m[4] * x + m[5] * y + m[6] * z + m[7],
        m[8] * x + m[9] * y + m[10] * z + m[11],
      );
      xy[k] = wrapped(lambda - turn2);
      xy[k + 1] = phi;
    }
  };
}

/** Greatest sine of a change of angle that the short series is good for: far more than any datum moves a point. */
const small = 0.02;

/** The angle of a small sine; beyond, the exact one. */
const angle = (s: number) =>
  s < small && s > -small ? s * (1 + s * s * (1 / 6 + s * s * (3 / 40 + (s * s * 15) / 336))) : Math.asin(s);

/**
 * Radians → radians on another ellipsoid, over geocentric coordinates: both shifts are one affine map (EPSG Guidance Note
 * 7-2, 4.3.3), and the new angles are found from the old ones' sines and cosines without an arc function in between
 * (Bowring 1985 for the latitude, as a rotation of the old normal).
 */
export function datumStep(source: GeographicCrs, target: GeographicCrs): Step {
  const turn1 = (source.primeMeridian * Math.PI) / 180;
  const turn2 = (target.primeMeridian * Math.PI) / 180;
  const from = source.shift!;
  const to = target.shift!;
  const sameAxis = Math.abs(source.ellipsoid.a - target.ellipsoid.a) < 1e-6;
  const flattenings = Math.abs(source.ellipsoid.f - target.ellipsoid.f);
  if (isZeroShift(from) && isZeroShift(to) && sameAxis && flattenings < 2e-11)
    return nearlyEqual(source, target, turn1 - turn2);
  const map = composed(affineOfShift(from), inverseAffine(affineOfShift(to)));
  if (isLarge(from) || isLarge(to)) return overSpace(source, target, map);
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = map;
  const a1 = source.ellipsoid.a;
  const e1 = eccentricitySquared(source.ellipsoid);
  const a2 = target.ellipsoid.a;
  const e2 = eccentricitySquared(target.ellipsoid);
  const b2 = a2 * (1 - target.ellipsoid.f);
  const second = (e2 / (1 - e2)) * b2;
  const first = e2 * a2;
  const flat = 1 - target.ellipsoid.f;
  const turn = turn1 - turn2;
  return (xy, start, count) => {
    for (let k = 2 * start, end = 2 * (start + count); k < end; k += 2) {
      const lambda = xy[k] + turn1;
      const phi = xy[k + 1];
      const sp = Math.sin(phi);
      const cp = Math.cos(phi);
      const sl = Math.sin(lambda);
      const cl = Math.cos(lambda);
      const nu = a1 / Math.sqrt(1 - e1 * sp * sp);
      const x0 = nu * cp * cl;
      const y0 = nu * cp * sl;
      const z0 = nu * (1 - e1) * sp;
      const x = m0 * x0 + m1 * y0 + m2 * z0 + m3;
      const y = m4 * x0 + m5 * y0 + m6 * z0 + m7;
      const z = m8 * x0 + m9 * y0 + m10 * z0 + m11;
      const p = Math.sqrt(x * x + y * y);
      // Near the axis a longitude may turn by any angle.
      const aside = (y * cl - x * sl) / p;
      const along = x * cl + y * sl;
      const dLambda = along > 0 ? angle(aside) : Math.atan2(y * cl - x * sl, along);
      // tan θ = z a / (p b), as sine and cosine; then tan φ = (z + e′² b sin³θ) / (p − e² a cos³θ).
      const pf = p * flat;
      const r = 1 / Math.sqrt(z * z + pf * pf);
      const st = z * r;
      const ct = pf * r;
      // Once is enough: exact to a nanometre for points within kilometres of the ellipsoid, as all on another one are.
      const n = z + second * st * st * st;
      const d = p - first * ct * ct * ct;
      const size = Math.sqrt(n * n + d * d);
      const lift = (n * cp - d * sp) / size;
      xy[k] = wrapped(xy[k] + turn + dLambda);
      xy[k + 1] = phi + angle(lift);
    }
  };
}
