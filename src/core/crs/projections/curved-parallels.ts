import { invertByNewton } from './newton.ts';
import { latitude, longitude, standardParallel, worldParameters } from './parameters.ts';
import {
  type Method,
  type MethodParameters,
  nowhere,
  type Pair,
  type ParameterUse,
  pointwise,
} from './projection.ts';

type OnSphere = (lambda: number, phi: number, out: Pair) => void;

/** x / sin x, 1 at 0. */
const overSine = (x: number) => (Math.abs(x) < 1e-4 ? 1 + (x * x) / 6 : x / Math.sin(x));

const aitoffShape: OnSphere = (lambda, phi, out) => {
  const c = Math.cos(phi);
  const east = c * Math.sin(lambda / 2);
  const north = Math.sin(phi);
  const factor = overSine(Math.atan2(Math.hypot(east, north), c * Math.cos(lambda / 2)));
  out[0] = 2 * factor * east;
  out[1] = factor * north;
};

const hammerShape: OnSphere = (lambda, phi, out) => {
  const c = Math.cos(phi);
  const d = Math.sqrt(2 / (1 + c * Math.cos(lambda / 2)));
  out[0] = 2 * d * c * Math.sin(lambda / 2);
  out[1] = d * Math.sin(phi);
};

const wagner7Shape: OnSphere = (lambda, phi, out) => {
  const s = Math.sin((65 * Math.PI) / 180) * Math.sin(phi);
  const c = Math.sqrt(1 - s * s);
  const d = Math.sqrt(2 / (1 + c * Math.cos(lambda / 3)));
  out[0] = 2.66723 * d * c * Math.sin(lambda / 3);
  out[1] = 1.24104 * d * s;
};

const winkelTripelShape = (p: MethodParameters): OnSphere => {
  const wide = Math.cos(p.standardParallel1);
  return (lambda, phi, out) => {
    aitoffShape(lambda, phi, out);
    out[0] = (out[0] + lambda * wide) / 2;
    out[1] = (out[1] + phi) / 2;
  };
};

/** Van der Grinten I (Snyder 1987, eqs. 29-1 to 29-6). */
const vanDerGrintenShape: OnSphere = (lambda, phi, out) => {
  const s = Math.min(1, Math.abs(phi) / (Math.PI / 2));
  const c = Math.sqrt(1 - s * s);
  const l = Math.abs(lambda);
  if (s < 1e-12) {
    out[0] = lambda;
    out[1] = phi;
    return;
  }
  if (l < 1e-12 || c < 1e-12) {
    out[0] = 0;
    out[1] = Math.sign(phi) * Math.PI * Math.tan(Math.asin(s) / 2);
    return;
  }
  const A = (Math.PI / l - l / Math.PI) / 2;
  const G = c / (s + c - 1);
  const P = G * (2 / s - 1);
  const Q = A * A + G;
  const below = P * P + A * A;
  const gp = G - P * P;
  out[0] =
    (Math.sign(lambda) *
      Math.PI *
      (A * gp + Math.sqrt(Math.max(0, A * A * gp * gp - below * (G * G - P * P))))) /
    below;
  out[1] =
    (Math.sign(phi) * Math.PI * Math.abs(P * Q - A * Math.sqrt(Math.max(0, (A * A + 1) * below - Q * Q)))) /
    below;
};

/** Where to begin for Van der Grinten: the closed inverse (Snyder 1987, eqs. 29-10 to 29-19). */
const vanDerGrintenGuess: OnSphere = (u, v, out) => {
  const x = u / Math.PI;
  const y = v / Math.PI;
  const square = x * x + y * y;
  const c1 = -Math.abs(y) * (1 + square);
  const c2 = c1 - 2 * y * y + x * x;
  const c3 = -2 * c1 + 1 + 2 * y * y + square * square;
  const d = (y * y) / c3 + ((2 * c2 ** 3) / c3 ** 3 - (9 * c1 * c2) / (c3 * c3)) / 27;
  const a1 = (c1 - (c2 * c2) / (3 * c3)) / c3;
  const m1 = 2 * Math.sqrt(Math.max(0, -a1 / 3));
  const theta = Math.acos(Math.max(-1, Math.min(1, (3 * d) / (a1 * m1)))) / 3;
  out[1] = Math.sign(y) * Math.PI * (-m1 * Math.cos(theta + Math.PI / 3) - c2 / (3 * c3)) || 0;
  const root = Math.sqrt(Math.max(0, 1 + 2 * (x * x - y * y) + square * square));
  out[0] = Math.abs(x) < 1e-12 ? 0 : (Math.PI * (square - 1 + root)) / (2 * x);
};

const loximuthalShape = (p: MethodParameters): OnSphere => {
  const phi1 = p.latitudeOfOrigin;
  const psi1 = Math.asinh(Math.tan(phi1));
  return (lambda, phi, out) => {
    const d = phi - phi1;
    const ratio =
      Math.abs(d) < 1e-8
        ? Math.cos(phi1)
        : Math.abs(phi) > Math.PI / 2 - 1e-12
          ? 0
          : d / (Math.asinh(Math.tan(phi)) - psi1);
    out[0] = lambda * ratio;
    out[1] = d;
  };
};

/** Guesses that Newton's method begins from: the plain one, then those nearer to the middle. */
const beginnings = [1, 0.8, 0.5, 0.2];

function method(
  name: string,
  title: string,
  wkt1: string,
  keeps: Method['keeps'],
  shape: (p: MethodParameters) => OnSphere,
  parameters: readonly ParameterUse[] = worldParameters,
  guess?: OnSphere,
): Method {
  return {
    name,
    title,
    wkt1,
    keeps,
    parameters,
    spherical: true,
    make(ellipsoid, p) {
      const { a } = ellipsoid;
      const own = shape(p);
      const edge = new Float64Array(2);
      return pointwise(
        p,
        (lambda, phi, out) => {
          own(lambda, phi, out);
          out[0] *= a;
          out[1] *= a;
        },
        (x, y, out) => {
          own(0, Math.PI / 2, edge);
          const north = edge[1];
          own(Math.PI, 0, edge);
          const u = x / a;
          const v = y / a;
          if (guess !== undefined) {
            guess(u, v, out);
            invertByNewton(own, u, v, 1, out);
            if (Math.abs(out[0]) <= Math.PI + 1e-9) return;
          }
          for (const part of beginnings) {
            out[0] = Math.max(-3, Math.min(3, (u / edge[0]) * Math.PI)) * part;
            out[1] = Math.max(-1.5, Math.min(1.5, ((v / north) * Math.PI) / 2)) * part;
            invertByNewton(own, u, v, 1, out);
            if (Math.abs(out[0]) <= Math.PI + 1e-9) return;
          }
          nowhere(out);
        },
      );
    },
  };
}

/** World projections of the sphere with curved parallels (Snyder & Voxland 1989, "An album of map projections"). */
export const curvedParallels: readonly Method[] = [
  method('aitoff', 'Aitoff', 'Aitoff', 'nothing', () => aitoffShape),
  method('hammer', 'Hammer', 'Hammer_Aitoff', 'areas', () => hammerShape),
  method('wagner-7', 'Wagner VII', 'Wagner_VII', 'areas', () => wagner7Shape),
  method('winkel-tripel', 'Winkel Tripel', 'Winkel_Tripel', 'nothing', winkelTripelShape, [
    longitude,
    { ...standardParallel, otherwise: undefined },
    ...worldParameters.slice(1),
  ]),
  method(
    'van-der-grinten',
    'Van Der Grinten',
    'VanDerGrinten',
    'nothing',
    () => vanDerGrintenShape,
    worldParameters,
    vanDerGrintenGuess,
  ),
  method('loximuthal', 'Loximuthal', 'Loximuthal', 'nothing', loximuthalShape, [
    { ...latitude, epsg: 'Latitude of natural origin' },
    ...worldParameters,
  ]),
];
