import { type GeometryArray, Kind } from '../geometry-array.ts';
import { roomFor } from '../noding/chains.ts';

/** Numbers for the positions of vertices: equal ones have the same number. */
export class Positions {
  count = 0;
  x = new Float64Array(64);
  y = new Float64Array(64);
  private table: Uint32Array;

  constructor(likely = 64) {
    let size = 64;
    while (size < 2 * likely) size *= 2;
    this.table = new Uint32Array(size);
    this.x = new Float64Array(likely);
    this.y = new Float64Array(likely);
  }

  /** The number of a position. */
  at(x: number, y: number): number {
    const { table } = this;
    const mask = table.length - 1;
    let slot = hash(x, y) & mask;
    for (;;) {
      const known = table[slot];
      if (known === 0) break;
      if (this.x[known - 1] === x && this.y[known - 1] === y) return known - 1;
      slot = (slot + 1) & mask;
    }
    const n = this.count++;
    this.x = roomFor(this.x, n + 1);
    this.y = roomFor(this.y, n + 1);
    this.x[n] = x;
    this.y[n] = y;
    table[slot] = n + 1;
    if (2 * this.count > table.length) this.enlarge();
    return n;
  }

  private enlarge(): void {
    const table = new Uint32Array(2 * this.table.length);
    const mask = table.length - 1;
    for (let n = 0; n < this.count; n++) {
      let slot = hash(this.x[n], this.y[n]) & mask;
      while (table[slot] !== 0) slot = (slot + 1) & mask;
      table[slot] = n + 1;
    }
    this.table = table;
  }
}

const double = new Float64Array(2);
const words = new Uint32Array(double.buffer);

function hash(x: number, y: number): number {
  // −0 and 0 are one place.
  double[0] = x + 0;
  double[1] = y + 0;
  let h = Math.imul(words[0] ^ Math.imul(words[1], 0x85ebca6b), 0x9e3779b1);
  h = Math.imul(h ^ (h >>> 15) ^ words[2], 0xc2b2ae35);
  h = Math.imul(h ^ (h >>> 13) ^ words[3], 0x27d4eb2f);
  return h ^ (h >>> 16);
}

/**
 * The vertices of lines and areas as positions, each with the two that it stands between on every path that passes
 * it: what features share is there once. Positions where paths end, cross or part are nodes, which stay where they are.
 */
export class SharedVertices {
  readonly positions: Positions;
  /** Position of each vertex of the array. */
  readonly of: Uint32Array;
  /** The two neighbours of each position, −1 where there is none; only the first two of a node. */
  readonly one: Int32Array;
  readonly other: Int32Array;
  /** 1: where paths end, cross or part, and points. */
  readonly isNode: Uint8Array;

  constructor(array: GeometryArray) {
    const { xy, vertexCount, vertexStart, ringStart, partStart } = array;
    this.positions = new Positions(vertexCount);
    this.of = new Uint32Array(vertexCount);
    for (let v = 0; v < vertexCount; v++) this.of[v] = this.positions.at(xy[2 * v], xy[2 * v + 1]);
    const { count } = this.positions;
    this.one = new Int32Array(count).fill(-1);
    this.other = new Int32Array(count).fill(-1);
    this.isNode = new Uint8Array(count);
    for (let i = 0; i < array.length; i++)
      for (let p = partStart[i]; p < partStart[i + 1]; p++) {
        const kind = array.kindOfPart(i, p);
        for (let r = ringStart[p]; r < ringStart[p + 1]; r++)
          this.addPath(vertexStart[r], vertexStart[r + 1], kind === Kind.Point);
      }
  }

  private addPath(first: number, end: number, isPoint: boolean): void {
    const { of, isNode } = this;
    if (end === first) return;
    if (isPoint || of[first] !== of[end - 1]) {
      isNode[of[first]] = 1;
      isNode[of[end - 1]] = 1;
    } else if (end - first > 2)
      this.link(of[first], this.before(first, end - 1), this.behind(first, end - 1));
    for (let v = first + 1; v < end - 1; v++)
      if (of[v] !== of[v - 1]) this.link(of[v], of[v - 1], this.behind(v, end - 1));
  }

  /** The next other position after a vertex; at the last vertex, which is the first one again, that behind it. */
  private behind(v: number, last: number): number {
    let w = v + 1;
    while (w < last && this.of[w] === this.of[v]) w++;
    return this.of[w];
  }

  private before(first: number, last: number): number {
    let w = last - 1;
    while (w > first && this.of[w] === this.of[last]) w--;
    return this.of[w];
  }

  private link(n: number, a: number, b: number): void {
    const { one, other, isNode } = this;
    if (a === b) isNode[n] = 1;
    if (one[n] < 0) {
      one[n] = a;
      other[n] = b;
    } else if (!((one[n] === a && other[n] === b) || (one[n] === b && other[n] === a))) isNode[n] = 1;
  }
}
