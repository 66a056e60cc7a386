import type { GeometryArray } from '../geometry/geometry-array.ts';
import type { Grid } from './grid.ts';
import { cellAt } from './grid.ts';

/** Rows and columns of cells, from `column`, `row` on. */
export interface CellBox {
  column: number;
  row: number;
  width: number;
  height: number;
}

/** How much of cells an area covers. */
export interface CellCover {
  /** Share of each cell of the box that is covered, 0 to 1, row by row. */
  shares: Float64Array;
}

/** The edges of valid areas in columns and rows of a grid, ready to be laid over its cells. */
export class CellEdges {
  /** x and y of both ends of each edge, in turn, in columns and rows. */
  private readonly ends: Float64Array;
  /** Where the edges of each area begin. */
  private readonly first: Uint32Array;
  /** Columns and rows that each area reaches: from, from, to, to. */
  private readonly boxes: Float64Array;
  private accumulated = new Float64Array(1024);

  /** @param areas valid areas in the CRS of the grid, one a feature */
  constructor(grid: Grid, areas: GeometryArray) {
    const { length, partStart, ringStart, vertexStart, xy } = areas;
    this.first = new Uint32Array(length + 1);
    this.boxes = new Float64Array(4 * length);
    const ends: number[] = [];
    for (let j = 0; j < length; j++) {
      const box = [
        Number.POSITIVE_INFINITY,
        Number.POSITIVE_INFINITY,
        Number.NEGATIVE_INFINITY,
        Number.NEGATIVE_INFINITY,
      ];
      for (let p = partStart[j]; p < partStart[j + 1]; p++)
        for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
          let [x, y] = cellAt(grid, xy[2 * vertexStart[r]], xy[2 * vertexStart[r] + 1]);
          for (let v = vertexStart[r] + 1; v < vertexStart[r + 1]; v++) {
            const [toX, toY] = cellAt(grid, xy[2 * v], xy[2 * v + 1]);
            ends.push(x, y, toX, toY);
            box[0] = Math.min(box[0], x, toX);
            box[1] = Math.min(box[1], y, toY);
            box[2] = Math.max(box[2], x, toX);
            box[3] = Math.max(box[3], y, toY);
            [x, y] = [toX, toY];
          }
        }
      this.first[j + 1] = ends.length / 4;
      this.boxes.set(box, 4 * j);
    }
    this.ends = Float64Array.from(ends);
  }

  /** The cells within some that an area may cover; null when there are none. */
  cellsOf(j: number, { column, row, width, height }: CellBox): CellBox | null {
    const [x0, y0, x1, y1] = this.boxes.subarray(4 * j, 4 * j + 4);
    const left = Math.max(column, Math.floor(x0));
    const top = Math.max(row, Math.floor(y0));
    const right = Math.min(column + width, Math.ceil(x1));
    const bottom = Math.min(row + height, Math.ceil(y1));
    return left < right && top < bottom
      ? { column: left, row: top, width: right - left, height: bottom - top }
      : null;
  }

  /** Area of area j in cells. */
  size(j: number): number {
    let twice = 0;
    for (let e = 4 * this.first[j]; e < 4 * this.first[j + 1]; e += 4)
      twice += this.ends[e] * this.ends[e + 3] - this.ends[e + 2] * this.ends[e + 1];
    return Math.abs(twice) / 2;
  }

  private zeros(length: number): Float64Array {
    if (length > this.accumulated.length) this.accumulated = new Float64Array(2 * length);
    this.accumulated.fill(0, 0, length);
    return this.accumulated;
  }

  /**
   * The exact share of each cell that area j covers. Each edge adds, in every row that it crosses, the signed area to its right;
   * summed from left to right these are the shares.
   */
  shares(j: number, box: CellBox): Float64Array {
    const { width, height } = box;
    const stride = width + 1;
    const sums = this.zeros(stride * height);
    const { ends } = this;
    for (let e = 4 * this.first[j]; e < 4 * this.first[j + 1]; e += 4)
      addEdge(
        sums,
        stride,
        box,
        ends[e] - box.column,
        ends[e + 1] - box.row,
        ends[e + 2] - box.column,
        ends[e + 3] - box.row,
      );
    const shares = new Float64Array(width * height);
    for (let row = 0; row < height; row++) {
      let sum = 0;
      for (let column = 0; column < width; column++) {
        sum += sums[row * stride + column];
        const share = Math.abs(sum);
        // What is left of rounding is no cover.
        shares[row * width + column] = share < 1e-12 ? 0 : share > 1 - 1e-12 ? 1 : share;
      }
    }
    return shares;
  }

  /** 1 for each cell whose centre area j holds, else 0. A centre on a border belongs to the area on its right, or below it. */
  centres(j: number, box: CellBox): Float64Array {
    const { width, height } = box;
    const turns = this.zeros((width + 1) * height);
    const { ends } = this;
    for (let e = 4 * this.first[j]; e < 4 * this.first[j + 1]; e += 4) {
      const down = ends[e + 1] < ends[e + 3];
      // The same edge of two neighbours must be crossed at the same place: from its upper end, whichever way it runs.
      const [ax, ay] = down ? [ends[e], ends[e + 1]] : [ends[e + 2], ends[e + 3]];
      const [bx, by] = down ? [ends[e + 2], ends[e + 3]] : [ends[e], ends[e + 1]];
      const from = Math.max(0, Math.ceil(ay - 0.5 - box.row));
      const to = Math.min(height, Math.ceil(by - 0.5 - box.row));
      for (let row = from; row < to; row++) {
        const x = ax + ((row + box.row + 0.5 - ay) / (by - ay)) * (bx - ax);
        const column = Math.min(width, Math.max(0, Math.ceil(x - 0.5) - box.column));
        turns[row * (width + 1) + column] += down ? 1 : -1;
      }
    }
    const inside = new Float64Array(width * height);
    for (let row = 0; row < height; row++) {
      let turn = 0;
      for (let column = 0; column < width; column++) {
        turn += turns[row * (width + 1) + column];
        if (turn !== 0) inside[row * width + column] = 1;
      }
    }
    return inside;
  }
}

/** Adds an edge, its coordinates from the upper left corner of the box on, to the sums of its rows. */
function addEdge(
  sums: Float64Array,
  stride: number,
  { width, height }: CellBox,
  ax: number,
  ay: number,
  bx: number,
  by: number,
): void {
  if (ay === by) return;
  const sign = ay < by ? 1 : -1;
  const [x0, y0, x1, y1] = ay < by ? [ax, ay, bx, by] : [bx, by, ax, ay];
  const slope = (x1 - x0) / (y1 - y0);
  const from = Math.max(0, Math.floor(y0));
  const to = Math.min(height, Math.ceil(y1));
  for (let row = from; row < to; row++) {
    const top = Math.max(row, y0);
    const bottom = Math.min(row + 1, y1);
    const xTop = x0 + (top - y0) * slope;
    const xBottom = bottom === y1 ? x1 : x0 + (bottom - y0) * slope;
    addRow(
      sums,
      row * stride,
      width,
      sign * (bottom - top),
      Math.min(xTop, xBottom),
      Math.max(xTop, xBottom),
    );
  }
}

/** Adds the part of an edge that lies in one row: of a height, from one x to another. */
function addRow(
  sums: Float64Array,
  at: number,
  width: number,
  height: number,
  left: number,
  right: number,
): void {
  if (left >= width) return;
  if (right <= 0) {
    sums[at] += height;
    return;
  }
  if (right - left < 1e-300) {
    one(sums, at, height, left);
    return;
  }
  const perX = height / (right - left);
  let x = left;
  if (x < 0) {
    // What lies to the left of the box covers its rows from the first cell on.
    sums[at] += perX * -x;
    x = 0;
  }
  const end = Math.min(right, width);
  while (x < end) {
    const next = Math.min(end, Math.floor(x) + 1);
    one(sums, at, perX * (next - x), (x + next) / 2);
    x = next;
  }
}

/** An edge within one cell, at x in the middle: it covers the rest of that cell, and all to its right. */
function one(sums: Float64Array, at: number, height: number, x: number): void {
  const column = Math.floor(x);
  const covered = height * (column + 1 - x);
  sums[at + column] += covered;
  sums[at + column + 1] += height - covered;
}
