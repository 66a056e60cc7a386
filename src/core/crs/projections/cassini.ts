import { meridianDistance } from '../auxiliary-latitudes.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { invertByNewton } from './newton.ts';
import { falseOrigin, latitude, longitude } from './parameters.ts';
import {
  type Method,
  type MethodParameters,
  nowhere,
  type Pair,
  type Projection,
  pointwise,
} from './projection.ts';

/** Greatest longitude from the meridian: the series is one in λ cos φ, and worth nothing far from it. */
const reach = Math.PI / 6;

/** Cassini–Soldner (EPSG Guidance Note 7-2, 3.5.8; Snyder 1987, eqs. 13-1 to 13-15), and its hyperbolic form. */
function cassiniProjection(ellipsoid: Ellipsoid, p: MethodParameters, hyperbolic: boolean): Projection {
  const { a } = ellipsoid;
  const e2 = eccentricitySquared(ellipsoid);
  const meridian = meridianDistance(ellipsoid);
  const origin = meridian.distance(p.latitudeOfOrigin);
  const forward = (lambda: number, phi: number, out: Pair) => {
    const s = Math.sin(phi);
    const c = Math.cos(phi);
    const A = lambda * c;
    if (!(A <= reach && A >= -reach)) return nowhere(out);
    const w = 1 - e2 * s * s;
    const nu = a / Math.sqrt(w);
    const T = (s * s) / (c * c);
    const C = (e2 * c * c) / (1 - e2);
    const A2 = A * A;
    out[0] = nu * A * (1 - (T * A2) / 6 - ((8 - T + 8 * C) * T * A2 * A2) / 120);
    const x = meridian.distance(phi) - origin + nu * (s / c) * A2 * (0.5 + ((5 - T + 6 * C) * A2) / 24);
    out[1] = hyperbolic ? x - (x * x * x * w * w) / (6 * a * a * (1 - e2)) : x;
  };
  return pointwise(p, forward, (x, y, out) => {
    let north = y;
    if (hyperbolic) {
      // X from X − X³ / 6ρν, with ρν of the latitude that the northing itself gives.
      for (let step = 0; step < 3; step++) north = y + (north * north * north) / (6 * a * a);
    }
    const phi1 = meridian.latitude(origin + north);
    if (!(Math.abs(phi1) < Math.PI / 2 - 1e-6)) return nowhere(out);
    const nu1 = a / Math.sqrt(1 - e2 * Math.sin(phi1) ** 2);
    const D = x / nu1;
    if (!(Math.abs(D) <= reach)) return nowhere(out);
    const tangent = Math.tan(phi1);
    out[0] = (D - (tangent * tangent * D * D * D) / 3) / Math.cos(phi1);
    out[1] = phi1 - (tangent * D * D) / 2;
    invertByNewton(forward, x, y, a, out);
  });
}

const parameters = [latitude, longitude, ...falseOrigin];

export const cassini: Method = {
  name: 'cassini-soldner',
  epsg: 9806,
  title: 'Cassini-Soldner',
  wkt1: 'Cassini_Soldner',
  prj: 'Cassini',
  parameters,
  keeps: 'nothing',
  make: (ellipsoid, p) => cassiniProjection(ellipsoid, p, false),
};

/** As used on Vanua Levu (EPSG Guidance Note 7-2, 3.5.8.1). */
export const cassiniHyperbolic: Method = {
  name: 'cassini-soldner-hyperbolic',
  epsg: 9833,
  title: 'Hyperbolic Cassini-Soldner',
  wkt1: 'Hyperbolic_Cassini_Soldner',
  parameters,
  keeps: 'nothing',
  make: (ellipsoid, p) => cassiniProjection(ellipsoid, p, true),
};
