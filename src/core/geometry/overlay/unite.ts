import { type GeometryArray, Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { segmentsMeet } from '../intersects.ts';
import { type Chains, roomFor } from '../noding/chains.ts';
import { orientation } from '../predicates.ts';
import { traceAreas } from './area-tracing.ts';
import { addAreas, type FillRule, isInside, runsLeft } from './fill-rule.ts';
import { withWorkbench } from './overlay.ts';

/**
 * The areas of all the given features as one, without inner borders, appended to `builder`. Borders that two of them
 * share, edge for edge, cancel out before anything else is done; what is left is noded. Returns the number of polygons.
 */
export function uniteAreas(
  array: GeometryArray,
  features: ArrayLike<number>,
  builder: GeometryMaker,
  rule: FillRule = 'non-zero',
): number {
  if (features.length === 1) return normalise(array, features[0], builder, rule);
  return withWorkbench((bench) => {
    const { chains } = bench;
    const edges = new CancellingEdges(chains);
    const single = new GeometryMaker();
    for (let k = 0; k < features.length; k++) {
      const i = features[k];
      if (isPlain(array, i)) edges.add(array, i);
      // What may cross itself is brought in order by itself first, so that it counts once wherever it covers.
      else normalise(array, i, single, rule);
    }
    if (single.features > 0) {
      const normal = single.finish();
      for (let i = 0; i < normal.length; i++) edges.add(normal, i);
    }
    edges.addTo(chains);
    const { graph, labels } = bench.solve();
    return traceAreas(graph, labels, (winding) => winding > 0, builder);
  });
}

/** One feature by the fill rule: valid, or nothing. */
function normalise(array: GeometryArray, i: number, builder: GeometryMaker, rule: FillRule): number {
  return withWorkbench((bench) => {
    bench.chains.expect(array.endVertex(i) - array.firstVertex(i));
    addAreas(bench.chains, array, i, 1, 0, rule);
    const { graph, labels } = bench.solve();
    return traceAreas(graph, labels, (winding) => isInside(winding, rule), builder);
  });
}

/** Up to this many edges, a ring is looked at edge by edge. */
const mostEdges = 16;

/** Is the feature a single ring of few edges that meets itself nowhere? */
function isPlain(array: GeometryArray, i: number): boolean {
  const p = array.partStart[i];
  if (array.partStart[i + 1] - p !== 1 || array.ringStart[p + 1] - array.ringStart[p] !== 1) return false;
  if (array.kindOfPart(i, p) !== Kind.Polygon) return false;
  const { xy, vertexStart } = array;
  const first = vertexStart[array.ringStart[p]];
  const end = vertexStart[array.ringStart[p] + 1];
  const edges = end - first - 1;
  if (edges < 3 || edges > mostEdges) return false;
  if (xy[2 * first] !== xy[2 * end - 2] || xy[2 * first + 1] !== xy[2 * end - 1]) return false;
  for (let v = first; v < end - 1; v++) {
    const [ax, ay, bx, by] = xy.subarray(2 * v, 2 * v + 4);
    if (ax === bx && ay === by) return false;
    for (let w = v + 1; w < end - 1; w++) {
      const [cx, cy, dx, dy] = xy.subarray(2 * w, 2 * w + 4);
      if (w === v + 1 || (v === first && w === end - 2)) {
        // Neighbours share a vertex, and nothing else unless one runs back along the other.
        const [px, py, qx, qy] = w === v + 1 ? [ax, ay, dx, dy] : [bx, by, cx, cy];
        const [mx, my] = w === v + 1 ? [bx, by] : [ax, ay];
        const back = (px - mx) * (qx - mx) + (py - my) * (qy - my) > 0;
        if (back && orientation(px, py, mx, my, qx, qy) === 0) return false;
      } else if (segmentsMeet(ax, ay, bx, by, cx, cy, dx, dy)) return false;
    }
  }
  return true;
}

/** Directed edges, of which two that run to and fro between the same nodes cancel each other out. */
class CancellingEdges {
  private readonly chains: Chains;
  private count = 0;
  private to = new Uint32Array(256);
  private from = new Uint32Array(256);
  /** The next edge that leaves the same node, −1 at the end; −2 for edges that were cancelled or used. */
  private next = new Int32Array(256);
  private head = new Int32Array(256).fill(-1);

  constructor(chains: Chains) {
    this.chains = chains;
  }

  /** Adds the rings of feature i, which is valid: shells to the left, holes to the right. */
  add(array: GeometryArray, i: number): void {
    const { xy, ringStart, vertexStart } = array;
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
      for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
        const first = vertexStart[r];
        const end = vertexStart[r + 1];
        const forward = runsLeft(xy, first, end) === (r === ringStart[p]);
        let last = this.node(xy, forward ? first : end - 1);
        for (let k = 1; k < end - first; k++) {
          const n = this.node(xy, forward ? first + k : end - 1 - k);
          if (n !== last) this.addEdge(last, n);
          last = n;
        }
      }
  }

  private node(xy: Float64Array, v: number): number {
    const n = this.chains.nodeAt(xy[2 * v], xy[2 * v + 1]);
    if (n >= this.head.length) {
      const before = this.head.length;
      this.head = roomFor(this.head, n + 1);
      this.head.fill(-1, before);
    }
    return n;
  }

  private addEdge(u: number, v: number): void {
    const { next, to, head } = this;
    for (let e = head[v], before = -1; e >= 0; before = e, e = next[e]) {
      if (to[e] !== u) continue;
      if (before < 0) head[v] = next[e];
      else next[before] = next[e];
      next[e] = -2;
      return;
    }
    const e = this.count++;
    if (e >= to.length) {
      this.to = roomFor(to, e + 1);
      this.from = roomFor(this.from, e + 1);
      this.next = roomFor(next, e + 1);
    }
    this.from[e] = u;
    this.to[e] = v;
    this.next[e] = head[u];
    head[u] = e;
  }

  /** Adds what is left as closed paths with the winding contribution 1. */
  addTo(chains: Chains): void {
    const { from, to, next, head } = this;
    for (let first = 0; first < this.count; first++) {
      if (next[first] === -2) continue;
      chains.begin(1, 0);
      let node = from[first];
      chains.toNode(node);
      // As many edges leave a node as arrive: the way ends where it began.
      for (let e = head[node]; e >= 0; e = head[node]) {
        head[node] = next[e];
        next[e] = -2;
        node = to[e];
        chains.toNode(node);
      }
      chains.end();
    }
  }
}
