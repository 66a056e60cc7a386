import { meridianDistance } from '../auxiliary-latitudes.ts';
import { eccentricitySquared } from '../crs.ts';
import { invertByNewton } from './newton.ts';
import { falseOrigin, latitude, longitude } from './parameters.ts';
import { type Method, nowhere, type Pair, pointwise } from './projection.ts';

/** American polyconic (EPSG Guidance Note 7-2, 3.2.5; Snyder 1987, eqs. 18-12 to 18-15). */
export const polyconic: Method = {
  name: 'american-polyconic',
  epsg: 9818,
  title: 'American Polyconic',
  wkt1: 'Polyconic',
  parameters: [latitude, longitude, ...falseOrigin],
  keeps: 'nothing',
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const e2 = eccentricitySquared(ellipsoid);
    const meridian = meridianDistance(ellipsoid);
    const origin = meridian.distance(p.latitudeOfOrigin);
    const forward = (lambda: number, phi: number, out: Pair) => {
      const s = Math.sin(phi);
      const nu = a / Math.sqrt(1 - e2 * s * s);
      const L = lambda * s;
      // ν cot φ sin L and ν cot φ (1 − cos L), without dividing by a vanishing sine.
      const part = Math.abs(L) < 1e-8 ? 1 : Math.sin(L) / L;
      const half = Math.sin(L / 2);
      const versed = Math.abs(s) < 1e-8 ? (lambda * L) / 2 : (2 * half * half) / s;
      out[0] = nu * Math.cos(phi) * lambda * part;
      out[1] = meridian.distance(phi) - origin + nu * Math.cos(phi) * versed;
    };
    return pointwise(p, forward, (x, y, out) => {
      const high = meridian.latitude(Math.max(-1e7, Math.min(1e7, y + origin)));
      // Parallels bend up towards the edge, so that the latitude sought is lower than that of the same northing.
      for (const part of [1, 0.85, 0.97, 0.7, 0.5, 0.3, 0.1]) {
        out[1] = high * part;
        out[0] = Math.max(-2.8, Math.min(2.8, x / (a * Math.max(0.1, Math.cos(out[1])))));
        invertByNewton(forward, x, y, a, out);
        if (Math.abs(out[0]) <= Math.PI + 1e-9) return;
      }
      nowhere(out);
    });
  },
};
