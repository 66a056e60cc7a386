import { orientation } from '../predicates.ts';
import { delaunay } from '../shape/delaunay.ts';
import { VertexQueue } from '../shape/vertex-queue.ts';

/**
 * Numbers of the corners of the convex hull of points, counter-clockwise, without those that lie on a side (A. M. Andrew
 * 1979, with exact predicates): one for points at one place, two for points on one line.
 *
 * @param xy x, y of each point
 */
export function convexHull(xy: Float64Array): number[] {
  const order = Array.from({ length: xy.length / 2 }, (_, p) => p).sort(
    (p, q) => xy[2 * p] - xy[2 * q] || xy[2 * p + 1] - xy[2 * q + 1],
  );
  if (order.length < 2) return order;
  const half = (points: readonly number[]) => {
    const hull: number[] = [];
    for (const p of points) {
      while (hull.length > 0) {
        const b = hull[hull.length - 1];
        const same = xy[2 * b] === xy[2 * p] && xy[2 * b + 1] === xy[2 * p + 1];
        if (hull.length === 1 && !same) break;
        if (!same) {
          const a = hull[hull.length - 2];
          if (orientation(xy[2 * a], xy[2 * a + 1], xy[2 * b], xy[2 * b + 1], xy[2 * p], xy[2 * p + 1]) > 0)
            break;
        }
        hull.pop();
      }
      hull.push(p);
    }
    return hull;
  };
  const lower = half(order);
  const upper = half(order.reverse());
  if (lower.length === 1) return lower;
  return [...lower.slice(0, -1), ...upper.slice(0, -1)];
}

/**
 * The corners of a hull that follows hollows, counter-clockwise: sides of the Delaunay triangulation longer than a limit are
 * dug in from outside, the longest first, as long as the outline stays simple (M. Duckham et al., Efficient generation of simple
 * polygons for characterizing the shape of a set of points, Pattern Recognition 41, 2008).
 *
 * @param share where the limit lies between the shortest (0) and the longest (1, the convex hull) side
 */
export function concaveHull(xy: Float64Array, share: number): number[] {
  const { corners, twins } = delaunay(xy);
  if (corners.length === 0) return convexHull(xy);
  const next = (side: number) => (side % 3 === 2 ? side - 2 : side + 1);
  const length = (side: number) => {
    const a = corners[side];
    const b = corners[next(side)];
    return Math.hypot(xy[2 * a] - xy[2 * b], xy[2 * a + 1] - xy[2 * b + 1]);
  };
  let shortest = Number.POSITIVE_INFINITY;
  let longest = 0;
  for (let side = 0; side < corners.length; side++) {
    shortest = Math.min(shortest, length(side));
    longest = Math.max(longest, length(side));
  }
  const limit = (1 - share) * shortest + share * longest;
  /** The side of the outline that leaves each point on it. */
  const leaves = new Map<number, number>();
  const rim = new VertexQueue(corners.length);
  for (let side = 0; side < corners.length; side++)
    if (twins[side] < 0) {
      leaves.set(corners[side], side);
      if (length(side) > limit) rim.put(side, -length(side));
    }
  for (let side = rim.pop(); side >= 0; side = rim.pop()) {
    const inner = corners[next(next(side))];
    // A corner that is on the outline already would make it touch itself.
    if (leaves.has(inner)) continue;
    leaves.set(corners[side], twins[next(next(side))]);
    leaves.set(inner, twins[next(side)]);
    for (const opened of [twins[next(next(side))], twins[next(side)]])
      if (length(opened) > limit) rim.put(opened, -length(opened));
  }
  const first = leaves.keys().next().value!;
  const hull = [first];
  for (let p = corners[next(leaves.get(first)!)]; p !== first; p = corners[next(leaves.get(p)!)])
    hull.push(p);
  return hull;
}
