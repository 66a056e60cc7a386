import geographiclib from 'geographiclib-geodesic';
import { eccentricitySquared, type GeographicCrs } from '../crs/crs.ts';
import type { Ruler } from './ruler.ts';

/**
 * A ruler on the ellipsoid of a geographic CRS: distances are those of geodesics (C. F. F. Karney, Algorithms for
 * geodesics, J. Geodesy 87, 2013), local scales those of the radii of curvature.
 */
export function geodesicRuler(crs: GeographicCrs): Ruler {
  const { a, f } = crs.ellipsoid;
  const e2 = eccentricitySquared(crs.ellipsoid);
  const geodesic = new geographiclib.Geodesic.Geodesic(a, f);
  const toDegrees = (crs.unit * 180) / Math.PI;
  return {
    geodesic: true,
    distance: (ax, ay, bx, by) =>
      geodesic.Inverse(ay * toDegrees, ax * toDegrees, by * toDegrees, bx * toDegrees).s12 ?? Number.NaN,
    metresPerUnit(_x, y, into) {
      const phi = y * crs.unit;
      const w = 1 - e2 * Math.sin(phi) ** 2;
      into[0] = Math.max((a / Math.sqrt(w)) * Math.cos(phi), 1e-6 * a) * crs.unit;
      into[1] = ((a * (1 - e2)) / (w * Math.sqrt(w))) * crs.unit;
    },
    away(x, y, east, north, metres, into) {
      const azimuth = (Math.atan2(east, north) * 180) / Math.PI;
      const there = geodesic.Direct(y * toDegrees, x * toDegrees, azimuth, metres);
      const turn = (there.lon2 ?? Number.NaN) / toDegrees - x;
      const circle = 360 / toDegrees;
      // Next to where it began, so that outlines do not tear at the antimeridian.
      into[0] = x + turn - circle * Math.round(turn / circle);
      into[1] = (there.lat2 ?? Number.NaN) / toDegrees;
    },
  };
}
