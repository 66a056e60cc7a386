import { longitude, standardParallel, worldParameters } from './parameters.ts';
import type { Method, MethodParameters, ParameterUse, Projection } from './projection.ts';
import { nowhere, pointwise } from './projection.ts';

/**
 * A projection of the sphere whose parallels are straight: x = λ · width(φ), y = height(φ), in radii. Both are functions of
 * a parameter θ of the latitude, from which each way is in closed form or one root.
 */
export interface Parallels {
  parameter(phi: number): number;
  latitude(theta: number): number;
  width(theta: number): number;
  height(theta: number): number;
  /** θ of a height; NaN beyond the pole. */
  parameterAt(y: number): number;
}

export function parallelsProjection(a: number, p: MethodParameters, of: Parallels): Projection {
  return pointwise(
    p,
    (lambda, phi, out) => {
      const theta = of.parameter(phi);
      out[0] = a * lambda * of.width(theta);
      out[1] = a * of.height(theta);
    },
    (x, y, out) => {
      const theta = of.parameterAt(y / a);
      if (Number.isNaN(theta)) return nowhere(out);
      const width = of.width(theta);
      out[0] = Math.abs(x) <= a * 1e-15 ? 0 : x / (a * width);
      out[1] = of.latitude(theta);
    },
  );
}

/** The root within [−limit, limit] of an odd increasing function: Newton's method kept inside by bisection. */
export function solveOdd(f: (x: number) => number, wanted: number, limit: number): number {
  const target = Math.abs(wanted);
  const most = f(limit);
  if (!(target <= most * (1 + 1e-13))) return NaN;
  let low = 0;
  let high = limit;
  let x = (limit * target) / most;
  for (let step = 0; step < 100; step++) {
    const off = f(x) - target;
    if (off === 0) break;
    if (off < 0) low = x;
    else high = x;
    const h = 1e-6 * limit;
    const slope = (f(Math.min(limit, x + h)) - f(x - h)) / (Math.min(limit, x + h) - (x - h));
    let next = x - off / slope;
    if (!(next > low && next < high)) next = (low + high) / 2;
    if (Math.abs(next - x) < 1e-16) break;
    x = next;
  }
  return wanted < 0 ? -x : x;
}

const half = Math.PI / 2;
const { PI, sqrt, sin, cos, asin, abs } = Math;
const same = (value: number) => value;

/** asin that says NaN for what lies beyond the pole by more than rounding. */
const angleOf = (sine: number) => (abs(sine) > 1 + 1e-12 ? NaN : asin(Math.max(-1, Math.min(1, sine))));

/**
 * θ of 2θ + sin 2θ = π sin φ, or of Eckert's fourth θ + sin θ cos θ + 2 sin θ = (2 + π/2) sin φ, solved for the angle from
 * the pole: there the equation for θ itself says little.
 */
function fromPole(rise: (delta: number) => number, whole: number): (phi: number) => number {
  return (phi) => {
    const colatitude = half - abs(phi);
    const wanted = whole * 2 * sin(colatitude / 2) ** 2;
    const delta = solveOdd(rise, wanted, half);
    return phi < 0 ? delta - half : half - delta;
  };
}

/** 2δ − sin 2δ without cancellation. */
function doubled(delta: number): number {
  const t = 2 * delta;
  if (t > 0.3) return t - sin(t);
  const q = t * t;
  return ((t * q) / 6) * (1 - (q / 20) * (1 - (q / 42) * (1 - (q / 72) * (1 - (q / 110) * (1 - q / 156)))));
}

const mollweideParameter = fromPole(doubled, PI);
const eckert4Parameter = fromPole((delta) => doubled(delta) / 2 + 4 * sin(delta / 2) ** 2, 2 + half);

/** Width and height as functions of φ itself. */
function byLatitude(
  width: (phi: number) => number,
  height: (phi: number) => number,
  latitudeAt?: (y: number) => number,
): Parallels {
  return {
    parameter: same,
    latitude: same,
    width,
    height,
    parameterAt: latitudeAt ?? ((y) => solveOdd(height, y, half)),
  };
}

/** θ with 2θ + sin 2θ = whole · sin φ, as Mollweide's, but ending before the pole (Wagner). */
function wagner(width: number, height: number, whole: number): Parallels {
  const f = (theta: number) => 2 * theta + sin(2 * theta);
  return {
    parameter: (phi) => solveOdd(f, whole * sin(phi), half),
    latitude: (theta) => angleOf(f(theta) / whole),
    width: (theta) => width * cos(theta),
    height: (theta) => height * sin(theta),
    parameterAt: (y) => angleOf(y / height),
  };
}

const c3 = 2 / sqrt(PI * (4 + PI));
const wagner4 = (() => {
  const top = PI / 3;
  const whole = 2 * top + sin(2 * top);
  const r = sqrt((2 * PI * sin(top)) / whole);
  return wagner((2 * r) / PI, r / sin(top), whole);
})();

const poly = (x: number, ...c: number[]) => c.reduceRight((sum, value) => sum * x + value, 0);

const mollweide: Parallels = {
  parameter: mollweideParameter,
  latitude: (theta) => angleOf((2 * theta + sin(2 * theta)) / PI),
  width: (theta) => ((2 * sqrt(2)) / PI) * cos(theta),
  height: (theta) => sqrt(2) * sin(theta),
  parameterAt: (y) => angleOf(y / sqrt(2)),
};
export const mollweideParallels = mollweide;

function method(
  name: string,
  title: string,
  wkt1: string,
  keeps: Method['keeps'],
  shape: Parallels | ((p: MethodParameters) => Parallels),
  parameters: readonly ParameterUse[] = worldParameters,
): Method {
  return {
    name,
    title,
    wkt1,
    keeps,
    parameters,
    spherical: true,
    make: (ellipsoid, p) =>
      parallelsProjection(ellipsoid.a, p, typeof shape === 'function' ? shape(p) : shape),
  };
}

const withParallel = [longitude, standardParallel, ...worldParameters.slice(1)];

/**
 * World projections of the sphere with straight parallels. Formulas: Snyder & Voxland 1989, "An album of map projections";
 * Natural Earth: Šavrič et al. 2011 and 2015; Patterson: Patterson, Šavrič & Jenny 2014; Compact Miller: Jenny, Šavrič &
 * Patterson 2015; Tobler 1997, "General cylindrical projections"; Times: Moir 1965.
 */
export const straightParallels: readonly Method[] = [
  method('mollweide', 'Mollweide', 'Mollweide', 'areas', mollweide),
  method(
    'eckert-1',
    'Eckert I',
    'Eckert_I',
    'nothing',
    byLatitude(
      (phi) => 2 * sqrt(2 / (3 * PI)) * (1 - abs(phi) / PI),
      (phi) => 2 * sqrt(2 / (3 * PI)) * phi,
    ),
  ),
  method('eckert-2', 'Eckert II', 'Eckert_II', 'areas', {
    parameter: (phi) => sqrt(4 - 3 * sin(abs(phi))) * (phi < 0 ? -1 : 1),
    latitude: (t) => angleOf(((4 - t * t) / 3) * (t < 0 ? -1 : 1)),
    width: (t) => (2 / sqrt(6 * PI)) * abs(t),
    height: (t) => sqrt((2 * PI) / 3) * (2 - abs(t)) * (t < 0 ? -1 : 1),
    parameterAt: (y) => {
      const t = 2 - abs(y) / sqrt((2 * PI) / 3);
      return t < 1 - 1e-12 ? NaN : t * (y < 0 ? -1 : 1);
    },
  }),
  method(
    'eckert-3',
    'Eckert III',
    'Eckert_III',
    'nothing',
    byLatitude(
      (phi) => c3 * (1 + sqrt(Math.max(0, 1 - (phi / half) ** 2))),
      (phi) => 2 * c3 * phi,
    ),
  ),
  method('eckert-4', 'Eckert IV', 'Eckert_IV', 'areas', {
    parameter: eckert4Parameter,
    latitude: (theta) => angleOf((theta + sin(theta) * (cos(theta) + 2)) / (2 + half)),
    width: (theta) => c3 * (1 + cos(theta)),
    height: (theta) => PI * c3 * sin(theta),
    parameterAt: (y) => angleOf(y / (PI * c3)),
  }),
  method(
    'eckert-5',
    'Eckert V',
    'Eckert_V',
    'nothing',
    byLatitude(
      (phi) => (1 + cos(phi)) / sqrt(2 + PI),
      (phi) => (2 * phi) / sqrt(2 + PI),
    ),
  ),
  method('eckert-6', 'Eckert VI', 'Eckert_VI', 'areas', {
    parameter: (phi) => solveOdd((t) => t + sin(t), (1 + half) * sin(phi), half),
    latitude: (theta) => angleOf((theta + sin(theta)) / (1 + half)),
    width: (theta) => (1 + cos(theta)) / sqrt(2 + PI),
    height: (theta) => (2 * theta) / sqrt(2 + PI),
    parameterAt: (y) => (y * sqrt(2 + PI)) / 2,
  }),
  method(
    'winkel-1',
    'Winkel I',
    'Winkel_I',
    'nothing',
    (p) => byLatitude((phi) => (cos(phi) + cos(p.standardParallel1)) / 2, same, same),
    withParallel,
  ),
  method(
    'winkel-2',
    'Winkel II',
    'Winkel_II',
    'nothing',
    (p) => {
      const height = (phi: number) => (PI / 4) * (sin(mollweideParameter(phi)) + phi / half);
      return byLatitude((phi) => (cos(mollweideParameter(phi)) + cos(p.standardParallel1)) / 2, height);
    },
    withParallel,
  ),
  method(
    'quartic-authalic',
    'Quartic Authalic',
    'Quartic_Authalic',
    'areas',
    byLatitude(
      (phi) => cos(phi) / cos(phi / 2),
      (phi) => 2 * sin(phi / 2),
    ),
  ),
  method('flat-polar-quartic', 'Flat Polar Quartic', 'Flat_Polar_Quartic', 'areas', {
    parameter: (phi) => solveOdd((t) => sin(t / 2) + sin(t), (1 + sqrt(0.5)) * sin(phi), half),
    latitude: (theta) => angleOf((sin(theta / 2) + sin(theta)) / (1 + sqrt(0.5))),
    width: (theta) => (1 + (2 * cos(theta)) / cos(theta / 2)) / sqrt(3 * sqrt(2) + 6),
    height: (theta) => (2 * sqrt(3) * sin(theta / 2)) / sqrt(2 + sqrt(2)),
    parameterAt: (y) => 2 * angleOf((y * sqrt(2 + sqrt(2))) / (2 * sqrt(3))),
  }),
  method(
    'craster-parabolic',
    'Craster Parabolic',
    'Craster_Parabolic',
    'areas',
    byLatitude(
      (phi) => sqrt(3 / PI) * (2 * cos((2 * phi) / 3) - 1),
      (phi) => sqrt(3 * PI) * sin(phi / 3),
      (y) => 3 * angleOf(y / sqrt(3 * PI)),
    ),
  ),
  method(
    'times',
    'Times',
    'Times',
    'nothing',
    byLatitude(
      (phi) => 0.74482 - 0.34588 * sin((PI / 4) * Math.tan(phi / 2)) ** 2,
      (phi) => 1.70711 * Math.tan(phi / 2),
      (y) => 2 * Math.atan(y / 1.70711),
    ),
  ),
  method('wagner-4', 'Wagner IV', 'Wagner_IV', 'areas', wagner4),
  method('wagner-5', 'Wagner V', 'Wagner_V', 'nothing', wagner(0.90977, 1.65014, 3.00896)),
  method(
    'natural-earth',
    'Natural Earth',
    'Natural_Earth',
    'nothing',
    byLatitude(
      (phi) => poly(phi * phi, 0.8707, -0.131979, -0.013791, 0, 0, 0.003971, -0.001529),
      (phi) => phi * poly(phi * phi, 1.007226, 0.015085, 0, -0.044475, 0.028874, -0.005916),
    ),
  ),
  method(
    'natural-earth-2',
    'Natural Earth II',
    'Natural_Earth_II',
    'nothing',
    byLatitude(
      (phi) => poly(phi * phi, 0.84719, -0.13063, 0, 0, 0, 0, -0.04515, 0.05494, -0.02326, 0.00331),
      (phi) => phi * poly(phi * phi, 1.01183, 0, 0, 0, -0.02625, 0.01926, -0.00396),
    ),
  ),
  method(
    'patterson',
    'Patterson',
    'Patterson',
    'nothing',
    byLatitude(
      () => 1,
      (phi) => phi * poly(phi * phi, 1.0148, 0, 0.23185, -0.14499, 0.02406),
    ),
  ),
  method(
    'compact-miller',
    'Compact Miller',
    'Compact_Miller',
    'nothing',
    byLatitude(
      () => 1,
      (phi) => phi * poly(phi * phi, 0.9902, 0.1604, -0.03054),
    ),
  ),
  method(
    'miller-cylindrical',
    'Miller Cylindrical',
    'Miller_Cylindrical',
    'nothing',
    byLatitude(
      () => 1,
      (phi) => 1.25 * Math.asinh(Math.tan(0.8 * phi)),
      (y) => Math.atan(Math.sinh(0.8 * y)) / 0.8,
    ),
    [{ ...longitude, wkt1: 'longitude_of_center' }, ...worldParameters.slice(1)],
  ),
  method(
    'gall-stereographic',
    'Gall Stereographic',
    'Gall_Stereographic',
    'nothing',
    byLatitude(
      () => sqrt(0.5),
      (phi) => (1 + sqrt(0.5)) * Math.tan(phi / 2),
      (y) => 2 * Math.atan(y / (1 + sqrt(0.5))),
    ),
  ),
  method(
    'tobler-cylindrical-1',
    'Tobler Cylindrical I',
    'Tobler_Cylindrical_I',
    'nothing',
    byLatitude(
      () => 1,
      (phi) => phi * poly(phi * phi, 1, 1 / 6),
    ),
  ),
  method(
    'tobler-cylindrical-2',
    'Tobler Cylindrical II',
    'Tobler_Cylindrical_II',
    'nothing',
    byLatitude(
      () => 1,
      (phi) => phi * poly(phi * phi, 1, 1 / 6, 1 / 24),
    ),
  ),
];
