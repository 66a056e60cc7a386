import { type Ellipsoid, eccentricitySquared } from './crs.ts';
import { noSeries, rootOf, sineSeries, sumSines } from './latitude-series.ts';

/** Nodes and weights of Gauss–Legendre quadrature on [−1, 1], 16 points, by Newton's method on the polynomial. */
const gauss = (() => {
  const n = 16;
  return Array.from({ length: n }, (_, i) => {
    let x = Math.cos((Math.PI * (i + 0.75)) / (n + 0.5));
    let slope = 0;
    for (let step = 0; step < 50; step++) {
      let [before, now] = [1, x];
      for (let k = 2; k <= n; k++) [before, now] = [now, ((2 * k - 1) * x * now - (k - 1) * before) / k];
      slope = (n * (x * now - before)) / (x * x - 1);
      const change = now / slope;
      x -= change;
      if (Math.abs(change) < 1e-16) break;
    }
    return [x, 2 / ((1 - x * x) * slope * slope)] as const;
  });
})();

/** Length of the meridian from the equator over the semi-major axis, by quadrature (exact to rounding). */
function meridianArc(phi: number, e2: number): number {
  let sum = 0;
  for (const [x, weight] of gauss) {
    const s = Math.sin((phi / 2) * (x + 1));
    sum += weight * (1 - e2 * s * s) ** -1.5;
  }
  return (1 - e2) * (phi / 2) * sum;
}

/** Distances along the meridian of one ellipsoid, both ways; metres and radians. */
export interface MeridianDistance {
  /** M(φ) from sin φ, cos φ and φ itself. */
  distance(phi: number): number;
  /** φ of a distance from the equator. */
  latitude(distance: number): number;
  /** Radius of the sphere whose meridians have the same length. */
  readonly radius: number;
}

/**
 * Rectifying latitude μ = φ + Σ cₖ sin 2kφ and back (Snyder 1987, eqs. 3-20 and 3-26): the coefficients are made by
 * quadrature instead of from truncated power series, so that they hold for any flattening that is met.
 */
export function meridianDistance(ellipsoid: Ellipsoid): MeridianDistance {
  const e2 = eccentricitySquared(ellipsoid);
  const radius = (ellipsoid.a * meridianArc(Math.PI / 2, e2)) / (Math.PI / 2);
  const rectifying = (phi: number) => (meridianArc(phi, e2) * ellipsoid.a) / radius;
  const there = e2 === 0 ? noSeries() : sineSeries((phi) => rectifying(phi) - phi);
  const back =
    e2 === 0
      ? noSeries()
      : sineSeries((mu) => rootOf((phi) => rectifying(phi) - mu, mu - 0.05, mu + 0.05) - mu);
  return {
    radius,
    distance: (phi) => radius * (phi + sumSines(there, Math.sin(phi), Math.cos(phi))),
    latitude: (distance) => {
      const mu = distance / radius;
      return mu + sumSines(back, Math.sin(mu), Math.cos(mu));
    },
  };
}

/** Authalic latitudes of one ellipsoid. */
export interface AuthalicLatitude {
  /** sin β from sin φ. */
  sine(sinPhi: number): number;
  /** β of φ, by its series: exact to rounding at the poles too, where sin β says little. */
  beta(phi: number): number;
  /** φ from sin β and cos β. */
  latitude(sinBeta: number, cosBeta: number): number;
  /** q at the pole, and radius of the sphere of equal area, metres (Snyder 1987, eqs. 3-12 and 3-13). */
  readonly q: number;
  readonly radius: number;
}

/** q(φ) over 1 (Snyder 1987, eq. 3-12): twice the area from the equator to φ, a strip of one radian, a = 1. */
export function authalicQ(sinPhi: number, e2: number): number {
  if (e2 === 0) return 2 * sinPhi;
  const e = Math.sqrt(e2);
  return (1 - e2) * (sinPhi / (1 - e2 * sinPhi * sinPhi) + Math.atanh(e * sinPhi) / e);
}

export function authalicLatitude(ellipsoid: Ellipsoid): AuthalicLatitude {
  const e2 = eccentricitySquared(ellipsoid);
  const q = authalicQ(1, e2);
  const there =
    e2 === 0 ? noSeries() : sineSeries((phi) => Math.asin(authalicQ(Math.sin(phi), e2) / q) - phi);
  const back =
    e2 === 0
      ? noSeries()
      : sineSeries((beta) => {
          const wanted = Math.sin(beta) * q;
          return (
            rootOf(
              (phi) => authalicQ(Math.sin(phi), e2) - wanted,
              beta - 0.05,
              Math.min(Math.PI / 2, beta + 0.05),
            ) - beta
          );
        });
  return {
    q,
    radius: ellipsoid.a * Math.sqrt(q / 2),
    sine: (sinPhi) => authalicQ(sinPhi, e2) / q,
    beta: (phi) => phi + sumSines(there, Math.sin(phi), Math.cos(phi)),
    latitude: (sine, cosine) => Math.atan2(sine, cosine) + sumSines(back, sine, cosine),
  };
}
