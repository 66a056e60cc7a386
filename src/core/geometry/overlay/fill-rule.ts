import { GeometryArray, Kind } from '../geometry-array.ts';
import type { Chains } from '../noding/chains.ts';
import { orientation } from '../predicates.ts';

/**
 * Which points the rings of a polygon enclose. For valid polygons all rules agree.
 *
 * `non-zero` (the default everywhere): what rings wind around at all, shells counting counter-clockwise and holes
 * clockwise, whatever way they run. Parts that overlap, and what a ring winds around twice, are inside.
 * `even-odd`: what rings wind around an odd number of times. Where two parts overlap there is a hole.
 */
export type FillRule = 'even-odd' | 'non-zero';

/** Does a winding number mean inside? */
export function isInside(winding: number, rule: FillRule): boolean {
  return rule === 'even-odd' ? (winding & 1) !== 0 : winding !== 0;
}

/** Does a face of operand `a` or `b` lie inside by one rule and outside by the other? */
export function ruleMatters(windings: Int32Array): boolean {
  for (let h = 0; h < windings.length; h++) if (windings[h] !== 0 && (windings[h] & 1) === 0) return true;
  return false;
}

/**
 * Does a ring (vertices `first … end`, the last repeating the first or not) enclose its area on its left? By its signed
 * area; exactly, at its lowest vertex, where the area is too small to be sure of.
 */
export function runsLeft(xy: Float64Array, first: number, end: number): boolean {
  if (end - first < 3) return true;
  const x0 = xy[2 * first];
  const y0 = xy[2 * first + 1];
  let twice = 0;
  let size = 0;
  for (let v = first; v < end; v++) {
    const w = v + 1 === end ? first : v + 1;
    const left = (xy[2 * v] - x0) * (xy[2 * w + 1] - y0);
    const right = (xy[2 * w] - x0) * (xy[2 * v + 1] - y0);
    twice += left - right;
    size += Math.abs(left) + Math.abs(right);
  }
  if (Math.abs(twice) > size * (end - first + 8) * 2.3e-16) return twice > 0;
  return turnsLeftAtLowest(xy, first, end);
}

function turnsLeftAtLowest(xy: Float64Array, first: number, end: number): boolean {
  const same = (v: number, w: number) => xy[2 * v] === xy[2 * w] && xy[2 * v + 1] === xy[2 * w + 1];
  let low = first;
  for (let v = first; v < end; v++)
    if (xy[2 * v + 1] < xy[2 * low + 1] || (xy[2 * v + 1] === xy[2 * low + 1] && xy[2 * v] < xy[2 * low]))
      low = v;
  const step = (from: number, by: number) => {
    let v = from;
    do v = v + by < first ? end - 1 : v + by === end ? first : v + by;
    while (v !== from && same(v, low));
    return v;
  };
  const before = step(low, -1);
  const behind = step(low, 1);
  return (
    orientation(
      xy[2 * before],
      xy[2 * before + 1],
      xy[2 * low],
      xy[2 * low + 1],
      xy[2 * behind],
      xy[2 * behind + 1],
    ) >= 0
  );
}

/** Do all shells run counter-clockwise and all holes clockwise? */
export function isOneWay(array: GeometryArray): boolean {
  for (let i = 0; i < array.length; i++)
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      if (array.kindOfPart(i, p) !== Kind.Polygon) continue;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++)
        if (runsLeft(array.xy, array.vertexStart[r], array.vertexStart[r + 1]) !== (r === array.ringStart[p]))
          return false;
    }
  return true;
}

/** The same geometries with shells that run counter-clockwise and holes that run clockwise; each begins where it did. */
export function turnRings(array: GeometryArray): GeometryArray {
  const xy = array.xy.slice();
  const z = array.z?.slice() ?? null;
  const m = array.m?.slice() ?? null;
  for (let i = 0; i < array.length; i++)
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      if (array.kindOfPart(i, p) !== Kind.Polygon) continue;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        const first = array.vertexStart[r];
        const end = array.vertexStart[r + 1];
        if (runsLeft(array.xy, first, end) === (r === array.ringStart[p])) continue;
        for (let v = first, w = end - 1; v < end; v++, w--) {
          xy[2 * v] = array.xy[2 * w];
          xy[2 * v + 1] = array.xy[2 * w + 1];
          if (z !== null) z[v] = array.z![w];
          if (m !== null) m[v] = array.m![w];
        }
      }
    }
  return new GeometryArray({ ...array.buffers(), xy, z, m });
}

/**
 * Adds the rings of the areas of feature i to chains, with winding contributions (a, b) for their own direction under
 * `even-odd`, and for the direction that encloses their area on the left (shells; on the right: holes) under `non-zero`.
 */
export function addAreas(
  chains: Chains,
  array: GeometryArray,
  i: number,
  a: number,
  b: number,
  rule: FillRule,
): void {
  const { ringStart, vertexStart, xy } = array;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    if (array.kindOfPart(i, p) !== Kind.Polygon) continue;
    for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
      const first = vertexStart[r];
      const end = vertexStart[r + 1];
      const turned = rule === 'non-zero' && runsLeft(xy, first, end) !== (r === ringStart[p]);
      chains.addPath(xy, first, end, turned ? -a : a, turned ? -b : b, true);
    }
  }
}
