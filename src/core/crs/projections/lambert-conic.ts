import { IsomericError } from '../../errors.ts';
import { conformalSeries, isometricLatitude } from '../conformal-latitude.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { sumSines } from '../latitude-series.ts';
import {
  eastingThere,
  falseLatitude,
  falseLongitude,
  falseOrigin,
  latitude,
  longitude,
  named,
  northingThere,
  optional,
  parallel1,
  parallel2,
  scale,
} from './parameters.ts';
import { type Method, type Projection, pole, wrapped } from './projection.ts';

interface Cone {
  /** Exponent n of the cone. */
  n: number;
  /** ρ = reach · exp(−n ψ), metres. */
  reach: number;
  originRadius: number;
  centralMeridian: number;
  falseEasting: number;
  falseNorthing: number;
  /** Turns θ by this much (the Belgian variant). */
  turn: number;
}

/** Radius of the parallel over a: cos φ / √(1 − e² sin² φ). */
export function parallelRadius(phi: number, e: number): number {
  const s = e * Math.sin(phi);
  return Math.cos(phi) / Math.sqrt(1 - s * s);
}

/** A cone must be one: with parallels at equal latitudes north and south it is a cylinder. */
export function checkedCone(n: number): number {
  if (Math.abs(n) > 1e-10) return n;
  throw new IsomericError(
    'projection-impossible',
    'The parallels of a conic projection lie equally far from the equator, north and south (or on it): that is no cone.',
    { advice: 'Look up the two standard parallels; a cylindrical projection is meant otherwise.' },
  );
}

function conicProjection(ellipsoid: Ellipsoid, cone: Cone): Projection {
  const e2 = eccentricitySquared(ellipsoid);
  const { reach, originRadius, centralMeridian, falseEasting, falseNorthing, turn } = cone;
  const n = checkedCone(cone.n);
  const { toGeodetic } = conformalSeries(ellipsoid);
  return {
    forward(xy, from, count) {
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        const phi = xy[k + 1];
        if (!(phi <= pole && phi >= -pole)) {
          xy[k] = NaN;
          xy[k + 1] = NaN;
          continue;
        }
        const theta = n * wrapped(xy[k] - centralMeridian) - turn;
        const s = Math.sin(phi);
        // e·artanh(e s) as a series: e² ≤ 0.0068, so eight terms are exact to rounding.
        const q = e2 * s * s;
        const eccentric =
          e2 * s * (1 + q * (1 / 3 + q * (1 / 5 + q * (1 / 7 + q * (1 / 9 + q * (1 / 11 + q / 13))))));
        const psi = 0.5 * Math.log((1 + s) / (1 - s)) - eccentric;
        const rho = reach * Math.exp(-n * psi);
        xy[k] = falseEasting + rho * Math.sin(theta);
        xy[k + 1] = falseNorthing + originRadius - rho * Math.cos(theta);
      }
    },
    inverse(xy, from, count) {
      const sign = n < 0 ? -1 : 1;
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        const x = sign * (xy[k] - falseEasting);
        const y = sign * (originRadius - (xy[k + 1] - falseNorthing));
        const rho = Math.sqrt(x * x + y * y);
        const lambda = (Math.atan2(x, y) + turn) / n;
        // Between the two edges of the unrolled cone there is nothing.
        if (!(lambda <= 3.1415926546 && lambda >= -3.1415926546)) {
          xy[k] = NaN;
          xy[k + 1] = NaN;
          continue;
        }
        // E = exp ψ; sin χ = (E² − 1) / (E² + 1), cos χ = 2E / (E² + 1)
        const square = Math.exp((-2 / n) * Math.log(rho / Math.abs(reach)));
        const sine = square === Infinity ? 1 : (square - 1) / (square + 1);
        const cosine = square === Infinity ? 0 : (2 * Math.sqrt(square)) / (square + 1);
        xy[k] = wrapped(lambda + centralMeridian);
        xy[k + 1] = Math.atan2(sine, cosine) + sumSines(toGeodetic, sine, cosine);
      }
    },
  };
}

/** `mirror`: the sign of the false origin, −1 where the text counts westwards and memory eastwards. */
function oneParallel(mirror: 1 | -1): Method['make'] {
  return (ellipsoid, p) => {
    const e = Math.sqrt(eccentricitySquared(ellipsoid));
    const n = Math.sin(p.latitudeOfOrigin);
    const reach =
      (ellipsoid.a *
        p.scaleFactor *
        parallelRadius(p.latitudeOfOrigin, e) *
        Math.exp(n * isometricLatitude(p.latitudeOfOrigin, e))) /
      checkedCone(n);
    return conicProjection(ellipsoid, {
      n,
      reach,
      originRadius: reach * Math.exp(-n * isometricLatitude(p.latitudeOfOrigin, e)),
      centralMeridian: p.centralMeridian,
      falseEasting: mirror * p.falseEasting,
      falseNorthing: p.falseNorthing,
      turn: 0,
    });
  };
}

const requiredLatitude = { ...latitude, otherwise: undefined };

/** Lambert conic conformal with one standard parallel (EPSG Guidance Note 7-2, 3.1.1.2). */
export const lambertConic1: Method = {
  name: 'lambert-conic-conformal-1sp',
  epsg: 9801,
  title: 'Lambert Conic Conformal (1SP)',
  wkt1: 'Lambert_Conformal_Conic_1SP',
  prj: 'Lambert_Conformal_Conic',
  parameters: [requiredLatitude, longitude, scale, ...falseOrigin],
  keeps: 'angles',
  make: oneParallel(1),
};

/**
 * The West Orientated variant (EPSG Guidance Note 7-2, 3.1.1.4): the text counts westings W = FE − ρ sin θ; memory holds
 * −W, so that east is to the right.
 */
export const lambertConicWest: Method = {
  name: 'lambert-conic-conformal-west',
  epsg: 9826,
  title: 'Lambert Conic Conformal (West Orientated)',
  wkt1: 'Lambert_Conic_Conformal_(West_Orientated)',
  parameters: [requiredLatitude, longitude, scale, ...falseOrigin],
  keeps: 'angles',
  make: oneParallel(-1),
};

function twoParallels(turn: number): Method['make'] {
  return (ellipsoid, p) => {
    const e = Math.sqrt(eccentricitySquared(ellipsoid));
    const p1 = p.standardParallel1;
    const p2 = p.standardParallel2;
    const m1 = parallelRadius(p1, e);
    const n = checkedCone(
      Math.abs(p1 - p2) < 1e-12
        ? Math.sin(p1)
        : (Math.log(m1) - Math.log(parallelRadius(p2, e))) /
            (isometricLatitude(p2, e) - isometricLatitude(p1, e)),
    );
    const reach = (p.scaleFactor * ellipsoid.a * m1 * Math.exp(n * isometricLatitude(p1, e))) / n;
    const atPole = Math.abs(Math.abs(p.latitudeOfOrigin) - Math.PI / 2) < 1e-12;
    return conicProjection(ellipsoid, {
      n,
      reach,
      originRadius: atPole ? 0 : reach * Math.exp(-n * isometricLatitude(p.latitudeOfOrigin, e)),
      centralMeridian: p.centralMeridian,
      falseEasting: p.falseEasting,
      falseNorthing: p.falseNorthing,
      turn,
    });
  };
}

const falseConic = [falseLatitude, falseLongitude, parallel1, parallel2, eastingThere, northingThere];

/**
 * Lambert conic conformal with two standard parallels (EPSG Guidance Note 7-2, 3.1.1.1). A scale factor, where a text
 * gives one, multiplies the cone.
 */
export const lambertConic2: Method = {
  name: 'lambert-conic-conformal-2sp',
  epsg: 9802,
  title: 'Lambert Conic Conformal (2SP)',
  wkt1: 'Lambert_Conformal_Conic_2SP',
  prj: 'Lambert_Conformal_Conic',
  parameters: [...falseConic, optional(scale, 1)],
  keeps: 'angles',
  make: twoParallels(0),
};

/** The Michigan variant, on an ellipsoid enlarged by a factor (EPSG Guidance Note 7-2, 3.1.1.5). */
export const lambertConicMichigan: Method = {
  name: 'lambert-conic-conformal-2sp-michigan',
  epsg: 1051,
  title: 'Lambert Conic Conformal (2SP Michigan)',
  wkt1: 'Lambert_Conformal_Conic_2SP_Michigan',
  parameters: [...falseConic, named('scaleFactor', 'ellipsoid_scaling_factor', 'Ellipsoid scaling factor')],
  keeps: 'angles',
  make: twoParallels(0),
};

/** The Belgian variant: θ turned by 29.2985″ (EPSG Guidance Note 7-2, 3.1.1.3). */
export const lambertConicBelgium: Method = {
  name: 'lambert-conic-conformal-2sp-belgium',
  epsg: 9803,
  title: 'Lambert Conic Conformal (2SP Belgium)',
  wkt1: 'Lambert_Conformal_Conic_2SP_Belgium',
  parameters: falseConic,
  keeps: 'angles',
  make: twoParallels(((29.2985 / 3600) * Math.PI) / 180),
};
