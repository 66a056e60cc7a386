import { type GeometryArray, Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { traceAreas } from './area-tracing.ts';
import { addAreas, type FillRule, isInside } from './fill-rule.ts';
import { Workbench, withWorkbench } from './overlay.ts';

/** What came of rounding. */
export interface Rounded {
  geometry: GeometryArray;
  /** Vertices that lay off the grid. */
  moved: number;
  /** Vertices that edges got where they pass the cell of another one. */
  added: number;
  /** Features of which nothing is left, of kind None. */
  vanished: number;
}

/**
 * Puts all vertices of all features on a grid of whole multiples of `cell`, together, so that nothing crosses afterwards that did
 * not before: where an edge passes the cell of another vertex, it runs through it (snap rounding: J. D. Hobby 1999). Borders
 * that features share stay the same; areas come out valid.
 */
export function snapRound(array: GeometryArray, cell: number, rule: FillRule = 'non-zero'): Rounded {
  const xy = new Float64Array(array.xy.length);
  let moved = 0;
  // A grid of 0.01 has no exact cell: what is counted in cells is whole, and only the result is multiplied.
  const per = cell < 1 ? Math.round(1 / cell) : 1 / cell;
  const exact = cell < 1 && Math.abs(per * cell - 1) < 1e-12;
  const back = (n: number) => (exact ? n / per : n * cell);
  for (let k = 0; k < xy.length; k++) xy[k] = Math.round(exact ? array.xy[k] * per : array.xy[k] / cell) + 0;
  for (let k = 0; k < xy.length; k += 2)
    if (back(xy[k]) !== array.xy[k] || back(xy[k + 1]) !== array.xy[k + 1]) moved++;
  const cells = array.withXY(xy);
  const noded = nodedTogether(cells);
  const builder = new GeometryMaker(noded.vertexCount);
  let vanished = 0;
  for (let i = 0; i < noded.length; i++) {
    const kind = array.kind[i];
    if (kind !== Kind.Polygon && kind !== Kind.MultiPolygon) {
      if (!copyPaths(noded, i, builder)) vanished++;
      continue;
    }
    const made = withWorkbench((bench) => {
      addAreas(bench.chains, noded, i, 1, 0, rule);
      const { graph, labels } = bench.solve();
      return traceAreas(graph, labels, (winding) => isInside(winding, rule), builder);
    });
    if (made > 0) continue;
    vanished++;
    builder.feature(Kind.None);
  }
  const made = builder.finish();
  for (let k = 0; k < made.xy.length; k++) made.xy[k] = back(made.xy[k]);
  return { geometry: made, moved, added: Math.max(0, noded.vertexCount - array.vertexCount), vanished };
}

/** Lines without repeated vertices; false, and no geometry, when no line of it is left. Points as they are. */
function copyPaths(array: GeometryArray, i: number, builder: GeometryMaker): boolean {
  const mark = builder.mark();
  builder.feature(array.kind[i]);
  let parts = 0;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const kind = array.kindOfPart(i, p);
    const r = array.ringStart[p];
    if (array.vertexStart[r + 1] - array.vertexStart[r] < (kind === Kind.Point ? 1 : 2)) continue;
    builder.part(array.kind[i] === Kind.Collection ? kind : undefined);
    for (let ring = r; ring < array.ringStart[p + 1]; ring++) {
      builder.ring();
      builder.run(array.xy, array.vertexStart[ring], array.vertexStart[ring + 1] - array.vertexStart[ring]);
    }
    parts++;
  }
  if (parts > 0) return true;
  builder.back(mark);
  builder.feature(Kind.None);
  return false;
}

/** All paths and rings with the vertices that they pass, none twice in a row. */
function nodedTogether(array: GeometryArray): GeometryArray {
  const bench = new Workbench();
  const { chains, noding } = bench;
  const rings = array.vertexStart.length - 1;
  const firstChain = new Uint32Array(rings + 1);
  for (let i = 0; i < array.length; i++)
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        chains.end();
        firstChain[r] = chains.count;
        if (array.kindOfPart(i, p) === Kind.Point) continue;
        chains.addPath(array.xy, array.vertexStart[r], array.vertexStart[r + 1], 0, 0);
      }
  chains.end();
  firstChain[rings] = chains.count;
  noding.run(1);
  const builder = new GeometryMaker(array.vertexCount);
  for (let i = 0; i < array.length; i++) {
    builder.feature(array.kind[i]);
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      const kind = array.kindOfPart(i, p);
      builder.part(array.kind[i] === Kind.Collection ? kind : undefined);
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        builder.ring();
        if (kind === Kind.Point) {
          builder.run(array.xy, array.vertexStart[r], array.vertexStart[r + 1] - array.vertexStart[r]);
          continue;
        }
        let last = -1;
        for (let c = firstChain[r]; c < firstChain[r + 1]; c++)
          for (let k = chains.start[c]; k < chains.start[c + 1]; k++) {
            const n = chains.node[k];
            if (n !== last) builder.vertex(chains.x[n], chains.y[n]);
            last = n;
          }
      }
    }
  }
  return builder.finish();
}
