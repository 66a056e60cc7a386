import { authalicLatitude, meridianDistance } from '../auxiliary-latitudes.ts';
import type { Ellipsoid } from '../crs.ts';
import { scaleByParallel } from './mercator.ts';
import { equator, falseOrigin, longitude, standardParallel } from './parameters.ts';
import { type Method, type MethodParameters, nowhere, pointwise } from './projection.ts';

const parameters = [standardParallel, equator, longitude, ...falseOrigin];
const sphere = (ellipsoid: Ellipsoid): Ellipsoid => ({ name: 'sphere', a: ellipsoid.a, f: 0 });

function equidistant(ellipsoid: Ellipsoid, p: MethodParameters) {
  const meridian = meridianDistance(ellipsoid);
  const width = ellipsoid.a * scaleByParallel(ellipsoid, p.standardParallel1);
  return pointwise(
    p,
    (lambda, phi, out) => {
      out[0] = width * lambda;
      out[1] = meridian.distance(phi);
    },
    (x, y, out) => {
      out[0] = x / width;
      out[1] = meridian.latitude(y);
    },
  );
}

/** Equidistant cylindrical (EPSG Guidance Note 7-2, 3.5.5). */
export const equidistantCylindrical: Method = {
  name: 'equidistant-cylindrical',
  epsg: 1028,
  title: 'Equidistant Cylindrical',
  wkt1: 'Equirectangular',
  prj: 'Equidistant_Cylindrical_Ellipsoidal',
  parameters,
  keeps: 'nothing',
  make: equidistant,
};

/** The same on a sphere of the semi-major axis (EPSG method 1029); with the equator as its parallel, a plate carrée. */
export const equidistantCylindricalSphere: Method = {
  name: 'equidistant-cylindrical-sphere',
  epsg: 1029,
  title: 'Equidistant Cylindrical (Spherical)',
  wkt1: 'Equidistant_Cylindrical_(Spherical)',
  prj: 'Equidistant_Cylindrical',
  aliases: ['Plate_Carree'],
  parameters,
  keeps: 'nothing',
  spherical: true,
  make: (ellipsoid, p) => equidistant(sphere(ellipsoid), p),
};

function equalArea(ellipsoid: Ellipsoid, p: MethodParameters) {
  const authalic = authalicLatitude(ellipsoid);
  const k0 = scaleByParallel(ellipsoid, p.standardParallel1);
  const width = ellipsoid.a * k0;
  const height = (ellipsoid.a * authalic.q) / (2 * k0);
  return pointwise(
    p,
    (lambda, phi, out) => {
      out[0] = width * lambda;
      out[1] = height * authalic.sine(Math.sin(phi));
    },
    (x, y, out) => {
      const sine = y / height;
      if (!(Math.abs(sine) <= 1 + 1e-12)) return nowhere(out);
      const bound = Math.max(-1, Math.min(1, sine));
      out[0] = x / width;
      out[1] = authalic.latitude(bound, Math.sqrt((1 - bound) * (1 + bound)));
    },
  );
}

/** Lambert's cylindrical equal-area projection, also Behrmann's (EPSG Guidance Note 7-2, 3.5.4). */
export const cylindricalEqualArea: Method = {
  name: 'cylindrical-equal-area',
  epsg: 9835,
  title: 'Lambert Cylindrical Equal Area',
  wkt1: 'Cylindrical_Equal_Area',
  aliases: ['Behrmann'],
  parameters,
  keeps: 'areas',
  make: equalArea,
};

/** The same on a sphere of the semi-major axis (EPSG method 9834). */
export const cylindricalEqualAreaSphere: Method = {
  name: 'cylindrical-equal-area-sphere',
  epsg: 9834,
  title: 'Lambert Cylindrical Equal Area (Spherical)',
  wkt1: 'Cylindrical_Equal_Area_(Spherical)',
  parameters,
  keeps: 'areas',
  spherical: true,
  make: (ellipsoid, p) => equalArea(sphere(ellipsoid), p),
};
