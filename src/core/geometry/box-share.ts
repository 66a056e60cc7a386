import type { Box, GeometryArray } from './geometry-array.ts';

/**
 * The share of areas that lies within a box, from 0 to 1; 0 where they have no area.
 *
 * Each ring is cut at the four sides in turn (Sutherland and Hodgman 1974): pieces that fall
 * apart hang together along the side, which changes no area.
 */
export function shareWithinBox(areas: GeometryArray, box: Box): number {
  let all = 0;
  let within = 0;
  for (let i = 0; i < areas.length; i++)
    for (let p = areas.partStart[i]; p < areas.partStart[i + 1]; p++) {
      if (areas.kindOfPart(i, p) !== 3) continue;
      for (let r = areas.ringStart[p]; r < areas.ringStart[p + 1]; r++) {
        const sign = r === areas.ringStart[p] ? 1 : -1;
        const ring = areas.xy.subarray(2 * areas.vertexStart[r], 2 * areas.vertexStart[r + 1]);
        all += sign * Math.abs(doubleArea(ring));
        within += sign * Math.abs(doubleArea(cutToBox(ring, box)));
      }
    }
  return all > 0 ? Math.min(1, Math.max(0, within / all)) : 0;
}

function doubleArea(ring: ArrayLike<number>): number {
  let twice = 0;
  const n = ring.length;
  for (let k = 0; k < n; k += 2) {
    const next = (k + 2) % n;
    twice +=
      (ring[k] - ring[0]) * (ring[next + 1] - ring[1]) - (ring[next] - ring[0]) * (ring[k + 1] - ring[1]);
  }
  return twice;
}

/** Sides of a box: which coordinate, its limit, and whether greater ones are inside. */
function cutToBox(ring: ArrayLike<number>, box: Box): ArrayLike<number> {
  let points: ArrayLike<number> = ring;
  for (const [axis, limit, sign] of [
    [0, box[0], 1],
    [0, box[2], -1],
    [1, box[1], 1],
    [1, box[3], -1],
  ] as const) {
    const cut: number[] = [];
    const n = points.length;
    for (let k = 0; k < n; k += 2) {
      const before = (k + n - 2) % n;
      const inside = sign * (points[k + axis] - limit) >= 0;
      const wasInside = sign * (points[before + axis] - limit) >= 0;
      if (inside !== wasInside) {
        const t = (limit - points[before + axis]) / (points[k + axis] - points[before + axis]);
        const other = points[before + 1 - axis] + t * (points[k + 1 - axis] - points[before + 1 - axis]);
        if (axis === 0) cut.push(limit, other);
        else cut.push(other, limit);
      }
      if (inside) cut.push(points[k], points[k + 1]);
    }
    points = cut;
  }
  return points;
}
