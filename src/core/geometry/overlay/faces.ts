import { Kind } from '../geometry-array.ts';
import type { GeometryMaker } from '../geometry-maker.ts';
import type { BoxTree } from '../noding/box-tree.ts';
import { NearestBelow } from '../noding/nearest-below.ts';
import { orientation } from '../predicates.ts';
import { lowestNodes } from './face-labels.ts';
import type { PlanarGraph } from './planar-graph.ts';

/** Twice the rounding of a double: the width of a face, over its coordinates, that says nothing. */
const thin = 2 * 2.3e-16;

/**
 * The faces that the pieces of a planar graph part the plane into. Face 0 is the unbounded one. Pieces with the same face on
 * both sides (lines that end in the open, bridges) part nothing.
 */
export class Faces {
  readonly graph: PlanarGraph;
  /** Number of faces, the unbounded one included. */
  count = 1;
  /** The face to the left of each half-edge. */
  readonly of: Uint32Array;
  private known: { start: number[]; node: number[]; rings: Map<number, number[]> } | null = null;

  constructor(graph: PlanarGraph, tree: BoxTree | null) {
    this.graph = graph;
    this.of = new Uint32Array(2 * graph.pieces);
    this.label(tree);
  }

  /** Makes one face of those that lie beside each other and have the same class. */
  merge(classOf: ArrayLike<number>): void {
    const { of, graph } = this;
    const parent = new Uint32Array(this.count);
    for (let f = 0; f < this.count; f++) parent[f] = f;
    const root = (f: number) => {
      while (parent[f] !== f) {
        parent[f] = parent[parent[f]];
        f = parent[f];
      }
      return f;
    };
    for (let h = 0; h < 2 * graph.pieces; h += 2) {
      const [f, g] = [root(of[h]), root(of[h + 1])];
      // The least number stays, so that the unbounded face keeps its own.
      if (f !== g && classOf[of[h]] === classOf[of[h + 1]]) parent[Math.max(f, g)] = Math.min(f, g);
    }
    for (let h = 0; h < 2 * graph.pieces; h++) of[h] = root(of[h]);
    this.known = null;
  }

  /**
   * Gives faces that are no wider than the last digit of their coordinates to a neighbour, the one along the longest border: they are
   * what is left where lines ought to be the same, and were rounded apart.
   *
   * @param takes whether a face may take another one; what none takes becomes a part of the unbounded face
   */
  absorbThin(takes: (face: number) => boolean = () => true): void {
    const { of, graph, count } = this;
    const { x, y } = graph.chains;
    const twice = new Float64Array(count);
    const length = new Float64Array(count);
    const size = new Float64Array(count);
    const origin = new Int32Array(count).fill(-1);
    for (let h = 0; h < 2 * graph.pieces; h++) {
      const face = of[h];
      if (face === 0 || of[h ^ 1] === face) continue;
      const [u, v] = [graph.origin(h), graph.target(h)];
      if (origin[face] < 0) origin[face] = u;
      const [x0, y0] = [x[origin[face]], y[origin[face]]];
      twice[face] += (x[u] - x0) * (y[v] - y0) - (x[v] - x0) * (y[u] - y0);
      length[face] += Math.abs(x[v] - x[u]) + Math.abs(y[v] - y[u]);
      size[face] = Math.max(size[face], Math.abs(x[u]), Math.abs(y[u]));
    }
    const isThin = (face: number) =>
      face !== 0 && length[face] > 0 && Math.abs(twice[face]) <= thin * size[face] * length[face];
    const longest = new Map<number, { piece: number; neighbour: number }>();
    for (let h = 0; h < 2 * graph.pieces; h++) {
      const [face, neighbour] = [of[h], of[h ^ 1]];
      if (!isThin(face) || neighbour === 0 || isThin(neighbour) || !takes(neighbour)) continue;
      const [u, v] = [graph.origin(h), graph.target(h)];
      const piece = Math.hypot(x[v] - x[u], y[v] - y[u]);
      if (piece > (longest.get(face)?.piece ?? -1)) longest.set(face, { piece, neighbour });
    }
    for (let h = 0; h < 2 * graph.pieces; h++) if (isThin(of[h])) of[h] = longest.get(of[h])?.neighbour ?? 0;
    this.known = null;
  }

  private get traced() {
    this.known ??= this.trace();
    return this.known;
  }

  /** The half-edge that goes on along the same side of the same face, of those `takes` allows. */
  private next(h: number, takes: (g: number) => boolean): number {
    const { graph } = this;
    const back = h ^ 1;
    const node = graph.origin(back);
    const first = graph.start[node];
    const end = graph.start[node + 1];
    let s = graph.place[back];
    for (let step = first; step < end; step++) {
      s = s === first ? end - 1 : s - 1;
      if (takes(graph.around[s])) return graph.around[s];
    }
    return back;
  }

  private label(tree: BoxTree | null): void {
    const { graph, of } = this;
    const halfEdges = 2 * graph.pieces;
    const unknown = 0xffffffff;
    of.fill(unknown);
    const { x, y } = graph.chains;
    const lowest = lowestNodes(graph);
    lowest.sort((m, n) => y[m] - y[n] || x[m] - x[n]);
    const all = () => true;
    const mark = (first: number, face: number) => {
      let h = first;
      do {
        of[h] = face;
        h = this.next(h, all);
      } while (h !== first);
    };
    // The face around a part lies left of the last half-edge of its lowest node. First, so that it is not taken for another.
    const rims = lowest.map((low) => graph.around[graph.start[low + 1] - 1]);
    for (const rim of rims) mark(rim, 0);
    for (let h = 0; h < halfEdges; h++) if (of[h] === unknown) mark(h, this.count++);
    if (lowest.length < 2) return;
    const below = new NearestBelow(graph.chains, tree, (position) => graph.halfEdgeAt[position] < 0);
    lowest.forEach((low, k) => {
      const position = below.find(x[low], y[low]);
      if (position < 0) return;
      // Parts that reach lower come first, so that the face around them is known.
      const face = of[graph.halfEdgeAt[position] ^ (below.forward ? 0 : 1)];
      if (face !== 0) mark(rims[k], face);
    });
  }

  /** All rings, each simple, of all bounded faces. */
  private trace() {
    const { graph, of } = this;
    const start = [0];
    const node: number[] = [];
    const rings = new Map<number, number[]>();
    const done = new Uint8Array(2 * graph.pieces);
    const onStack = new Uint32Array(graph.chains.nodes);
    const stack: number[] = [];
    const cut = (from: number, face: number) => {
      for (let s = from; s < stack.length; s++) {
        const n = graph.origin(stack[s]);
        node.push(n);
        onStack[n] = 0;
      }
      stack.length = from;
      const own = rings.get(face);
      if (own === undefined) rings.set(face, [start.length - 1]);
      else own.push(start.length - 1);
      start.push(node.length);
    };
    for (let first = 0; first < 2 * graph.pieces; first++) {
      const face = of[first];
      if (done[first] === 1 || face === 0 || of[first ^ 1] === face) continue;
      const takes = (g: number) => of[g] === face && of[g ^ 1] !== face;
      let h = first;
      do {
        done[h] = 1;
        const origin = graph.origin(h);
        if (onStack[origin] !== 0) cut(onStack[origin] - 1, face);
        stack.push(h);
        onStack[origin] = stack.length;
        h = this.next(h, takes);
      } while (h !== first);
      cut(0, face);
    }
    return { start, node, rings };
  }

  /** Does a ring run counter-clockwise? At its lowest node, exactly. */
  private isShell(r: number): boolean {
    const { start, node } = this.traced;
    const { x, y } = this.graph.chains;
    const first = start[r];
    const end = start[r + 1];
    let low = first;
    for (let k = first; k < end; k++) {
      const [n, m] = [node[k], node[low]];
      if (y[n] < y[m] || (y[n] === y[m] && x[n] < x[m])) low = k;
    }
    const before = node[low === first ? end - 1 : low - 1];
    const behind = node[low + 1 === end ? first : low + 1];
    const n = node[low];
    return orientation(x[before], y[before], x[n], y[n], x[behind], y[behind]) > 0;
  }

  /**
   * Appends bounded faces as one feature: a part each, shells counter-clockwise, holes clockwise. They must not share
   * edges. Returns the number of polygons.
   */
  write(faces: readonly number[], builder: GeometryMaker): number {
    const { start, node, rings } = this.traced;
    const { x, y } = this.graph.chains;
    const ring = (r: number) => {
      builder.ring();
      for (let k = start[r]; k < start[r + 1]; k++) builder.vertex(x[node[k]], y[node[k]]);
      builder.vertex(x[node[start[r]]], y[node[start[r]]]);
    };
    const there = faces.filter((face) => rings.has(face));
    if (there.length === 0) return 0;
    builder.feature(there.length === 1 ? Kind.Polygon : Kind.MultiPolygon);
    for (const face of there) {
      const own = rings.get(face)!;
      const shell = own.find((r) => this.isShell(r)) ?? own[0];
      builder.part();
      ring(shell);
      for (const r of own) if (r !== shell) ring(r);
    }
    return there.length;
  }
}
