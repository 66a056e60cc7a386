import { type GeometryArray, Kind } from '../geometry-array.ts';
import { segmentsMeet } from '../intersects.ts';
import type { Ruler } from '../ruler.ts';
import { EdgeTree } from './edge-tree.ts';

/** Two places and how far they lie from each other. */
export interface Span {
  /** Metres. */
  distance: number;
  /** A place on the first geometry, and the nearest one on the other. */
  from: [number, number];
  to: [number, number];
}

/** A geometry made ready to be asked again and again how far others lie from it. */
export class NearTo {
  private readonly edges: EdgeTree;
  private readonly areas: EdgeTree | null;
  private readonly scale = new Float64Array(2);

  constructor(
    private readonly array: GeometryArray,
    private readonly feature: number,
  ) {
    this.edges = EdgeTree.of(array, feature);
    this.areas = hasAreas(array, feature) ? EdgeTree.of(array, feature, Kind.Polygon) : null;
  }

  /**
   * The shortest way from feature i of an array to this geometry, borders and all; 0, at a place that both have, where they meet.
   * Null where one has no places, or all lie further than `most` metres. Edges that do not cross are nearest at an end of one of them.
   *
   * @param apart true where it is known that they do not meet
   */
  from(
    array: GeometryArray,
    i: number,
    ruler: Ruler,
    most = Number.POSITIVE_INFINITY,
    apart = false,
  ): Span | null {
    const one = EdgeTree.of(array, i);
    const other = this.edges;
    if (one.count === 0 || other.count === 0) return null;
    const place = apart ? null : this.commonPlace(array, i, one);
    if (place !== null) return { distance: 0, from: place, to: place };
    const { scale } = this;
    const box = array.boxOf(i);
    ruler.metresPerUnit((box[0] + box[2]) / 2, (box[1] + box[3]) / 2, scale);
    let best: Span | null = null;
    const look = (ends: Float64Array, tree: EdgeTree, turned: boolean) => {
      for (let k = 0; k < ends.length; k += 2) {
        const reach = Math.min(most, best?.distance ?? Number.POSITIVE_INFINITY) * 1.01 + 1e-9;
        if (!tree.nearest(ends[k], ends[k + 1], scale[0], scale[1], reach)) continue;
        const { x, y } = tree.found;
        const distance = ruler.distance(ends[k], ends[k + 1], x, y);
        if (best !== null && distance >= best.distance) continue;
        const [p, q]: [[number, number], [number, number]] = [
          [ends[k], ends[k + 1]],
          [x, y],
        ];
        best = turned ? { distance, from: q, to: p } : { distance, from: p, to: q };
      }
    };
    look(one.ends, other, false);
    look(other.ends, one, true);
    return best;
  }

  /** Has it a place in common with feature i of an array? */
  meets(array: GeometryArray, i: number): boolean {
    return this.commonPlace(array, i, EdgeTree.of(array, i)) !== null;
  }

  /** A place of both geometries; null when they lie apart. Exact but for where a crossing lies. */
  private commonPlace(array: GeometryArray, i: number, one: EdgeTree): [number, number] | null {
    const crossing = crossingOf(one, this.edges);
    if (crossing !== null) return crossing;
    // No edges meet: a part of one lies wholly within the other, or they lie apart.
    const within = placeWithin(array, i, this.areas);
    if (within !== null) return within;
    if (!hasAreas(array, i)) return null;
    return placeWithin(this.array, this.feature, EdgeTree.of(array, i, Kind.Polygon));
  }
}

function hasAreas(array: GeometryArray, i: number): boolean {
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
    if (array.kindOfPart(i, p) === Kind.Polygon) return true;
  return false;
}

/** The beginning of a part that areas hold. */
function placeWithin(array: GeometryArray, i: number, areas: EdgeTree | null): [number, number] | null {
  if (areas === null) return null;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const v = array.vertexStart[array.ringStart[p]];
    if (v === array.vertexStart[array.ringStart[p] + 1]) continue;
    const [x, y] = [array.xy[2 * v], array.xy[2 * v + 1]];
    if (areas.holds(x, y)) return [x, y];
  }
  return null;
}

/** Where edges meet; null where none do. */
function crossingOf(one: EdgeTree, other: EdgeTree): [number, number] | null {
  let found: [number, number] | null = null;
  one.pairsWith(other, (e, f) => {
    if (found !== null) return;
    const [ax, ay, bx, by] = one.ends.subarray(4 * e, 4 * e + 4);
    const [cx, cy, dx, dy] = other.ends.subarray(4 * f, 4 * f + 4);
    if (!segmentsMeet(ax, ay, bx, by, cx, cy, dx, dy)) return;
    const det = (bx - ax) * (dy - cy) - (by - ay) * (dx - cx);
    const t = det === 0 ? Number.NaN : ((cx - ax) * (dy - cy) - (cy - ay) * (dx - cx)) / det;
    if (t >= 0 && t <= 1) found = [ax + t * (bx - ax), ay + t * (by - ay)];
    else {
      // Along each other: an end of one lies on the other.
      const on = (x: number, y: number) => segmentsMeet(x, y, x, y, ax, ay, bx, by);
      found = on(cx, cy) ? [cx, cy] : on(dx, dy) ? [dx, dy] : [ax, ay];
    }
  });
  return found;
}

/** The shortest way between two geometries; see `NearTo`. */
export function nearestPlaces(
  a: GeometryArray,
  i: number,
  b: GeometryArray,
  j: number,
  ruler: Ruler,
): Span | null {
  return new NearTo(b, j).from(a, i, ruler);
}

/**
 * The Hausdorff distance of two geometries in metres: how far a place of one may lie from the nearest place of the other, over all
 * places on their edges, not only vertices (F. Hausdorff 1914). Edges are halved until no place on them can lie further than
 * what was found, to `within` of it.
 */
export function hausdorffDistance(
  a: GeometryArray,
  i: number,
  b: GeometryArray,
  j: number,
  ruler: Ruler,
  within = 1e-3,
): number {
  const one = EdgeTree.of(a, i);
  const other = EdgeTree.of(b, j);
  if (one.count === 0 || other.count === 0) return Number.NaN;
  return Math.max(directed(one, other, ruler, within), directed(other, one, ruler, within));
}

function directed(from: EdgeTree, to: EdgeTree, ruler: Ruler, within: number): number {
  const scale = new Float64Array(2);
  const place = (x: number, y: number): Place => {
    ruler.metresPerUnit(x, y, scale);
    to.nearest(x, y, scale[0], scale[1]);
    const { found } = to;
    const distance = ruler.distance(x, y, found.x, found.y);
    // Under a nanometre, it is the digits of the coordinates that differ.
    return { x, y, edge: found.edge, distance: distance < 1e-9 ? 0 : distance };
  };
  /** What no place on the way from one to the other lies further than, as far as an edge tells. */
  const boundBy = (edge: number, a: Place, b: Place) => {
    ruler.metresPerUnit(a.x, a.y, scale);
    // The distance to one edge is convex along a line: it is greatest at an end.
    return Math.max(
      to.toEdge(edge, a.x, a.y, scale[0], scale[1]),
      to.toEdge(edge, b.x, b.y, scale[0], scale[1]),
    );
  };
  const { ends } = from;
  const stack: [Place, Place][] = [];
  let most = 0;
  for (let k = 0; k < ends.length; k += 4) {
    const a = place(ends[k], ends[k + 1]);
    const b = place(ends[k + 2], ends[k + 3]);
    most = Math.max(most, a.distance, b.distance);
    stack.push([a, b]);
  }
  while (stack.length > 0) {
    const [a, b] = stack.pop()!;
    const enough = most * (1 + within) + 1e-9;
    if (boundBy(a.edge, a, b) <= enough || boundBy(b.edge, a, b) <= enough) continue;
    // Along an edge the distance changes by no more than the way.
    if ((a.distance + b.distance + ruler.distance(a.x, a.y, b.x, b.y)) / 2 <= enough) continue;
    const middle = place((a.x + b.x) / 2, (a.y + b.y) / 2);
    if ((middle.x === a.x && middle.y === a.y) || (middle.x === b.x && middle.y === b.y)) continue;
    most = Math.max(most, middle.distance);
    stack.push([a, middle], [middle, b]);
  }
  return most;
}

/** A place on an edge, the edge of the other geometry nearest to it, and how far that is. */
interface Place {
  x: number;
  y: number;
  edge: number;
  distance: number;
}

/** Pairs of vertices that a discrete Fréchet distance looks at, at most. */
const mostPairs = 4e8;

/**
 * The discrete Fréchet distance of two paths in metres: the shortest leash with which two can walk along the vertices of both,
 * never backwards (T. Eiter and H. Mannila, Computing discrete Fréchet distance, 1994). The first path of each geometry counts;
 * of an area, its shell, from where it begins. NaN where there is none, or both have too many vertices.
 */
export function frechetDistance(
  a: GeometryArray,
  i: number,
  b: GeometryArray,
  j: number,
  ruler: Ruler,
): number {
  const path = (array: GeometryArray, k: number) => {
    const p = array.partStart[k];
    if (p === array.partStart[k + 1]) return new Float64Array(0);
    const r = array.ringStart[p];
    return array.xy.subarray(2 * array.vertexStart[r], 2 * array.vertexStart[r + 1]);
  };
  const p = path(a, i);
  const q = path(b, j);
  const n = p.length / 2;
  const m = q.length / 2;
  if (n === 0 || m === 0 || n * m > mostPairs) return Number.NaN;
  const row = new Float64Array(m);
  for (let k = 0; k < n; k++) {
    let corner = Number.POSITIVE_INFINITY;
    for (let l = 0; l < m; l++) {
      const above = row[l];
      const before =
        k === 0 && l === 0
          ? 0
          : Math.min(
              k > 0 ? above : Number.POSITIVE_INFINITY,
              l > 0 ? row[l - 1] : Number.POSITIVE_INFINITY,
              corner,
            );
      corner = k > 0 ? above : Number.POSITIVE_INFINITY;
      row[l] = Math.max(before, ruler.distance(p[2 * k], p[2 * k + 1], q[2 * l], q[2 * l + 1]));
    }
  }
  return row[m - 1];
}
