import { orientation } from '../predicates.ts';

/** Points that are taken away one after the other, in a grid that grows coarser as they become fewer. */
export class LivePoints {
  private readonly gone: Uint8Array;
  private left: number;
  private columns = 1;
  private rows = 1;
  private west = 0;
  private south = 0;
  private perX = 0;
  private perY = 0;
  private start = new Uint32Array(2);
  private items = new Uint32Array(0);
  private builtFor = 0;

  constructor(
    private readonly x: Float64Array,
    private readonly y: Float64Array,
    count: number,
  ) {
    this.gone = new Uint8Array(count);
    this.left = count;
    this.items = new Uint32Array(count);
    for (let n = 0; n < count; n++) this.items[n] = n;
    this.build();
  }

  /** Takes a point away. */
  remove(n: number): void {
    this.gone[n] = 1;
    this.left--;
    if (this.left < this.builtFor >> 1) this.build();
  }

  private build(): void {
    const { x, y, gone, left } = this;
    this.builtFor = left;
    // Of what was there at the last time.
    const live = new Uint32Array(left);
    for (let k = 0, kept = 0; k < this.items.length; k++)
      if (gone[this.items[k]] === 0) live[kept++] = this.items[k];
    let x0 = Number.POSITIVE_INFINITY;
    let y0 = Number.POSITIVE_INFINITY;
    let x1 = Number.NEGATIVE_INFINITY;
    let y1 = Number.NEGATIVE_INFINITY;
    for (let k = 0; k < left; k++) {
      const n = live[k];
      if (x[n] < x0) x0 = x[n];
      if (x[n] > x1) x1 = x[n];
      if (y[n] < y0) y0 = y[n];
      if (y[n] > y1) y1 = y[n];
    }
    const side = Math.min(4096, Math.max(1, Math.ceil(Math.sqrt(left / 2))));
    this.columns = side;
    this.rows = side;
    this.west = x0;
    this.south = y0;
    this.perX = x1 > x0 ? side / (x1 - x0) : 0;
    this.perY = y1 > y0 ? side / (y1 - y0) : 0;
    const cells = side * side;
    const start = new Uint32Array(cells + 1);
    for (let k = 0; k < left; k++) start[this.cell(x[live[k]], y[live[k]]) + 1]++;
    for (let c = 0; c < cells; c++) start[c + 1] += start[c];
    const filled = start.slice(0, cells);
    const items = new Uint32Array(left);
    for (let k = 0; k < left; k++) items[filled[this.cell(x[live[k]], y[live[k]])]++] = live[k];
    this.start = start;
    this.items = items;
  }

  private column(x: number): number {
    return Math.min(this.columns - 1, Math.max(0, Math.floor((x - this.west) * this.perX)));
  }

  private row(y: number): number {
    return Math.min(this.rows - 1, Math.max(0, Math.floor((y - this.south) * this.perY)));
  }

  private cell(x: number, y: number): number {
    return this.row(y) * this.columns + this.column(x);
  }

  /** Is a test true of any point that is left in a box? */
  any(x0: number, y0: number, x1: number, y1: number, test: (n: number) => boolean): boolean {
    const { x, y, gone, start, items, columns } = this;
    const first = this.column(x0);
    const last = this.column(x1);
    const end = this.row(y1);
    for (let row = this.row(y0); row <= end; row++)
      for (let k = start[row * columns + first]; k < start[row * columns + last + 1]; k++) {
        const n = items[k];
        if (gone[n] === 1 || x[n] < x0 || x[n] > x1 || y[n] < y0 || y[n] > y1) continue;
        if (test(n)) return true;
      }
    return false;
  }

  /** Does the triangle of three of the points, its border included, hold another one that is left? */
  triangleHolds(a: number, b: number, c: number): boolean {
    const { x, y, gone, start, items, columns } = this;
    const x0 = Math.min(x[a], x[b], x[c]);
    const y0 = Math.min(y[a], y[b], y[c]);
    const x1 = Math.max(x[a], x[b], x[c]);
    const y1 = Math.max(y[a], y[b], y[c]);
    const first = this.column(x0);
    const last = this.column(x1);
    const end = this.row(y1);
    let turn = 0;
    for (let row = this.row(y0); row <= end; row++)
      for (let k = start[row * columns + first]; k < start[row * columns + last + 1]; k++) {
        const n = items[k];
        if (gone[n] === 1 || n === a || n === b || n === c) continue;
        if (x[n] < x0 || x[n] > x1 || y[n] < y0 || y[n] > y1) continue;
        if (turn === 0) turn = orientation(x[a], y[a], x[b], y[b], x[c], y[c]) < 0 ? -1 : 1;
        if (
          turn * orientation(x[a], y[a], x[b], y[b], x[n], y[n]) >= 0 &&
          turn * orientation(x[b], y[b], x[c], y[c], x[n], y[n]) >= 0 &&
          turn * orientation(x[c], y[c], x[a], y[a], x[n], y[n]) >= 0
        )
          return true;
      }
    return false;
  }
}
