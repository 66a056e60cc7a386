import { type GeometryArray, Kind } from './geometry-array.ts';
import { ringDoubleArea } from './measures.ts';

/**
 * A point inside the area of feature i, well away from its border: in the middle of the longest stretch that a line
 * through the middle of its largest polygon cuts out of it. Written into `into` as [x, y]; false when it has no area.
 */
export function innerPoint(array: GeometryArray, i: number, into: [number, number]): boolean {
  const part = largestPart(array, i);
  if (part < 0) return false;
  const { xy, vertexStart } = array;
  const first = vertexStart[array.ringStart[part]];
  const end = vertexStart[array.ringStart[part + 1]];
  const y = middleBetweenVertices(xy, first, vertexStart[array.ringStart[part] + 1]);
  const cuts: number[] = [];
  for (let r = array.ringStart[part]; r < array.ringStart[part + 1]; r++) {
    for (let v = vertexStart[r]; v < vertexStart[r + 1] - 1; v++) {
      const ay = xy[2 * v + 1];
      const by = xy[2 * v + 3];
      if (ay < y === by < y) continue;
      const ax = xy[2 * v];
      const bx = xy[2 * v + 2];
      cuts.push(ax + ((y - ay) / (by - ay)) * (bx - ax));
    }
  }
  if (cuts.length < 2 || end === first) return false;
  cuts.sort((a, b) => a - b);
  let longest = -1;
  for (let k = 0; k + 1 < cuts.length; k += 2) {
    const length = cuts[k + 1] - cuts[k];
    if (length <= longest) continue;
    longest = length;
    into[0] = (cuts[k] + cuts[k + 1]) / 2;
    into[1] = y;
  }
  return longest > 0;
}

function largestPart(array: GeometryArray, i: number): number {
  let largest = -1;
  let most = 0;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    if (array.kindOfPart(i, p) !== Kind.Polygon) continue;
    const shell = array.ringStart[p];
    const area = Math.abs(ringDoubleArea(array.xy, array.vertexStart[shell], array.vertexStart[shell + 1]));
    if (area > most) {
      most = area;
      largest = p;
    }
  }
  return largest;
}

/** A height near the middle of a ring at which none of its vertices lies. */
function middleBetweenVertices(xy: Float64Array, first: number, end: number): number {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  for (let v = first; v < end; v++) {
    low = Math.min(low, xy[2 * v + 1]);
    high = Math.max(high, xy[2 * v + 1]);
  }
  const middle = (low + high) / 2;
  // Halfway between the vertices next below and above it, so that the line goes through edges only.
  let below = low;
  let above = high;
  for (let v = first; v < end; v++) {
    const y = xy[2 * v + 1];
    if (y <= middle && y > below) below = y;
    if (y > middle && y < above) above = y;
  }
  return (below + above) / 2;
}
