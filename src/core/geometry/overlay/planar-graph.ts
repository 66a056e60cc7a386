import type { Chains } from '../noding/chains.ts';
import { orientation } from '../predicates.ts';

/**
 * The pieces of noded chains as a planar graph. Each two nodes that pieces join are one piece, with the contributions
 * of all of them; what cancels out is left out. Half-edge 2p runs along piece p from its lower to its higher node
 * number, 2p + 1 against it.
 */
export class PlanarGraph {
  readonly chains: Chains;
  pieces = 0;
  /** Nodes of each piece: from < to. */
  readonly from: Uint32Array;
  readonly to: Uint32Array;
  /** Winding contributions in the direction from → to. */
  readonly windA: Int32Array;
  readonly windB: Int32Array;
  /** The half-edge that runs from each position of the chains to the next one; −1 where there is none. */
  readonly halfEdgeAt: Int32Array;
  /** Half-edges around their origin, by angle from east, counter-clockwise: those of node n are `around[start[n] …]`. */
  readonly start: Uint32Array;
  readonly around: Uint32Array;
  /** Where each half-edge stands in `around`. */
  readonly place: Uint32Array;

  /** @param lines keeps pieces whose contributions cancel out, and those of lines that never had any */
  constructor(chains: Chains, lines = false) {
    this.chains = chains;
    const { nodes, count, positions } = chains;
    const most = positions - count;
    this.from = new Uint32Array(most);
    this.to = new Uint32Array(most);
    this.windA = new Int32Array(most);
    this.windB = new Int32Array(most);
    this.halfEdgeAt = new Int32Array(positions).fill(-1);
    this.makePieces(lines);
    this.start = new Uint32Array(nodes + 1);
    this.around = new Uint32Array(2 * this.pieces);
    this.place = new Uint32Array(2 * this.pieces);
    this.order();
  }

  private makePieces(lines: boolean): void {
    const { chains, from, to, windA, windB, halfEdgeAt } = this;
    const { start, node, count, nodes } = chains;
    const first = new Uint32Array(nodes + 1);
    for (let c = 0; c < count; c++)
      for (let p = start[c]; p < start[c + 1] - 1; p++) first[Math.min(node[p], node[p + 1]) + 1]++;
    for (let n = 0; n < nodes; n++) first[n + 1] += first[n];
    const bucket = new Uint32Array(first[nodes]);
    const chainOf = new Uint32Array(first[nodes]);
    for (let c = 0; c < count; c++)
      for (let p = start[c]; p < start[c + 1] - 1; p++) {
        const at = first[Math.min(node[p], node[p + 1])]++;
        bucket[at] = p;
        chainOf[at] = c;
      }
    // Each `first` has moved on to the end of its bucket.
    let begin = 0;
    for (let u = 0; u < nodes; u++) {
      const end = first[u];
      const own = this.pieces;
      const higher = (p: number) => (node[p] === u ? node[p + 1] : node[p]);
      // Where many meet, the same other node stands side by side, and only the last piece needs a look.
      const sorted = end - begin > 12;
      const order = sorted
        ? Array.from({ length: end - begin }, (_, k) => begin + k).sort(
            (k, l) => higher(bucket[k]) - higher(bucket[l]),
          )
        : null;
      for (let k = begin; k < end; k++) {
        const at = order === null ? k : order[k - begin];
        const p = bucket[at];
        const v = node[p] === u ? node[p + 1] : node[p];
        const sign = node[p] === u ? 1 : -1;
        let piece = this.pieces - 1;
        if (sorted) {
          if (piece >= own && to[piece] !== v) piece = own - 1;
        } else while (piece >= own && to[piece] !== v) piece--;
        if (piece < own) {
          piece = this.pieces++;
          from[piece] = u;
          to[piece] = v;
          windA[piece] = 0;
          windB[piece] = 0;
        }
        windA[piece] += sign * chains.windA[chainOf[at]];
        windB[piece] += sign * chains.windB[chainOf[at]];
        halfEdgeAt[p] = 2 * piece + (sign > 0 ? 0 : 1);
      }
      if (!lines) this.dropCancelled(own, bucket, begin, end);
      begin = end;
    }
  }

  private dropCancelled(own: number, bucket: Uint32Array, begin: number, end: number): void {
    const { from, to, windA, windB, halfEdgeAt } = this;
    let cancelled = false;
    for (let piece = own; piece < this.pieces; piece++)
      if (windA[piece] === 0 && windB[piece] === 0) cancelled = true;
    if (!cancelled) return;
    const moved = new Int32Array(this.pieces - own);
    let kept = own;
    for (let piece = own; piece < this.pieces; piece++) {
      if (windA[piece] === 0 && windB[piece] === 0) {
        moved[piece - own] = -1;
        continue;
      }
      moved[piece - own] = kept;
      from[kept] = from[piece];
      to[kept] = to[piece];
      windA[kept] = windA[piece];
      windB[kept] = windB[piece];
      kept++;
    }
    this.pieces = kept;
    for (let k = begin; k < end; k++) {
      const h = halfEdgeAt[bucket[k]];
      const piece = moved[(h >> 1) - own];
      halfEdgeAt[bucket[k]] = piece < 0 ? -1 : 2 * piece + (h & 1);
    }
  }

  private order(): void {
    const { start, around, place, from, to, pieces } = this;
    const { nodes } = this.chains;
    for (let piece = 0; piece < pieces; piece++) {
      start[from[piece] + 1]++;
      start[to[piece] + 1]++;
    }
    for (let n = 0; n < nodes; n++) start[n + 1] += start[n];
    // `place` serves as the ends filled so far until it takes its own values.
    const filled = start.slice(0, nodes);
    for (let h = 0; h < 2 * pieces; h++) around[filled[this.origin(h)]++] = h;
    for (let n = 0; n < nodes; n++) {
      const first = start[n];
      const end = start[n + 1];
      if (end - first > 24) around.set(Array.from(around.subarray(first, end)).sort(this.byAngle), first);
      else
        for (let s = first + 1; s < end; s++) {
          const h = around[s];
          let t = s - 1;
          while (t >= first && this.byAngle(around[t], h) > 0) {
            around[t + 1] = around[t];
            t--;
          }
          around[t + 1] = h;
        }
      for (let s = first; s < end; s++) place[around[s]] = s;
    }
  }

  /** Node that half-edge h leaves from. */
  origin(h: number): number {
    return (h & 1) === 0 ? this.from[h >> 1] : this.to[h >> 1];
  }

  /** Node that half-edge h leads to. */
  target(h: number): number {
    return (h & 1) === 0 ? this.to[h >> 1] : this.from[h >> 1];
  }

  /** Is the angle of the way u → v in [0, π)? */
  private isUpper(u: number, v: number): boolean {
    const { x, y } = this.chains;
    return y[v] > y[u] || (y[v] === y[u] && x[v] > x[u]);
  }

  /** Order of two half-edges of one origin by angle in [0, 2π), exact. */
  private readonly byAngle = (g: number, h: number): number => {
    const n = this.origin(g);
    const p = this.target(g);
    const q = this.target(h);
    const upperP = this.isUpper(n, p);
    if (upperP !== this.isUpper(n, q)) return upperP ? -1 : 1;
    const { x, y } = this.chains;
    return -orientation(x[n], y[n], x[p], y[p], x[q], y[q]);
  };

  /** Does the half-edge leave exactly eastwards? */
  pointsEast(h: number): boolean {
    const { x, y } = this.chains;
    const u = this.origin(h);
    const v = this.target(h);
    return y[u] === y[v] && x[v] > x[u];
  }
}
