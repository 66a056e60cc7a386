import { conformalSeries, isometricLatitude } from '../conformal-latitude.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { sumSines } from '../latitude-series.ts';
import {
  eastingThere,
  equator,
  falseLatitude,
  falseOrigin,
  longitude,
  named,
  northingThere,
  parallel1,
  scale,
} from './parameters.ts';
import { type Method, type Projection, pole, wrapped } from './projection.ts';

/** Greatest longitude from the meridian that is brought back: one and a half times around, as maps are continued. */
const reach = 3 * Math.PI;

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
        const phi = xy[k + 1];
        if (!(phi <= pole && phi >= -pole)) {
          xy[k] = NaN;
          xy[k + 1] = NaN;
          continue;
        }
        const s = Math.sin(phi);
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
        const lambda = (xy[k] - falseEasting) / radius;
        if (!(lambda <= reach && lambda >= -reach)) {
          xy[k] = NaN;
          xy[k + 1] = NaN;
          continue;
        }
        const sine = Math.tanh(psi);
        const cosine = 1 / Math.cosh(psi);
        xy[k] = wrapped(lambda + centralMeridian);
        xy[k + 1] = Math.atan2(sine, cosine) + sumSines(toGeodetic, sine, cosine);
      }
    },
  };
}

/** Mercator, variant A (EPSG Guidance Note 7-2, 3.5.1). */
export const mercatorA: Method = {
  name: 'mercator-a',
  epsg: 9804,
  title: 'Mercator (variant A)',
  wkt1: 'Mercator_1SP',
  aliases: ['Mercator_Variant_A'],
  // The latitude of origin is always the equator; texts may say so.
  parameters: [equator, longitude, scale, ...falseOrigin],
  keeps: 'angles',
  make: (ellipsoid, p) => mercatorProjection(ellipsoid, p.scaleFactor, p),
};

/** Scale at the equator of a cylinder that is true along a parallel. */
export function scaleByParallel(ellipsoid: Ellipsoid, parallel: number): number {
  const s = Math.sin(parallel);
  return Math.cos(parallel) / Math.sqrt(1 - eccentricitySquared(ellipsoid) * s * s);
}

/** Mercator, variant B: true to scale along a parallel (EPSG Guidance Note 7-2, 3.5.1). */
export const mercatorB: Method = {
  name: 'mercator-b',
  epsg: 9805,
  title: 'Mercator (variant B)',
  wkt1: 'Mercator_2SP',
  prj: 'Mercator',
  parameters: [parallel1, longitude, ...falseOrigin],
  keeps: 'angles',
  make: (ellipsoid, p) => mercatorProjection(ellipsoid, scaleByParallel(ellipsoid, p.standardParallel1), p),
};

/** Mercator, variant C: variant B with its false origin at another latitude (EPSG Guidance Note 7-2, 3.5.1). */
export const mercatorC: Method = {
  name: 'mercator-c',
  epsg: 1044,
  title: 'Mercator (variant C)',
  wkt1: 'Mercator_(variant_C)',
  aliases: ['Mercator_Variant_C'],
  parameters: [parallel1, longitude, { ...falseLatitude, otherwise: undefined }, eastingThere, northingThere],
  keeps: 'angles',
  make(ellipsoid, p) {
    const k0 = scaleByParallel(ellipsoid, p.standardParallel1);
    const northing =
      ellipsoid.a * k0 * isometricLatitude(p.latitudeOfOrigin, Math.sqrt(eccentricitySquared(ellipsoid)));
    return mercatorProjection(ellipsoid, k0, { ...p, falseNorthing: p.falseNorthing - northing });
  },
};

/** Mercator on a sphere of the semi-major axis (EPSG method 1026). */
export const mercatorSphere: Method = {
  name: 'mercator-sphere',
  epsg: 1026,
  title: 'Mercator (Spherical)',
  wkt1: 'Mercator_(Spherical)',
  parameters: [equator, longitude, ...falseOrigin],
  keeps: 'angles',
  spherical: true,
  make: (ellipsoid, p) => mercatorProjection({ name: 'sphere', a: ellipsoid.a, f: 0 }, 1, p),
};

/** Popular visualisation pseudo-Mercator: the sphere's formula on the ellipsoid's latitudes (EPSG method 1024). */
export const webMercator: Method = {
  name: 'pseudo-mercator',
  epsg: 1024,
  title: 'Popular Visualisation Pseudo Mercator',
  wkt1: 'Popular_Visualisation_Pseudo_Mercator',
  prj: 'Mercator_Auxiliary_Sphere',
  parameters: [
    equator,
    longitude,
    ...falseOrigin,
    named('standardParallel1', 'standard_parallel_1', 'Latitude of 1st standard parallel', 0),
  ],
  keeps: 'nothing',
  spherical: true,
  make: (ellipsoid, p) =>
    mercatorProjection({ name: 'sphere', a: ellipsoid.a, f: 0 }, Math.cos(p.standardParallel1), p),
};
