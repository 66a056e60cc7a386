import { conformalSeries, geodeticFromIsometric, isometricLatitude } from '../conformal-latitude.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { centreLatitude, falseOrigin, named } from './parameters.ts';
import { type Method, type MethodParameters, type Pair, type Projection, pointwise } from './projection.ts';

/** Coefficients C₁ … C₁₀ of the modified grid and the point that they are counted from (EPSG Guidance Note 7-2, 3.2.3). */
const c = [
  0.02946529277, 0.02515965696, 1.193845912e-7, -4.668270147e-7, 9.233980362e-12, 1.523735715e-12,
  1.696780024e-18, 4.408314235e-18, -8.331083518e-24, -3.689471323e-24,
];
const centre = [1089000, 654000];

/** What the modified grid takes from southing and westing. */
function correction(south: number, west: number, out: Pair): void {
  const x = south - centre[0];
  const y = west - centre[1];
  const x2 = x * x;
  const y2 = y * y;
  const quartic = x2 * x2 + y2 * y2 - 6 * x2 * y2;
  const mixed = 4 * x * y * (x2 - y2);
  out[0] =
    c[0] +
    c[2] * x -
    c[3] * y -
    2 * c[5] * x * y +
    c[4] * (x2 - y2) +
    c[6] * x * (x2 - 3 * y2) -
    c[7] * y * (3 * x2 - y2) +
    c[8] * mixed +
    c[9] * quartic;
  out[1] =
    c[1] +
    c[2] * y +
    c[3] * x +
    2 * c[4] * x * y +
    c[5] * (x2 - y2) +
    c[7] * x * (x2 - 3 * y2) +
    c[6] * y * (3 * x2 - y2) -
    c[9] * mixed +
    c[8] * quartic;
}

/**
 * Krovak's oblique conformal conic (EPSG Guidance Note 7-2, 3.2.2). The definition counts southings and westings; memory
 * holds their negatives, which are also the coordinates of the north-orientated form.
 */
function krovakProjection(ellipsoid: Ellipsoid, p: MethodParameters, modified: boolean): Projection {
  const e2 = eccentricitySquared(ellipsoid);
  const e = Math.sqrt(e2);
  const phi0 = p.latitudeOfOrigin;
  const A = (ellipsoid.a * Math.sqrt(1 - e2)) / (1 - e2 * Math.sin(phi0) ** 2);
  const B = Math.sqrt(1 + (e2 * Math.cos(phi0) ** 4) / (1 - e2));
  const gamma0 = Math.asin(Math.sin(phi0) / B);
  const log0 = Math.atanh(Math.sin(gamma0)) - B * isometricLatitude(phi0, e);
  const n = Math.sin(p.standardParallel1);
  const r0 = (p.scaleFactor * A) / Math.tan(p.standardParallel1);
  const logP = Math.atanh(Math.sin(p.standardParallel1));
  const series = conformalSeries(ellipsoid);
  const sa = Math.sin(p.azimuth);
  const ca = Math.cos(p.azimuth);
  const change = new Float64Array(2);
  return pointwise(
    { centralMeridian: p.centralMeridian, falseEasting: 0, falseNorthing: 0 },
    (lambda, phi, out) => {
      const q = B * isometricLatitude(phi, e) + log0;
      const sinU = Math.tanh(q);
      const cosU = 1 / Math.cosh(q);
      const V = -B * lambda;
      const sinT = ca * sinU + sa * cosU * Math.cos(V);
      const east = cosU * Math.sin(V);
      const ahead = ca * cosU * Math.cos(V) - sa * sinU;
      const theta = n * Math.atan2(east, ahead);
      const r = r0 * Math.exp(n * (logP - Math.asinh(sinT / Math.hypot(east, ahead))));
      let south = r * Math.cos(theta);
      let west = r * Math.sin(theta);
      if (modified) {
        correction(south, west, change);
        south -= change[0];
        west -= change[1];
      }
      out[0] = -(west + p.falseEasting);
      out[1] = -(south + p.falseNorthing);
    },
    (x, y, out) => {
      let south = -y - p.falseNorthing;
      let west = -x - p.falseEasting;
      if (modified) {
        // The corrections are centimetres: they hardly change between the two systems.
        const [s, w] = [south, west];
        for (let step = 0; step < 4; step++) {
          correction(south, west, change);
          south = s + change[0];
          west = w + change[1];
        }
      }
      const D = Math.atan2(west, south) / n;
      const logT = logP - Math.log(Math.hypot(south, west) / r0) / n;
      const sinT = Math.tanh(logT);
      const cosT = 1 / Math.cosh(logT);
      const ahead = cosT * Math.cos(D);
      const sinU = ca * sinT - sa * ahead;
      const east = cosT * Math.sin(D);
      const up = sa * sinT + ca * ahead;
      out[0] = -Math.atan2(east, up) / B;
      out[1] = geodeticFromIsometric((Math.asinh(sinU / Math.hypot(east, up)) - log0) / B, series);
    },
  );
}

const parameters = [
  { ...centreLatitude, wkt1: 'latitude_of_center' },
  named('centralMeridian', 'longitude_of_center', 'Longitude of origin'),
  named('azimuth', 'azimuth', 'Co-latitude of cone axis'),
  named('standardParallel1', 'pseudo_standard_parallel_1', 'Latitude of pseudo standard parallel'),
  named('scaleFactor', 'scale_factor', 'Scale factor on pseudo standard parallel'),
  ...falseOrigin,
];

function krovakMethod(name: string, epsg: number, title: string, wkt1: string, modified: boolean): Method {
  return {
    name,
    epsg,
    title,
    wkt1,
    prj: wkt1.replace('_(North_Orientated)', ''),
    parameters,
    keeps: modified ? 'nothing' : 'angles',
    make: (ellipsoid, p) => krovakProjection(ellipsoid, p, modified),
  };
}

export const krovak = krovakMethod('krovak', 9819, 'Krovak', 'Krovak', false);
export const krovakNorth = krovakMethod('krovak-north', 1041, 'Krovak (North Orientated)', 'Krovak', false);
export const krovakModified = krovakMethod(
  'krovak-modified',
  1042,
  'Krovak Modified',
  'Krovak_Modified',
  true,
);
export const krovakModifiedNorth = krovakMethod(
  'krovak-modified-north',
  1043,
  'Krovak Modified (North Orientated)',
  'Krovak_Modified_(North_Orientated)',
  true,
);
