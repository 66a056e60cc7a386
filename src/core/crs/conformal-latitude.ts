import { type Ellipsoid, eccentricitySquared } from './crs.ts';

/** Terms of the series; the coefficients fall by a factor of about 600 from one to the next. */
const terms = 6;

/** Coefficients c₁ … c₆ of Σ cₖ sin 2kθ for an odd function of period π, by the trapezoidal rule (exact to rounding). */
function sineSeries(f: (theta: number) => number): Float64Array {
  const samples = 64;
  const coefficients = new Float64Array(terms);
  for (let j = 1; j < samples; j++) {
    const theta = (Math.PI / 2) * (j / samples);
    const value = f(theta);
    for (let k = 1; k <= terms; k++) coefficients[k - 1] += (2 / samples) * value * Math.sin(2 * k * theta);
  }
  return coefficients;
}

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
  if (e === 0) return { toConformal: new Float64Array(terms), toGeodetic: new Float64Array(terms) };
  return {
    toConformal: sineSeries((phi) => conformalLatitude(phi, e) - phi),
    toGeodetic: sineSeries((chi) => geodeticFromConformal(chi, e) - chi),
  };
}

/** Σ cₖ sin 2kθ by Clenshaw's recurrence, from sin θ and cos θ alone. */
export function sumSines(c: Float64Array, sine: number, cosine: number): number {
  const x = 2 * (cosine - sine) * (cosine + sine); // 2 cos 2θ
  let b2 = 0;
  let b1 = c[5];
  let b0 = x * b1 + c[4];
  b2 = b1;
  b1 = b0;
  b0 = x * b1 - b2 + c[3];
  b2 = b1;
  b1 = b0;
  b0 = x * b1 - b2 + c[2];
  b2 = b1;
  b1 = b0;
  b0 = x * b1 - b2 + c[1];
  b2 = b1;
  b1 = b0;
  b0 = x * b1 - b2 + c[0];
  return b0 * 2 * sine * cosine;
}
