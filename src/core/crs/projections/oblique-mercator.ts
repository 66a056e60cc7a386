import { IsomericError } from '../../errors.ts';
import { conformalSeries, geodeticFromIsometric, isometricLatitude } from '../conformal-latitude.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import {
  azimuth,
  centreLatitude,
  centreLongitude,
  centreScale,
  falseOrigin,
  point1,
  point2,
  rectifiedAngle,
} from './parameters.ts';
import { type Method, type MethodParameters, nowhere, type Projection, pointwise } from './projection.ts';

/** What the oblique cylinder is made of (EPSG Guidance Note 7-2, 3.5.6; Snyder 1987, eqs. 9-11 to 9-24). */
interface Line {
  a: number;
  b: number;
  /** ln H: Q = H / t^B = exp(ln H + B ψ). */
  logH: number;
  gamma0: number;
  lambda0: number;
  /** Angle from the skew to the rectified grid. */
  turn: number;
  /** u of the origin along the line. */
  origin: number;
}

/** B, A, D and √(D² − 1) with the sign of the latitude, from the centre. */
function constants(ellipsoid: Ellipsoid, phi: number, k: number) {
  if (Math.abs(phi) > Math.PI / 2 - 1e-9)
    throw new IsomericError('projection-impossible', 'The centre of an oblique Mercator lies at a pole.', {
      advice: 'A polar stereographic projection is meant, or the latitude of the centre is mistyped.',
    });
  const e2 = eccentricitySquared(ellipsoid);
  const e = Math.sqrt(e2);
  const w = 1 - e2 * Math.sin(phi) ** 2;
  const b = Math.sqrt(1 + (e2 * Math.cos(phi) ** 4) / (1 - e2));
  const a = (ellipsoid.a * b * k * Math.sqrt(1 - e2)) / w;
  const d = Math.max(1, (b * Math.sqrt(1 - e2)) / (Math.cos(phi) * Math.sqrt(w)));
  const root = Math.sqrt(d * d - 1) * (phi < 0 ? -1 : 1);
  const f = d + root;
  return { a, b, d, root, f, logH: Math.log(f) - b * isometricLatitude(phi, e) };
}

function lineByAzimuth(ellipsoid: Ellipsoid, p: MethodParameters, centred: boolean): Line {
  const { a, b, d, root, f, logH } = constants(ellipsoid, p.latitudeOfOrigin, p.scaleFactor);
  const g = (f - 1 / f) / 2;
  const gamma0 = Math.asin(Math.sin(p.azimuth) / d);
  const lambda0 = -Math.asin(Math.max(-1, Math.min(1, g * Math.tan(gamma0)))) / b;
  const sign = root < 0 ? -1 : 1;
  const origin = centred ? (a / b) * Math.atan2(Math.abs(root), Math.cos(p.azimuth)) * sign : 0;
  return { a, b, logH, gamma0, lambda0, turn: p.rectifiedGridAngle, origin };
}

/** The line through two points (Snyder 1987, eqs. 9-25 to 9-35); longitudes from that of the first point. */
function lineByPoints(ellipsoid: Ellipsoid, p: MethodParameters): Line {
  const { a, b, d, logH } = constants(ellipsoid, p.latitudeOfOrigin, p.scaleFactor);
  const e = Math.sqrt(eccentricitySquared(ellipsoid));
  const lambda2 = p.longitudeOfPoint2 - p.longitudeOfPoint1;
  const H = Math.exp(-b * isometricLatitude(p.latitudeOfPoint1, e));
  const L = Math.exp(-b * isometricLatitude(p.latitudeOfPoint2, e));
  const E = Math.exp(logH);
  const J = (E * E - L * H) / (E * E + L * H);
  const P = (L - H) / (L + H);
  const lambda0 = lambda2 / 2 - Math.atan((J * Math.tan((-b * lambda2) / 2)) / P) / b;
  // tan γ₀ from the point that lies farther along the line: a point on the aposphere's equator says nothing.
  const G1 = (E / H - H / E) / 2;
  const G2 = (E / L - L / E) / 2;
  const gamma0 =
    Math.abs(G1) > Math.abs(G2)
      ? Math.atan(Math.sin(-b * lambda0) / G1)
      : Math.atan(Math.sin(b * (lambda2 - lambda0)) / G2);
  return { a, b, logH, gamma0, lambda0, turn: Math.asin(d * Math.sin(gamma0)), origin: 0 };
}

function obliqueProjection(ellipsoid: Ellipsoid, p: MethodParameters, line: Line): Projection {
  const { a, b, logH, lambda0, turn, origin } = line;
  const e = Math.sqrt(eccentricitySquared(ellipsoid));
  const series = conformalSeries(ellipsoid);
  const sg = Math.sin(line.gamma0);
  const cg = Math.cos(line.gamma0);
  const st = Math.sin(turn);
  const ct = Math.cos(turn);
  return pointwise(
    p,
    (lambda, phi, out) => {
      const q = logH + b * isometricLatitude(phi, e);
      if (!(Math.abs(q) < 300)) return nowhere(out);
      const S = Math.sinh(q);
      const T = Math.cosh(q);
      const angle = b * (lambda - lambda0);
      const V = Math.sin(angle);
      const U = (S * sg - V * cg) / T;
      const v = (-a * Math.atanh(U)) / b;
      const u = (a * Math.atan2(S * cg + V * sg, Math.cos(angle))) / b - origin;
      out[0] = v * ct + u * st;
      out[1] = u * ct - v * st;
    },
    (x, y, out) => {
      const v = (b * (x * ct - y * st)) / a;
      const u = (b * (y * ct + x * st + origin)) / a;
      const S = Math.sinh(-v);
      const T = Math.cosh(v);
      const V = Math.sin(u);
      const U = (V * cg + S * sg) / T;
      out[0] = lambda0 - Math.atan2(S * cg - V * sg, Math.cos(u)) / b;
      if (out[0] > Math.PI) out[0] -= 2 * Math.PI;
      else if (out[0] < -Math.PI) out[0] += 2 * Math.PI;
      out[1] = geodeticFromIsometric((Math.atanh(U) - logH) / b, series);
    },
  );
}

const centred = [centreLatitude, centreLongitude, azimuth, rectifiedAngle, centreScale];

/** Hotine oblique Mercator, variant A: counted from the natural origin (EPSG Guidance Note 7-2, 3.5.6). */
export const obliqueMercatorA: Method = {
  name: 'oblique-mercator-a',
  epsg: 9812,
  title: 'Hotine Oblique Mercator (variant A)',
  wkt1: 'Hotine_Oblique_Mercator',
  prj: 'Rectified_Skew_Orthomorphic_Natural_Origin',
  aliases: ['Hotine_Oblique_Mercator_Azimuth_Natural_Origin', 'Hotine_Oblique_Mercator_Variant_A'],
  parameters: [...centred, ...falseOrigin],
  keeps: 'angles',
  make: (ellipsoid, p) => obliqueProjection(ellipsoid, p, lineByAzimuth(ellipsoid, p, false)),
};

/**
 * Hotine oblique Mercator, variant B: counted from the projection centre. With an azimuth of 90° it is the Swiss oblique
 * Mercator (EPSG Guidance Note 7-2, 3.5.6).
 */
export const obliqueMercatorB: Method = {
  name: 'oblique-mercator-b',
  epsg: 9815,
  title: 'Hotine Oblique Mercator (variant B)',
  wkt1: 'Hotine_Oblique_Mercator_Azimuth_Center',
  prj: 'Rectified_Skew_Orthomorphic_Center',
  aliases: [
    'Oblique_Mercator',
    'Hotine_Oblique_Mercator_Variant_B',
    'Swiss_Oblique_Cylindrical',
    'Swiss_Oblique_Mercator',
  ],
  parameters: [
    ...centred,
    { ...falseOrigin[0], epsg: 'Easting at projection centre' },
    { ...falseOrigin[1], epsg: 'Northing at projection centre' },
  ],
  keeps: 'angles',
  make: (ellipsoid, p) => obliqueProjection(ellipsoid, p, lineByAzimuth(ellipsoid, p, true)),
};

/** Oblique Mercator along a line through two points, counted from the natural origin. */
export const obliqueMercatorTwoPoints: Method = {
  name: 'oblique-mercator-two-points',
  title: 'Hotine Oblique Mercator Two Point Natural Origin',
  wkt1: 'Hotine_Oblique_Mercator_Two_Point_Natural_Origin',
  parameters: [centreLatitude, ...point1, ...point2, centreScale, ...falseOrigin],
  keeps: 'angles',
  make: (ellipsoid, p) =>
    obliqueProjection(ellipsoid, { ...p, centralMeridian: p.longitudeOfPoint1 }, lineByPoints(ellipsoid, p)),
};
