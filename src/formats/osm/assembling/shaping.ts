import { type Box, Kind } from '../../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../../core/geometry/geometry-maker.ts';
import { ringDoubleArea } from '../../../core/geometry/measures.ts';
import type { WayBlock } from '../reading/primitives.ts';

/** What became of a way's nodes. */
export interface Shape {
  /** Vertices that were written. */
  vertices: number;
  /** Nodes that are not in the extract. */
  missing: number;
}

/**
 * Writes a way as a line: stretches of known nodes, never across a gap; nodes that repeat the one before are passed
 * over. Nothing is written when no stretch of two vertices is left.
 */
export function writeLine(xy: Float64Array, from: number, end: number, builder: GeometryMaker): Shape {
  const mark = builder.mark();
  builder.feature(Kind.LineString);
  let missing = 0;
  let paths = 0;
  let vertices = 0;
  for (let k = from; k < end; ) {
    if (Number.isNaN(xy[2 * k])) {
      missing++;
      k++;
      continue;
    }
    const before = builder.mark();
    builder.part();
    builder.ring();
    let n = 0;
    let x = Number.NaN;
    let y = Number.NaN;
    for (; k < end && !Number.isNaN(xy[2 * k]); k++) {
      if (xy[2 * k] === x && xy[2 * k + 1] === y) continue;
      x = xy[2 * k];
      y = xy[2 * k + 1];
      builder.vertex(x, y);
      n++;
    }
    if (n < 2) builder.back(before);
    else {
      paths++;
      vertices += n;
    }
  }
  if (paths === 0) builder.back(mark);
  else if (paths > 1) builder.setKind(Kind.MultiLineString);
  return { vertices, missing };
}

/** Writes a closed way as an area, counter-clockwise. Nothing is written when a node is missing or no area is left. */
export function writeArea(xy: Float64Array, from: number, end: number, builder: GeometryMaker): Shape {
  let missing = 0;
  for (let k = from; k < end; k++) if (Number.isNaN(xy[2 * k])) missing++;
  if (missing > 0) return { vertices: 0, missing };
  const mark = builder.mark();
  builder.feature(Kind.Polygon);
  builder.part();
  builder.ring();
  let x = Number.NaN;
  let y = Number.NaN;
  for (let k = from; k < end; k++) {
    if (xy[2 * k] === x && xy[2 * k + 1] === y) continue;
    x = xy[2 * k];
    y = xy[2 * k + 1];
    builder.vertex(x, y);
  }
  const vertices = builder.vertices - mark.vertices;
  const twice = vertices < 4 ? 0 : ringDoubleArea(xy, from, end);
  if (twice === 0) {
    builder.back(mark);
    return { vertices: 0, missing };
  }
  if (twice < 0) builder.reverseLastRing();
  return { vertices, missing };
}

/** Does the box of all that a builder holds meet another one? */
export function meetsBox(geometry: GeometryMaker, box: Box): boolean {
  let x0 = Number.POSITIVE_INFINITY;
  let y0 = Number.POSITIVE_INFINITY;
  let x1 = Number.NEGATIVE_INFINITY;
  let y1 = Number.NEGATIVE_INFINITY;
  for (let v = 0; v < geometry.vertices; v++) {
    const x = geometry.coordinate(2 * v);
    const y = geometry.coordinate(2 * v + 1);
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
  }
  const [west, south, east, north] = box;
  if (y0 > north || y1 < south) return false;
  // Across the antimeridian it is what lies east of its west, or west of its east.
  return west <= east ? x0 <= east && west <= x1 : x1 >= west || x0 <= east;
}

/** Positions of ways in extracts that give them with the ways, in place of those that were looked up. */
export function putOwnPlaces(
  block: WayBlock,
  ways: readonly number[],
  at: readonly number[],
  xy: Float64Array,
): void {
  const { lon, lat, unit } = block.places!;
  ways.forEach((i, w) => {
    for (let k = block.refStart[i], v = at[w]; k < block.refStart[i + 1]; k++, v++) {
      xy[2 * v] = lon[k] / unit;
      xy[2 * v + 1] = lat[k] / unit;
    }
  });
}
