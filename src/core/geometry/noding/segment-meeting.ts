import { orientation } from '../predicates.ts';

/**
 * How two segments meet, as bits: they cross at a point inside both; a vertex of one lies on the other; all four vertices lie
 * on one line (with or without a stretch in common).
 */
export const Meeting = {
  None: 0,
  Crossing: 1,
  /** The first vertex of the second segment lies on the first one. */
  SecondsFirst: 2,
  SecondsLast: 4,
  FirstsFirst: 8,
  FirstsLast: 16,
  OneLine: 32,
} as const;

function within(x: number, y: number, ends: ArrayLike<number>, k: number): boolean {
  return (
    x >= Math.min(ends[k], ends[k + 2]) &&
    x <= Math.max(ends[k], ends[k + 2]) &&
    y >= Math.min(ends[k + 1], ends[k + 3]) &&
    y <= Math.max(ends[k + 1], ends[k + 3])
  );
}

/**
 * How the segments at `k` and `l` of a buffer of ends (x, y of the first vertex, x, y of the last) meet. Exact, by the signs
 * of four adaptive orientations (Shewchuk 1997).
 */
export function meetingOf(ends: ArrayLike<number>, k: number, l: number): number {
  const px = ends[k];
  const py = ends[k + 1];
  const qx = ends[k + 2];
  const qy = ends[k + 3];
  const rx = ends[l];
  const ry = ends[l + 1];
  const sx = ends[l + 2];
  const sy = ends[l + 3];
  const r = orientation(px, py, qx, qy, rx, ry);
  const s = orientation(px, py, qx, qy, sx, sy);
  if ((r > 0 && s > 0) || (r < 0 && s < 0)) return Meeting.None;
  const p = orientation(rx, ry, sx, sy, px, py);
  const q = orientation(rx, ry, sx, sy, qx, qy);
  if ((p > 0 && q > 0) || (p < 0 && q < 0)) return Meeting.None;
  if (r !== 0 && s !== 0 && p !== 0 && q !== 0) return Meeting.Crossing;
  return (
    (r === 0 && within(rx, ry, ends, k) ? Meeting.SecondsFirst : 0) |
    (s === 0 && within(sx, sy, ends, k) ? Meeting.SecondsLast : 0) |
    (p === 0 && within(px, py, ends, l) ? Meeting.FirstsFirst : 0) |
    (q === 0 && within(qx, qy, ends, l) ? Meeting.FirstsLast : 0) |
    (r === 0 && s === 0 ? Meeting.OneLine : 0)
  );
}
