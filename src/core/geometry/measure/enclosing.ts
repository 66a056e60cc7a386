import { convexHull } from './hull.ts';

/** A circle: its centre and its radius, in units of the coordinates. */
export interface Circle {
  x: number;
  y: number;
  radius: number;
}

/**
 * The rectangle of least area, turned as it may be, around points: its four corners, counter-clockwise. One of its sides lies
 * on a side of the convex hull (H. Freeman and R. Shapira 1975).
 */
export function leastRectangle(xy: Float64Array): Float64Array | null {
  const hull = convexHull(xy);
  if (hull.length < 3) return null;
  let best: Float64Array | null = null;
  let least = Number.POSITIVE_INFINITY;
  for (let k = 0; k < hull.length; k++) {
    const a = hull[k];
    const b = hull[(k + 1) % hull.length];
    const [ax, ay] = [xy[2 * a], xy[2 * a + 1]];
    const length = Math.hypot(xy[2 * b] - ax, xy[2 * b + 1] - ay);
    const ux = (xy[2 * b] - ax) / length;
    const uy = (xy[2 * b + 1] - ay) / length;
    let from = 0;
    let to = 0;
    let far = 0;
    for (const p of hull) {
      const dx = xy[2 * p] - ax;
      const dy = xy[2 * p + 1] - ay;
      const along = dx * ux + dy * uy;
      from = Math.min(from, along);
      to = Math.max(to, along);
      far = Math.max(far, dy * ux - dx * uy);
    }
    const area = (to - from) * far;
    if (area >= least) continue;
    least = area;
    best = Float64Array.of(
      ax + from * ux,
      ay + from * uy,
      ax + to * ux,
      ay + to * uy,
      ax + to * ux - far * uy,
      ay + to * uy + far * ux,
      ax + from * ux - far * uy,
      ay + from * uy + far * ux,
    );
  }
  return best;
}

/** The least circle around points (E. Welzl 1991, over the corners of their hull, without recursion); null for none. */
export function leastCircle(xy: Float64Array): Circle | null {
  const hull = convexHull(xy);
  if (hull.length === 0) return null;
  const points = hull.map((p): readonly [number, number] => [xy[2 * p], xy[2 * p + 1]]);
  const holds = (circle: Circle, [x, y]: readonly [number, number]) =>
    Math.hypot(x - circle.x, y - circle.y) <= circle.radius * (1 + 1e-12);
  let circle: Circle = { x: points[0][0], y: points[0][1], radius: 0 };
  for (let i = 1; i < points.length; i++) {
    if (holds(circle, points[i])) continue;
    circle = { x: points[i][0], y: points[i][1], radius: 0 };
    for (let j = 0; j < i; j++) {
      if (holds(circle, points[j])) continue;
      circle = throughTwo(points[i], points[j]);
      for (let k = 0; k < j; k++)
        if (!holds(circle, points[k])) circle = throughThree(points[i], points[j], points[k]);
    }
  }
  return circle;
}

type Point = readonly [number, number];

function throughTwo([ax, ay]: Point, [bx, by]: Point): Circle {
  return { x: (ax + bx) / 2, y: (ay + by) / 2, radius: Math.hypot(bx - ax, by - ay) / 2 };
}

function throughThree(a: Point, b: Point, c: Point): Circle {
  const [bx, by] = [b[0] - a[0], b[1] - a[1]];
  const [cx, cy] = [c[0] - a[0], c[1] - a[1]];
  const d = 2 * (bx * cy - by * cx);
  // Three on a line: the two that lie farthest apart.
  if (d === 0)
    return [throughTwo(a, b), throughTwo(a, c), throughTwo(b, c)].reduce((p, q) =>
      p.radius > q.radius ? p : q,
    );
  const [bb, cc] = [bx * bx + by * by, cx * cx + cy * cy];
  const [x, y] = [(cy * bb - by * cc) / d, (bx * cc - cx * bb) / d];
  return { x: a[0] + x, y: a[1] + y, radius: Math.hypot(x, y) };
}
