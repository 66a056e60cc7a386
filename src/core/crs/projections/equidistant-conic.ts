import { meridianDistance } from '../auxiliary-latitudes.ts';
import { eccentricitySquared } from '../crs.ts';
import { checkedCone, parallelRadius } from './lambert-conic.ts';
import { falseOrigin, latitude, longitude, parallel1, parallel2 } from './parameters.ts';
import { type Method, pointwise } from './projection.ts';

/** Equidistant conic (EPSG method 1119; Snyder 1987, eqs. 16-1 to 16-11). */
export const equidistantConic: Method = {
  name: 'equidistant-conic',
  epsg: 1119,
  title: 'Equidistant Conic',
  wkt1: 'Equidistant_Conic',
  parameters: [
    { ...latitude, wkt1: 'latitude_of_center' },
    { ...longitude, wkt1: 'longitude_of_center' },
    parallel1,
    parallel2,
    ...falseOrigin,
  ],
  keeps: 'nothing',
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const e = Math.sqrt(eccentricitySquared(ellipsoid));
    const meridian = meridianDistance(ellipsoid);
    const m1 = parallelRadius(p.standardParallel1, e);
    const M1 = meridian.distance(p.standardParallel1);
    const n = checkedCone(
      Math.abs(p.standardParallel1 - p.standardParallel2) < 1e-12
        ? Math.sin(p.standardParallel1)
        : (a * (m1 - parallelRadius(p.standardParallel2, e))) / (meridian.distance(p.standardParallel2) - M1),
    );
    const g = (a * m1) / n + M1;
    const origin = g - meridian.distance(p.latitudeOfOrigin);
    const sign = n < 0 ? -1 : 1;
    return pointwise(
      p,
      (lambda, phi, out) => {
        const rho = g - meridian.distance(phi);
        out[0] = rho * Math.sin(n * lambda);
        out[1] = origin - rho * Math.cos(n * lambda);
      },
      (x, y, out) => {
        const up = origin - y;
        const rho = sign * Math.hypot(x, up);
        out[0] = Math.atan2(sign * x, sign * up) / n;
        out[1] = meridian.latitude(g - rho);
      },
    );
  },
};
