/** Widest angle that one chord stands for: then it leaves its arc by less than 0.04 % of the radius. */
const step = (3 * Math.PI) / 180;

/**
 * Points along the circle through three points, from the first over the second to the third (both ends included);
 * `whole` goes on round to the first. Points in a line give themselves. Flat list of x and y.
 */
export function arcThrough(points: readonly number[], whole = false): number[] {
  const [ax, ay, bx, by, cx, cy] = points;
  const d = 2 * ((bx - ax) * (cy - ay) - (by - ay) * (cx - ax));
  if (d === 0 || !Number.isFinite(d)) return whole ? [ax, ay, bx, by, cx, cy, ax, ay] : [...points];
  const b2 = (bx - ax) ** 2 + (by - ay) ** 2;
  const c2 = (cx - ax) ** 2 + (cy - ay) ** 2;
  const x = ax + ((cy - ay) * b2 - (by - ay) * c2) / d;
  const y = ay + ((bx - ax) * c2 - (cx - ax) * b2) / d;
  const radius = Math.hypot(ax - x, ay - y);
  const direction = d > 0 ? 1 : -1;
  const angle = (px: number, py: number) => Math.atan2(py - y, px - x);
  const turn = (from: number, to: number) => {
    let sweep = direction * (to - from);
    while (sweep <= 0) sweep += 2 * Math.PI;
    return sweep;
  };
  const start = angle(ax, ay);
  const middle = turn(start, angle(bx, by));
  const end = turn(start, angle(cx, cy));
  const out: number[] = [ax, ay];
  const along = (from: number, to: number, px: number, py: number) => {
    const pieces = Math.max(1, Math.ceil((to - from) / step));
    for (let k = 1; k < pieces; k++) {
      const t = start + direction * (from + ((to - from) * k) / pieces);
      out.push(x + radius * Math.cos(t), y + radius * Math.sin(t));
    }
    out.push(px, py);
  };
  along(0, middle, bx, by);
  along(middle, end, cx, cy);
  if (whole) along(end, 2 * Math.PI, ax, ay);
  return out;
}

/** Points along an arc around a centre, angles in radians counter-clockwise from east; a whole circle closes itself. */
export function arcAround(x: number, y: number, radius: number, from: number, to: number): number[] {
  const pieces = Math.max(1, Math.ceil(Math.abs(to - from) / step));
  const out: number[] = [];
  for (let k = 0; k <= pieces; k++) {
    const t = from + ((to - from) * k) / pieces;
    out.push(x + radius * Math.cos(t), y + radius * Math.sin(t));
  }
  if (Math.abs(Math.abs(to - from) - 2 * Math.PI) < 1e-12) {
    out[out.length - 2] = out[0];
    out[out.length - 1] = out[1];
  }
  return out;
}
