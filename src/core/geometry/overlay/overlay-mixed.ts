import { type GeometryArray, Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { NearestBelow } from '../noding/nearest-below.ts';
import { connectPaths } from '../shape/connect.ts';
import { traceAreas } from './area-tracing.ts';
import { exterior, Locations, Operand } from './operand.ts';
import { type OverlayOperation, operations, withWorkbench } from './overlay.ts';
import type { PlanarGraph } from './planar-graph.ts';

/**
 * Feature i of `a` combined with feature j of `b`, points, lines and areas in every mixture, appended to `builder` as one feature: a
 * collection where parts are of different kinds. Point sets are closed: borders belong to areas, ends to lines; so two squares
 * side by side have their border in common, and a line loses to a difference what an area's border covers. What a part
 * of higher dimension covers is not said again by one of lower. Lines come noded, joined where two meet. Areas by the non-zero rule.
 *
 * @returns the number of parts; 0 when nothing is left, and then no feature is appended
 */
export function overlayGeometries(
  operation: OverlayOperation,
  a: GeometryArray,
  i: number,
  b: GeometryArray,
  j: number,
  builder: GeometryMaker,
): number {
  const combine = operations[operation];
  return withWorkbench((bench) => {
    const one = new Operand(a, i);
    const other = new Operand(b, j);
    one.add(bench, 1, 0);
    other.add(bench, 0, 1);
    bench.noding.passThrough([...one.points, ...other.points]);
    const { graph, labels } = bench.solve(true);
    const { chains } = bench;
    const inA = new Locations(graph, labels.a, one);
    const inB = new Locations(graph, labels.b, other);
    const keepFace = (wa: number, wb: number) => combine(wa !== 0, wb !== 0);
    const faceStays = (h: number) => keepFace(labels.a[h], labels.b[h]);
    const areas = new GeometryMaker();
    traceAreas(graph, labels, keepFace, areas);
    const against = new Uint8Array(graph.pieces);
    for (const operand of [other, one]) markDirections(graph, operand, against);
    const pieceStays = new Uint8Array(graph.pieces);
    const lines = new GeometryMaker();
    for (let p = 0; p < graph.pieces; p++) {
      const stays = combine(inA.piece(p) !== exterior, inB.piece(p) !== exterior);
      if (!stays || faceStays(2 * p) || faceStays(2 * p + 1)) continue;
      pieceStays[p] = 1;
      lines.feature(Kind.LineString);
      lines.part();
      lines.ring();
      for (const n of against[p] === 1 ? [graph.to[p], graph.from[p]] : [graph.from[p], graph.to[p]])
        lines.vertex(chains.x[n], chains.y[n]);
    }
    const points = new GeometryMaker();
    const below = new NearestBelow(
      chains,
      bench.noding.boxTree,
      (position) => graph.halfEdgeAt[position] < 0,
    );
    const lone = new Set([...one.points, ...other.points]);
    for (let n = 0; n < chains.nodes; n++) {
      const [first, end] = [graph.start[n], graph.start[n + 1]];
      if (first === end && !lone.has(n)) continue;
      let under = -1;
      if (first === end) {
        const position = below.find(chains.x[n], chains.y[n]);
        if (position >= 0) under = graph.halfEdgeAt[position] ^ (below.forward ? 0 : 1);
      }
      const around = (windings: Int32Array) => (under < 0 ? 0 : windings[under]);
      if (!combine(inA.node(n, around) !== exterior, inB.node(n, around) !== exterior)) continue;
      let covered = under >= 0 && faceStays(under);
      for (let s = first; s < end && !covered; s++) {
        const h = graph.around[s];
        covered = pieceStays[h >> 1] === 1 || faceStays(h) || faceStays(h ^ 1);
      }
      if (covered) continue;
      points.feature(Kind.Point);
      points.part();
      points.ring();
      points.vertex(chains.x[n], chains.y[n]);
    }
    return gather(areas, lines, points, builder);
  });
}

/** 1 for pieces that a path of an operand runs against: lines keep the way that they were written. */
function markDirections({ chains, halfEdgeAt }: PlanarGraph, { paths }: Operand, against: Uint8Array): void {
  for (let k = 0; k < paths.length; k += 2)
    for (let c = paths[k]; c < paths[k + 1]; c++)
      for (let p = chains.start[c]; p < chains.start[c + 1] - 1; p++)
        if (halfEdgeAt[p] >= 0) against[halfEdgeAt[p] >> 1] = halfEdgeAt[p] & 1;
}

/** All parts as one feature, areas first. */
function gather(
  areas: GeometryMaker,
  pieces: GeometryMaker,
  points: GeometryMaker,
  builder: GeometryMaker,
): number {
  const lines = new GeometryMaker();
  if (pieces.features > 0)
    connectPaths(
      pieces.finish(),
      () => 0,
      lines,
      () => {},
    );
  const all = [areas, lines, points].filter(({ features }) => features > 0).map((each) => each.finish());
  if (all.length === 0) return 0;
  const parts = all.reduce((sum, each) => sum + each.partStart[each.length], 0);
  const kind = all[0].kindOfPart(0, 0);
  builder.feature(all.length > 1 ? Kind.Collection : parts === 1 ? kind : kind + 3);
  for (const each of all)
    for (let k = 0; k < each.length; k++)
      for (let p = each.partStart[k]; p < each.partStart[k + 1]; p++) {
        builder.part(all.length > 1 ? each.kindOfPart(k, p) : undefined);
        for (let r = each.ringStart[p]; r < each.ringStart[p + 1]; r++) {
          builder.ring();
          builder.run(each.xy, each.vertexStart[r], each.vertexStart[r + 1] - each.vertexStart[r]);
        }
      }
  return parts;
}
