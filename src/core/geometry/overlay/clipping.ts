import { type Box, type GeometryArray, Kind } from '../geometry-array.ts';
import type { GeometryMaker } from '../geometry-maker.ts';
import { usable } from '../predicates.ts';
import { type AreaIndex, Where } from './area-index.ts';
import { traceAreas } from './area-tracing.ts';
import { type FaceLabels, labelFaces, labelNear } from './face-labels.ts';
import { addAreas, type FillRule, isInside, ruleMatters } from './fill-rule.ts';
import { type Workbench, withWorkbench } from './overlay.ts';
import { PlanarGraph } from './planar-graph.ts';

/** What became of a feature. */
export const Clipped = { Outside: 0, Whole: 1, Cut: 2, Undecided: 3 } as const;

/**
 * Settles feature i without overlay where its box allows it: Outside, Whole, or Undecided (it may meet the border).
 * `box` is the feature's.
 */
export function settleByBox(area: AreaIndex, box: Box): number {
  flat.set(box);
  return settleBox(area, flat);
}

const flat = new Float64Array(4);

/** The same for a box in a typed array: numbers in it need no memory of their own, where millions are looked at. */
export function settleBox(area: AreaIndex, box: Float64Array): number {
  const where = area.whereBox(box);
  if (where === Where.Outside) return Clipped.Outside;
  if (where === Where.Inside) return Clipped.Whole;
  if (area.isNearEdge(box[0], box[1], box[2], box[3])) return Clipped.Undecided;
  return area.locate(box[0], box[1]) > 0 ? Clipped.Whole : Clipped.Outside;
}

/** How `clipFeature` reads areas, and what it tells. */
export interface ClipFeatureOptions {
  /** What the rings of the feature enclose; `non-zero` where nothing is said. */
  rule?: FillRule;
  /** Keeps what lies outside the area instead of what lies inside. */
  outside?: boolean;
  /** Called when the result depends on the rule: the feature is invalid. */
  onRule?(): void;
}

/**
 * Cuts feature i to the area and appends what is left (nothing when it is Outside). For features that are Undecided.
 * With `outside`, what lies in the area is cut away instead, and the verdicts are about what lies outside it.
 */
export function clipFeature(
  array: GeometryArray,
  i: number,
  given: Box,
  area: AreaIndex,
  builder: GeometryMaker,
  options: ClipFeatureOptions = {},
): number {
  // As the arrangement takes its coordinates: a corner at 5·10⁻³²⁴ becomes 0, and must not lie outside its own box.
  const box = given.map(usable) as Box;
  switch (array.kind[i]) {
    case Kind.Point:
    case Kind.MultiPoint:
      // The area is closed: its border belongs to it.
      return cutPoints(array, i, (x, y) => area.locate(x, y) < 0 === (options.outside === true), builder);
    case Kind.LineString:
    case Kind.MultiLineString:
      return cutPaths(array, i, near(array, i, box, area), builder, options.outside === true);
    case Kind.Polygon:
    case Kind.MultiPolygon:
      return cutAreas(array, i, near(array, i, box, area), builder, options);
    default:
      return Clipped.Outside;
  }
}

/** Keeps those points of feature i for which `keeps` says so, and appends them. */
export function cutPoints(
  array: GeometryArray,
  i: number,
  keeps: (x: number, y: number) => boolean,
  builder: GeometryMaker,
): number {
  const kept: number[] = [];
  for (let v = array.firstVertex(i); v < array.endVertex(i); v++)
    if (keeps(array.xy[2 * v], array.xy[2 * v + 1])) kept.push(v);
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

/** The borders of an area near feature i, to be arranged with it. */
function near(array: GeometryArray, i: number, box: Box, area: AreaIndex): Arrange {
  const rings = array.ringStart[array.partStart[i + 1]] - array.ringStart[array.partStart[i]];
  return (bench, lines) => arrangeNear(bench, rings, box, area, lines);
}

/**
 * The feature's chains and the area's edges, noded and labelled. Where few of the area's edges are near the feature's
 * box, only those are taken in: labels of the area then spread only at nodes in the box, where none is missing.
 */
function arrangeNear(
  bench: Workbench,
  rings: number,
  box: Box,
  area: AreaIndex,
  lines: boolean,
): { graph: PlanarGraph; labels: FaceLabels } {
  const { chains, noding } = bench;
  const { ends } = area;
  const edges = ends.length / 4;
  const near = area.edgesNear(box[0], box[1], box[2], box[3]);
  // Each part of the feature is located by a look at all that is near.
  const all = 2 * near.length > edges || rings * near.length > 4 * (edges + chains.positions);
  if (all) {
    const { geometry } = area;
    const end = geometry.ringStart[geometry.partStart[1]];
    for (let r = 0; r < end; r++)
      chains.addPath(geometry.xy, geometry.vertexStart[r], geometry.vertexStart[r + 1], 0, 1);
  } else
    for (const e of near) {
      chains.begin(0, 1);
      chains.to(ends[4 * e], ends[4 * e + 1]);
      chains.to(ends[4 * e + 2], ends[4 * e + 3]);
      chains.end();
    }
  noding.run();
  const graph = new PlanarGraph(chains, lines);
  const labels = labelFaces(graph, noding.boxTree);
  if (all) return { graph, labels };
  const { x, y } = chains;
  labelNear(
    graph,
    labels,
    (px, py) => area.windingFrom(px, py, box),
    (node) => x[node] >= box[0] && x[node] <= box[2] && y[node] >= box[1] && y[node] <= box[3],
  );
  return { graph, labels };
}

/** Adds the borders of an area to what is on the bench, nodes all of it and labels it: operand B. */
type Arrange = (bench: Workbench, lines: boolean) => { graph: PlanarGraph; labels: FaceLabels };

/** Cuts the areas of feature i at borders that `arrange` brings in. */
export function cutAreas(
  array: GeometryArray,
  i: number,
  arrange: Arrange,
  builder: GeometryMaker,
  { rule = 'non-zero', outside = false, onRule }: ClipFeatureOptions,
): number {
  return withWorkbench((bench) => {
    addAreas(bench.chains, array, i, 1, 0, rule);
    const { graph, labels } = arrange(bench, false);
    if (onRule !== undefined && ruleMatters(labels.a)) onRule();
    // A feature that the border only touches is kept as it was, to the last vertex.
    let all = true;
    let none = true;
    for (let h = 0; h < labels.a.length; h++) {
      if (!isInside(labels.a[h], rule)) continue;
      if ((labels.b[h] !== 0) === outside) all = false;
      else none = false;
    }
    if (none) return Clipped.Outside;
    if (all) {
      builder.copy(array, i);
      return Clipped.Whole;
    }
    const keep = (a: number, b: number) => isInside(a, rule) && (b === 0) === outside;
    return traceAreas(graph, labels, keep, builder) === 0 ? Clipped.Outside : Clipped.Cut;
  });
}

/** Cuts the paths of feature i at borders that `arrange` brings in. */
export function cutPaths(
  array: GeometryArray,
  i: number,
  arrange: Arrange,
  builder: GeometryMaker,
  outside: boolean,
): number {
  const { xy, vertexStart } = array;
  const firstRing = array.ringStart[array.partStart[i]];
  const endRing = array.ringStart[array.partStart[i + 1]];
  return withWorkbench((bench) => {
    const { chains } = bench;
    /** First chain of each path. */
    const chainOf: number[] = [];
    for (let r = firstRing; r < endRing; r++) {
      chainOf.push(chains.count);
      chains.addPath(xy, vertexStart[r], vertexStart[r + 1], 0, 0);
    }
    chainOf.push(chains.count);
    const { graph, labels } = arrange(bench, true);
    // Pieces on the border count as inside: the area is closed.
    const keeps = (h: number) => (labels.b[h] === 0 && labels.b[h ^ 1] === 0) === outside;
    const paths: number[][] = [];
    let dropped = 0;
    for (let r = firstRing; r < endRing; r++)
      dropped += keptStretches(
        bench,
        graph,
        chainOf[r - firstRing],
        chainOf[r - firstRing + 1],
        xy,
        vertexStart[r],
        keeps,
        paths,
      );
    if (paths.length === 0) return Clipped.Outside;
    if (dropped === 0) {
      builder.copy(array, i);
      return Clipped.Whole;
    }
    builder.feature(paths.length === 1 ? Kind.LineString : Kind.MultiLineString);
    for (const path of paths) {
      builder.part();
      builder.ring();
      for (let k = 0; k < path.length; k += 2) builder.vertex(path[k], path[k + 1]);
    }
    return Clipped.Cut;
  });
}

/** Walks along the chains of a path and collects the stretches that stay. Returns the number of pieces that do not. */
function keptStretches(
  { chains }: Workbench,
  graph: PlanarGraph,
  firstChain: number,
  endChain: number,
  xy: Float64Array,
  firstVertex: number,
  keeps: (h: number) => boolean,
  paths: number[][],
): number {
  const { x, y, node, start } = chains;
  let dropped = 0;
  let path: number[] | null = null;
  // The path's own vertex that comes next: nodes in between are no corners of it.
  let vertex = firstVertex;
  let isCorner = true;
  const own = (n: number) => usable(xy[2 * vertex]) === x[n] && usable(xy[2 * vertex + 1]) === y[n];
  for (let c = firstChain; c < endChain; c++) {
    for (let p = start[c]; p < start[c + 1] - 1; p++) {
      const u = node[p];
      const v = node[p + 1];
      while (own(u)) {
        vertex++;
        isCorner = true;
      }
      if (!keeps(graph.halfEdgeAt[p])) {
        dropped++;
        path = null;
        isCorner = false;
        continue;
      }
      if (path === null) {
        path = [x[u], y[u]];
        paths.push(path);
      } else if (!isCorner) path.length -= 2;
      path.push(x[v], y[v]);
      isCorner = false;
    }
  }
  return dropped;
}
