import { eccentricitySquared } from '../crs.ts';
import { invertByNewton } from './newton.ts';
import {
  eastingThere,
  falseLatitude,
  falseLongitude,
  falseOrigin,
  latitude,
  longitude,
  named,
  northingThere,
  scale,
} from './parameters.ts';
import { type Method, nowhere, type Pair, pointwise } from './projection.ts';

/** ψ(φ) of the New Zealand map grid, Δφ in 10⁵ seconds (Department of Lands and Survey, technical circular 1973/32). */
const isometricSeries = [
  0.6399175073, -0.1358797613, 0.063294409, -0.02526853, 0.0117879, -0.0055161, 0.0026906, -0.001333, 0.00067,
  -0.00034,
];
const complexSeries = [
  [0.7557853228, 0],
  [0.249204646, 0.003371507],
  [-0.001541739, 0.04105856],
  [-0.10162907, 0.01727609],
  [-0.26623489, -0.36249218],
  [-0.6870983, -1.1651967],
];

/** New Zealand map grid (EPSG Guidance Note 7-2, 3.6.1). */
export const newZealandMapGrid: Method = {
  name: 'new-zealand-map-grid',
  epsg: 9811,
  title: 'New Zealand Map Grid',
  wkt1: 'New_Zealand_Map_Grid',
  parameters: [{ ...latitude, otherwise: undefined }, longitude, ...falseOrigin],
  keeps: 'angles',
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const unit = (180 * 3600) / Math.PI / 1e5;
    const forward = (lambda: number, phi: number, out: Pair) => {
      const d = (phi - p.latitudeOfOrigin) * unit;
      if (!(Math.abs(d) < 1 && Math.abs(lambda) < 0.5)) return nowhere(out);
      let psi = 0;
      for (let k = 9; k >= 0; k--) psi = (psi + isometricSeries[k]) * d;
      let re = 0;
      let im = 0;
      for (let k = 5; k >= 0; k--) {
        const r = re + complexSeries[k][0];
        const i = im + complexSeries[k][1];
        re = r * psi - i * lambda;
        im = r * lambda + i * psi;
      }
      out[0] = a * im;
      out[1] = a * re;
    };
    return pointwise(p, forward, (x, y, out) => {
      if (!(Math.hypot(x, y) < 0.35 * a)) return nowhere(out);
      out[1] = p.latitudeOfOrigin + y / a;
      out[0] = x / (a * Math.cos(out[1]));
      invertByNewton(forward, x, y, a, out);
    });
  },
};

/** Lambert's conic, nearly conformal by a truncated series (EPSG Guidance Note 7-2, 3.1.2). */
export const nearConformal: Method = {
  name: 'lambert-conic-near-conformal',
  epsg: 9817,
  title: 'Lambert Conic Near-Conformal',
  wkt1: 'Lambert_Conic_Near-Conformal',
  parameters: [{ ...latitude, otherwise: undefined }, longitude, scale, ...falseOrigin],
  keeps: 'nothing',
  make(ellipsoid, p) {
    const { a, f } = ellipsoid;
    const n = f / (2 - f);
    const e2 = eccentricitySquared(ellipsoid);
    const phi0 = p.latitudeOfOrigin;
    const w = 1 - e2 * Math.sin(phi0) ** 2;
    const nu0 = a / Math.sqrt(w);
    const rho0 = (a * (1 - e2)) / w ** 1.5;
    const A = 1 / (6 * rho0 * nu0);
    const [n2, n3, n4, n5] = [n ** 2, n ** 3, n ** 4, n ** 5];
    const c0 = a * (1 - n + (5 * (n2 - n3)) / 4 + (81 * (n4 - n5)) / 64);
    const c2 = (3 * a * (n - n2 + (7 * (n3 - n4)) / 8 + (55 * n5) / 64)) / 2;
    const c4 = (15 * a * (n2 - n3 + (3 * (n4 - n5)) / 4)) / 16;
    const c6 = (35 * a * (n3 - n4 + (11 * n5) / 16)) / 48;
    const c8 = (315 * a * (n4 - n5)) / 512;
    const arc = (phi: number) =>
      c0 * phi -
      c2 * Math.sin(2 * phi) +
      c4 * Math.sin(4 * phi) -
      c6 * Math.sin(6 * phi) +
      c8 * Math.sin(8 * phi);
    const origin = arc(phi0);
    const r0 = (p.scaleFactor * nu0) / Math.tan(phi0);
    const cone = Math.sin(phi0);
    const forward = (lambda: number, phi: number, out: Pair) => {
      const m = arc(phi) - origin;
      if (!(Math.abs(m) < 0.3 * a)) return nowhere(out);
      const M = p.scaleFactor * (m + A * m * m * m);
      const theta = lambda * cone;
      const r = r0 - M;
      out[0] = r * Math.sin(theta);
      out[1] = M + out[0] * Math.tan(theta / 2);
    };
    return pointwise(p, forward, (x, y, out) => {
      const theta = Math.atan2(x, r0 - y);
      const M = r0 - Math.hypot(x, r0 - y) * Math.sign(r0);
      if (!(Math.abs(M) < 0.3 * a)) return nowhere(out);
      out[0] = theta / cone;
      out[1] = phi0 + M / a;
      invertByNewton(forward, x, y, a, out);
    });
  },
};

/** The mining grid of Tunisia, linear in grads (EPSG Guidance Note 7-2, 3.6.2). */
export const tunisiaMining: Method = {
  name: 'tunisia-mining-grid',
  epsg: 9816,
  title: 'Tunisia Mining Grid',
  wkt1: 'Tunisia_Mining_Grid',
  parameters: [falseLatitude, falseLongitude, eastingThere, northingThere],
  keeps: 'nothing',
  make(_, p) {
    const grads = 200 / Math.PI;
    // Its kilometres: the guidance note's constants are grads a kilometre.
    const perKilometre = (north: boolean) => (north ? 0.010015 : 0.01002) / grads / 1000;
    const east = 0.012185 / grads / 1000;
    return pointwise(
      p,
      (lambda, phi, out) => {
        const d = phi - p.latitudeOfOrigin;
        out[0] = lambda / east;
        out[1] = d / perKilometre(d > 0);
      },
      (x, y, out) => {
        out[0] = x * east;
        out[1] = p.latitudeOfOrigin + y * perKilometre(y > 0);
      },
    );
  },
};

/** Urban grids at the height of their town (EPSG Guidance Note 7-2, 3.6.3). */
export const colombiaUrban: Method = {
  name: 'colombia-urban',
  epsg: 1052,
  title: 'Colombia Urban',
  wkt1: 'Colombia_Urban',
  parameters: [
    { ...latitude, otherwise: undefined },
    longitude,
    named('height', 'projection_plane_origin_height', 'Projection plane origin height'),
    ...falseOrigin,
  ],
  keeps: 'nothing',
  make(ellipsoid, p) {
    const { a } = ellipsoid;
    const e2 = eccentricitySquared(ellipsoid);
    const radii = (phi: number) => {
      const w = 1 - e2 * Math.sin(phi) ** 2;
      return { nu: a / Math.sqrt(w), rho: (a * (1 - e2)) / w ** 1.5 };
    };
    const phi0 = p.latitudeOfOrigin;
    const { nu: nu0, rho: rho0 } = radii(phi0);
    const A = 1 + p.height / nu0;
    const B = Math.tan(phi0) / (2 * rho0 * nu0);
    const forward = (lambda: number, phi: number, out: Pair) => {
      if (!(Math.abs(lambda) < 0.1 && Math.abs(phi - phi0) < 0.1)) return nowhere(out);
      const side = radii(phi).nu * Math.cos(phi) * lambda;
      const G = 1 + p.height / radii((phi + phi0) / 2).rho;
      out[0] = A * side;
      out[1] = G * rho0 * (phi - phi0 + B * side * side);
    };
    return pointwise(p, forward, (x, y, out) => {
      out[1] = phi0 + y / (rho0 + p.height);
      out[0] = x / (A * nu0 * Math.cos(phi0));
      invertByNewton(forward, x, y, a, out);
    });
  },
};
