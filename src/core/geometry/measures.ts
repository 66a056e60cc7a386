import { type GeometryArray, Kind } from './geometry-array.ts';

/** Twice the signed area of a closed ring (vertices first … end), > 0 when counter-clockwise. */
export function ringDoubleArea(xy: Float64Array, first: number, end: number): number {
  if (end - first < 3) return 0;
  const x0 = xy[2 * first];
  const y0 = xy[2 * first + 1];
  let twice = 0;
  for (let k = 2 * first; k < 2 * end - 2; k += 2) {
    twice += (xy[k] - x0) * (xy[k + 3] - y0) - (xy[k + 2] - x0) * (xy[k + 1] - y0);
  }
  return twice;
}

/** Planar area of feature i in squared units of its coordinates: shells less holes, whatever way they run. */
export function planarArea(array: GeometryArray, i: number): number {
  let twice = 0;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    if (array.kindOfPart(i, p) !== 3) continue;
    const shell = array.ringStart[p];
    for (let r = shell; r < array.ringStart[p + 1]; r++) {
      const ring = Math.abs(ringDoubleArea(array.xy, array.vertexStart[r], array.vertexStart[r + 1]));
      twice += r === shell ? ring : -ring;
    }
  }
  return twice / 2;
}

/** Planar length of the paths of feature i. */
export function planarLength(array: GeometryArray, i: number): number {
  return planarPathLength(array, i, Kind.LineString);
}

/** Planar length of the paths (`kind` LineString) or of the rings (Polygon) of feature i. */
export function planarPathLength(array: GeometryArray, i: number, kind: number): number {
  let length = 0;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    if (array.kindOfPart(i, p) !== kind) continue;
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
      for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1] - 1; v++) {
        length += Math.hypot(
          array.xy[2 * v + 2] - array.xy[2 * v],
          array.xy[2 * v + 3] - array.xy[2 * v + 1],
        );
      }
    }
  }
  return length;
}
