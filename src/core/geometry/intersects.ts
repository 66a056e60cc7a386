import { type Box, boxesMeet, emptyBox, type GeometryArray, Kind } from './geometry-array.ts';
import { locateInRing, orientation } from './predicates.ts';

/** Do two closed segments have a point in common? Exact. */
export function segmentsMeet(
  ax: number,
  ay: number,
  bx: number,
  by: number,
  cx: number,
  cy: number,
  dx: number,
  dy: number,
): boolean {
  if (Math.max(ax, bx) < Math.min(cx, dx) || Math.max(cx, dx) < Math.min(ax, bx)) return false;
  if (Math.max(ay, by) < Math.min(cy, dy) || Math.max(cy, dy) < Math.min(ay, by)) return false;
  const c = orientation(ax, ay, bx, by, cx, cy);
  const d = orientation(ax, ay, bx, by, dx, dy);
  if ((c > 0 && d > 0) || (c < 0 && d < 0)) return false;
  const a = orientation(cx, cy, dx, dy, ax, ay);
  const b = orientation(cx, cy, dx, dy, bx, by);
  // On one line, their boxes meeting is all there is to it.
  return !((a > 0 && b > 0) || (a < 0 && b < 0));
}

/** Does a polygon (part p) hold a point, its border included? */
function holds(array: GeometryArray, p: number, x: number, y: number): boolean {
  const { ringStart, vertexStart, xy } = array;
  for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
    const where = locateInRing(x, y, xy, vertexStart[r], vertexStart[r + 1]);
    if (r === ringStart[p] ? where < 0 : where > 0) return false;
  }
  return ringStart[p] < ringStart[p + 1];
}

/** Do the vertices and edges of two parts touch or cross? Points are segments without length. */
function bordersMeet(a: GeometryArray, p: number, b: GeometryArray, q: number, box: Box): boolean {
  for (let r = a.ringStart[p]; r < a.ringStart[p + 1]; r++) {
    const end = a.vertexStart[r + 1];
    const lone = end - a.vertexStart[r] === 1 ? 1 : 0;
    for (let v = a.vertexStart[r]; v < end - 1 + lone; v++) {
      const w = v + 1 - lone;
      const [ax, ay, bx, by] = [a.xy[2 * v], a.xy[2 * v + 1], a.xy[2 * w], a.xy[2 * w + 1]];
      if (Math.max(ax, bx) < box[0] || Math.min(ax, bx) > box[2]) continue;
      if (Math.max(ay, by) < box[1] || Math.min(ay, by) > box[3]) continue;
      for (let s = b.ringStart[q]; s < b.ringStart[q + 1]; s++) {
        const last = b.vertexStart[s + 1];
        const single = last - b.vertexStart[s] === 1 ? 1 : 0;
        for (let u = b.vertexStart[s]; u < last - 1 + single; u++) {
          const t = u + 1 - single;
          if (segmentsMeet(ax, ay, bx, by, b.xy[2 * u], b.xy[2 * u + 1], b.xy[2 * t], b.xy[2 * t + 1]))
            return true;
        }
      }
    }
  }
  return false;
}

function partsMeet(
  a: GeometryArray,
  i: number,
  p: number,
  b: GeometryArray,
  j: number,
  q: number,
  box: Box,
): boolean {
  const first = (array: GeometryArray, part: number) => array.vertexStart[array.ringStart[part]];
  const empty = (array: GeometryArray, part: number) =>
    array.ringStart[part] === array.ringStart[part + 1] ||
    first(array, part) === array.vertexStart[array.ringStart[part] + 1];
  if (empty(a, p) || empty(b, q)) return false;
  if (bordersMeet(a, p, b, q, box)) return true;
  // Nothing touches: one lies in the other as a whole, or they lie apart.
  const v = first(a, p);
  const w = first(b, q);
  return (
    (b.kindOfPart(j, q) === Kind.Polygon && holds(b, q, a.xy[2 * v], a.xy[2 * v + 1])) ||
    (a.kindOfPart(i, p) === Kind.Polygon && holds(a, p, b.xy[2 * w], b.xy[2 * w + 1]))
  );
}

/**
 * Makes a test whether features have a point in common with one geometry (OGC 06-103r4, clause 6.1.15.3: intersects),
 * borders included. Exact; what lies apart is settled by the boxes.
 *
 * @param geometry feature j of this array, in the CRS of the features
 */
export function intersectsWith(geometry: GeometryArray, j = 0): (array: GeometryArray, i: number) => boolean {
  const whole = geometry.boxOf(j, emptyBox()).slice() as Box;
  const box = emptyBox();
  return (array, i) => {
    if (array.kind[i] === Kind.None) return false;
    array.boxOf(i, box);
    if (!boxesMeet(whole, box)) return false;
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
      for (let q = geometry.partStart[j]; q < geometry.partStart[j + 1]; q++)
        if (partsMeet(array, i, p, geometry, j, q, whole)) return true;
    return false;
  };
}
