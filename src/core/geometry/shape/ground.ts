import type { GeometryArray } from '../geometry-array.ts';
import type { Chains } from '../noding/chains.ts';
import type { Ruler } from '../ruler.ts';

/** Where the pen of a buffer stands: how directions and distances turn into coordinates. */
export interface Ground {
  /** The unit vector (east, north) at vertex `at`, which is u or v, of the way from vertex u to v; written into `into`. */
  direction(path: Float64Array, u: number, v: number, at: number, into: Float64Array): void;
  /** Leads a chain to the point that lies (east, north) times `reach` from (x, y). */
  to(chains: Chains, x: number, y: number, east: number, north: number, reach: number): void;
  /** The path with so many more vertices that what lies at the distance of it stays true between them. */
  divided?(path: Float64Array, reach: number): Float64Array;
  /** Geometries in the coordinates that chains are led through, where those are others. */
  placed?(array: GeometryArray): GeometryArray;
}

/** The plane of the coordinates. */
export const flatGround: Ground = {
  direction(path, u, v, _at, into) {
    const dx = path[2 * v] - path[2 * u];
    const dy = path[2 * v + 1] - path[2 * u + 1];
    const length = Math.hypot(dx, dy);
    into[0] = dx / length;
    into[1] = dy / length;
  },
  to(chains, x, y, east, north, reach) {
    chains.to(x + east * reach, y + north * reach);
  },
};

/** What arcs of 16 pieces a quarter leave out of their circle, in distances: the same is allowed of edges. */
const allowed = 0.0012;

/**
 * The ellipsoid. Edges are straight in longitude and latitude, as they stand; points at a distance are those that a
 * geodesic reaches that leaves at right angles.
 *
 * @param place where chains run, when that is not in longitude and latitude: brings x, y pairs there in place
 */
export function roundGround(ruler: Ruler, place: ((xy: Float64Array) => void) | null = null): Ground {
  const scale = new Float64Array(2);
  const point = new Float64Array(2);
  const placedArrays = new WeakMap<GeometryArray, GeometryArray>();
  return {
    direction(path, u, v, at, into) {
      ruler.metresPerUnit(path[2 * at], path[2 * at + 1], scale);
      const east = (path[2 * v] - path[2 * u]) * scale[0];
      const north = (path[2 * v + 1] - path[2 * u + 1]) * scale[1];
      const length = Math.hypot(east, north);
      into[0] = east / length;
      into[1] = north / length;
    },
    to(chains, x, y, east, north, reach) {
      const metres = Math.hypot(east, north) * reach;
      point[0] = x;
      point[1] = y;
      if (metres > 0) ruler.away(x, y, east, north, metres, point);
      if (place !== null) place(point);
      chains.to(point[0], point[1]);
    },
    divided(path, reach) {
      const made: number[] = [path[0], path[1]];
      for (let k = 0; k + 3 < path.length; k += 2) {
        const [ax, ay, bx, by] = path.subarray(k, k + 4);
        ruler.metresPerUnit((ax + bx) / 2, (ay + by) / 2, scale);
        const [east, north] = [(bx - ax) * scale[0], (by - ay) * scale[1]];
        // A straight line in degrees bends away from the geodesic with the tangent of the latitude over the radius.
        const bend = scale[1] / scale[0] + 0.05;
        const radius = 6.4e6 / bend;
        const most = Math.sqrt(8 * radius * allowed * reach);
        const pieces = Math.min(4096, Math.max(1, Math.ceil(Math.hypot(east, north) / most)));
        for (let n = 1; n < pieces; n++)
          made.push(ax + ((bx - ax) * n) / pieces, ay + ((by - ay) * n) / pieces);
        made.push(bx, by);
      }
      return Float64Array.from(made);
    },
    placed(array) {
      if (place === null) return array;
      let placed = placedArrays.get(array);
      if (placed === undefined) {
        const xy = array.xy.slice();
        place(xy);
        placed = array.withXY(xy);
        placedArrays.set(array, placed);
      }
      return placed;
    },
  };
}
