import Flatbush from 'flatbush';
import { IsomericError } from '../errors.ts';
import { crossingPoint, type RationalPoint, rationalCrossing } from './crossing.ts';
import { leastExponent, scaledInteger, turnSign } from './predicates.ts';
import { Meeting, meetingOf } from './segment-meeting.ts';

/** Above this many edges an index finds the pairs that may meet; below it a plain double loop is faster. */
const indexFrom = 160;

/**
 * The exact arrangement of line segments: every segment is cut at every point where it meets another, and what
 * remains are pieces that meet at nodes only. Which pieces and nodes there are, and in which order pieces leave a
 * node, is decided exactly (adaptive predicates, whole numbers of any length where doubles do not suffice); only the
 * coordinates of crossings are rounded, once, at the end. So the topology can never contradict itself.
 *
 * Each edge carries two winding contributions `(a, b)`: how much the winding number of operand A (B) is greater on
 * its left side than on its right side. Pieces that coincide are merged and their contributions added.
 */
export class Arrangement {
  // Edges, as added.
  edgeCount = 0;
  readonly ends: number[] = []; // ax, ay, bx, by of each edge
  readonly windA: number[] = [];
  readonly windB: number[] = [];
  // Nodes: first the vertices, then the crossings.
  nodeX: number[] = [];
  nodeY: number[] = [];
  /** Edges that a crossing node came from; −1 for vertices. */
  private nodeEdge1: number[] = [];
  private nodeEdge2: number[] = [];
  /** How far the rounded coordinates of a node may lie from the true ones; 0 for vertices. */
  private nodeError: number[] = [];
  private nodeUnion: number[] = [];
  vertexCount = 0;
  private edgeFrom: number[] = [];
  private edgeTo: number[] = [];
  // Pieces: node pair (from < to), contributions in that direction, an edge that lies along it.
  pieceFrom: number[] = [];
  pieceTo: number[] = [];
  pieceA: number[] = [];
  pieceB: number[] = [];
  /** The edge along which the piece lies; its direction from→to is the edge's own when `pieceForward` is 1. */
  pieceEdge: number[] = [];
  pieceForward: number[] = [];
  /** For edges that asked for it: the half-edges (2·piece, +1 when against the piece) in their order along the edge. */
  readonly trails = new Map<number, number[]>();
  private followed = new Set<number>();
  private shift: number | null = null;
  /** Where the last crossing was. */
  private readonly point = new Float64Array(2);
  private splits: (number[] | null)[] = [];
  private vertexIds = new Map<number, Map<number, number>>();

  /** Adds a segment; zero-length ones are passed over. Returns its number, or −1. */
  addEdge(ax: number, ay: number, bx: number, by: number, a: number, b: number, follow = false): number {
    ax = usable(ax);
    ay = usable(ay);
    bx = usable(bx);
    by = usable(by);
    if (ax === bx && ay === by) return -1;
    this.ends.push(ax, ay, bx, by);
    this.windA.push(a);
    this.windB.push(b);
    if (follow) this.followed.add(this.edgeCount);
    return this.edgeCount++;
  }

  private vertex(x: number, y: number): number {
    let column = this.vertexIds.get(x);
    if (column === undefined) {
      column = new Map();
      this.vertexIds.set(x, column);
    }
    let id = column.get(y);
    if (id === undefined) {
      id = this.nodeX.length;
      column.set(y, id);
      this.nodeX.push(x);
      this.nodeY.push(y);
      this.nodeEdge1.push(-1);
      this.nodeEdge2.push(-1);
      this.nodeError.push(0);
      this.nodeUnion.push(id);
    }
    return id;
  }

  /** Finds all meetings and makes the pieces. */
  cut(): void {
    const { ends, edgeCount } = this;
    for (let e = 0; e < edgeCount; e++) {
      this.edgeFrom.push(this.vertex(ends[4 * e], ends[4 * e + 1]));
      this.edgeTo.push(this.vertex(ends[4 * e + 2], ends[4 * e + 3]));
      this.splits.push(null);
    }
    this.vertexCount = this.nodeX.length;
    if (edgeCount < indexFrom) this.pairsByLoop();
    else this.pairsByIndex();
    for (let e = 0; e < edgeCount; e++) if (this.splits[e] !== null) this.orderSplits(e);
    this.makePieces();
  }

  private pairsByLoop(): void {
    const { ends, edgeCount } = this;
    for (let i = 0; i < edgeCount; i++) {
      const k = 4 * i;
      const x0 = Math.min(ends[k], ends[k + 2]);
      const x1 = Math.max(ends[k], ends[k + 2]);
      const y0 = Math.min(ends[k + 1], ends[k + 3]);
      const y1 = Math.max(ends[k + 1], ends[k + 3]);
      for (let j = i + 1; j < edgeCount; j++) {
        const l = 4 * j;
        if (ends[l] > x1 && ends[l + 2] > x1) continue;
        if (ends[l] < x0 && ends[l + 2] < x0) continue;
        if (ends[l + 1] > y1 && ends[l + 3] > y1) continue;
        if (ends[l + 1] < y0 && ends[l + 3] < y0) continue;
        this.meet(i, j);
      }
    }
  }

  private pairsByIndex(): void {
    const { ends, edgeCount } = this;
    const index = new Flatbush(edgeCount);
    for (let k = 0; k < 4 * edgeCount; k += 4) {
      index.add(
        Math.min(ends[k], ends[k + 2]),
        Math.min(ends[k + 1], ends[k + 3]),
        Math.max(ends[k], ends[k + 2]),
        Math.max(ends[k + 1], ends[k + 3]),
      );
    }
    index.finish();
    for (let i = 0; i < edgeCount; i++) {
      const k = 4 * i;
      index.search(
        Math.min(ends[k], ends[k + 2]),
        Math.min(ends[k + 1], ends[k + 3]),
        Math.max(ends[k], ends[k + 2]),
        Math.max(ends[k + 1], ends[k + 3]),
        (j) => {
          if (j > i) this.meet(i, j);
          return false;
        },
      );
    }
  }

  private split(edge: number, node: number): void {
    if (node === this.edgeFrom[edge] || node === this.edgeTo[edge]) return;
    const list = this.splits[edge];
    if (list === null) this.splits[edge] = [node];
    else list.push(node);
  }

  /** Records where edges i and j, whose boxes meet, meet themselves. */
  private meet(i: number, j: number): void {
    const { ends } = this;
    const k = 4 * i;
    const l = 4 * j;
    const how = meetingOf(ends, k, l);
    if (how === Meeting.None) return;
    if (how === Meeting.Crossing) {
      crossingPoint(ends, k, l, this.point);
      const node = this.nodeX.length;
      this.nodeX.push(this.point[0] + 0);
      this.nodeY.push(this.point[1] + 0);
      this.nodeEdge1.push(i);
      this.nodeEdge2.push(j);
      const reach = Math.max(
        Math.abs(ends[k]),
        Math.abs(ends[k + 1]),
        Math.abs(ends[k + 2]),
        Math.abs(ends[k + 3]),
      );
      this.nodeError.push(4.5e-16 * reach);
      this.nodeUnion.push(node);
      this.split(i, node);
      this.split(j, node);
      return;
    }
    if (how & Meeting.SecondsFirst) this.split(i, this.edgeFrom[j]);
    if (how & Meeting.SecondsLast) this.split(i, this.edgeTo[j]);
    if (how & Meeting.FirstsFirst) this.split(j, this.edgeFrom[i]);
    if (how & Meeting.FirstsLast) this.split(j, this.edgeTo[i]);
  }

  private commonShift(): number {
    if (this.shift === null) {
      let least = 2000;
      for (const value of this.ends) least = Math.min(least, leastExponent(value));
      this.shift = least === 2000 ? 0 : -least;
    }
    return this.shift;
  }

  private exactNode(node: number): RationalPoint {
    const shift = this.commonShift();
    const e = this.nodeEdge1[node];
    if (e < 0) return [scaledInteger(this.nodeX[node], shift), scaledInteger(this.nodeY[node], shift), 1n];
    const f = this.nodeEdge2[node];
    return rationalCrossing(
      [...this.ends.slice(4 * e, 4 * e + 4), ...this.ends.slice(4 * f, 4 * f + 4)],
      shift,
    );
  }

  /** Puts the nodes on an edge in order from its start, exactly, and unites those that are one point. */
  private orderSplits(edge: number): void {
    const { ends, nodeX, nodeY } = this;
    const k = 4 * edge;
    const dx = ends[k + 2] - ends[k];
    const dy = ends[k + 3] - ends[k + 1];
    const alongX = Math.abs(dx) >= Math.abs(dy);
    const sign = (alongX ? dx : dy) > 0 ? 1 : -1;
    const at = alongX ? nodeX : nodeY;
    const axis = alongX ? 0 : 1;
    const list = this.splits[edge]!;
    const compare = (u: number, v: number): number => {
      if (u === v) return 0;
      const difference = at[u] - at[v];
      const slack = this.nodeError[u] + this.nodeError[v];
      if (slack === 0 || Math.abs(difference) > slack) return sign * difference;
      const a = this.exactNode(u);
      const b = this.exactNode(v);
      const exact = a[axis] * b[2] - b[axis] * a[2];
      return exact === 0n ? 0 : exact > 0n ? sign : -sign;
    };
    if (list.length > 1) {
      list.sort(compare);
      for (let n = 1; n < list.length; n++)
        if (compare(list[n - 1], list[n]) === 0) this.unite(list[n - 1], list[n]);
    }
  }

  /** The node that stands for all nodes at the same point: the vertex, when one of them is. */
  node(n: number): number {
    const { nodeUnion } = this;
    while (nodeUnion[n] !== n) n = nodeUnion[n] = nodeUnion[nodeUnion[n]];
    return n;
  }

  private unite(u: number, v: number): void {
    const a = this.node(u);
    const b = this.node(v);
    // Vertices have the smaller numbers, so their exact coordinates win.
    if (a < b) this.nodeUnion[b] = a;
    else if (b < a) this.nodeUnion[a] = b;
  }

  private makePieces(): void {
    const known = new Map<number, number>();
    const nodes = this.nodeX.length;
    for (let e = 0; e < this.edgeCount; e++) {
      const list = this.splits[e];
      const follow = this.followed.has(e);
      const trail: number[] = [];
      let u = this.node(this.edgeFrom[e]);
      const count = list === null ? 0 : list.length;
      for (let n = 0; n <= count; n++) {
        const v = this.node(n < count ? list![n] : this.edgeTo[e]);
        if (u === v) continue;
        const forward = u < v;
        const key = forward ? u * nodes + v : v * nodes + u;
        let piece = known.get(key);
        if (piece === undefined) {
          piece = this.pieceFrom.length;
          known.set(key, piece);
          this.pieceFrom.push(forward ? u : v);
          this.pieceTo.push(forward ? v : u);
          this.pieceA.push(0);
          this.pieceB.push(0);
          this.pieceEdge.push(e);
          this.pieceForward.push(forward ? 1 : 0);
        }
        this.pieceA[piece] += forward ? this.windA[e] : -this.windA[e];
        this.pieceB[piece] += forward ? this.windB[e] : -this.windB[e];
        if (follow) trail.push(2 * piece + (forward ? 0 : 1));
        u = v;
      }
      if (follow) this.trails.set(e, trail);
    }
  }

  /** Node that half-edge h (2·piece, +1 against the piece) leaves from. */
  origin(h: number): number {
    return (h & 1) === 0 ? this.pieceFrom[h >> 1] : this.pieceTo[h >> 1];
  }

  target(h: number): number {
    return (h & 1) === 0 ? this.pieceTo[h >> 1] : this.pieceFrom[h >> 1];
  }

  /** 1 when the half-edge runs along its edge's own direction, else −1. */
  private along(h: number): number {
    return (this.pieceForward[h >> 1] === 1) === ((h & 1) === 0) ? 1 : -1;
  }

  /** Order of two half-edges around their common origin by angle in [0, 2π), exactly. */
  compareAngles(g: number, h: number): number {
    const { ends } = this;
    const k = 4 * this.pieceEdge[g >> 1];
    const l = 4 * this.pieceEdge[h >> 1];
    const gs = this.along(g);
    const hs = this.along(h);
    const gHalf = this.half(k, gs);
    const hHalf = this.half(l, hs);
    if (gHalf !== hHalf) return gHalf - hHalf;
    const turn = turnSign(
      ends[k],
      ends[k + 1],
      ends[k + 2],
      ends[k + 3],
      ends[l],
      ends[l + 1],
      ends[l + 2],
      ends[l + 3],
    );
    return -turn * gs * hs;
  }

  /** 0 for directions with angle in [0, π), 1 for [π, 2π). */
  private half(k: number, sign: number): number {
    const { ends } = this;
    const up = sign > 0 ? ends[k + 3] > ends[k + 1] : ends[k + 1] > ends[k + 3];
    if (up) return 0;
    if (ends[k + 3] !== ends[k + 1]) return 1;
    return (sign > 0 ? ends[k + 2] > ends[k] : ends[k] > ends[k + 2]) ? 0 : 1;
  }

  /** True when the half-edge leaves at angle 0 exactly. */
  pointsEast(h: number): boolean {
    const k = 4 * this.pieceEdge[h >> 1];
    return this.ends[k + 1] === this.ends[k + 3] && this.half(k, this.along(h)) === 0;
  }
}

/**
 * The predicates are exact as long as products of coordinates neither overflow nor fall below the least double: values
 * under 10^-120 are taken for zero (and −0 for 0), those over 10^120 and those that are no numbers are refused.
 */
export function usable(value: number): number {
  const size = Math.abs(value);
  if (size < 1e-120) return 0;
  if (size < 1e120) return value;
  throw new IsomericError(
    'coordinate-unusable',
    `A coordinate is ${value}: geometry cannot be computed with it.`,
    {
      advice: 'Repair the feature, or leave it out with a filter.',
    },
  );
}
