import { type GeometryArray, Kind } from '../geometry-array.ts';
import type { GeometryMaker } from '../geometry-maker.ts';
import type { Ruler } from '../ruler.ts';

/** Vertices that one edge gets, at most. */
const mostOnEdge = 1_000_000;

/**
 * Appends feature i with so many more vertices that no edge is longer than `metres`; returns how many. Edges are divided evenly,
 * from their lesser end, so that neighbours that share one get the same vertices. Heights and measures are divided along.
 */
export function densifyFeature(
  array: GeometryArray,
  i: number,
  metres: number,
  ruler: Ruler,
  builder: GeometryMaker,
): number {
  const { xy, z, m } = array;
  let added = 0;
  const put = (v: number, w: number, share: number, x: number, y: number) => {
    builder.vertex(x, y);
    if (z !== null) builder.height(z[v] + (z[w] - z[v]) * share);
    if (m !== null) builder.measure(m[v] + (m[w] - m[v]) * share);
  };
  builder.feature(array.kind[i]);
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const kind = array.kindOfPart(i, p);
    builder.part(array.kind[i] === Kind.Collection ? kind : undefined);
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
      builder.ring();
      const end = array.vertexStart[r + 1];
      for (let v = array.vertexStart[r]; v < end; v++) {
        put(v, v, 0, xy[2 * v], xy[2 * v + 1]);
        if (v + 1 === end) continue;
        const [ax, ay, bx, by] = xy.subarray(2 * v, 2 * v + 4);
        const length = ruler.distance(ax, ay, bx, by);
        const pieces = Math.min(mostOnEdge, Math.ceil((length / metres) * (1 - 1e-12)));
        const forward = ax < bx || (ax === bx && ay < by);
        for (let k = 1; k < pieces; k++) {
          const share = forward ? k / pieces : (pieces - k) / pieces;
          const x = forward ? ax + (bx - ax) * share : bx + (ax - bx) * share;
          const y = forward ? ay + (by - ay) * share : by + (ay - by) * share;
          put(v, v + 1, k / pieces, x, y);
          added++;
        }
      }
    }
  }
  return added;
}
