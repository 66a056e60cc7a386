/**
 * What two polygons cover together, apart and alone, in fractions of whole numbers of any length: no rounding before the
 * last sum.
 * Slow and simple: the plane is cut into vertical strips at every vertex and crossing; in a strip, edges lie one above
 * the other.
 */

type Ring = readonly (readonly number[])[];
export type Rule = 'even-odd' | 'non-zero';

/** A fraction; the denominator is positive. */
class Fraction {
  readonly n: bigint;
  readonly d: bigint;

  constructor(n: bigint, d = 1n) {
    this.n = d < 0n ? -n : n;
    this.d = d < 0n ? -d : d;
  }
  plus(o: Fraction) {
    return new Fraction(this.n * o.d + o.n * this.d, this.d * o.d);
  }
  minus(o: Fraction) {
    return new Fraction(this.n * o.d - o.n * this.d, this.d * o.d);
  }
  times(o: Fraction) {
    return new Fraction(this.n * o.n, this.d * o.d);
  }
  over(o: Fraction) {
    return new Fraction(this.n * o.d, this.d * o.n);
  }
  compare(o: Fraction): number {
    const difference = this.n * o.d - o.n * this.d;
    return difference < 0n ? -1 : difference > 0n ? 1 : 0;
  }
  /** Near enough for a comparison with doubles. */
  number(): number {
    const bits = (value: bigint) => value.toString(16).length * 4;
    const up = BigInt(80 + bits(this.d) - bits(this.n));
    const scaled = up > 0n ? (this.n << up) / this.d : this.n / (this.d << -up);
    return Number(scaled) * 2 ** -Number(up);
  }
}

/** A double as the fraction that it is. */
function fraction(value: number): Fraction {
  let n = value;
  let power = 0n;
  while (!Number.isInteger(n)) {
    n *= 2;
    power++;
  }
  return new Fraction(BigInt(n), 1n << power);
}

interface Edge {
  ax: Fraction;
  ay: Fraction;
  bx: Fraction;
  by: Fraction;
  /** +1 when the edge runs from left to right, −1 when it was turned so that it does. */
  way: bigint;
  of: 'a' | 'b';
}

const doubleArea = (ring: Ring): Fraction =>
  ring.reduce((sum, [x, y], k) => {
    const [u, v] = ring[(k + 1) % ring.length];
    return sum.plus(
      fraction(x)
        .times(fraction(v))
        .minus(fraction(u).times(fraction(y))),
    );
  }, new Fraction(0n));

/** Edges that are not vertical, from left to right; by non-zero, shells count counter-clockwise and holes clockwise. */
function edgesOf(rings: readonly Ring[], of: 'a' | 'b', rule: Rule): Edge[] {
  return rings.flatMap((ring, r) => {
    const left = doubleArea(ring).n >= 0n;
    const turn = rule === 'non-zero' && left !== (r === 0) ? -1n : 1n;
    return ring.flatMap(([x, y], k): Edge[] => {
      const [u, v] = ring[(k + 1) % ring.length];
      if (x === u) return [];
      const [p, q, s, t] = x < u ? [x, y, u, v] : [u, v, x, y];
      return [
        {
          ax: fraction(p),
          ay: fraction(q),
          bx: fraction(s),
          by: fraction(t),
          way: x < u ? turn : -turn,
          of,
        },
      ];
    });
  });
}

const heightAt = ({ ax, ay, bx, by }: Edge, x: Fraction): Fraction =>
  ay.plus(by.minus(ay).times(x.minus(ax)).over(bx.minus(ax)));

/** The x of the point in which the lines of two edges cross, if they do. */
function crossingX(e: Edge, f: Edge): Fraction | null {
  const slopeE = e.by.minus(e.ay).over(e.bx.minus(e.ax));
  const slopeF = f.by.minus(f.ay).over(f.bx.minus(f.ax));
  const difference = slopeE.minus(slopeF);
  if (difference.n === 0n) return null;
  return f.ay
    .minus(slopeF.times(f.ax))
    .minus(e.ay.minus(slopeE.times(e.ax)))
    .over(difference);
}

export interface ExactAreas {
  a: number;
  b: number;
  intersection: number;
  union: number;
  difference: number;
  'symmetric-difference': number;
}

/** The exact areas of two polygons (each its shell, then its holes) and of what is made of them, rounded at the end. */
export function exactAreas(a: readonly Ring[], b: readonly Ring[], rule: Rule): ExactAreas {
  const edges = [...edgesOf(a, 'a', rule), ...edgesOf(b, 'b', rule)];
  const stops: Fraction[] = edges.flatMap((edge) => [edge.ax, edge.bx]);
  edges.forEach((e, i) => {
    for (const f of edges.slice(i + 1)) {
      const x = crossingX(e, f);
      if (x === null) continue;
      if ([e, f].every((edge) => edge.ax.compare(x) < 0 && x.compare(edge.bx) < 0)) stops.push(x);
    }
  });
  stops.sort((x, y) => x.compare(y));
  const inside = (winding: bigint) => (rule === 'non-zero' ? winding !== 0n : winding % 2n !== 0n);
  const sums: ExactAreas = {
    a: 0,
    b: 0,
    intersection: 0,
    union: 0,
    difference: 0,
    'symmetric-difference': 0,
  };
  for (let k = 0; k + 1 < stops.length; k++) {
    const [from, to] = [stops[k], stops[k + 1]];
    if (from.compare(to) === 0) continue;
    const middle = from.plus(to).over(new Fraction(2n));
    const over = edges
      .filter(({ ax, bx }) => ax.compare(from) <= 0 && to.compare(bx) <= 0)
      .map((edge) => ({ edge, y: heightAt(edge, middle) }))
      .sort((e, f) => e.y.compare(f.y));
    const winding = { a: 0n, b: 0n };
    over.forEach(({ edge, y }, n) => {
      winding[edge.of] += edge.way;
      if (n + 1 === over.length) return;
      // Exact up to here: what is added up now is never negative.
      const area = over[n + 1].y.minus(y).times(to.minus(from)).number();
      const [inA, inB] = [inside(winding.a), inside(winding.b)];
      const add = (key: keyof ExactAreas, holds: boolean) => {
        if (holds) sums[key] += area;
      };
      add('a', inA);
      add('b', inB);
      add('intersection', inA && inB);
      add('union', inA || inB);
      add('difference', inA && !inB);
      add('symmetric-difference', inA !== inB);
    });
  }
  return sums;
}
