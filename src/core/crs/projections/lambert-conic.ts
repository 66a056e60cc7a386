import { conformalSeries } from '../conformal-latitude.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { sumSines } from '../latitude-series.ts';
import { type Method, type Projection, wrapped } from './projection.ts';

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

/** Isometric latitude ψ. */
function isometric(phi: number, e: number): number {
  const s = Math.sin(phi);
  return Math.atanh(s) - e * Math.atanh(e * s);
}

/** Radius of the parallel over a: cos φ / √(1 − e² sin² φ). */
function parallel(phi: number, e: number): number {
  const s = e * Math.sin(phi);
  return Math.cos(phi) / Math.sqrt(1 - s * s);
}

function conicProjection(ellipsoid: Ellipsoid, cone: Cone): Projection {
  const e2 = eccentricitySquared(ellipsoid);
  const { n, reach, originRadius, centralMeridian, falseEasting, falseNorthing, turn } = cone;
  const { toGeodetic } = conformalSeries(ellipsoid);
  return {
    forward(xy, from, count) {
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        const theta = n * wrapped(xy[k] - centralMeridian) - turn;
        const s = Math.sin(xy[k + 1]);
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
        // E = exp ψ; sin χ = (E² − 1) / (E² + 1), cos χ = 2E / (E² + 1)
        const square = Math.exp((-2 / n) * Math.log(rho / Math.abs(reach)));
        const sine = square === Infinity ? 1 : (square - 1) / (square + 1);
        const cosine = square === Infinity ? 0 : (2 * Math.sqrt(square)) / (square + 1);
        xy[k] = wrapped((Math.atan2(x, y) + turn) / n + centralMeridian);
        xy[k + 1] = Math.atan2(sine, cosine) + sumSines(toGeodetic, sine, cosine);
      }
    },
  };
}

/** Lambert conic conformal with one standard parallel (EPSG Guidance Note 7-2, 3.1.1.2). */
export const lambertConic1: Method = {
  name: 'lambert-conic-conformal-1sp',
  epsg: 9801,
  wktNames: ['Lambert_Conformal_Conic_1SP'],
  required: ['latitudeOfOrigin', 'centralMeridian'],
  make(ellipsoid, p) {
    const e = Math.sqrt(eccentricitySquared(ellipsoid));
    const n = Math.sin(p.latitudeOfOrigin);
    const reach =
      (ellipsoid.a *
        p.scaleFactor *
        parallel(p.latitudeOfOrigin, e) *
        Math.exp(n * isometric(p.latitudeOfOrigin, e))) /
      n;
    return conicProjection(ellipsoid, {
      n,
      reach,
      originRadius: reach * Math.exp(-n * isometric(p.latitudeOfOrigin, e)),
      centralMeridian: p.centralMeridian,
      falseEasting: p.falseEasting,
      falseNorthing: p.falseNorthing,
      turn: 0,
    });
  },
};

function twoParallels(turn: number): Method['make'] {
  return (ellipsoid, p) => {
    const e = Math.sqrt(eccentricitySquared(ellipsoid));
    const p1 = p.standardParallel1;
    const p2 = p.standardParallel2;
    const m1 = parallel(p1, e);
    const n =
      Math.abs(p1 - p2) < 1e-12
        ? Math.sin(p1)
        : (Math.log(m1) - Math.log(parallel(p2, e))) / (isometric(p2, e) - isometric(p1, e));
    const reach = (p.scaleFactor * ellipsoid.a * m1 * Math.exp(n * isometric(p1, e))) / n;
    const pole = Math.abs(Math.abs(p.latitudeOfOrigin) - Math.PI / 2) < 1e-12;
    return conicProjection(ellipsoid, {
      n,
      reach,
      originRadius: pole ? 0 : reach * Math.exp(-n * isometric(p.latitudeOfOrigin, e)),
      centralMeridian: p.centralMeridian,
      falseEasting: p.falseEasting,
      falseNorthing: p.falseNorthing,
      turn,
    });
  };
}

/** Lambert conic conformal with two standard parallels (EPSG Guidance Note 7-2, 3.1.1.1). */
export const lambertConic2: Method = {
  name: 'lambert-conic-conformal-2sp',
  epsg: 9802,
  wktNames: ['Lambert_Conformal_Conic_2SP', 'Lambert_Conformal_Conic'],
  required: ['standardParallel1', 'standardParallel2', 'centralMeridian', 'latitudeOfOrigin'],
  make: twoParallels(0),
};

/** The Belgian variant: θ turned by 29.2985″ (EPSG Guidance Note 7-2, 3.1.1.3). */
export const lambertConicBelgium: Method = {
  name: 'lambert-conic-conformal-2sp-belgium',
  epsg: 9803,
  wktNames: ['Lambert_Conformal_Conic_2SP_Belgium'],
  required: ['standardParallel1', 'standardParallel2', 'centralMeridian', 'latitudeOfOrigin'],
  make: twoParallels(((29.2985 / 3600) * Math.PI) / 180),
};
