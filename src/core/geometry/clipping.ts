import { type AreaIndex, Where } from './area-index.ts';
import { addAreaEdges, traceAreas } from './area-tracing.ts';
import { Arrangement, usable } from './arrangement.ts';
import { type Box, type GeometryArray, Kind } from './geometry-array.ts';
import type { GeometryMaker } from './geometry-maker.ts';
import { label, locateByScan } from './labelling.ts';

/** What became of a feature. */
export const Clipped = { Outside: 0, Whole: 1, Cut: 2, Undecided: 3 } as const;

/**
 * Settles feature i without overlay where its box allows it: Outside, Whole, or Undecided (it may meet the border).
 * `box` is the feature's.
 */
export function settleByBox(area: AreaIndex, box: Box): number {
  const where = area.whereBox(box[0], box[1], box[2], box[3]);
  if (where === Where.Outside) return Clipped.Outside;
  if (where === Where.Inside) return Clipped.Whole;
  if (area.edgesNear(box[0], box[1], box[2], box[3]).length > 0) return Clipped.Undecided;
  return area.locate(box[0], box[1]) > 0 ? Clipped.Whole : Clipped.Outside;
}

/** Cuts feature i to the area and appends what is left (nothing when it is Outside). For features that are Undecided. */
export function clipFeature(
  array: GeometryArray,
  i: number,
  given: Box,
  area: AreaIndex,
  builder: GeometryMaker,
): number {
  // As the arrangement takes its coordinates: a corner at 5·10⁻³²⁴ becomes 0, and must not lie outside its own box.
  const box = given.map(usable) as Box;
  switch (array.kind[i]) {
    case Kind.Point:
    case Kind.MultiPoint:
      return clipPoints(array, i, area, builder);
    case Kind.LineString:
    case Kind.MultiLineString:
      return clipPaths(array, i, box, area, builder);
    case Kind.Polygon:
    case Kind.MultiPolygon:
      return clipAreas(array, i, box, area, builder);
    default:
      return Clipped.Outside;
  }
}

function clipPoints(array: GeometryArray, i: number, area: AreaIndex, builder: GeometryMaker): number {
  const kept: number[] = [];
  for (let v = array.firstVertex(i); v < array.endVertex(i); v++) {
    if (area.locate(array.xy[2 * v], array.xy[2 * v + 1]) >= 0) kept.push(v);
  }
  const all = array.endVertex(i) - array.firstVertex(i);
  if (kept.length === 0) return Clipped.Outside;
  if (kept.length === all) {
    builder.copy(array, i);
    return Clipped.Whole;
  }
  builder.feature(kept.length === 1 ? Kind.Point : Kind.MultiPoint);
  for (const v of kept) {
    builder.part();
    builder.ring();
    builder.run(array.xy, v, 1);
  }
  return Clipped.Cut;
}

/** The area's edges near a box join the arrangement; labels spread only at nodes in the box, where none is missing. */
function arrange(
  box: Box,
  area: AreaIndex,
  near: readonly number[],
  fill: (arrangement: Arrangement) => void,
) {
  const arrangement = new Arrangement();
  fill(arrangement);
  for (const e of near) {
    const k = 4 * e;
    arrangement.addEdge(area.ends[k], area.ends[k + 1], area.ends[k + 2], area.ends[k + 3], 0, 1);
  }
  arrangement.cut();
  const scan = locateByScan(arrangement);
  const labels = label(
    arrangement,
    (x, y, into) => {
      scan(x, y, into);
      into.b = area.windingEast(x, y);
    },
    (node) => {
      const x = arrangement.nodeX[node];
      const y = arrangement.nodeY[node];
      return x >= box[0] && x <= box[2] && y >= box[1] && y <= box[3];
    },
  );
  return { arrangement, labels };
}

function clipAreas(
  array: GeometryArray,
  i: number,
  box: Box,
  area: AreaIndex,
  builder: GeometryMaker,
): number {
  const near = area.edgesNear(box[0], box[1], box[2], box[3]);
  const { arrangement, labels } = arrange(box, area, near, (into) =>
    addAreaEdges(into, array, i, 1, 0, true),
  );
  // A feature that the border only touches from outside is kept as it was, to the last vertex.
  let insideOnly = true;
  let outsideOnly = true;
  for (let h = 0; h < labels.leftA.length; h++) {
    if (labels.leftA[h] === 0) continue;
    if (labels.leftB[h] !== 0) outsideOnly = false;
    else insideOnly = false;
  }
  if (outsideOnly) return Clipped.Outside;
  if (insideOnly) {
    builder.copy(array, i);
    return Clipped.Whole;
  }
  const parts = traceAreas(arrangement, labels, (a, b) => a !== 0 && b !== 0, builder);
  return parts === 0 ? Clipped.Outside : Clipped.Cut;
}

function clipPaths(
  array: GeometryArray,
  i: number,
  box: Box,
  area: AreaIndex,
  builder: GeometryMaker,
): number {
  const { xy, vertexStart } = array;
  const near = area.edgesNear(box[0], box[1], box[2], box[3]);
  const firstRing = array.ringStart[array.partStart[i]];
  const endRing = array.ringStart[array.partStart[i + 1]];
  const edges: number[] = [];
  const { arrangement, labels } = arrange(box, area, near, (into) => {
    for (let r = firstRing; r < endRing; r++) {
      for (let v = vertexStart[r]; v < vertexStart[r + 1] - 1; v++) {
        edges.push(into.addEdge(xy[2 * v], xy[2 * v + 1], xy[2 * v + 2], xy[2 * v + 3], 0, 0, true));
      }
    }
  });
  // Pieces on the border count as inside: the area is closed.
  const inside = (h: number) => labels.leftB[h] !== 0 || labels.leftB[h ^ 1] !== 0;
  const paths: number[][] = [];
  let kept = 0;
  let dropped = 0;
  let e = 0;
  for (let r = firstRing; r < endRing; r++) {
    let path: number[] | null = null;
    for (let v = vertexStart[r]; v < vertexStart[r + 1] - 1; v++, e++) {
      const trail = edges[e] < 0 ? [] : arrangement.trails.get(edges[e])!;
      for (let t = 0; t < trail.length; t++) {
        const h = trail[t];
        if (!inside(h)) {
          dropped++;
          path = null;
          continue;
        }
        kept++;
        if (path === null) {
          const from = arrangement.origin(h);
          path = [arrangement.nodeX[from], arrangement.nodeY[from]];
          paths.push(path);
        } else if (t > 0) {
          // Inside one edge the nodes passed on the way are no corners of this line.
          path.length -= 2;
        }
        const to = arrangement.target(h);
        if (t === trail.length - 1) path.push(xy[2 * v + 2], xy[2 * v + 3]);
        else path.push(arrangement.nodeX[to], arrangement.nodeY[to]);
      }
    }
  }
  if (kept === 0) return Clipped.Outside;
  if (dropped === 0) {
    builder.copy(array, i);
    return Clipped.Whole;
  }
  builder.feature(paths.length === 1 ? Kind.LineString : Kind.MultiLineString);
  for (const path of paths) {
    builder.part();
    builder.ring();
    builder.run(Float64Array.from(path), 0, path.length / 2);
  }
  return Clipped.Cut;
}
