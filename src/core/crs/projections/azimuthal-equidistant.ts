import geographiclib from 'geographiclib-geodesic';
import { meridianDistance } from '../auxiliary-latitudes.ts';
import { eccentricitySquared } from '../crs.ts';
import { invertByNewton } from './newton.ts';
import { falseOrigin, latitude, longitude, point1, point2 } from './parameters.ts';
import { type Method, nowhere, type Pair, pointwise } from './projection.ts';

const parameters = [
  { ...latitude, wkt1: 'latitude_of_center' },
  { ...longitude, wkt1: 'longitude_of_center' },
  ...falseOrigin,
];
const degrees = 180 / Math.PI;

/** Azimuthal equidistant over geodesics of any length (EPSG method 1125; Karney 2013, Algorithms for geodesics). */
export const azimuthalEquidistant: Method = {
  name: 'azimuthal-equidistant',
  epsg: 1125,
  title: 'Azimuthal Equidistant',
  wkt1: 'Azimuthal_Equidistant',
  parameters,
  keeps: 'nothing',
  make(ellipsoid, p) {
    const { Geodesic } = geographiclib.Geodesic;
    const geodesic = new Geodesic(ellipsoid.a, ellipsoid.f);
    const farthest = Math.PI * ellipsoid.a * (1 - ellipsoid.f);
    const phi0 = p.latitudeOfOrigin * degrees;
    return pointwise(
      p,
      (lambda, phi, out) => {
        const { s12 = NaN, azi1 = NaN } = geodesic.Inverse(phi0, 0, phi * degrees, lambda * degrees);
        out[0] = s12 * Math.sin(azi1 / degrees);
        out[1] = s12 * Math.cos(azi1 / degrees);
      },
      (x, y, out) => {
        const s = Math.hypot(x, y);
        if (!(s <= farthest)) return nowhere(out);
        const { lat2 = NaN, lon2 = NaN } = geodesic.Direct(phi0, 0, Math.atan2(x, y) * degrees, s);
        out[0] = lon2 / degrees;
        out[1] = lat2 / degrees;
      },
    );
  },
};

/** The closed form for small islands (EPSG Guidance Note 7-2, 3.3.2.1; Snyder 1987, eqs. 25-8 to 25-22). */
export const modifiedAzimuthalEquidistant: Method = {
  name: 'modified-azimuthal-equidistant',
  epsg: 9832,
  title: 'Modified Azimuthal Equidistant',
  wkt1: 'Modified_Azimuthal_Equidistant',
  parameters,
  keeps: 'nothing',
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const e2 = eccentricitySquared(ellipsoid);
    const s0 = Math.sin(p.latitudeOfOrigin);
    const c0 = Math.cos(p.latitudeOfOrigin);
    const nu0 = a / Math.sqrt(1 - e2 * s0 * s0);
    const G = (Math.sqrt(e2) * s0) / Math.sqrt(1 - e2);
    const forward = (lambda: number, phi: number, out: Pair) => {
      const s = Math.sin(phi);
      const c = Math.cos(phi);
      const nu = a / Math.sqrt(1 - e2 * s * s);
      const psi = Math.atan((1 - e2) * (s / c) + (e2 * nu0 * s0) / (nu * c));
      const alpha = Math.atan2(Math.sin(lambda), c0 * Math.tan(psi) - s0 * Math.cos(lambda));
      const ca = Math.cos(alpha);
      const sa = Math.sin(alpha);
      const H = (Math.sqrt(e2) * c0 * ca) / Math.sqrt(1 - e2);
      const arc = Math.atan2(
        Math.hypot(
          Math.sin(lambda) * Math.cos(psi),
          c0 * Math.sin(psi) - s0 * Math.cos(psi) * Math.cos(lambda),
        ),
        s0 * Math.sin(psi) + c0 * Math.cos(psi) * Math.cos(lambda),
      );
      if (!(arc < 0.5)) return nowhere(out);
      const H2 = H * H;
      const G2 = G * G;
      const length =
        nu0 *
        arc *
        (1 +
          arc *
            arc *
            ((-H2 * (1 - H2)) / 6 +
              arc *
                ((G * H * (1 - 2 * H2)) / 8 +
                  arc * ((H2 * (4 - 7 * H2) - 3 * G2 * (1 - 7 * H2)) / 120 - (arc * G * H) / 48))));
      out[0] = length * sa;
      out[1] = length * ca;
    };
    return pointwise(p, forward, (x, y, out) => {
      if (!(Math.hypot(x, y) < 0.5 * a)) return nowhere(out);
      out[1] = Math.max(-1.5, Math.min(1.5, p.latitudeOfOrigin + y / a));
      out[0] = x / (a * Math.cos(out[1]));
      invertByNewton(forward, x, y, a, out);
    });
  },
};

/** The projection of Guam (EPSG Guidance Note 7-2, 3.3.2.2). */
export const guam: Method = {
  name: 'guam',
  epsg: 9831,
  title: 'Guam Projection',
  wkt1: 'Guam_Projection',
  parameters: [latitude, longitude, ...falseOrigin],
  keeps: 'nothing',
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const e2 = eccentricitySquared(ellipsoid);
    const meridian = meridianDistance(ellipsoid);
    const origin = meridian.distance(p.latitudeOfOrigin);
    const forward = (lambda: number, phi: number, out: Pair) => {
      const s = Math.sin(phi);
      const w = Math.sqrt(1 - e2 * s * s);
      const x = (a * lambda * Math.cos(phi)) / w;
      if (!(Math.abs(x) < 0.3 * a)) return nowhere(out);
      out[0] = x;
      out[1] = meridian.distance(phi) - origin + (x * x * Math.tan(phi) * w) / (2 * a);
    };
    return pointwise(p, forward, (x, y, out) => {
      out[1] = meridian.latitude(Math.max(-9e6, Math.min(9e6, y + origin)));
      out[0] = x / (a * Math.cos(out[1]));
      invertByNewton(forward, x, y, a, out);
    });
  },
};

/** True distances from two points, on the sphere (Snyder & Voxland 1989, p. 144). */
export const twoPointEquidistant: Method = {
  name: 'two-point-equidistant',
  title: 'Two-Point Equidistant',
  wkt1: 'Two_Point_Equidistant',
  parameters: [...point1, ...point2, ...falseOrigin],
  keeps: 'nothing',
  spherical: true,
  make: (ellipsoid, p) => {
    const { a } = ellipsoid;
    const l2 = p.longitudeOfPoint2 - p.longitudeOfPoint1;
    const [s1, c1] = [Math.sin(p.latitudeOfPoint1), Math.cos(p.latitudeOfPoint1)];
    const [s2, c2] = [Math.sin(p.latitudeOfPoint2), Math.cos(p.latitudeOfPoint2)];
    // The two points and the pole of the circle through them, as vectors; longitudes from the first point.
    const first = [c1, 0, s1];
    const second = [c2 * Math.cos(l2), c2 * Math.sin(l2), s2];
    const cross = [
      first[1] * second[2] - first[2] * second[1],
      first[2] * second[0] - first[0] * second[2],
      first[0] * second[1] - first[1] * second[0],
    ];
    const size = Math.hypot(...cross);
    const between = Math.atan2(size, first[0] * second[0] + first[1] * second[1] + first[2] * second[2]);
    const angle = (u: number[], x: number, y: number, z: number) =>
      Math.atan2(
        Math.hypot(u[1] * z - u[2] * y, u[2] * x - u[0] * z, u[0] * y - u[1] * x),
        u[0] * x + u[1] * y + u[2] * z,
      );
    const forward = (lambda: number, phi: number, out: Pair) => {
      const x = Math.cos(phi) * Math.cos(lambda);
      const y = Math.cos(phi) * Math.sin(lambda);
      const z = Math.sin(phi);
      const d1 = angle(first, x, y, z);
      const d2 = angle(second, x, y, z);
      const along = (d1 * d1 - d2 * d2) / (2 * between);
      const aside = d1 * d1 - (along + between / 2) ** 2;
      const side = cross[0] * x + cross[1] * y + cross[2] * z < 0 ? -1 : 1;
      out[0] = a * along;
      out[1] = a * side * Math.sqrt(Math.max(0, aside));
    };
    return pointwise({ ...p, centralMeridian: p.longitudeOfPoint1 }, forward, (x, y, out) => {
      const d1 = Math.hypot(x / a + between / 2, y / a);
      const d2 = Math.hypot(x / a - between / 2, y / a);
      if (!(d1 <= Math.PI && d2 <= Math.PI && d1 + d2 <= 2 * Math.PI - between + 1e-12)) return nowhere(out);
      // q = u first + v second + w cross, from its cosines with the two points.
      const cosine = Math.cos(between);
      const u = (Math.cos(d1) - Math.cos(d2) * cosine) / (size * size);
      const v = (Math.cos(d2) - Math.cos(d1) * cosine) / (size * size);
      const flat = u * u + v * v + 2 * u * v * cosine;
      const w = (Math.sqrt(Math.max(0, 1 - flat)) * (y < 0 ? -1 : 1)) / size;
      const q = [0, 1, 2].map((k) => u * first[k] + v * second[k] + w * cross[k]);
      out[0] = Math.atan2(q[1], q[0]);
      out[1] = Math.atan2(q[2], Math.hypot(q[0], q[1]));
    });
  },
};
