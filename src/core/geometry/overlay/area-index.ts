import { IsomericError } from '../../errors.ts';
import { type Box, boxesMeet, emptyBox, type GeometryArray, growBox } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { BoxTree } from '../noding/box-tree.ts';
import { orientation } from '../predicates.ts';
import { unusableVertex, usableBox } from '../unusable.ts';
import { windingOf } from './face-labels.ts';
import type { FillRule } from './fill-rule.ts';
import { uniteAreas } from './unite.ts';

export const Where = { Outside: 0, Inside: 1, Border: 2 } as const;

/** An area must be there as a whole: what is cut by a part of it would be wrong. */
function refuseUnusable(array: GeometryArray, i: number): void {
  if (usableBox(array, i, emptyBox())) return;
  const { vertex, value, at } = unusableVertex(array, i)!;
  const near = at === undefined ? '' : `, behind ${at[0]} ${at[1]}`;
  throw new IsomericError(
    'coordinate-unusable',
    `Polygon ${i + 1} of the area has the coordinate ${value} at its vertex ${vertex}${near}: geometry cannot be computed with it.`,
    { advice: 'Repair it, or leave the polygon out with a filter.' },
  );
}

/**
 * An area made ready for many questions: normalised (one multi-polygon without inner borders, shells
 * counter-clockwise), its edges in a packed tree, and a raster of cells that are wholly inside, wholly outside or
 * touched by the border, so that most features are settled by one look at a byte. All answers are exact.
 */
export class AreaIndex {
  /** The normalised area: one feature. */
  readonly geometry: GeometryArray;
  readonly box: Box;
  /** ax, ay, bx, by of each edge; the area is on its left. */
  readonly ends: Float64Array;
  private readonly flatBox = new Float64Array(4);
  private readonly index: BoxTree;
  private readonly cells: Uint8Array;
  /** The same for blocks of 8 × 8 cells: what they all are, or Border. Small enough to stay close to the processor. */
  private readonly blocks: Uint8Array;
  private readonly side: number;
  private readonly scaleX: number;
  private readonly scaleY: number;

  constructor(
    array: GeometryArray,
    features: readonly number[] = Array.from({ length: array.length }, (_, i) => i),
    rule: FillRule = 'non-zero',
    normalised = false,
  ) {
    this.geometry = normalised ? array : AreaIndex.normalise(array, features, rule);
    const { xy, vertexStart, ringStart } = this.geometry;
    const rings = ringStart[this.geometry.partStart[1]];
    const ends = new Float64Array(4 * (this.geometry.vertexCount - rings));
    let n = 0;
    for (let r = 0; r < rings; r++) {
      for (let v = vertexStart[r]; v < vertexStart[r + 1] - 1; v++) {
        ends.set(xy.subarray(2 * v, 2 * v + 4), n);
        n += 4;
      }
    }
    this.ends = ends;
    this.box = emptyBox();
    growBox(this.box, this.geometry.box());
    const boxes = new Float64Array(n);
    for (let k = 0; k < n; k += 4) {
      boxes[k] = Math.min(ends[k], ends[k + 2]);
      boxes[k + 1] = Math.min(ends[k + 1], ends[k + 3]);
      boxes[k + 2] = Math.max(ends[k], ends[k + 2]);
      boxes[k + 3] = Math.max(ends[k + 1], ends[k + 3]);
    }
    this.index = new BoxTree(boxes);
    this.side = n > 4000 ? 1024 : n > 1000 ? 512 : 128;
    this.scaleX = this.side / (this.box[2] - this.box[0]);
    this.scaleY = this.side / (this.box[3] - this.box[1]);
    this.cells = new Uint8Array(this.side * this.side).fill(255);
    this.flatBox.set(this.box);
    this.rasterise();
    this.blocks = this.blocksOf();
  }

  /** The index of what another one has as its `geometry`: the same edges in the same order. */
  static ofNormalised(geometry: GeometryArray): AreaIndex {
    return new AreaIndex(geometry, [0], 'non-zero', true);
  }

  private static normalise(array: GeometryArray, features: readonly number[], rule: FillRule): GeometryArray {
    const builder = new GeometryMaker();
    const areas = features.filter((i) => array.kind[i] === 3 || array.kind[i] === 6 || array.kind[i] === 7);
    for (const i of areas) refuseUnusable(array, i);
    if (areas.length === 0 || uniteAreas(array, areas, builder, rule) === 0) {
      throw new IsomericError('area-empty', 'The area holds no polygon.', {
        advice: 'Name a layer with polygons.',
      });
    }
    return builder.finish();
  }

  private blocksOf(): Uint8Array {
    const { cells, side } = this;
    const wide = side >> 3;
    const blocks = new Uint8Array(wide * wide);
    for (let b = 0; b < blocks.length; b++) {
      const first = 8 * (Math.floor(b / wide) * side + (b % wide));
      let where = cells[first];
      for (let r = 0; r < 8; r++)
        for (let c = 0; c < 8; c++) if (cells[first + r * side + c] !== where) where = Where.Border;
      blocks[b] = where;
    }
    return blocks;
  }

  private column(x: number): number {
    const c = Math.floor((x - this.box[0]) * this.scaleX);
    return c < 0 ? 0 : c >= this.side ? this.side - 1 : c;
  }

  private row(y: number): number {
    const c = Math.floor((y - this.box[1]) * this.scaleY);
    return c < 0 ? 0 : c >= this.side ? this.side - 1 : c;
  }

  private rasterise(): void {
    const { cells, side, ends, box } = this;
    // A cell is found by a product that is off by less than a millionth of it; a place on an edge by some last digits.
    const margin = (scale: number, ...ends: number[]) =>
      Math.min(1, 1e-6 + 1e-15 * Math.max(...ends.map(Math.abs)) * scale);
    const marginX = margin(this.scaleX, box[0], box[2]);
    const marginY = margin(this.scaleY, box[1], box[3]);
    const reachX = marginX / this.scaleX;
    const reachY = marginY / this.scaleY;
    for (let k = 0; k < ends.length; k += 4) {
      const up = ends[k + 1] <= ends[k + 3];
      const ax = ends[up ? k : k + 2];
      const ay = ends[up ? k + 1 : k + 3];
      const bx = ends[up ? k + 2 : k];
      const by = ends[up ? k + 3 : k + 1];
      const low = this.row(ay - reachY);
      const high = this.row(by + reachY);
      for (let r = low; r <= high; r++) {
        let left = Math.min(ax, bx);
        let right = Math.max(ax, bx);
        if (by > ay) {
          const y0 = box[1] + (r - marginY) / this.scaleY;
          const y1 = box[1] + (r + 1 + marginY) / this.scaleY;
          const t0 = Math.min(1, Math.max(0, (y0 - ay) / (by - ay)));
          const t1 = Math.min(1, Math.max(0, (y1 - ay) / (by - ay)));
          left = Math.min(ax + t0 * (bx - ax), ax + t1 * (bx - ax));
          right = Math.max(ax + t0 * (bx - ax), ax + t1 * (bx - ax));
        }
        const from = this.column(left - reachX);
        const to = this.column(right + reachX);
        cells.fill(Where.Border, r * side + from, r * side + to + 1);
      }
    }
    for (let r = 0; r < side; r++) {
      const y = box[1] + (r + 0.5) / this.scaleY;
      let where = -1;
      for (let c = 0; c < side; c++) {
        if (cells[r * side + c] === Where.Border) where = -1;
        else {
          // Cells next to each other without a border between them lie on one side of it.
          if (where < 0)
            where = this.locate(box[0] + (c + 0.5) / this.scaleX, y) > 0 ? Where.Inside : Where.Outside;
          cells[r * side + c] = where;
        }
      }
    }
  }

  /** Where a whole box lies, from the raster alone: inside, outside, or (perhaps) on the border. */
  whereBox(given: Float64Array): number {
    const { side, cells } = this;
    const box = this.flatBox;
    const x0 = given[0];
    const y0 = given[1];
    const x1 = given[2];
    const y1 = given[3];
    if (!(x0 <= box[2] && x1 >= box[0] && y0 <= box[3] && y1 >= box[1])) return Where.Outside;
    if (x0 < box[0] || y0 < box[1] || x1 > box[2] || y1 > box[3]) return Where.Border;
    const c0 = this.column(x0);
    const c1 = this.column(x1);
    const r1 = this.row(y1);
    let r = this.row(y0);
    const { blocks } = this;
    const wide = side >> 3;
    const corner = blocks[(r >> 3) * wide + (c0 >> 3)];
    if (
      corner !== Where.Border &&
      c1 >> 3 <= (c0 >> 3) + 1 &&
      r1 >> 3 <= (r >> 3) + 1 &&
      corner === blocks[(r >> 3) * wide + (c1 >> 3)] &&
      corner === blocks[(r1 >> 3) * wide + (c0 >> 3)] &&
      corner === blocks[(r1 >> 3) * wide + (c1 >> 3)]
    )
      return corner;
    const first = cells[r * side + c0];
    if (first === Where.Border || (c0 === c1 && r === r1)) return first;
    for (; r <= r1; r++) {
      for (let k = r * side + c0, end = r * side + c1; k <= end; k++)
        if (cells[k] !== first) return Where.Border;
    }
    return first;
  }

  /** Numbers of the edges whose boxes meet the given one. */
  edgesNear(x0: number, y0: number, x1: number, y1: number): number[] {
    const near: number[] = [];
    this.index.search(x0, y0, x1, y1, (e) => {
      near.push(e);
    });
    return near;
  }

  /** Does the box of an edge meet the given one? */
  isNearEdge(x0: number, y0: number, x1: number, y1: number): boolean {
    let near = false;
    this.index.search(x0, y0, x1, y1, () => {
      near = true;
      return true;
    });
    return near;
  }

  /** Where a point lies: 1 inside, 0 on the border, −1 outside. */
  locate(x: number, y: number): number {
    const { ends, box } = this;
    if (!boxesMeet(box, [x, y, x, y])) return -1;
    let winding = 0;
    let on = false;
    this.index.search(x, y, box[2], y, (e) => {
      const k = 4 * e;
      const ax = ends[k];
      const ay = ends[k + 1];
      const bx = ends[k + 2];
      const by = ends[k + 3];
      winding += windingOf(x, y, ax, ay, bx, by);
      if (
        !on &&
        x >= Math.min(ax, bx) &&
        x <= Math.max(ax, bx) &&
        y >= Math.min(ay, by) &&
        y <= Math.max(ay, by) &&
        orientation(ax, ay, bx, by, x, y) === 0
      )
        on = true;
    });
    return on ? 0 : winding !== 0 ? 1 : -1;
  }

  /**
   * What the edges whose boxes do not meet the given one add to the winding number an infinitesimal step from a point in
   * that box, just above east of it.
   */
  windingFrom(x: number, y: number, near: Box): number {
    const { ends, box } = this;
    if (y < box[1] || y > box[3] || x > box[2]) return 0;
    let winding = 0;
    this.index.search(x, y, box[2], y, (e) => {
      const k = 4 * e;
      const [ax, ay, bx, by] = [ends[k], ends[k + 1], ends[k + 2], ends[k + 3]];
      const apart =
        Math.max(ax, bx) < near[0] ||
        Math.min(ax, bx) > near[2] ||
        Math.max(ay, by) < near[1] ||
        Math.min(ay, by) > near[3];
      if (apart) winding += windingOf(x, y, ax, ay, bx, by);
    });
    return winding;
  }
}
