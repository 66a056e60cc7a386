import { authalicLatitude, authalicQ } from '../auxiliary-latitudes.ts';
import { eccentricitySquared } from '../crs.ts';
import { checkedCone, parallelRadius } from './lambert-conic.ts';
import {
  eastingThere,
  falseLatitude,
  falseLongitude,
  northingThere,
  parallel1,
  parallel2,
} from './parameters.ts';
import { type Method, nowhere, pointwise } from './projection.ts';

/** Albers' equal-area conic (EPSG Guidance Note 7-2, 3.4.1; Snyder 1987, eqs. 14-1 to 14-21). */
export const albers: Method = {
  name: 'albers-equal-area',
  epsg: 9822,
  title: 'Albers Equal Area',
  wkt1: 'Albers_Conic_Equal_Area',
  prj: 'Albers',
  parameters: [
    { ...falseLatitude, wkt1: 'latitude_of_center' },
    { ...falseLongitude, wkt1: 'longitude_of_center' },
    parallel1,
    parallel2,
    eastingThere,
    northingThere,
  ],
  keeps: 'areas',
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const e2 = eccentricitySquared(ellipsoid);
    const e = Math.sqrt(e2);
    const authalic = authalicLatitude(ellipsoid);
    const s1 = Math.sin(p.standardParallel1);
    const s2 = Math.sin(p.standardParallel2);
    const m1 = parallelRadius(p.standardParallel1, e);
    const m2 = parallelRadius(p.standardParallel2, e);
    const n = checkedCone(
      Math.abs(p.standardParallel1 - p.standardParallel2) < 1e-12
        ? s1
        : (m1 * m1 - m2 * m2) / (authalicQ(s2, e2) - authalicQ(s1, e2)),
    );
    const c = m1 * m1 + n * authalicQ(s1, e2);
    const radius = (q: number) => (a / n) * Math.sqrt(Math.max(0, c - n * q));
    const origin = radius(authalicQ(Math.sin(p.latitudeOfOrigin), e2));
    const sign = n < 0 ? -1 : 1;
    return pointwise(
      p,
      (lambda, phi, out) => {
        const rho = radius(authalicQ(Math.sin(phi), e2));
        out[0] = rho * Math.sin(n * lambda);
        out[1] = origin - rho * Math.cos(n * lambda);
      },
      (x, y, out) => {
        const up = origin - y;
        const rn = (Math.hypot(x, up) * n) / a;
        const sine = (c - rn * rn) / (n * authalic.q);
        if (!(Math.abs(sine) <= 1 + 1e-12)) return nowhere(out);
        const bound = Math.max(-1, Math.min(1, sine));
        out[0] = Math.atan2(sign * x, sign * up) / n;
        out[1] = authalic.latitude(bound, Math.sqrt((1 - bound) * (1 + bound)));
      },
    );
  },
};
