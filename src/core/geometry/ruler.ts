import type { Crs } from '../crs/crs.ts';
import { IsomericError } from '../errors.ts';

/** Measures distances, in metres, between places in the coordinates of one CRS. */
export interface Ruler {
  /** True where it measures on the ellipsoid, since coordinates are degrees. */
  readonly geodesic: boolean;
  /** Metres between two places. */
  distance(ax: number, ay: number, bx: number, by: number): number;
  /** Metres in one unit of x and of y at a place, written into `into`. */
  metresPerUnit(x: number, y: number, into: Float64Array): void;
  /** The place that lies so many metres from another, in the direction of (east, north); its length does not count. */
  away(x: number, y: number, east: number, north: number, metres: number, into: Float64Array): void;
}

/** A ruler for plane coordinates. @param unit metres in one unit of the coordinates */
export function planarRuler(unit = 1): Ruler {
  return {
    geodesic: false,
    distance: (ax, ay, bx, by) => Math.hypot(bx - ax, by - ay) * unit,
    metresPerUnit(_x, _y, into) {
      into[0] = unit;
      into[1] = unit;
    },
    away(x, y, east, north, metres, into) {
      const by = metres / unit / Math.hypot(east, north);
      into[0] = x + east * by;
      into[1] = y + north * by;
    },
  };
}

/**
 * The ruler for the coordinates of a CRS: on its plane, or on its ellipsoid where they are degrees.
 *
 * @throws IsomericError `crs-missing` where nobody knows how long a metre is
 */
export async function rulerFor(of: { name: string; crs: Crs | null }): Promise<Ruler> {
  const { crs, name } = of;
  if (crs === null)
    throw new IsomericError('crs-missing', `${name} has no CRS, so nobody knows how long a metre is in it.`, {
      blame: 'usage',
      advice: 'Say which CRS it has first.',
    });
  if (crs.kind === 'projected') return planarRuler(crs.unit);
  // Only what lies in degrees pays for geodesics.
  const { geodesicRuler } = await import('./geodesic-ruler.ts');
  return geodesicRuler(crs);
}
