import { conformalSeries, geodeticFromIsometric, isometricLatitude } from '../conformal-latitude.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { sumSines } from '../latitude-series.ts';
import { parallelRadius } from './lambert-conic.ts';
import { eastingThere, falseOrigin, latitude, longitude, named, northingThere, scale } from './parameters.ts';
import { type Method, type MethodParameters, nowhere, type Projection, pointwise } from './projection.ts';
import { about } from './sphere-about.ts';

/** √((1 + e)^(1+e) (1 − e)^(1−e)): what the polar forms divide by (Snyder 1987, eq. 21-33). */
const polarFactor = (e: number) => Math.sqrt((1 + e) ** (1 + e) * (1 - e) ** (1 - e));

/** tan(π/4 − χ/2) of a latitude on the pole's own hemisphere, exact also at the pole. */
function halfAngle(phi: number, toConformal: Float64Array): number {
  const chi = phi + sumSines(toConformal, Math.sin(phi), Math.cos(phi));
  return Math.tan(Math.PI / 4 - chi / 2);
}

function polarProjection(
  ellipsoid: Ellipsoid,
  p: MethodParameters,
  sign: 1 | -1,
  k0: number,
  shift = 0,
): Projection {
  const { toConformal, toGeodetic } = conformalSeries(ellipsoid);
  const e = Math.sqrt(eccentricitySquared(ellipsoid));
  const reach = (2 * ellipsoid.a * k0) / polarFactor(e);
  return pointwise(
    p,
    (lambda, phi, out) => {
      const t = halfAngle(sign * phi, toConformal);
      if (!(t < 1e8)) return nowhere(out);
      out[0] = reach * t * Math.sin(lambda);
      out[1] = sign * (shift - reach * t * Math.cos(lambda));
    },
    (x, y, out) => {
      const up = shift - sign * y;
      const chi = Math.PI / 2 - 2 * Math.atan(Math.hypot(x, up) / reach);
      out[0] = Math.atan2(x, up);
      out[1] = sign * (chi + sumSines(toGeodetic, Math.sin(chi), Math.cos(chi)));
    },
  );
}

/** Scale at the pole of a map that is true along a parallel, and that parallel's radius on it (Snyder 1987, eq. 21-35). */
function byParallel(ellipsoid: Ellipsoid, parallel: number): { sign: 1 | -1; k0: number; radius: number } {
  const e = Math.sqrt(eccentricitySquared(ellipsoid));
  const sign = parallel < 0 ? -1 : 1;
  if (Math.abs(parallel) > Math.PI / 2 - 1e-9) return { sign, k0: 1, radius: 0 };
  const radius = ellipsoid.a * parallelRadius(parallel, e);
  const t = halfAngle(sign * parallel, conformalSeries(ellipsoid).toConformal);
  return { sign, k0: (radius * polarFactor(e)) / (2 * ellipsoid.a * t), radius };
}

/** Polar stereographic, variant A: scale at the pole given (EPSG Guidance Note 7-2, 3.3.3). */
export const polarStereographicA: Method = {
  name: 'polar-stereographic-a',
  epsg: 9810,
  title: 'Polar Stereographic (variant A)',
  wkt1: 'Polar_Stereographic',
  prj: 'Stereographic',
  aliases: ['Polar_Stereographic_Variant_A'],
  parameters: [{ ...latitude, otherwise: undefined }, longitude, scale, ...falseOrigin],
  keeps: 'angles',
  make: (ellipsoid, p) => polarProjection(ellipsoid, p, p.latitudeOfOrigin < 0 ? -1 : 1, p.scaleFactor),
};

const parallelParameter = named('standardParallel1', 'latitude_of_origin', 'Latitude of standard parallel');
const originLongitude = { ...longitude, epsg: 'Longitude of origin' };

/** Polar stereographic, variant B: a standard parallel given (EPSG Guidance Note 7-2, 3.3.3). */
export const polarStereographicB: Method = {
  name: 'polar-stereographic-b',
  epsg: 9829,
  title: 'Polar Stereographic (variant B)',
  wkt1: 'Polar_Stereographic',
  prj: 'Stereographic_North_Pole',
  aliases: ['Polar_Stereographic_Variant_B', 'Stereographic_South_Pole'],
  parameters: [parallelParameter, originLongitude, ...falseOrigin],
  keeps: 'angles',
  make(ellipsoid, p) {
    const { sign, k0 } = byParallel(ellipsoid, p.standardParallel1);
    return polarProjection(ellipsoid, p, sign, k0);
  },
};

/** Polar stereographic, variant C: counted from where the standard parallel crosses the meridian (EPSG, 3.3.3). */
export const polarStereographicC: Method = {
  name: 'polar-stereographic-c',
  epsg: 9830,
  title: 'Polar Stereographic (variant C)',
  wkt1: 'Polar_Stereographic_(variant_C)',
  aliases: ['Polar_Stereographic_Variant_C'],
  parameters: [
    { ...parallelParameter, wkt1: 'standard_parallel_1' },
    originLongitude,
    eastingThere,
    northingThere,
  ],
  keeps: 'angles',
  make(ellipsoid, p) {
    const { sign, k0, radius } = byParallel(ellipsoid, p.standardParallel1);
    return polarProjection(ellipsoid, p, sign, k0, radius);
  },
};

/** Oblique and equatorial stereographic over a conformal sphere, twice (EPSG Guidance Note 7-2, 3.3.4). */
export const obliqueStereographic: Method = {
  name: 'oblique-stereographic',
  epsg: 9809,
  title: 'Oblique Stereographic',
  wkt1: 'Oblique_Stereographic',
  prj: 'Double_Stereographic',
  parameters: [{ ...latitude, otherwise: undefined }, longitude, scale, ...falseOrigin],
  keeps: 'angles',
  make(ellipsoid, p) {
    const e2 = eccentricitySquared(ellipsoid);
    const e = Math.sqrt(e2);
    const phi0 = p.latitudeOfOrigin;
    if (Math.abs(phi0) > Math.PI / 2 - 1e-9)
      return polarProjection(ellipsoid, p, phi0 < 0 ? -1 : 1, p.scaleFactor);
    const s0 = Math.sin(phi0);
    const w = 1 - e2 * s0 * s0;
    const n = Math.sqrt(1 + (e2 * Math.cos(phi0) ** 4) / (1 - e2));
    const radius = (ellipsoid.a * Math.sqrt(1 - e2)) / w;
    // The guidance note's constant c makes the sphere's latitude of the origin asin(sin φ₀ / n).
    const chi0 = Math.asin(s0 / n);
    const offset = Math.atanh(Math.sin(chi0)) - n * isometricLatitude(phi0, e);
    const size = 2 * radius * p.scaleFactor;
    const series = conformalSeries(ellipsoid);
    const sphere = about(chi0);
    const seen = new Float64Array(3);
    return pointwise(
      p,
      (lambda, phi, out) => {
        const psi = n * isometricLatitude(phi, e) + offset;
        sphere.see(n * lambda, Math.tanh(psi), 1 / Math.cosh(psi), seen);
        if (seen[2] < -0.999999) return nowhere(out);
        out[0] = (size * seen[0]) / (1 + seen[2]);
        out[1] = (size * seen[1]) / (1 + seen[2]);
      },
      (x, y, out) => {
        const r2 = (x * x + y * y) / (size * size);
        sphere.find((2 * x) / size, (2 * y) / size, 1 - r2, out);
        out[0] /= n;
        out[1] = geodeticFromIsometric((Math.asinh(Math.tan(out[1])) - offset) / n, series);
      },
    );
  },
};

/** Stereographic over the conformal latitude, all aspects (Snyder 1987, eqs. 21-24 to 21-38). */
export const stereographic: Method = {
  name: 'stereographic',
  title: 'Stereographic',
  wkt1: 'Stereographic',
  parameters: [latitude, longitude, scale, ...falseOrigin],
  keeps: 'angles',
  make(ellipsoid, p) {
    const phi0 = p.latitudeOfOrigin;
    if (Math.abs(phi0) > Math.PI / 2 - 1e-9)
      return polarProjection(ellipsoid, p, phi0 < 0 ? -1 : 1, p.scaleFactor);
    const e = Math.sqrt(eccentricitySquared(ellipsoid));
    const { toConformal, toGeodetic } = conformalSeries(ellipsoid);
    const conformal = (phi: number) => phi + sumSines(toConformal, Math.sin(phi), Math.cos(phi));
    const chi0 = conformal(phi0);
    const size = (2 * ellipsoid.a * p.scaleFactor * parallelRadius(phi0, e)) / Math.cos(chi0);
    const sphere = about(chi0);
    const seen = new Float64Array(3);
    return pointwise(
      p,
      (lambda, phi, out) => {
        const chi = conformal(phi);
        sphere.see(lambda, Math.sin(chi), Math.cos(chi), seen);
        if (seen[2] < -0.999999) return nowhere(out);
        out[0] = (size * seen[0]) / (1 + seen[2]);
        out[1] = (size * seen[1]) / (1 + seen[2]);
      },
      (x, y, out) => {
        const r2 = (x * x + y * y) / (size * size);
        sphere.find((2 * x) / size, (2 * y) / size, 1 - r2, out);
        out[1] += sumSines(toGeodetic, Math.sin(out[1]), Math.cos(out[1]));
      },
    );
  },
};
