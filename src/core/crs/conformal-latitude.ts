import { type Ellipsoid, eccentricitySquared } from './crs.ts';
import { noSeries, sineSeries, sumSines } from './latitude-series.ts';

/** Isometric latitude less its spherical part: e·artanh(e sin φ). */
function eccentricPart(e: number, sine: number): number {
  return e * Math.atanh(e * sine);
}

/** χ(φ), exactly (Snyder 1987, eq. 3-1, rearranged to keep precision). */
export function conformalLatitude(phi: number, e: number): number {
  const tau = Math.tan(phi);
  const sigma = Math.sinh(eccentricPart(e, tau / Math.hypot(1, tau)));
  return Math.atan(tau * Math.hypot(1, sigma) - sigma * Math.hypot(1, tau));
}

/** φ(χ), by Newton's method on tan φ (Karney 2011, eqs. 19–21). */
export function geodeticFromConformal(chi: number, e: number): number {
  const taup = Math.tan(chi);
  const e2m = 1 - e * e;
  let tau = taup / e2m;
  for (let step = 0; step < 8; step++) {
    const sigma = Math.sinh(eccentricPart(e, tau / Math.hypot(1, tau)));
    const taupi = tau * Math.hypot(1, sigma) - sigma * Math.hypot(1, tau);
    const change =
      ((taup - taupi) * (1 + e2m * tau * tau)) / (e2m * Math.hypot(1, tau) * Math.hypot(1, taupi));
    tau += change;
    if (Math.abs(change) < 1e-16 * Math.max(1, Math.abs(tau))) break;
  }
  return Math.atan(tau);
}

/** Series χ − φ in sin 2kφ, and φ − χ in sin 2kχ, for one ellipsoid. */
export interface ConformalSeries {
  toConformal: Float64Array;
  toGeodetic: Float64Array;
}

export function conformalSeries(ellipsoid: Ellipsoid): ConformalSeries {
  const e = Math.sqrt(eccentricitySquared(ellipsoid));
  if (e === 0) return { toConformal: noSeries(), toGeodetic: noSeries() };
  return {
    toConformal: sineSeries((phi) => conformalLatitude(phi, e) - phi),
    toGeodetic: sineSeries((chi) => geodeticFromConformal(chi, e) - chi),
  };
}

/** Isometric latitude ψ of a sine of φ, to full precision also near the equator (Snyder 1987, eq. 7-7). */
export function isometricLatitude(phi: number, e: number): number {
  const s = Math.sin(phi);
  return Math.atanh(s) - e * Math.atanh(e * s);
}

/** φ of an isometric latitude. */
export function geodeticFromIsometric(psi: number, series: ConformalSeries): number {
  const sine = Math.tanh(psi);
  const cosine = 1 / Math.cosh(psi);
  return Math.atan2(sine, cosine) + sumSines(series.toGeodetic, sine, cosine);
}
