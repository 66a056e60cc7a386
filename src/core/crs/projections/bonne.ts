import { meridianDistance } from '../auxiliary-latitudes.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { parallelRadius } from './lambert-conic.ts';
import { falseOrigin, latitude, longitude } from './parameters.ts';
import { type Method, type MethodParameters, type Projection, pointwise } from './projection.ts';

function sinusoidalProjection(ellipsoid: Ellipsoid, p: MethodParameters): Projection {
  const e = Math.sqrt(eccentricitySquared(ellipsoid));
  const meridian = meridianDistance(ellipsoid);
  return pointwise(
    p,
    (lambda, phi, out) => {
      out[0] = ellipsoid.a * lambda * parallelRadius(phi, e);
      out[1] = meridian.distance(phi);
    },
    (x, y, out) => {
      out[1] = meridian.latitude(y);
      const radius = ellipsoid.a * parallelRadius(out[1], e);
      out[0] = Math.abs(x) < 1e-9 ? 0 : x / radius;
    },
  );
}

/** Bonne (EPSG Guidance Note 7-2, 3.4.3); with the equator as its parallel, the sinusoidal projection. */
function bonneProjection(ellipsoid: Ellipsoid, p: MethodParameters, mirror: 1 | -1): Projection {
  const own = { ...p, falseEasting: mirror * p.falseEasting, falseNorthing: mirror * p.falseNorthing };
  const phi0 = p.latitudeOfOrigin;
  if (Math.abs(phi0) < 1e-9) return sinusoidalProjection(ellipsoid, own);
  const { a } = ellipsoid;
  const e = Math.sqrt(eccentricitySquared(ellipsoid));
  const meridian = meridianDistance(ellipsoid);
  const top = (a * parallelRadius(phi0, e)) / Math.sin(phi0);
  const origin = meridian.distance(phi0);
  const sign = phi0 < 0 ? -1 : 1;
  return pointwise(
    own,
    (lambda, phi, out) => {
      const rho = top + origin - meridian.distance(phi);
      const angle = rho === 0 ? 0 : (a * parallelRadius(phi, e) * lambda) / rho;
      out[0] = rho * Math.sin(angle);
      out[1] = top - rho * Math.cos(angle);
    },
    (x, y, out) => {
      const rho = sign * Math.hypot(x, top - y);
      out[1] = meridian.latitude(top + origin - rho);
      const radius = a * parallelRadius(out[1], e);
      out[0] = Math.abs(x) < 1e-9 ? 0 : (rho * Math.atan2(sign * x, sign * (top - y))) / radius;
    },
  );
}

export const bonne: Method = {
  name: 'bonne',
  epsg: 9827,
  title: 'Bonne',
  wkt1: 'Bonne',
  parameters: [{ ...latitude, wkt1: 'standard_parallel_1', otherwise: undefined }, longitude, ...falseOrigin],
  keeps: 'areas',
  make: (ellipsoid, p) => bonneProjection(ellipsoid, p, 1),
};

/** Counted westwards and southwards (EPSG Guidance Note 7-2, 3.4.3.1); memory holds −W and −S. */
export const bonneSouth: Method = {
  ...bonne,
  name: 'bonne-south',
  epsg: 9828,
  title: 'Bonne (South Orientated)',
  wkt1: 'Bonne_(South_Orientated)',
  make: (ellipsoid, p) => bonneProjection(ellipsoid, p, -1),
};

/** Sinusoidal (Snyder 1987, eqs. 30-8 to 30-11). */
export const sinusoidal: Method = {
  name: 'sinusoidal',
  title: 'Sinusoidal',
  wkt1: 'Sinusoidal',
  parameters: [{ ...longitude, wkt1: 'longitude_of_center' }, ...falseOrigin],
  keeps: 'areas',
  make: sinusoidalProjection,
};
