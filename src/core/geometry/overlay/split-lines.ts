import { type GeometryArray, Kind } from '../geometry-array.ts';
import type { GeometryMaker } from '../geometry-maker.ts';
import { withWorkbench } from './overlay.ts';

/**
 * Cuts the paths of feature i wherever features of another array cross or touch them, or the ends of those lie on them: one
 * feature for each piece. Returns how many; where nothing is cut, as many as there are paths.
 *
 * @param cutters numbers of the features of `by` that may meet it
 */
export function splitLine(
  array: GeometryArray,
  i: number,
  by: GeometryArray,
  cutters: readonly number[],
  builder: GeometryMaker,
): number {
  return withWorkbench(({ chains, noding }) => {
    const paths: [first: number, end: number][] = [];
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        chains.end();
        const first = chains.count;
        chains.addPath(array.xy, array.vertexStart[r], array.vertexStart[r + 1], 0, 0);
        paths.push([first, chains.count]);
      }
    const points: number[] = [];
    const own = chains.count;
    for (const j of cutters)
      for (let p = by.partStart[j]; p < by.partStart[j + 1]; p++)
        for (let r = by.ringStart[p]; r < by.ringStart[p + 1]; r++) {
          if (by.kindOfPart(j, p) === Kind.Point) {
            const v = by.vertexStart[r];
            points.push(chains.nodeAt(by.xy[2 * v], by.xy[2 * v + 1]));
          } else chains.addPath(by.xy, by.vertexStart[r], by.vertexStart[r + 1], 0, 0);
        }
    chains.end();
    if (points.length > 0) noding.passThrough(points);
    noding.run();
    const cuts = new Uint8Array(chains.nodes);
    for (const n of points) cuts[n] = 1;
    /** Pieces that the others run along too: no cut between two of them. */
    const along = new Set<number>();
    const piece = (a: number, b: number) => (a < b ? a * chains.nodes + b : b * chains.nodes + a);
    for (let c = own; c < chains.count; c++)
      for (let k = chains.start[c]; k < chains.start[c + 1]; k++) {
        if (cuts[chains.node[k]] === 0) cuts[chains.node[k]] = 2;
        if (k > chains.start[c]) along.add(piece(chains.node[k - 1], chains.node[k]));
      }
    let made = 0;
    for (const [first, end] of paths) {
      const nodes: number[] = [];
      for (let c = first; c < end; c++)
        for (let k = chains.start[c]; k < chains.start[c + 1]; k++)
          if (nodes[nodes.length - 1] !== chains.node[k]) nodes.push(chains.node[k]);
      let from = 0;
      for (let k = 1; k < nodes.length; k++) {
        const last = k === nodes.length - 1;
        const runsAlong = () =>
          along.has(piece(nodes[k - 1], nodes[k])) && along.has(piece(nodes[k], nodes[k + 1]));
        if (!last && (cuts[nodes[k]] === 0 || (cuts[nodes[k]] === 2 && runsAlong()))) continue;
        builder.feature(Kind.LineString);
        builder.part();
        builder.ring();
        for (let n = from; n <= k; n++) builder.vertex(chains.x[nodes[n]], chains.y[nodes[n]]);
        from = k;
        made++;
      }
    }
    return made;
  });
}
