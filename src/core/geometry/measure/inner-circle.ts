import { type GeometryArray, Kind } from '../geometry-array.ts';
import { EdgeTree } from './edge-tree.ts';
import type { Circle } from './enclosing.ts';

/**
 * The greatest circle that lies within an area, to `within` of its radius: its centre is the point within that lies farthest
 * from the border (the pole of inaccessibility; D. Garcia-Castellanos and U. Lombardo, Scottish Geographical Journal 123,
 * 2007). Squares that may hold it are quartered, the most hopeful first; others are left out. Null where there is no area.
 */
export function greatestCircleWithin(array: GeometryArray, i: number, within = 1e-4): Circle | null {
  const edges = EdgeTree.of(array, i, Kind.Polygon);
  const [x0, y0, x1, y1] = array.boxOf(i);
  if (edges.count === 0 || !(x0 < x1 && y0 < y1)) return null;
  // Of something very long and thin, no more squares than can be looked at.
  const size = Math.max(Math.min(x1 - x0, y1 - y0), Math.max(x1 - x0, y1 - y0) / 256);
  const signed = (x: number, y: number) => (edges.holds(x, y) ? 1 : -1) * edges.distance(x, y);
  interface Square {
    x: number;
    y: number;
    half: number;
    radius: number;
    most: number;
  }
  const squareAt = (x: number, y: number, half: number): Square => {
    const radius = signed(x, y);
    return { x, y, half, radius, most: radius + half * Math.SQRT2 };
  };
  let queue: Square[] = [];
  const half = size / 2;
  for (let x = x0; x < x1; x += size)
    for (let y = y0; y < y1; y += size) queue.push(squareAt(x + half, y + half, half));
  let best = queue.reduce((a, b) => (a.radius >= b.radius ? a : b));
  const [cx, cy] = centroid(array, i);
  const middle = squareAt(cx, cy, 0);
  if (middle.radius > best.radius) best = middle;
  while (queue.length > 0) {
    // All squares of one size at once: most are left out by what the last ones found.
    const next: Square[] = [];
    for (const square of queue) {
      if (square.most - best.radius <= Math.max(within * best.radius, 1e-12 * size)) continue;
      const quarter = square.half / 2;
      for (const [dx, dy] of [
        [-1, -1],
        [1, -1],
        [-1, 1],
        [1, 1],
      ]) {
        const part = squareAt(square.x + dx * quarter, square.y + dy * quarter, quarter);
        if (part.radius > best.radius) best = part;
        next.push(part);
      }
    }
    queue = next;
    if (queue.length > 0 && queue[0].half < 1e-9 * size) break;
  }
  return best.radius > 0 ? { x: best.x, y: best.y, radius: best.radius } : null;
}

/** Centroid of the areas of a feature, of its paths where it has none, or of its points. */
export function centroid(array: GeometryArray, i: number): [number, number] {
  const { xy, vertexStart, ringStart, partStart } = array;
  const first = array.firstVertex(i);
  const x0 = xy[2 * first];
  const y0 = xy[2 * first + 1];
  const sums = [new Float64Array(3), new Float64Array(3), new Float64Array(3)];
  for (let p = partStart[i]; p < partStart[i + 1]; p++) {
    const kind = array.kindOfPart(i, p);
    for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
      const end = vertexStart[r + 1];
      const own = new Float64Array(3);
      for (let v = vertexStart[r]; v < end; v++) {
        const ax = xy[2 * v] - x0;
        const ay = xy[2 * v + 1] - y0;
        sums[0][0] += 1;
        sums[0][1] += ax;
        sums[0][2] += ay;
        if (v + 1 === end) continue;
        const bx = xy[2 * v + 2] - x0;
        const by = xy[2 * v + 3] - y0;
        const length = Math.hypot(bx - ax, by - ay);
        sums[1][0] += length;
        sums[1][1] += (length * (ax + bx)) / 2;
        sums[1][2] += (length * (ay + by)) / 2;
        const cross = ax * by - bx * ay;
        own[0] += cross / 2;
        own[1] += (cross * (ax + bx)) / 6;
        own[2] += (cross * (ay + by)) / 6;
      }
      if (kind !== Kind.Polygon) continue;
      const sign = own[0] > 0 === (r === ringStart[p]) ? 1 : -1;
      for (let k = 0; k < 3; k++) sums[2][k] += sign * own[k];
    }
  }
  const of = sums[2][0] > 0 ? sums[2] : sums[1][0] > 0 ? sums[1] : sums[0];
  return [x0 + of[1] / of[0], y0 + of[2] / of[0]];
}
