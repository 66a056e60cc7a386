import { type GeometryArray, Kind } from '../geometry-array.ts';
import type { GeometryMaker } from '../geometry-maker.ts';
import type { Ruler } from '../ruler.ts';

/** What was taken out of a feature. */
export interface Tidied {
  repeated: number;
  spikes: number;
}

/**
 * Appends feature i without vertices that repeat the one before, to within `metres`, and without spikes: corners at which a
 * path turns back along itself, so that the next vertex lies within `metres` of the edge that it came by. A path keeps two vertices, a ring three;
 * what is less goes as a whole. Nothing is appended when nothing is left.
 */
export function tidyFeature(
  array: GeometryArray,
  i: number,
  metres: number,
  ruler: Ruler,
  builder: GeometryMaker,
): Tidied {
  const counts: Tidied = { repeated: 0, spikes: 0 };
  const mark = builder.mark();
  builder.feature(array.kind[i]);
  let parts = 0;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const kind = array.kindOfPart(i, p);
    let rings = 0;
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
      const kept =
        kind === Kind.Point
          ? [array.vertexStart[r]]
          : tidyPath(array, r, kind === Kind.Polygon, metres, ruler, counts);
      if (kept === null) {
        // Without its shell, a part is nothing.
        if (r === array.ringStart[p]) break;
        continue;
      }
      if (rings++ === 0) builder.part(array.kind[i] === Kind.Collection ? kind : undefined);
      builder.ring();
      for (const v of kept) {
        builder.vertex(array.xy[2 * v], array.xy[2 * v + 1]);
        if (array.z !== null) builder.height(array.z[v]);
        if (array.m !== null) builder.measure(array.m[v]);
      }
    }
    if (rings > 0) parts++;
  }
  if (parts === 0) builder.back(mark);
  return counts;
}

/** The vertices of a path that stay; null when too few do. */
function tidyPath(
  array: GeometryArray,
  r: number,
  isRing: boolean,
  metres: number,
  ruler: Ruler,
  counts: Tidied,
): number[] | null {
  const { xy } = array;
  const first = array.vertexStart[r];
  const end = array.vertexStart[r + 1];
  const near = (v: number, w: number) =>
    (xy[2 * v] === xy[2 * w] && xy[2 * v + 1] === xy[2 * w + 1]) ||
    (metres > 0 && ruler.distance(xy[2 * v], xy[2 * v + 1], xy[2 * w], xy[2 * w + 1]) <= metres);
  const kept: number[] = [];
  for (let v = first; v < (isRing ? end - 1 : end); v++) {
    if (kept.length > 0 && near(kept[kept.length - 1], v)) {
      counts.repeated++;
      // The end of a line stays where it is.
      if (!isRing && v === end - 1 && kept.length > 1) kept[kept.length - 1] = v;
      continue;
    }
    kept.push(v);
    while (kept.length > 2 && isSpike(xy, kept, kept.length - 3, metres, ruler)) {
      kept.splice(kept.length - 2, 1);
      counts.spikes++;
      const last = kept.length - 1;
      if (near(kept[last - 1], kept[last])) {
        kept.splice(last - (isRing || kept.length === 2 ? 0 : 1), 1);
        counts.repeated++;
        break;
      }
    }
  }
  if (!isRing) return kept.length < 2 ? null : kept;
  // Around the place where the ring begins.
  for (let changed = true; changed && kept.length > 2; ) {
    changed = false;
    while (kept.length > 1 && near(kept[kept.length - 1], kept[0])) {
      kept.pop();
      counts.repeated++;
      changed = true;
    }
    for (const shift of [1, 2]) {
      const n = kept.length;
      if (n < 3) break;
      const triple = [kept[(n - shift + n) % n], kept[(n - shift + 1) % n], kept[(n - shift + 2) % n]];
      if (!isSpike(xy, triple, 0, metres, ruler)) continue;
      kept.splice((n - shift + 1) % n, 1);
      counts.spikes++;
      changed = true;
    }
  }
  if (kept.length < 3) return null;
  // Begins where it did, or at the next vertex that stays.
  return [...kept, kept[0]];
}

/** Does a path turn back along itself at the middle one of three vertices? */
function isSpike(
  xy: Float64Array,
  path: readonly number[],
  k: number,
  metres: number,
  ruler: Ruler,
): boolean {
  const [a, b, c] = [path[k], path[k + 1], path[k + 2]];
  const scale = scales;
  ruler.metresPerUnit(xy[2 * b], xy[2 * b + 1], scale);
  const ax = (xy[2 * a] - xy[2 * b]) * scale[0];
  const ay = (xy[2 * a + 1] - xy[2 * b + 1]) * scale[1];
  const cx = (xy[2 * c] - xy[2 * b]) * scale[0];
  const cy = (xy[2 * c + 1] - xy[2 * b + 1]) * scale[1];
  // Not back: the angle is no sharp one.
  if (ax * cx + ay * cy <= 0) return false;
  const cross = Math.abs(ax * cy - ay * cx);
  return cross <= metres * Math.max(Math.hypot(ax, ay), Math.hypot(cx, cy));
}

const scales = new Float64Array(2);
