import { conformalSeries } from '../conformal-latitude.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { sumSines } from '../latitude-series.ts';
import { type Method, type Projection, wrapped } from './projection.ts';

function mercatorProjection(
  ellipsoid: Ellipsoid,
  k0: number,
  p: { centralMeridian: number; falseEasting: number; falseNorthing: number },
): Projection {
  const e2 = eccentricitySquared(ellipsoid);
  const radius = ellipsoid.a * k0;
  const { toGeodetic } = conformalSeries(ellipsoid);
  const { centralMeridian, falseEasting, falseNorthing } = p;
  return {
    forward(xy, from, count) {
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        const s = Math.sin(xy[k + 1]);
        const q = e2 * s * s;
        const eccentric =
          e2 * s * (1 + q * (1 / 3 + q * (1 / 5 + q * (1 / 7 + q * (1 / 9 + q * (1 / 11 + q / 13))))));
        xy[k] = falseEasting + radius * wrapped(xy[k] - centralMeridian);
        const psi = 0.5 * Math.log((1 + s) / (1 - s)) - eccentric;
        xy[k + 1] = Number.isFinite(psi) ? falseNorthing + radius * psi : NaN;
      }
    },
    inverse(xy, from, count) {
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        const psi = (xy[k + 1] - falseNorthing) / radius;
        const sine = Math.tanh(psi);
        const cosine = 1 / Math.cosh(psi);
        xy[k] = wrapped((xy[k] - falseEasting) / radius + centralMeridian);
        xy[k + 1] = Math.atan2(sine, cosine) + sumSines(toGeodetic, sine, cosine);
      }
    },
  };
}

/** Mercator, variant A (EPSG Guidance Note 7-2, 3.5.1). */
export const mercatorA: Method = {
  name: 'mercator-a',
  epsg: 9804,
  wktNames: ['Mercator_1SP'],
  required: ['centralMeridian'],
  make: (ellipsoid, p) => mercatorProjection(ellipsoid, p.scaleFactor, p),
};

/** Mercator, variant B: true to scale along a parallel (EPSG Guidance Note 7-2, 3.5.1). */
export const mercatorB: Method = {
  name: 'mercator-b',
  epsg: 9805,
  wktNames: ['Mercator_2SP', 'Mercator'],
  required: ['centralMeridian', 'standardParallel1'],
  make(ellipsoid, p) {
    const s = Math.sin(p.standardParallel1);
    return mercatorProjection(
      ellipsoid,
      Math.cos(p.standardParallel1) / Math.sqrt(1 - eccentricitySquared(ellipsoid) * s * s),
      p,
    );
  },
};

/** Popular visualisation pseudo-Mercator: the sphere's formula on the ellipsoid's latitudes (EPSG method 1024). */
export const webMercator: Method = {
  name: 'pseudo-mercator',
  epsg: 1024,
  wktNames: ['Popular_Visualisation_Pseudo_Mercator', 'Mercator_Auxiliary_Sphere'],
  required: ['centralMeridian'],
  make: (ellipsoid, p) => mercatorProjection({ name: 'sphere', a: ellipsoid.a, f: 0 }, 1, p),
};
