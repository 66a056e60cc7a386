import { incircle } from 'robust-predicates';
import { BoxTree } from '../noding/box-tree.ts';
import { orientation } from '../predicates.ts';

/** Triangles of points, flat: corners of triangle t at 3t … 3t + 2, counter-clockwise. */
export interface Triangulation {
  /** Numbers of points. */
  corners: Uint32Array;
  /** For each side (from corner k to the next of its triangle) the same side of the neighbour; −1 at the hull. */
  twins: Int32Array;
}

const nextOf = (side: number) => (side % 3 === 2 ? side - 2 : side + 1);
const lastOf = (side: number) => (side % 3 === 0 ? side + 2 : side - 1);

/**
 * The Delaunay triangulation of points: no point lies within the circle of a triangle (B. Delaunay 1934). Points come in one
 * by one along Hilbert's curve and sides are flipped until all circles are empty (C. L. Lawson 1977); predicates are exact
 * (J. R. Shewchuk 1997). Of points at the same place, the first counts. Points on one line have no triangles.
 *
 * @param xy x, y of each point
 */
export function delaunay(xy: Float64Array): Triangulation {
  return new Delaunay(xy).result();
}

/** Stands for the corner at infinity of the triangles outside the hull. */
const far = 0xffffffff;

class Delaunay {
  private corners: Uint32Array;
  private twins: Int32Array;
  private count = 0;
  private last = 0;
  private readonly flips: number[] = [];
  private readonly n: number;

  constructor(private readonly xy: Float64Array) {
    this.n = xy.length / 2;
    // With the triangles outside, twice as many as points.
    this.corners = new Uint32Array(6 * this.n + 24);
    this.twins = new Int32Array(6 * this.n + 24);
    const order = curveOrder(xy);
    const begin = this.begin(order);
    if (begin === null) return;
    for (const p of order) if (!begin.includes(p)) this.insert(p);
  }

  private side(a: number, b: number, c: number): number {
    const { xy } = this;
    return orientation(xy[2 * a], xy[2 * a + 1], xy[2 * b], xy[2 * b + 1], xy[2 * c], xy[2 * c + 1]);
  }

  private same(a: number, b: number): boolean {
    const { xy } = this;
    return xy[2 * a] === xy[2 * b] && xy[2 * a + 1] === xy[2 * b + 1];
  }

  /** The first triangle, with those outside its sides; its corners, or null when all points lie on one line. */
  private begin(order: Uint32Array): [number, number, number] | null {
    if (this.n < 3) return null;
    const a = order[0];
    const b = order.find((p) => !this.same(a, p));
    if (b === undefined) return null;
    const c = order.find((p) => this.side(a, b, p) !== 0);
    if (c === undefined) return null;
    const [p, q, r] = this.side(a, b, c) > 0 ? [a, b, c] : [a, c, b];
    this.triangle(p, q, r);
    this.triangle(q, p, far);
    this.triangle(r, q, far);
    this.triangle(p, r, far);
    this.pair(0, 3);
    this.pair(1, 6);
    this.pair(2, 9);
    this.pair(4, 11);
    this.pair(5, 7);
    this.pair(8, 10);
    return [a, b, c];
  }

  private triangle(a: number, b: number, c: number): number {
    const t = 3 * this.count++;
    this.corners[t] = a;
    this.corners[t + 1] = b;
    this.corners[t + 2] = c;
    return t;
  }

  private pair(one: number, other: number): void {
    this.twins[one] = other;
    if (other >= 0) this.twins[other] = one;
  }

  /** Is the triangle at sides t … t + 2 one that holds p, or a triangle outside beyond whose side p lies? */
  private locate(p: number): number {
    const { corners, twins } = this;
    let t = 3 * Math.floor(this.last / 3);
    // From within, only sides are crossed that the point lies truly beyond.
    if (this.isOutside(t))
      t = 3 * Math.floor(twins[[t, t + 1, t + 2].find((side) => this.isInner(side))!] / 3);
    for (;;) {
      let moved = false;
      for (let k = 0; k < 3; k++) {
        const side = t + k;
        const a = corners[side];
        const b = corners[nextOf(side)];
        if (a === far || b === far) continue;
        if (this.side(a, b, p) < 0) {
          t = 3 * Math.floor(twins[side] / 3);
          moved = true;
          break;
        }
      }
      if (!moved || this.isOutside(t)) return t;
    }
  }

  private isInner(side: number): boolean {
    return this.corners[side] !== far && this.corners[nextOf(side)] !== far;
  }

  private isOutside(t: number): boolean {
    const { corners } = this;
    return corners[t] === far || corners[t + 1] === far || corners[t + 2] === far;
  }

  /** Splits the triangle that holds a point in three, then flips. */
  private insert(p: number): void {
    const t = this.locate(p);
    const { corners, twins, flips } = this;
    for (let k = 0; k < 3; k++) if (corners[t + k] !== far && this.same(corners[t + k], p)) return;
    const [a, b, c] = [corners[t], corners[t + 1], corners[t + 2]];
    const [ab, bc, ca] = [twins[t], twins[t + 1], twins[t + 2]];
    corners[t + 2] = p;
    const second = this.triangle(b, c, p);
    const third = this.triangle(c, a, p);
    this.pair(t, ab);
    this.pair(second, bc);
    this.pair(third, ca);
    this.pair(t + 1, second + 2);
    this.pair(second + 1, third + 2);
    this.pair(third + 1, t + 2);
    this.last = t;
    flips.push(t, second, third);
    while (flips.length > 0) this.settle(flips.pop()!, p);
  }

  /** Flips a side opposite to p where the point beyond it lies within the circle. */
  private settle(side: number, p: number): void {
    const { corners, twins } = this;
    // Its place may have changed by flips before: the side is the one opposite to p.
    let own = 3 * Math.floor(side / 3);
    for (let k = 0; k < 3; k++) if (corners[own + k] === p) side = own + ((k + 1) % 3);
    const twin = twins[side];
    const d = corners[lastOf(twin)];
    const a = corners[side];
    const b = corners[nextOf(side)];
    if (!this.isWithin(a, b, p, d)) return;
    // p, a, b and d, b, a become p, a, d and p, d, b.
    own = side;
    const bp = nextOf(own);
    const ad = nextOf(twin);
    const [twinBp, twinAd] = [twins[bp], twins[ad]];
    corners[nextOf(own)] = d;
    corners[nextOf(twin)] = p;
    // The first keeps the side p → a, the second d → b.
    this.pair(own, twinAd);
    this.pair(twin, twinBp);
    this.pair(bp, ad);
    this.last = own;
    this.flips.push(own, twin);
  }

  /** Does d lie within the circle of a → b → p, or, where one of them is at infinity, beyond the side of the others? */
  private isWithin(a: number, b: number, p: number, d: number): boolean {
    const { xy } = this;
    // The hull stays, unless the point lies on its side.
    if (d === far) return this.side(a, b, p) === 0;
    if (a === far) return this.side(p, b, d) < 0;
    if (b === far) return this.side(a, p, d) < 0;
    return (
      incircle(
        xy[2 * a],
        xy[2 * a + 1],
        xy[2 * b],
        xy[2 * b + 1],
        xy[2 * p],
        xy[2 * p + 1],
        xy[2 * d],
        xy[2 * d + 1],
      ) > 0
    );
  }

  /** Without the triangles outside. */
  result(): Triangulation {
    const { corners, twins, count } = this;
    const moved = new Int32Array(count).fill(-1);
    let kept = 0;
    for (let t = 0; t < count; t++) if (!this.isOutside(3 * t)) moved[t] = kept++;
    const result = { corners: new Uint32Array(3 * kept), twins: new Int32Array(3 * kept) };
    for (let t = 0; t < count; t++) {
      if (moved[t] < 0) continue;
      for (let k = 0; k < 3; k++) {
        result.corners[3 * moved[t] + k] = corners[3 * t + k];
        const twin = twins[3 * t + k];
        const other = moved[Math.floor(twin / 3)];
        result.twins[3 * moved[t] + k] = other < 0 ? -1 : 3 * other + (twin % 3);
      }
    }
    return result;
  }
}

/** Numbers of points in the order in which Hilbert's curve passes them: neighbours come soon after each other. */
function curveOrder(xy: Float64Array): Uint32Array {
  const boxes = new Float64Array(2 * xy.length);
  for (let p = 0; p < xy.length / 2; p++) {
    boxes[4 * p] = xy[2 * p];
    boxes[4 * p + 1] = xy[2 * p + 1];
    boxes[4 * p + 2] = xy[2 * p];
    boxes[4 * p + 3] = xy[2 * p + 1];
  }
  return new BoxTree(boxes).items;
}
