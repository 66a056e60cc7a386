import { authalicLatitude } from '../auxiliary-latitudes.ts';
import { type Ellipsoid, eccentricitySquared } from '../crs.ts';
import { parallelRadius } from './lambert-conic.ts';
import { falseOrigin, latitude, longitude } from './parameters.ts';
import { type Method, type MethodParameters, nowhere, type Projection, pointwise } from './projection.ts';
import { about } from './sphere-about.ts';

function equalArea(ellipsoid: Ellipsoid, p: MethodParameters): Projection {
  const authalic = authalicLatitude(ellipsoid);
  const centre = p.latitudeOfOrigin;
  const polar = Math.abs(centre) > Math.PI / 2 - 1e-9;
  const beta0 = polar ? (Math.sign(centre) * Math.PI) / 2 : authalic.beta(centre);
  // Stretches that keep the map true to scale at its centre.
  const d = polar
    ? 1
    : (ellipsoid.a * parallelRadius(centre, Math.sqrt(eccentricitySquared(ellipsoid)))) /
      (authalic.radius * Math.cos(beta0));
  const sphere = about(beta0);
  const seen = new Float64Array(3);
  const r = authalic.radius;
  return pointwise(
    p,
    (lambda, phi, out) => {
      const beta = authalic.beta(phi);
      if (polar) {
        // 1 − sin β without cancellation, so that the pole's surroundings are exact.
        const sign = beta0 > 0 ? 1 : -1;
        const rho = 2 * r * Math.sin(Math.PI / 4 - (sign * beta) / 2);
        out[0] = rho * Math.sin(lambda);
        out[1] = -sign * rho * Math.cos(lambda);
        return;
      }
      sphere.see(lambda, Math.sin(beta), Math.cos(beta), seen);
      // The point opposite the centre is a circle.
      if (seen[2] < -1 + 1e-14) return nowhere(out);
      const b = r * Math.sqrt(2 / (1 + seen[2]));
      out[0] = b * d * seen[0];
      out[1] = (b / d) * seen[1];
    },
    (x, y, out) => {
      const east = x / d;
      const north = y * d;
      const half = Math.hypot(east, north) / (2 * r);
      if (!(half <= 1 + 1e-12)) return nowhere(out);
      // With half = sin(c / 2): sin c = 2 half √(1 − half²), cos c = 1 − 2 half².
      const stretch = Math.sqrt(Math.max(0, 1 - half * half)) / r;
      sphere.find(east * stretch, north * stretch, 1 - 2 * half * half, out);
      out[1] = authalic.latitude(Math.sin(out[1]), Math.cos(out[1]));
    },
  );
}

/** Lambert azimuthal equal-area, all aspects (EPSG Guidance Note 7-2, 3.3.1). */
export const lambertAzimuthal: Method = {
  name: 'lambert-azimuthal-equal-area',
  epsg: 9820,
  title: 'Lambert Azimuthal Equal Area',
  wkt1: 'Lambert_Azimuthal_Equal_Area',
  parameters: [
    { ...latitude, wkt1: 'latitude_of_center' },
    { ...longitude, wkt1: 'longitude_of_center' },
    ...falseOrigin,
  ],
  keeps: 'areas',
  make: equalArea,
};

/** The same on a sphere of the semi-major axis (EPSG method 1027). */
export const lambertAzimuthalSphere: Method = {
  ...lambertAzimuthal,
  name: 'lambert-azimuthal-equal-area-sphere',
  epsg: 1027,
  title: 'Lambert Azimuthal Equal Area (Spherical)',
  wkt1: 'Lambert_Azimuthal_Equal_Area_(Spherical)',
  spherical: true,
  make: (ellipsoid, p) => equalArea({ name: 'sphere', a: ellipsoid.a, f: 0 }, p),
};
