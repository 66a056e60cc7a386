import type { GeometryArray } from '../geometry-array.ts';
import { emptyBox, Kind } from '../geometry-array.ts';
import { BoxTree } from '../noding/box-tree.ts';
import { orientation } from '../predicates.ts';

/** Edges looked at in one question, about: slabs are as many as make that of an area. */
const edgesInSlab = 8;
const mostSlabs = 4096;

/**
 * Finds the areas that hold points: boxes in a packed tree, and the edges of each area by horizontal slabs, so that a question looks
 * at a few edges of a few areas. Answers are exact. Built once for all areas; about 80 bytes an edge.
 */
export class PointLocator {
  private readonly tree: BoxTree;
  /** Number of the area of each box. */
  private readonly numbers: Uint32Array;
  /** Of each area: least y, slabs for one unit of y, first slab. */
  private readonly low: Float64Array;
  private readonly scale: Float64Array;
  private readonly firstSlab: Uint32Array;
  /** Where the edges of each slab begin in `edges`; the vertex at which each edge begins. */
  private readonly slabs: Uint32Array;
  private readonly edges: Uint32Array;
  private readonly xy: Float64Array;
  private readonly found: number[] = [];

  /** @param areas valid areas, one a feature (`AreaSet.areas`); features of other kinds hold nothing */
  constructor(areas: GeometryArray) {
    const { length } = areas;
    this.xy = areas.xy;
    this.low = new Float64Array(length);
    this.scale = new Float64Array(length);
    this.firstSlab = new Uint32Array(length + 1);
    const boxes = new Float64Array(4 * length);
    const numbers: number[] = [];
    const box = emptyBox();
    for (let j = 0; j < length; j++) {
      this.firstSlab[j + 1] = this.firstSlab[j];
      if (areas.kind[j] === Kind.None || areas.isEmpty(j)) continue;
      areas.boxOf(j, box);
      boxes.set(box, 4 * numbers.length);
      numbers.push(j);
      const edges = areas.endVertex(j) - areas.firstVertex(j);
      const slabs = Math.max(1, Math.min(mostSlabs, Math.floor(edges / edgesInSlab)));
      this.low[j] = box[1];
      this.scale[j] = box[3] > box[1] ? slabs / (box[3] - box[1]) : 0;
      this.firstSlab[j + 1] += slabs;
    }
    this.numbers = Uint32Array.from(numbers);
    this.tree = new BoxTree(boxes, numbers.length);
    this.slabs = new Uint32Array(this.firstSlab[length] + 1);
    // Twice through all edges: how many there are in each slab, then which.
    this.eachEdge(areas, (slab) => {
      this.slabs[slab + 1]++;
    });
    for (let s = 0; s < this.firstSlab[length]; s++) this.slabs[s + 1] += this.slabs[s];
    this.edges = new Uint32Array(this.slabs[this.firstSlab[length]]);
    const next = this.slabs.slice();
    this.eachEdge(areas, (slab, vertex) => {
      this.edges[next[slab]++] = vertex;
    });
  }

  private eachEdge(areas: GeometryArray, use: (slab: number, vertex: number) => void): void {
    const { partStart, ringStart, vertexStart, xy } = areas;
    for (const j of this.numbers)
      for (let p = partStart[j]; p < partStart[j + 1]; p++)
        for (let r = ringStart[p]; r < ringStart[p + 1]; r++)
          for (let v = vertexStart[r]; v < vertexStart[r + 1] - 1; v++) {
            const [a, b] = [xy[2 * v + 1], xy[2 * v + 3]];
            const last = this.slab(j, Math.max(a, b));
            for (let s = this.slab(j, Math.min(a, b)); s <= last; s++) use(s, v);
          }
  }

  /** The slab of area j that holds a y of its box. */
  private slab(j: number, y: number): number {
    const first = this.firstSlab[j];
    const slab = first + Math.floor((y - this.low[j]) * this.scale[j]);
    return Math.min(slab, this.firstSlab[j + 1] - 1);
  }

  /** Where a point lies: 1 inside area j, 0 on its border, −1 outside. The point must lie in its box. */
  private where(j: number, x: number, y: number): number {
    const { xy, edges, slabs } = this;
    const slab = this.slab(j, y);
    let inside = false;
    for (let k = slabs[slab]; k < slabs[slab + 1]; k++) {
      const v = 2 * edges[k];
      const ax = xy[v];
      const ay = xy[v + 1];
      const bx = xy[v + 2];
      const by = xy[v + 3];
      if (ay > y === by > y) {
        // An edge that ends at this height, or lies in it, may hold the point.
        if ((ay === y || by === y) && onLevelEdge(ax, ay, bx, by, x, y)) return 0;
        continue;
      }
      if (ax < x && bx < x) continue;
      if (ax > x && bx > x) {
        inside = !inside;
        continue;
      }
      const turn = orientation(ax, ay, bx, by, x, y);
      if (turn === 0) return 0;
      if (turn > 0 === by < ay) continue;
      inside = !inside;
    }
    return inside ? 1 : -1;
  }

  /**
   * Calls `use` for each area that holds a point, in order: with `true` for those that it lies inside of, with `false` for those on
   * whose border it lies.
   */
  each(x: number, y: number, use: (area: number, inside: boolean) => void): void {
    const { found } = this;
    found.length = 0;
    this.tree.search(x, y, x, y, (item) => {
      found.push(this.numbers[item]);
    });
    if (found.length > 1) found.sort((a, b) => a - b);
    for (const area of found) {
      const where = this.where(area, x, y);
      if (where >= 0) use(area, where > 0);
    }
  }

  /**
   * The area that a point belongs to: the first that it lies inside of; on borders alone, the first on whose border it lies; −1 for
   * none. So a point on the border of neighbours belongs to exactly one of them, the one that comes first in the layer.
   */
  find(x: number, y: number): number {
    let inside = -1;
    let border = -1;
    const { found } = this;
    found.length = 0;
    this.tree.search(x, y, x, y, (item) => {
      found.push(this.numbers[item]);
    });
    for (const area of found) {
      const where = this.where(area, x, y);
      if (where > 0 && (inside < 0 || area < inside)) inside = area;
      else if (where === 0 && (border < 0 || area < border)) border = area;
    }
    return inside >= 0 ? inside : border;
  }
}

/** Does an edge whose ends lie on one side of a height, or on it, hold a point at that height? */
function onLevelEdge(ax: number, ay: number, bx: number, by: number, x: number, y: number): boolean {
  if (ay === by) return Math.min(ax, bx) <= x && x <= Math.max(ax, bx);
  return ay === y ? ax === x : bx === x;
}
