import { conformalSeries, geodeticFromIsometric, isometricLatitude } from '../conformal-latitude.ts';
import { eccentricitySquared } from '../crs.ts';
import { azimuth, centreLatitude, centreLongitude, centreScale, falseOrigin } from './parameters.ts';
import { type Method, pointwise } from './projection.ts';

/** Laborde's oblique Mercator (EPSG Guidance Note 7-2, 3.5.7). */
export const laborde: Method = {
  name: 'laborde-oblique-mercator',
  epsg: 9813,
  title: 'Laborde Oblique Mercator',
  wkt1: 'Laborde_Oblique_Mercator',
  parameters: [
    centreLatitude,
    centreLongitude,
    { ...azimuth, epsg: 'Azimuth of initial line' },
    { ...centreScale, epsg: 'Scale factor on initial line' },
    ...falseOrigin,
  ],
  keeps: 'angles',
  make(ellipsoid, p) {
    const e2 = eccentricitySquared(ellipsoid);
    const e = Math.sqrt(e2);
    const phi0 = p.latitudeOfOrigin;
    const B = Math.sqrt(1 + (e2 * Math.cos(phi0) ** 4) / (1 - e2));
    const phis = Math.asin(Math.sin(phi0) / B);
    const R = (ellipsoid.a * p.scaleFactor * Math.sqrt(1 - e2)) / (1 - e2 * Math.sin(phi0) ** 2);
    const C = Math.atanh(Math.sin(phis)) - B * isometricLatitude(phi0, e);
    const series = conformalSeries(ellipsoid);
    const sn = Math.sin(phis);
    const cs = Math.cos(phis);
    const gr = (1 - Math.cos(2 * p.azimuth)) / 12;
    const gi = Math.sin(2 * p.azimuth) / 12;
    return pointwise(
      p,
      (lambda, phi, out) => {
        const L = B * lambda;
        const q = C + B * isometricLatitude(phi, e);
        const sinP = Math.tanh(q);
        const cosP = 1 / Math.cosh(q);
        const U = cosP * Math.cos(L) * cs + sinP * sn;
        const V = cosP * Math.cos(L) * sn - sinP * cs;
        const W = cosP * Math.sin(L);
        const hr = -Math.atan2(V, U);
        const hi = Math.asinh(W / Math.hypot(U, V));
        // H + G H³
        const cr = hr * hr * hr - 3 * hr * hi * hi;
        const ci = 3 * hr * hr * hi - hi * hi * hi;
        out[0] = R * (hi + gr * ci + gi * cr);
        out[1] = R * (hr + gr * cr - gi * ci);
      },
      (x, y, out) => {
        const zr = y / R;
        const zi = x / R;
        let hr = zr;
        let hi = zi;
        // Newton on H + G H³ = Z; H stays within a tenth on the island.
        for (let step = 0; step < 20; step++) {
          const sr = hr * hr - hi * hi;
          const si = 2 * hr * hi;
          const cr = sr * hr - si * hi;
          const ci = sr * hi + si * hr;
          const fr = hr + gr * cr - gi * ci - zr;
          const fi = hi + gr * ci + gi * cr - zi;
          const dr = 1 + 3 * (gr * sr - gi * si);
          const di = 3 * (gr * si + gi * sr);
          const size = dr * dr + di * di;
          const stepR = (fr * dr + fi * di) / size;
          const stepI = (fi * dr - fr * di) / size;
          hr -= stepR;
          hi -= stepI;
          if (Math.abs(stepR) + Math.abs(stepI) < 1e-16) break;
        }
        const L = -hr;
        const cosP = 1 / Math.cosh(hi);
        const U = cosP * Math.cos(L) * cs + cosP * Math.sin(L) * sn;
        const V = Math.tanh(hi);
        const W = cosP * Math.cos(L) * sn - cosP * Math.sin(L) * cs;
        out[0] = Math.atan2(V, U) / B;
        out[1] = geodeticFromIsometric((Math.asinh(W / Math.hypot(U, V)) - C) / B, series);
      },
    );
  },
};
