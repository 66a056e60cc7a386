import { type DatumShift, type Ellipsoid, eccentricitySquared } from './crs.ts';

const arcSecond = Math.PI / 648_000;

/** An affine map of geocentric coordinates: three rows of (x, y, z, constant). */
export type Affine = Float64Array;

/**
 * Position-vector Helmert transformation as an affine map (EPSG Guidance Note 7-2, 4.3.3.1), about its pivot where it has
 * one (4.3.3.3).
 */
export function affineOfShift(shift: DatumShift): Affine {
  const m = 1 + shift.ppm * 1e-6;
  const rx = shift.rx * arcSecond;
  const ry = shift.ry * arcSecond;
  const rz = shift.rz * arcSecond;
  const map = Float64Array.of(
    m,
    -m * rz,
    m * ry,
    shift.tx,
    m * rz,
    m,
    -m * rx,
    shift.ty,
    -m * ry,
    m * rx,
    m,
    shift.tz,
  );
  if (shift.pivot !== undefined) {
    const [x, y, z] = shift.pivot;
    for (const [row, own] of [x, y, z].entries()) {
      const k = 4 * row;
      map[k + 3] += own - (map[k] * x + map[k + 1] * y + map[k + 2] * z);
    }
  }
  return map;
}

/** The exact inverse, so that there and back gives the same point. */
export function inverseAffine(m: Affine): Affine {
  const [a, b, c, tx, d, e, f, ty, g, h, i, tz] = m;
  const A = e * i - f * h;
  const B = f * g - d * i;
  const C = d * h - e * g;
  const det = a * A + b * B + c * C;
  const inverse = Float64Array.of(
    A / det,
    (c * h - b * i) / det,
    (b * f - c * e) / det,
    0,
    B / det,
    (a * i - c * g) / det,
    (c * d - a * f) / det,
    0,
    C / det,
    (b * g - a * h) / det,
    (a * e - b * d) / det,
    0,
  );
  for (let k = 0; k < 12; k += 4)
    inverse[k + 3] = -(inverse[k] * tx + inverse[k + 1] * ty + inverse[k + 2] * tz);
  return inverse;
}

/** First `a`, then `b`. */
export function composed(a: Affine, b: Affine): Affine {
  const out = new Float64Array(12);
  for (let row = 0; row < 12; row += 4) {
    for (let column = 0; column < 4; column++) {
      let sum = column === 3 ? b[row + 3] : 0;
      for (let k = 0; k < 3; k++) sum += b[row + k] * a[4 * k + column];
      out[row + column] = sum;
    }
  }
  return out;
}

/** Geocentric X, Y, Z (metres) of longitude and latitude (radians from Greenwich) and height. */
export function toGeocentric(
  { a, f }: Ellipsoid,
  longitude: number,
  latitude: number,
  height = 0,
): [number, number, number] {
  const e2 = f * (2 - f);
  const s = Math.sin(latitude);
  const c = Math.cos(latitude);
  const nu = a / Math.sqrt(1 - e2 * s * s);
  return [
    (nu + height) * c * Math.cos(longitude),
    (nu + height) * c * Math.sin(longitude),
    (nu * (1 - e2) + height) * s,
  ];
}

/** Longitude, latitude (radians) and height of a geocentric point (Bowring 1985, iterated). */
export function fromGeocentric(
  ellipsoid: Ellipsoid,
  x: number,
  y: number,
  z: number,
): [number, number, number] {
  const e2 = eccentricitySquared(ellipsoid);
  const b = ellipsoid.a * (1 - ellipsoid.f);
  const second = e2 / (1 - e2);
  const p = Math.hypot(x, y);
  let theta = Math.atan2(z * ellipsoid.a, p * b);
  let latitude = 0;
  for (let step = 0; step < 8; step++) {
    const s = Math.sin(theta);
    const c = Math.cos(theta);
    latitude = Math.atan2(z + second * b * s * s * s, p - e2 * ellipsoid.a * c * c * c);
    theta = Math.atan2(b * Math.sin(latitude), ellipsoid.a * Math.cos(latitude));
  }
  const s = Math.sin(latitude);
  const nu = ellipsoid.a / Math.sqrt(1 - e2 * s * s);
  const height = p * Math.cos(latitude) + z * s - nu * (1 - e2 * s * s);
  return [Math.atan2(y, x), latitude, height];
}

/** By how much a shift moves a point (degrees) of an ellipsoid's surface in space, metres. */
export function geocentricShift(
  ellipsoid: Ellipsoid,
  shift: DatumShift,
  longitude: number,
  latitude: number,
): [number, number, number] {
  const [x, y, z] = toGeocentric(ellipsoid, (longitude * Math.PI) / 180, (latitude * Math.PI) / 180);
  const m = affineOfShift(shift);
  return [
    m[0] * x + m[1] * y + m[2] * z + m[3] - x,
    m[4] * x + m[5] * y + m[6] * z + m[7] - y,
    m[8] * x + m[9] * y + m[10] * z + m[11] - z,
  ];
}
