import type { GeometryArray } from '../geometry-array.ts';
import { BoxTree } from '../noding/box-tree.ts';

/** The edges (and single points) of features in a tree, to be asked for what lies nearest. */
export class EdgeTree {
  /** Ends of each edge: ax, ay, bx, by; the same place twice for points. */
  readonly ends: Float64Array;
  /** The feature of each edge. */
  readonly featureOf: Uint32Array;
  readonly count: number;
  private readonly tree: BoxTree;
  /** What a place was nearest to when it was asked last. */
  readonly found = { edge: -1, x: Number.NaN, y: Number.NaN, distance: Number.POSITIVE_INFINITY };

  private constructor(ends: Float64Array, featureOf: Uint32Array) {
    this.ends = ends;
    this.featureOf = featureOf;
    this.count = featureOf.length;
    const boxes = new Float64Array(ends.length);
    for (let k = 0; k < ends.length; k += 4) {
      boxes[k] = Math.min(ends[k], ends[k + 2]);
      boxes[k + 1] = Math.min(ends[k + 1], ends[k + 3]);
      boxes[k + 2] = Math.max(ends[k], ends[k + 2]);
      boxes[k + 3] = Math.max(ends[k + 1], ends[k + 3]);
    }
    this.tree = new BoxTree(boxes);
  }

  /** Of one feature; with `kind`, only its parts of that kind. */
  static of(array: GeometryArray, i: number, kind?: number): EdgeTree {
    return EdgeTree.ofRun(array, i, i + 1, kind);
  }

  /** Of all features. */
  static ofAll(array: GeometryArray): EdgeTree {
    return EdgeTree.ofRun(array, 0, array.length);
  }

  private static ofRun(array: GeometryArray, from: number, to: number, kind?: number): EdgeTree {
    const { xy, vertexStart, ringStart, partStart } = array;
    const most = array.firstVertex(to) - array.firstVertex(from);
    const ends = new Float64Array(4 * most);
    const features = new Uint32Array(most);
    let n = 0;
    for (let i = from; i < to; i++)
      for (let p = partStart[i]; p < partStart[i + 1]; p++) {
        const own = array.kindOfPart(i, p);
        if (kind !== undefined && own !== kind) continue;
        for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
          const end = vertexStart[r + 1];
          const single = end - vertexStart[r] === 1;
          for (let v = vertexStart[r]; v < (single ? end : end - 1); v++) {
            const w = single ? v : v + 1;
            ends[4 * n] = xy[2 * v];
            ends[4 * n + 1] = xy[2 * v + 1];
            ends[4 * n + 2] = xy[2 * w];
            ends[4 * n + 3] = xy[2 * w + 1];
            features[n++] = i;
          }
        }
      }
    return new EdgeTree(ends.slice(0, 4 * n), features.slice(0, n));
  }

  /**
   * Looks for the place nearest to a point; it stands in `found` afterwards.
   *
   * @param scaleX what one unit of x counts, `scaleY` one of y; distances are counted so
   * @param most what lies further is not looked at
   */
  nearest(x: number, y: number, scaleX = 1, scaleY = 1, most = Number.POSITIVE_INFINITY): boolean {
    const { tree, ends, found } = this;
    found.edge = -1;
    let best = most * most;
    const { boxes, levels } = tree;
    if (tree.count === 0) return false;
    const far = (node: number) => {
      const k = 4 * node;
      const dx = Math.max(boxes[k] - x, 0, x - boxes[k + 2]) * scaleX;
      const dy = Math.max(boxes[k + 1] - y, 0, y - boxes[k + 3]) * scaleY;
      return dx * dx + dy * dy;
    };
    const visit = (level: number, node: number): void => {
      if (level === 0) {
        const edge = tree.items[node];
        const k = 4 * edge;
        const ax = (ends[k] - x) * scaleX;
        const ay = (ends[k + 1] - y) * scaleY;
        const dx = (ends[k + 2] - ends[k]) * scaleX;
        const dy = (ends[k + 3] - ends[k + 1]) * scaleY;
        const length = dx * dx + dy * dy;
        const along = length === 0 ? 0 : Math.min(1, Math.max(0, -(ax * dx + ay * dy) / length));
        const px = ax + along * dx;
        const py = ay + along * dy;
        const distance = px * px + py * py;
        if (distance > best || (distance === best && found.edge >= 0 && edge > found.edge)) return;
        best = distance;
        found.edge = edge;
        found.x = along === 1 ? ends[k + 2] : ends[k] + along * (ends[k + 2] - ends[k]);
        found.y = along === 1 ? ends[k + 3] : ends[k + 1] + along * (ends[k + 3] - ends[k + 1]);
        return;
      }
      const first = tree.firstChild(level, node);
      const end = tree.endChild(level, node);
      // The nearest child first: what is found there leaves others out.
      let nearest = first;
      for (let child = first + 1; child < end; child++) if (far(child) < far(nearest)) nearest = child;
      if (far(nearest) > best) return;
      visit(level - 1, nearest);
      for (let child = first; child < end; child++)
        if (child !== nearest && far(child) <= best) visit(level - 1, child);
    };
    if (far(levels[tree.top]) <= best) visit(tree.top, levels[tree.top]);
    found.distance = Math.sqrt(best);
    return found.edge >= 0;
  }

  /** The distance of a point to one edge; scales as for `nearest`. */
  toEdge(edge: number, x: number, y: number, scaleX = 1, scaleY = 1): number {
    const { ends } = this;
    const k = 4 * edge;
    const ax = (ends[k] - x) * scaleX;
    const ay = (ends[k + 1] - y) * scaleY;
    const dx = (ends[k + 2] - ends[k]) * scaleX;
    const dy = (ends[k + 3] - ends[k + 1]) * scaleY;
    const length = dx * dx + dy * dy;
    const along = length === 0 ? 0 : Math.min(1, Math.max(0, -(ax * dx + ay * dy) / length));
    return Math.hypot(ax + along * dx, ay + along * dy);
  }

  /** The distance of a point to the nearest place, in units of the coordinates. */
  distance(x: number, y: number): number {
    this.nearest(x, y);
    return this.found.edge < 0 ? Number.POSITIVE_INFINITY : this.found.distance;
  }

  /** Do rings enclose a point, by the even–odd rule? Near the border this is only as sure as doubles are. */
  holds(x: number, y: number): boolean {
    const { ends } = this;
    let inside = false;
    this.tree.search(x, y, Number.POSITIVE_INFINITY, y, (edge) => {
      const k = 4 * edge;
      if (ends[k + 1] > y === ends[k + 3] > y) return;
      const at = ends[k] + ((y - ends[k + 1]) * (ends[k + 2] - ends[k])) / (ends[k + 3] - ends[k + 1]);
      if (x < at) inside = !inside;
    });
    return inside;
  }

  /** Visits each edge of this tree with each of another whose boxes meet. */
  pairsWith(other: EdgeTree, visit: (own: number, others: number) => void): void {
    this.tree.pairsWith(other.tree, visit);
  }

  /** Visits the edges whose boxes meet one, until a visit returns true. */
  search(x0: number, y0: number, x1: number, y1: number, visit: (edge: number) => unknown): void {
    this.tree.search(x0, y0, x1, y1, visit);
  }
}
