import { GeometryArray } from '../geometry-array.ts';
import type { Ruler } from '../ruler.ts';
import { LivePoints } from './live-points.ts';
import { SharedVertices } from './shared-vertices.ts';
import { VertexQueue } from './vertex-queue.ts';

/** What is left out, and until when. */
export interface Simplification {
  /**
   * `distance`: no vertex that was there lies further than `upTo` metres from the line that took its place. `area`: the
   * triangle with the neighbours is smaller than `upTo` square metres (effective area: M. Visvalingam and J. D. Whyatt,
   * Line generalisation by repeated elimination of points, The Cartographic Journal 30, 1993).
   */
  by: 'distance' | 'area';
  /** Metres or square metres; Infinity with `vertices`. */
  upTo: number;
  /** Ends as soon as no more than so many different vertices are left. */
  vertices?: number;
  ruler: Ruler;
}

/** What came of a simplification. */
export interface Simplified {
  geometry: GeometryArray;
  /** Different vertices before and after. */
  before: number;
  after: number;
  /** Vertices that stay, although they may go, since a line would run through another one or a ring would vanish. */
  held: number;
}

/**
 * Leaves out vertices of lines and areas, the least important first. Borders that features share are simplified once,
 * so that they stay the same on both sides; where three meet, where lines end, and points stay. A vertex goes only if no other
 * one lies in the triangle with its neighbours: what did not cross before does not cross afterwards, nothing changes
 * sides, and no ring vanishes.
 */
export function simplify(array: GeometryArray, options: Simplification): Simplified {
  const shared = new SharedVertices(array);
  const work = new Elimination(shared, options);
  joinNodes(array, shared, work);
  work.run();
  return { geometry: kept(array, shared, work.gone), before: work.before, after: work.left, held: work.held };
}

/** Tells which nodes are joined by edges from the start. */
function joinNodes(array: GeometryArray, { of, isNode }: SharedVertices, work: Elimination): void {
  const rings = array.vertexStart.length - 1;
  for (let r = 0; r < rings; r++)
    for (let v = array.vertexStart[r] + 1; v < array.vertexStart[r + 1]; v++)
      if (isNode[of[v - 1]] === 1 && isNode[of[v]] === 1) work.joined(of[v - 1], of[v]);
}

class Elimination {
  readonly gone: Uint8Array;
  readonly before: number;
  left: number;
  /** 1: was to go and stayed. */
  private readonly stayed: Uint8Array;
  private readonly x: Float64Array;
  private readonly y: Float64Array;
  private readonly one: Int32Array;
  private readonly other: Int32Array;
  private readonly isNode: Uint8Array;
  private readonly live: LivePoints;
  private readonly queue: VertexQueue;
  private readonly scale = new Float64Array(2);
  private readonly straight = new Set<number>();
  /** What went between a position and its `other` neighbour, and its `one` neighbour: lists of positions. */
  private readonly hidden: HiddenPoints | null;

  constructor(
    shared: SharedVertices,
    private readonly options: Simplification,
  ) {
    const { positions, one, other, isNode } = shared;
    const { count } = positions;
    this.x = positions.x;
    this.y = positions.y;
    this.one = one;
    this.other = other;
    this.isNode = isNode;
    this.gone = new Uint8Array(count);
    this.stayed = new Uint8Array(count);
    this.before = count;
    this.left = count;
    this.live = new LivePoints(this.x, this.y, count);
    this.queue = new VertexQueue(count);
    options.ruler.metresPerUnit(0, 0, this.scale);
    this.hidden = options.by === 'distance' ? new HiddenPoints(count) : null;
    for (let n = 0; n < count; n++) {
      if (isNode[n] === 1 || one[n] < 0) continue;
      const weight = this.weight(n);
      if (weight <= options.upTo) this.queue.fill(n, weight);
    }
    this.queue.order();
  }

  /** Vertices that ought to have gone and stayed. */
  get held(): number {
    let held = 0;
    for (let n = 0; n < this.before; n++) if (this.stayed[n] === 1 && this.gone[n] === 0) held++;
    return held;
  }

  /** Marks that two nodes are joined by a straight piece. */
  private key(a: number, b: number): number {
    return a < b ? a * this.before + b : b * this.before + a;
  }

  run(): void {
    const { queue, options, gone } = this;
    const least = options.vertices ?? 0;
    let top = 0;
    while (this.left > least) {
      const n = queue.pop();
      if (n < 0) return;
      const weight = queue.taken;
      if (weight > options.upTo) return;
      // By effective area, what goes later counts as much as what went before it.
      if (weight > top) top = weight;
      const a = this.one[n];
      const b = this.other[n];
      if (!this.mayGo(n, a, b)) {
        this.stayed[n] = 1;
        continue;
      }
      gone[n] = 1;
      this.left--;
      this.live.remove(n);
      this.hidden?.join(n, a, b, this.one, this.other);
      if (this.isNode[a] === 1 && this.isNode[b] === 1) this.straight.add(this.key(a, b));
      this.relink(a, n, b);
      this.relink(b, n, a);
      this.again(a, top);
      this.again(b, top);
    }
  }

  /** Weighs a position again whose neighbour went. */
  private again(n: number, top: number): void {
    if (this.isNode[n] === 1) return;
    const own = this.weight(n);
    // What may stay as it is need not be in the queue, unless it is already.
    if (own <= this.options.upTo || this.queue.has(n))
      this.queue.put(n, this.options.by === 'area' && own < top ? top : own);
  }

  private relink(n: number, from: number, to: number): void {
    if (this.isNode[n] === 1) return;
    if (this.one[n] === from) this.one[n] = to;
    else this.other[n] = to;
  }

  /** Would the line a → b run through no other vertex, and no ring vanish? */
  private mayGo(n: number, a: number, b: number): boolean {
    if (a === b || this.isNextTo(a, b)) return false;
    return !this.live.triangleHolds(a, n, b);
  }

  /** Are two positions joined by an edge other than through the one between them? */
  private isNextTo(a: number, b: number): boolean {
    const { one, other, isNode } = this;
    if (isNode[a] === 0) return one[a] === b || other[a] === b;
    if (isNode[b] === 0) return one[b] === a || other[b] === a;
    return this.straight.has(this.key(a, b));
  }

  /** Two nodes are joined by an edge from the start. */
  joined(a: number, b: number): void {
    this.straight.add(this.key(a, b));
  }

  /** What leaving out position n would change: metres or square metres. */
  private weight(n: number): number {
    const { x, y, scale, hidden } = this;
    const a = this.one[n];
    const b = this.other[n];
    if (this.options.ruler.geodesic) this.options.ruler.metresPerUnit(x[n], y[n], scale);
    const sx = scale[0];
    const sy = scale[1];
    const ax = (x[a] - x[n]) * sx;
    const ay = (y[a] - y[n]) * sy;
    const bx = (x[b] - x[n]) * sx;
    const by = (y[b] - y[n]) * sy;
    if (hidden === null) return Math.abs(ax * by - ay * bx) / 2;
    // Distances to the line from neighbour to neighbour, of this position and of all that went beside it.
    const dx = bx - ax;
    const dy = by - ay;
    const length = dx * dx + dy * dy;
    let most = 0;
    for (let m = n, list = 0; ; ) {
      const px = (x[m] - x[n]) * sx - ax;
      const py = (y[m] - y[n]) * sy - ay;
      const along = length === 0 ? 0 : Math.min(1, Math.max(0, (px * dx + py * dy) / length));
      const [ex, ey] = [px - along * dx, py - along * dy];
      const far = ex * ex + ey * ey;
      if (far > most) most = far;
      // First the list to one neighbour, then that to the other.
      m = m === n || m === hidden.last[list - 1][n] ? -1 : hidden.next[m];
      while (m < 0 && list < 2) m = hidden.first[list++][n];
      if (m < 0) return Math.sqrt(most);
    }
  }
}

/** Positions that went, as lists on the way from each position to its two neighbours; each list stands at both ends. */
class HiddenPoints {
  readonly next: Int32Array;
  /** First and last of the lists to `one` and to `other` of each position. */
  readonly first: [Int32Array, Int32Array];
  readonly last: [Int32Array, Int32Array];

  constructor(count: number) {
    const lists = () => new Int32Array(count).fill(-1);
    this.next = lists();
    this.first = [lists(), lists()];
    this.last = [lists(), lists()];
  }

  /** Position n goes: what was hidden on both of its sides, and itself, now lies between a and b. */
  join(n: number, a: number, b: number, one: Int32Array, other: Int32Array): void {
    const { next, first, last } = this;
    const sideTo = (m: number, to: number) => (one[m] === to ? 0 : other[m] === to ? 1 : null);
    const [f0, l0] = [first[0][n], last[0][n]];
    const [f1, l1] = [first[1][n], last[1][n]];
    let f = n;
    let l = n;
    if (f0 >= 0) {
      next[l0] = n;
      f = f0;
    }
    if (f1 >= 0) {
      next[n] = f1;
      l = l1;
    }
    for (const [m, to] of [
      [a, n],
      [b, n],
    ]) {
      const side = sideTo(m, to);
      if (side === null) continue;
      first[side][m] = f;
      last[side][m] = l;
    }
  }
}

/** The array without the vertices whose position is gone. */
function kept(array: GeometryArray, shared: SharedVertices, gone: Uint8Array): GeometryArray {
  const { xy, z, m, vertexStart, vertexCount } = array;
  const rings = vertexStart.length - 1;
  const start = new Uint32Array(vertexStart.length);
  const keptVertices = new Uint32Array(vertexCount + rings);
  let count = 0;
  for (let r = 0; r < rings; r++) {
    start[r] = count;
    const end = vertexStart[r + 1];
    for (let v = vertexStart[r]; v < end; v++) if (gone[shared.of[v]] === 0) keptVertices[count++] = v;
    // Where its first vertex went, a ring begins at the next one, and ends there.
    const first = vertexStart[r];
    if (end - first > 1 && gone[shared.of[first]] === 1) keptVertices[count++] = keptVertices[start[r]];
  }
  start[rings] = count;
  const taken = new Float64Array(2 * count);
  for (let k = 0; k < count; k++) {
    taken[2 * k] = xy[2 * keptVertices[k]];
    taken[2 * k + 1] = xy[2 * keptVertices[k] + 1];
  }
  const ordinates = (from: Float64Array | null) => {
    if (from === null) return null;
    const into = new Float64Array(count);
    for (let k = 0; k < count; k++) into[k] = from[keptVertices[k]];
    return into;
  };
  return new GeometryArray({
    ...array.buffers(),
    vertexStart: start,
    xy: taken,
    z: ordinates(z),
    m: ordinates(m),
  });
}
