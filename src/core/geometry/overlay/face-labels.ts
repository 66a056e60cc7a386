import type { BoxTree } from '../noding/box-tree.ts';
import { NearestBelow } from '../noding/nearest-below.ts';
import { orientation } from '../predicates.ts';
import type { PlanarGraph } from './planar-graph.ts';

/** Winding numbers of the two operands to the left of every half-edge (to the right: those of its twin, h ^ 1). */
export interface FaceLabels {
  a: Int32Array;
  b: Int32Array;
}

/**
 * Labels the faces of a graph in which no edge of either operand is missing. Within a connected part, labels spread
 * from its lowest node around each node, changing by the contributions that are crossed; the lowest node itself lies
 * in the face above the piece next below it, which belongs to a part that reaches lower and was labelled before.
 *
 * @param tree of the boxes of the chains, where there is one
 */
export function labelFaces(graph: PlanarGraph, tree: BoxTree | null): FaceLabels {
  const labels = { a: new Int32Array(2 * graph.pieces), b: new Int32Array(2 * graph.pieces) };
  const { x, y, nodes } = graph.chains;
  const lowest = lowestNodes(graph);
  const seen = new Uint8Array(nodes);
  if (lowest.length > 1) lowest.sort((m, n) => y[m] - y[n] || x[m] - x[n]);
  const below = new NearestBelow(graph.chains, tree, (position) => graph.halfEdgeAt[position] < 0);
  for (const node of lowest) {
    let a = 0;
    let b = 0;
    if (lowest.length > 1) {
      const position = below.find(x[node], y[node]);
      if (position >= 0) {
        const h = graph.halfEdgeAt[position] ^ (below.forward ? 0 : 1);
        a = labels.a[h];
        b = labels.b[h];
      }
    }
    // No half-edge of the lowest node points downwards: that face lies right of its first one.
    spread(graph, labels, node, graph.start[node + 1] - 1, a, b, seen, always);
  }
  return labels;
}

const always = () => true;

/** The lowest node (of those the leftmost) of every connected part. */
export function lowestNodes(graph: PlanarGraph): number[] {
  const { nodes, x, y } = graph.chains;
  const { start, around } = graph;
  const seen = new Uint8Array(nodes);
  const stack: number[] = [];
  const lowest: number[] = [];
  for (let first = 0; first < nodes; first++) {
    if (seen[first] === 1 || start[first] === start[first + 1]) continue;
    let low = first;
    seen[first] = 1;
    stack.push(first);
    while (stack.length > 0) {
      const n = stack.pop()!;
      if (y[n] < y[low] || (y[n] === y[low] && x[n] < x[low])) low = n;
      for (let s = start[n]; s < start[n + 1]; s++) {
        const m = graph.target(around[s]);
        if (seen[m] === 1) continue;
        seen[m] = 1;
        stack.push(m);
      }
    }
    lowest.push(low);
  }
  return lowest;
}

/** Spreads the labels left of the half-edge at `around[s]` of a node over all that hangs together with it. */
function spread(
  graph: PlanarGraph,
  labels: FaceLabels,
  node: number,
  s: number,
  a: number,
  b: number,
  seen: Uint8Array,
  complete: (node: number) => boolean,
): void {
  const { start, around, place, windA, windB } = graph;
  const stack: number[] = [];
  let [n, at, leftA, leftB] = [node, s, a, b];
  seen[node] = 1;
  for (;;) {
    const first = start[n];
    const degree = start[n + 1] - first;
    for (let step = 0, k = at; step < degree; step++) {
      k = k + 1 < first + degree ? k + 1 : first;
      const h = around[k];
      // Left of one half-edge is right of the next counter-clockwise; crossing that one changes by its contributions.
      labels.a[h ^ 1] = leftA;
      labels.b[h ^ 1] = leftB;
      const sign = (h & 1) === 0 ? 1 : -1;
      leftA += sign * windA[h >> 1];
      leftB += sign * windB[h >> 1];
      labels.a[h] = leftA;
      labels.b[h] = leftB;
      const m = graph.target(h);
      if (seen[m] === 0 && complete(m)) {
        seen[m] = 1;
        stack.push(h ^ 1);
      }
    }
    const h = stack.pop();
    if (h === undefined) return;
    n = graph.origin(h);
    at = place[h];
    leftA = labels.a[h];
    leftB = labels.b[h];
  }
}

/**
 * Labels faces by operand B where only its edges near by are in the graph: labels spread through the nodes at which
 * none is missing, and a locator says where they begin. Those of operand A, which is there as a whole, are kept.
 *
 * @param others what the edges of B that are not in the graph add to the winding number an infinitesimal step from a
 * point, just above east of it. Those in the graph are looked at as they are there: noding may have moved them.
 * @param complete says whether all edges of B that meet at a node are in the graph
 */
export function labelNear(
  graph: PlanarGraph,
  labels: FaceLabels,
  others: (x: number, y: number) => number,
  complete: (node: number) => boolean,
): void {
  const { x, y, nodes } = graph.chains;
  const { start, around } = graph;
  labels.b.fill(0);
  const seen = new Uint8Array(nodes);
  for (let n = 0; n < nodes; n++) {
    if (seen[n] === 1 || start[n] === start[n + 1] || !complete(n)) continue;
    const s = graph.pointsEast(around[start[n]]) ? start[n] : start[n + 1] - 1;
    let winding = others(x[n], y[n]);
    for (let piece = 0; piece < graph.pieces; piece++) {
      if (graph.windB[piece] === 0) continue;
      const [u, v] = [graph.from[piece], graph.to[piece]];
      winding += graph.windB[piece] * windingOf(x[n], y[n], x[u], y[u], x[v], y[v]);
    }
    spread(graph, labels, n, s, labels.a[around[s]], winding, seen, complete);
  }
}

/** +1, −1 or 0: what the edge a → b adds to the winding number just above east of (x, y). */
export function windingOf(x: number, y: number, ax: number, ay: number, bx: number, by: number): number {
  if (ay <= y === by <= y) return 0;
  if (ax < x && bx < x) return 0;
  const turn = orientation(ax, ay, bx, by, x, y);
  if (by > ay) return turn > 0 ? 1 : 0;
  return turn < 0 ? -1 : 0;
}
