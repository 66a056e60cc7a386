import type { Arrangement } from './arrangement.ts';
import { orientation } from './predicates.ts';

/** Winding numbers of the two operands; written by a locator. */
export interface Winding {
  a: number;
  b: number;
}

/**
 * Winding numbers at a point that lies an infinitesimal step from (x, y) in the direction just above east.
 * Edges through (x, y) itself do not count: they are left of or below that point.
 */
export type Locator = (x: number, y: number, into: Winding) => void;

const unknown = -0x7fffffff;

/** The winding numbers to the left of every half-edge of an arrangement (right: those of its twin, h ^ 1). */
export interface Labels {
  leftA: Int32Array;
  leftB: Int32Array;
  /** Half-edges around their origin: those of node n are `around[start[n] … start[n + 1]]`, by angle. */
  start: Uint32Array;
  around: Uint32Array;
}

/**
 * Labels all faces. Labels spread over the pieces of a connected component from one of its vertices, where a locator
 * says them; crossing a piece changes them by its contributions.
 *
 * @param complete says whether all pieces that meet at a node are in the arrangement; labels do not spread elsewhere
 */
export function label(
  arrangement: Arrangement,
  locate: Locator,
  complete: (node: number) => boolean,
): Labels {
  const pieces = arrangement.pieceFrom.length;
  const nodes = arrangement.nodeX.length;
  const start = new Uint32Array(nodes + 1);
  for (let h = 0; h < 2 * pieces; h++) start[arrangement.origin(h) + 1]++;
  for (let n = 0; n < nodes; n++) start[n + 1] += start[n];
  const around = new Uint32Array(2 * pieces);
  const filled = start.slice(0, nodes);
  for (let h = 0; h < 2 * pieces; h++) around[filled[arrangement.origin(h)]++] = h;
  const place = new Uint32Array(2 * pieces);
  const compare = (g: number, h: number) => arrangement.compareAngles(g, h);
  for (let n = 0; n < nodes; n++) {
    if (start[n + 1] - start[n] > 1) {
      const sorted = Array.from(around.subarray(start[n], start[n + 1])).sort(compare);
      around.set(sorted, start[n]);
    }
    for (let s = start[n]; s < start[n + 1]; s++) place[around[s]] = s;
  }
  const leftA = new Int32Array(2 * pieces).fill(unknown);
  const leftB = new Int32Array(2 * pieces).fill(unknown);
  const seen = new Uint8Array(nodes);
  const stack: number[] = [];

  /** Spreads around node n, given the winding numbers left of the half-edge at place `from`. */
  const spread = (n: number, from: number, a: number, b: number): void => {
    seen[n] = 1;
    const first = start[n];
    const degree = start[n + 1] - first;
    for (let step = 0; step < degree; step++) {
      const h = around[first + ((from - first + step) % degree)];
      const sign = (h & 1) === 0 ? 1 : -1;
      const piece = h >> 1;
      if (step > 0) {
        // Turning left across h: from its right side to its left side.
        a += sign * arrangement.pieceA[piece];
        b += sign * arrangement.pieceB[piece];
      }
      leftA[h] = a;
      leftB[h] = b;
      leftA[h ^ 1] = a - sign * arrangement.pieceA[piece];
      leftB[h ^ 1] = b - sign * arrangement.pieceB[piece];
      const target = arrangement.target(h);
      if (seen[target] === 0 && complete(target)) {
        seen[target] = 2;
        stack.push(h ^ 1);
      }
    }
  };

  const winding: Winding = { a: 0, b: 0 };
  for (let n = 0; n < arrangement.vertexCount; n++) {
    if (seen[n] !== 0 || start[n] === start[n + 1] || !complete(n)) continue;
    locate(arrangement.nodeX[n], arrangement.nodeY[n], winding);
    // The face just above east lies left of the half-edge at angle 0, else left of the one with the greatest angle.
    const east = arrangement.pointsEast(around[start[n]]);
    spread(n, east ? start[n] : start[n + 1] - 1, winding.a, winding.b);
    while (stack.length > 0) {
      const h = stack.pop()!;
      const node = arrangement.origin(h);
      if (seen[node] === 1) continue;
      spread(node, place[h], leftA[h], leftB[h]);
    }
  }
  for (let h = 0; h < 2 * pieces; h++) {
    if (leftA[h] === unknown) {
      leftA[h] = 0;
      leftB[h] = 0;
    }
  }
  return { leftA, leftB, start, around };
}

/** +1, −1 or 0: what the edge a → b adds to the winding number just above east of (x, y). */
export function windingOf(x: number, y: number, ax: number, ay: number, bx: number, by: number): number {
  if (ay <= y === by <= y) return 0;
  if (ax < x && bx < x) return 0;
  const turn = orientation(ax, ay, bx, by, x, y);
  if (by > ay) return turn > 0 ? 1 : 0;
  return turn < 0 ? -1 : 0;
}

/** A locator that looks at every edge of the arrangement; for small ones, and for operand A of a clip. */
export function locateByScan(arrangement: Arrangement): Locator {
  const { ends, windA, windB, edgeCount } = arrangement;
  return (x, y, into) => {
    let a = 0;
    let b = 0;
    for (let e = 0, k = 0; e < edgeCount; e++, k += 4) {
      if (windA[e] === 0 && windB[e] === 0) continue;
      const w = windingOf(x, y, ends[k], ends[k + 1], ends[k + 2], ends[k + 3]);
      a += w * windA[e];
      b += w * windB[e];
    }
    into.a = a;
    into.b = b;
  };
}
