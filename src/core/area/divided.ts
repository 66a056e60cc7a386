import type { GeometryArray } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';

/** Pieces of one edge, at most. */
export const mostPieces = 4096;

/**
 * The same geometries with their edges divided into so many equal pieces each.
 *
 * @param piecesOf how many pieces the edge from a to b is wanted in; at least 1 and at most 4096 are made
 */
export function dividedEdges(
  array: GeometryArray,
  piecesOf: (ax: number, ay: number, bx: number, by: number) => number,
): GeometryArray {
  const maker = new GeometryMaker(array.vertexCount);
  const { xy } = array;
  for (let i = 0; i < array.length; i++) {
    maker.feature(array.kind[i]);
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      maker.part();
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        maker.ring();
        const end = array.vertexStart[r + 1];
        for (let v = array.vertexStart[r]; v < end; v++) {
          const [ax, ay, bx, by] = xy.subarray(2 * v, 2 * v + 4);
          maker.vertex(ax, ay);
          if (v + 1 === end) continue;
          const pieces = Math.min(mostPieces, Math.max(1, piecesOf(ax, ay, bx, by)));
          // From its lesser end, so that neighbours that share it get the same vertices.
          const forward = ax < bx || (ax === bx && ay < by);
          for (let n = 1; n < pieces; n++) {
            const k = forward ? n / pieces : (pieces - n) / pieces;
            if (forward) maker.vertex(ax + (bx - ax) * k, ay + (by - ay) * k);
            else maker.vertex(bx + (ax - bx) * k, by + (ay - by) * k);
          }
        }
      }
    }
  }
  return maker.finish();
}
