import { Kind } from '../../core/geometry/geometry-array.ts';
import type { GeometryBuilder } from '../../core/geometry/geometry-builder.ts';
import { ringDoubleArea } from '../../core/geometry/measures.ts';

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
export function writeLine(xy: Float64Array, from: number, end: number, builder: GeometryBuilder): Shape {
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
export function writeArea(xy: Float64Array, from: number, end: number, builder: GeometryBuilder): Shape {
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
