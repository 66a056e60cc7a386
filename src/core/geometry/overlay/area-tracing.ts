import { emptyBox, growBox, Kind } from '../geometry-array.ts';
import type { GeometryMaker } from '../geometry-maker.ts';
import { BoxTree } from '../noding/box-tree.ts';
import { roomFor } from '../noding/chains.ts';
import { NearestBelow, type Runs, runBoxes } from '../noding/nearest-below.ts';
import { orientation } from '../predicates.ts';
import type { FaceLabels } from './face-labels.ts';
import type { PlanarGraph } from './planar-graph.ts';

/** Rings of nodes, as they were traced; the first node is not repeated. */
class Rings {
  count = 0;
  start = new Uint32Array(16);
  node = new Uint32Array(64);
  /** 1: a shell, the result lies on its left inside it. 0: a hole. */
  isShell = new Uint8Array(16);
  /** The shell of each ring: itself for shells, −1 while it is not known. */
  shell = new Int32Array(16);
  /** The lowest node of each ring, of those the leftmost. */
  low = new Uint32Array(16);
  /** Holes that were traced together, without a shell: the first and one past the last ring, in turn. */
  readonly loose: number[] = [];

  add(stack: Uint32Array, from: number, end: number, graph: PlanarGraph): void {
    const r = this.count++;
    const at = this.start[r];
    this.start = roomFor(this.start, r + 2);
    this.isShell = roomFor(this.isShell, r + 1);
    this.shell = roomFor(this.shell, r + 1);
    this.low = roomFor(this.low, r + 1);
    this.node = roomFor(this.node, at + end - from);
    const { x, y } = graph.chains;
    let low = at;
    for (let s = from, k = at; s < end; s++, k++) {
      const n = graph.origin(stack[s]);
      this.node[k] = n;
      const m = this.node[low];
      if (y[n] < y[m] || (y[n] === y[m] && x[n] < x[m])) low = k;
    }
    const last = at + end - from;
    this.start[r + 1] = last;
    const n = this.node[low];
    const before = this.node[low === at ? last - 1 : low - 1];
    const behind = this.node[low + 1 === last ? at : low + 1];
    // At its lowest node a simple ring turns the way that it runs as a whole, and never goes straight on.
    this.isShell[r] = orientation(x[before], y[before], x[n], y[n], x[behind], y[behind]) > 0 ? 1 : 0;
    this.low[r] = n;
    this.shell[r] = this.isShell[r] === 1 ? r : -1;
  }
}

/**
 * Follows the borders of all faces that `keep` says belong to the result, and writes them as one feature: shells
 * counter-clockwise, holes clockwise, rings that touch themselves taken apart at the touching point. The feature is a
 * Polygon, or a MultiPolygon when there are several; returns how many there are and writes nothing when there are none.
 */
export function traceAreas(
  graph: PlanarGraph,
  labels: FaceLabels,
  keep: (a: number, b: number) => boolean,
  builder: GeometryMaker,
): number {
  const isBorder = bordersOf(graph, labels, keep);
  const rings = traceRings(graph, isBorder);
  placeLooseHoles(rings, graph);
  return write(rings, graph, builder);
}

/** 1 for half-edges with the result on their left and not on their right. */
function bordersOf(
  graph: PlanarGraph,
  { a, b }: FaceLabels,
  keep: (a: number, b: number) => boolean,
): Uint8Array {
  const isBorder = new Uint8Array(2 * graph.pieces);
  for (let h = 0; h < 2 * graph.pieces; h += 2) {
    const left = keep(a[h], b[h]);
    if (left === keep(a[h + 1], b[h + 1])) continue;
    isBorder[left ? h : h + 1] = 1;
  }
  return isBorder;
}

function traceRings(graph: PlanarGraph, isBorder: Uint8Array): Rings {
  const rings = new Rings();
  const todo = isBorder.slice();
  let stack = new Uint32Array(64);
  /** Where on the stack each node stands, counted from one. */
  const onStack = new Uint32Array(graph.chains.nodes);
  for (let first = 0; first < todo.length; first++) {
    if (todo[first] === 0) continue;
    const before = rings.count;
    let height = 0;
    let h = first;
    // Around one face, cutting off a ring whenever a node is met again.
    do {
      todo[h] = 0;
      const origin = graph.origin(h);
      if (onStack[origin] !== 0) {
        const at = onStack[origin] - 1;
        rings.add(stack, at, height, graph);
        for (let s = at; s < height; s++) onStack[graph.origin(stack[s])] = 0;
        height = at;
      }
      if (height >= stack.length) stack = roomFor(stack, height + 1);
      stack[height++] = h;
      onStack[origin] = height;
      h = nextOnFace(graph, isBorder, h);
      if (todo[h] === 0 && h !== first) throw new Error('Overlay: a border runs into another one.');
    } while (h !== first);
    rings.add(stack, 0, height, graph);
    for (let s = 0; s < height; s++) onStack[graph.origin(stack[s])] = 0;
    // The rings around one face: at most one of them is its shell.
    let shell = -1;
    for (let r = before; r < rings.count; r++) if (rings.isShell[r] === 1) shell = r;
    if (shell < 0) rings.loose.push(before, rings.count);
    else for (let r = before; r < rings.count; r++) if (rings.isShell[r] === 0) rings.shell[r] = shell;
  }
  return rings;
}

/** The next border half-edge of the same face: the first one clockwise from the way back. */
function nextOnFace(graph: PlanarGraph, isBorder: Uint8Array, h: number): number {
  const back = h ^ 1;
  const node = graph.origin(back);
  const first = graph.start[node];
  const end = graph.start[node + 1];
  let s = graph.place[back];
  for (let step = first; step < end; step++) {
    s = s === first ? end - 1 : s - 1;
    const candidate = graph.around[s];
    if (isBorder[candidate] === 1) return candidate;
  }
  throw new Error('Overlay: a border ends in the open; this cannot happen where pieces meet in nodes only.');
}

/** Above this much work, rings are found by a tree. */
const scanUpTo = 4096;

/**
 * Gives holes that were traced without a shell the one around them: that of the border next below the lowest node of
 * all that hang together, which is a shell itself or a hole of the same face that reaches lower.
 */
function placeLooseHoles(rings: Rings, graph: PlanarGraph): void {
  if (rings.loose.length === 0) return;
  const { x, y } = graph.chains;
  const loose: { first: number; end: number; low: number }[] = [];
  for (let k = 0; k < rings.loose.length; k += 2) {
    const [first, end] = [rings.loose[k], rings.loose[k + 1]];
    let low = rings.low[first];
    for (let r = first + 1; r < end; r++) {
      const n = rings.low[r];
      if (y[n] < y[low] || (y[n] === y[low] && x[n] < x[low])) low = n;
    }
    loose.push({ first, end, low });
  }
  loose.sort((a, b) => y[a.low] - y[b.low]);
  const { runs, ringOf } = runsOf(rings, graph);
  const tree = loose.length * runs.count > scanUpTo ? new BoxTree(runBoxes(runs)) : null;
  const below = new NearestBelow(runs, tree);
  const runOf = (position: number): number => {
    let a = 0;
    let b = runs.count;
    while (b - a > 1) {
      const middle = (a + b) >> 1;
      if (runs.start[middle] <= position) a = middle;
      else b = middle;
    }
    return a;
  };
  for (const { first, end, low } of loose) {
    const position = below.find(x[low], y[low]);
    if (position < 0)
      throw new Error('Overlay: a hole without a shell; this cannot happen in labelled faces.');
    rings.shell.fill(rings.shell[ringOf[runOf(position)]], first, end);
  }
}

/** Rings as runs along which neither x nor y turns back. */
function runsOf(rings: Rings, graph: PlanarGraph): { runs: Runs; ringOf: Uint32Array } {
  const { x, y } = graph.chains;
  const total = rings.start[rings.count];
  let start = new Uint32Array(64);
  let ringOf = new Uint32Array(64);
  let node = new Uint32Array(total + (total >> 1) + 64);
  let count = 0;
  let at = 0;
  for (let r = 0; r < rings.count; r++) {
    const first = rings.start[r];
    const end = rings.start[r + 1];
    let directionX = 0;
    let directionY = 0;
    let open = false;
    for (let k = first; k < end; k++) {
      const u = rings.node[k];
      const v = rings.node[k + 1 === end ? first : k + 1];
      const dx = x[v] - x[u];
      const dy = y[v] - y[u];
      if (at + 2 > node.length) node = roomFor(node, at + 2);
      if (!open || dx * directionX < 0 || dy * directionY < 0) {
        start = roomFor(start, count + 2);
        ringOf = roomFor(ringOf, count + 1);
        ringOf[count] = r;
        start[count++] = at;
        node[at++] = u;
        directionX = 0;
        directionY = 0;
        open = true;
      }
      if (dx !== 0) directionX = dx > 0 ? 1 : -1;
      if (dy !== 0) directionY = dy > 0 ? 1 : -1;
      if (at >= node.length) node = roomFor(node, at + 1);
      node[at++] = v;
      start[count] = at;
    }
  }
  return { runs: { x, y, start, node, count }, ringOf };
}

/**
 * Is a ring no wider than the last digit of its coordinates? That is what is left where two borders ought to be the same,
 * and were rounded apart: it says nothing.
 */
function isThin(rings: Rings, r: number, { chains: { x, y } }: PlanarGraph): boolean {
  const first = rings.start[r];
  const end = rings.start[r + 1];
  const [x0, y0] = [x[rings.node[first]], y[rings.node[first]]];
  let twice = 0;
  let length = 0;
  let size = 0;
  for (let k = first; k < end; k++) {
    const u = rings.node[k];
    const v = rings.node[k + 1 === end ? first : k + 1];
    twice += (x[u] - x0) * (y[v] - y0) - (x[v] - x0) * (y[u] - y0);
    length += Math.abs(x[v] - x[u]) + Math.abs(y[v] - y[u]);
    size = Math.max(size, Math.abs(x[u]), Math.abs(y[u]));
  }
  return Math.abs(twice) <= 2 * 2.3e-16 * size * length;
}

/** Does a shell that is written begin within the box of a ring? */
function mayHoldShell(
  rings: Rings,
  hole: number,
  { chains: { x, y } }: PlanarGraph,
  thin: Uint8Array,
): boolean {
  const box = emptyBox();
  for (let k = rings.start[hole]; k < rings.start[hole + 1]; k++) {
    const n = rings.node[k];
    growBox(box, [x[n], y[n], x[n], y[n]]);
  }
  for (let r = 0; r < rings.count; r++) {
    if (rings.isShell[r] === 0 || thin[r] === 1 || r === rings.shell[hole]) continue;
    const n = rings.low[r];
    if (x[n] >= box[0] && x[n] <= box[2] && y[n] >= box[1] && y[n] <= box[3]) return true;
  }
  return false;
}

function write(rings: Rings, graph: PlanarGraph, builder: GeometryMaker): number {
  let shells = 0;
  const holeStart = new Uint32Array(rings.count + 1);
  const thin = new Uint8Array(rings.count);
  for (let r = 0; r < rings.count; r++) if (isThin(rings, r, graph)) thin[r] = 1;
  // A long thin hole may hold a small island that is not: it would lie in its own surroundings.
  for (let r = 0; r < rings.count; r++)
    if (thin[r] === 1 && rings.isShell[r] === 0 && mayHoldShell(rings, r, graph, thin)) thin[r] = 0;
  for (let r = 0; r < rings.count; r++) {
    if (rings.isShell[r] === 0) holeStart[rings.shell[r] + 1]++;
    else if (thin[r] === 0) shells++;
  }
  if (shells === 0) return 0;
  for (let r = 0; r < rings.count; r++) holeStart[r + 1] += holeStart[r];
  const filled = holeStart.slice();
  const holes = new Uint32Array(holeStart[rings.count]);
  for (let r = 0; r < rings.count; r++) if (rings.isShell[r] === 0) holes[filled[rings.shell[r]]++] = r;
  const { x, y } = graph.chains;
  const ring = (r: number): void => {
    builder.ring();
    for (let k = rings.start[r]; k < rings.start[r + 1]; k++)
      builder.vertex(x[rings.node[k]], y[rings.node[k]]);
    const first = rings.node[rings.start[r]];
    builder.vertex(x[first], y[first]);
  };
  builder.feature(shells === 1 ? Kind.Polygon : Kind.MultiPolygon);
  for (let r = 0; r < rings.count; r++) {
    if (rings.isShell[r] === 0 || thin[r] === 1) continue;
    builder.part();
    ring(r);
    for (let k = holeStart[r]; k < holeStart[r + 1]; k++) if (thin[holes[k]] === 0) ring(holes[k]);
  }
  return shells;
}
