import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { invertByNewton } from './newton.ts';
import { falseOrigin, latitude, longitude, named } from './parameters.ts';
import {
  type Method,
  type MethodParameters,
  nowhere,
  type Pair,
  type Projection,
  pointwise,
} from './projection.ts';
import { about } from './sphere-about.ts';

const parameters = [latitude, longitude, ...falseOrigin];
const sphereOf = (ellipsoid: Ellipsoid): Ellipsoid => ({ name: 'sphere', a: ellipsoid.a, f: 0 });

/** Gnomonic: great circles are straight; on the sphere (Snyder 1987, eqs. 22-3 to 22-16). */
export const gnomonic: Method = {
  name: 'gnomonic',
  title: 'Gnomonic',
  wkt1: 'Gnomonic',
  parameters,
  keeps: 'nothing',
  spherical: true,
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const sphere = about(p.latitudeOfOrigin);
    const seen = new Float64Array(3);
    return pointwise(
      p,
      (lambda, phi, out) => {
        sphere.see(lambda, Math.sin(phi), Math.cos(phi), seen);
        // Less than a degree from the horizon, and beyond, there is nothing.
        if (!(seen[2] > 0.017)) return nowhere(out);
        out[0] = (a * seen[0]) / seen[2];
        out[1] = (a * seen[1]) / seen[2];
      },
      (x, y, out) => sphere.find(x / a, y / a, 1, out),
    );
  },
};

/**
 * What is seen from a height above the ellipsoid (EPSG Guidance Note 7-2, 3.3.6 and, from infinity, 3.3.5): coordinates in
 * the plane through the origin.
 */
function seenFrom(ellipsoid: Ellipsoid, p: MethodParameters, height: number): Projection {
  const { a } = ellipsoid;
  const e2 = eccentricitySquared(ellipsoid);
  const s0 = Math.sin(p.latitudeOfOrigin);
  const c0 = Math.cos(p.latitudeOfOrigin);
  const nu0 = a / Math.sqrt(1 - e2 * s0 * s0);
  const forward = (lambda: number, phi: number, out: Pair) => {
    const s = Math.sin(phi);
    const c = Math.cos(phi);
    const nu = a / Math.sqrt(1 - e2 * s * s);
    const level = e2 * (nu0 * s0 - nu * s);
    const cl = Math.cos(lambda);
    const up = nu * (s * s0 + c * c0 * cl) + level * s0 - nu0;
    // Seen when the eye is above the plane that touches the ellipsoid there.
    const facing =
      height === Infinity
        ? s * s0 + c * c0 * cl
        : (nu0 + height) * (s * s0 + c * c0 * cl) - e2 * nu0 * s0 * s - nu * (1 - e2 * s * s);
    if (!(facing >= 0)) return nowhere(out);
    const shrink = height === Infinity ? 1 : height / (height - up);
    out[0] = shrink * nu * c * Math.sin(lambda);
    out[1] = shrink * (nu * (s * c0 - c * s0 * cl) + level * c0);
  };
  const sphere = about(p.latitudeOfOrigin);
  return pointwise(p, forward, (x, y, out) => {
    const r = Math.hypot(x, y) / a;
    // On the sphere first, then to the ellipsoid.
    let up: number;
    let near = 1;
    if (height === Infinity) up = Math.sqrt(Math.max(0, 1 - Math.min(1, r) ** 2));
    else {
      const h = height / a;
      const t = r / h;
      const inside = 1 - t * t * h * (h + 2);
      if (inside < -0.02) return nowhere(out);
      const fall = (t * t * (1 + h) + Math.sqrt(Math.max(0, inside))) / (1 + t * t);
      near = (1 + h - fall) / h;
      up = fall;
    }
    if (r > 1.01 / near) return nowhere(out);
    sphere.find((x / a) * near, (y / a) * near, up, out);
    if (e2 === 0) return;
    // The sphere's answer may lie behind the ellipsoid's edge: come from the inside.
    const [guessLambda, guessPhi] = [out[0], out[1]];
    for (const part of [1, 0.999, 0.98, 0.9, 0.5]) {
      out[0] = guessLambda * part;
      out[1] = p.latitudeOfOrigin + (guessPhi - p.latitudeOfOrigin) * part;
      invertByNewton(forward, x, y, a, out);
      if (!Number.isNaN(out[0])) return;
    }
  });
}

/** Orthographic, seen from infinity (EPSG Guidance Note 7-2, 3.3.5). */
export const orthographic: Method = {
  name: 'orthographic',
  epsg: 9840,
  title: 'Orthographic',
  wkt1: 'Orthographic',
  parameters,
  keeps: 'nothing',
  make: (ellipsoid, p) => seenFrom(ellipsoid, p, Infinity),
};

/** The same on a sphere of the semi-major axis. */
export const orthographicSphere: Method = {
  ...orthographic,
  name: 'orthographic-sphere',
  epsg: undefined,
  title: 'Orthographic (Spherical)',
  wkt1: 'Orthographic_(Spherical)',
  prj: 'Orthographic',
  spherical: true,
  make: (ellipsoid, p) => seenFrom(sphereOf(ellipsoid), p, Infinity),
};

const height = named('height', 'height', 'Viewpoint height');

/** Vertical perspective (EPSG Guidance Note 7-2, 3.3.6). */
export const verticalPerspective: Method = {
  name: 'vertical-perspective',
  epsg: 9838,
  title: 'Vertical Perspective',
  wkt1: 'Vertical_Perspective',
  parameters: [
    { ...latitude, epsg: 'Latitude of topocentric origin' },
    { ...longitude, epsg: 'Longitude of topocentric origin' },
    height,
    ...falseOrigin,
  ],
  keeps: 'nothing',
  make: (ellipsoid, p) => seenFrom(ellipsoid, p, p.height),
};

/** The same on a sphere of the semi-major axis. */
export const verticalPerspectiveSphere: Method = {
  ...verticalPerspective,
  name: 'vertical-perspective-sphere',
  epsg: undefined,
  title: 'Vertical Near-Side Perspective (Spherical)',
  wkt1: 'Vertical_Near_Side_Perspective',
  spherical: true,
  make: (ellipsoid, p) => seenFrom(sphereOf(ellipsoid), p, p.height),
};

/**
 * The fixed grid of a weather satellite above the equator: scan angles times its height, the mirror sweeping about the
 * x axis (product definition and users' guide of the satellites of this grid, vol. 3, 5.1.2.8).
 */
export const geostationary: Method = {
  name: 'geostationary-satellite',
  title: 'Geostationary Satellite (Sweep X)',
  wkt1: 'Geostationary_Satellite',
  parameters: [longitude, { ...height, wkt1: 'satellite_height', epsg: 'Satellite Height' }, ...falseOrigin],
  keeps: 'nothing',
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const b = a * (1 - ellipsoid.f);
    const e2 = eccentricitySquared(ellipsoid);
    const ratio = (a * a) / (b * b);
    const far = p.height + a;
    return pointwise(
      p,
      (lambda, phi, out) => {
        const geocentric = Math.atan((b * b * Math.tan(phi)) / (a * a));
        const cg = Math.cos(geocentric);
        const r = b / Math.sqrt(1 - e2 * cg * cg);
        const sx = far - r * cg * Math.cos(lambda);
        const sy = -r * cg * Math.sin(lambda);
        const sz = r * Math.sin(geocentric);
        if (far * (far - sx) < sy * sy + ratio * sz * sz) return nowhere(out);
        out[0] = p.height * Math.asin(-sy / Math.hypot(sx, sy, sz));
        out[1] = p.height * Math.atan(sz / sx);
      },
      (x, y, out) => {
        const [cx, sx] = [Math.cos(x / p.height), Math.sin(x / p.height)];
        const [cy, sy] = [Math.cos(y / p.height), Math.sin(y / p.height)];
        const A = sx * sx + cx * cx * (cy * cy + ratio * sy * sy);
        const B = -2 * far * cx * cy;
        const root = B * B - 4 * A * (far * far - a * a);
        if (!(root >= 0)) return nowhere(out);
        const r = (-B - Math.sqrt(root)) / (2 * A);
        const px = r * cx * cy;
        const py = -r * sx;
        const pz = r * cx * sy;
        out[0] = -Math.atan(py / (far - px));
        out[1] = Math.atan((ratio * pz) / Math.hypot(far - px, py));
      },
    );
  },
};
