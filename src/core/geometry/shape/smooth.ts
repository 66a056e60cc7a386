import { type GeometryArray, Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { orientation } from '../predicates.ts';
import { LivePoints } from './live-points.ts';
import { SharedVertices } from './shared-vertices.ts';

/**
 * Cuts the corners of lines and areas, a quarter of each edge at both of its ends, as often as asked (G. M. Chaikin, An algorithm
 * for high-speed curve generation, Computer Graphics and Image Processing 3, 1974). Borders that features share are cut alike
 * on both sides; where three meet, where lines end, and points stay. A corner stays where something lies within it, so that
 * nothing crosses that did not before.
 */
export function smooth(array: GeometryArray, rounds: number): { geometry: GeometryArray; held: number } {
  let geometry = array;
  let held = 0;
  const pinned = pinnedIn(array);
  for (let round = 0; round < rounds; round++) {
    const cut = cutCorners(geometry, pinned);
    geometry = cut.geometry;
    held = cut.held;
  }
  return { geometry, held };
}

const keyOf = (x: number, y: number) => `${x + 0} ${y + 0}`;

/** Places where paths end, cross or part: they stay through all rounds. */
function pinnedIn(array: GeometryArray): Set<string> {
  const { positions, isNode } = new SharedVertices(array);
  const pinned = new Set<string>();
  for (let n = 0; n < positions.count; n++)
    if (isNode[n] === 1) pinned.add(keyOf(positions.x[n], positions.y[n]));
  return pinned;
}

function cutCorners(
  array: GeometryArray,
  pinned: ReadonlySet<string>,
): { geometry: GeometryArray; held: number } {
  const shared = new SharedVertices(array);
  const { positions, one, other, isNode, of } = shared;
  const { count, x, y } = positions;
  const stays = new Uint8Array(count);
  for (let n = 0; n < count; n++)
    if (isNode[n] === 1 || one[n] < 0 || pinned.has(keyOf(x[n], y[n]))) stays[n] = 1;
  // Corners and both cuts of each: what none of them lies within can be cut without a crossing.
  const px = new Float64Array(3 * count);
  const py = new Float64Array(3 * count);
  for (let n = 0; n < count; n++) {
    px[3 * n] = px[3 * n + 1] = px[3 * n + 2] = x[n];
    py[3 * n] = py[3 * n + 1] = py[3 * n + 2] = y[n];
    if (stays[n] === 1) continue;
    for (const [k, m] of [
      [1, one[n]],
      [2, other[n]],
    ]) {
      px[3 * n + k] = quarter(x[n], x[m]);
      py[3 * n + k] = quarter(y[n], y[m]);
    }
  }
  const live = new LivePoints(px, py, 3 * count);
  let held = 0;
  for (let n = 0; n < count; n++) {
    if (stays[n] === 1) continue;
    const k = 3 * n;
    const [ax, ay, bx, by] = [px[k + 1], py[k + 1], px[k + 2], py[k + 2]];
    const sign = orientation(ax, ay, x[n], y[n], bx, by) < 0 ? -1 : 1;
    const blocked = live.any(
      Math.min(ax, bx, x[n]),
      Math.min(ay, by, y[n]),
      Math.max(ax, bx, x[n]),
      Math.max(ay, by, y[n]),
      (m) =>
        Math.floor(m / 3) !== n &&
        !(px[m] === ax && py[m] === ay) &&
        !(px[m] === bx && py[m] === by) &&
        sign * orientation(ax, ay, x[n], y[n], px[m], py[m]) >= 0 &&
        sign * orientation(x[n], y[n], bx, by, px[m], py[m]) >= 0 &&
        sign * orientation(bx, by, ax, ay, px[m], py[m]) >= 0,
    );
    if (!blocked) continue;
    stays[n] = 1;
    held++;
  }
  const builder = new GeometryMaker(2 * array.vertexCount);
  for (let i = 0; i < array.length; i++) {
    builder.feature(array.kind[i]);
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      const kind = array.kindOfPart(i, p);
      builder.part(array.kind[i] === Kind.Collection ? kind : undefined);
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++)
        writePath(array, of, x, y, stays, r, kind === Kind.Polygon, builder);
    }
  }
  return { geometry: builder.finish(), held };
}

/** A quarter of the way from one to the other; the same from whichever side a path comes. */
const quarter = (from: number, to: number) => 0.75 * from + 0.25 * to;

function writePath(
  array: GeometryArray,
  of: Uint32Array,
  x: Float64Array,
  y: Float64Array,
  stays: Uint8Array,
  r: number,
  isRing: boolean,
  builder: GeometryMaker,
): void {
  const first = array.vertexStart[r];
  const last = array.vertexStart[r + 1] - 1;
  builder.ring();
  const closed = isRing || (last - first > 2 && of[first] === of[last]);
  const begun = builder.vertices;
  const at = (v: number) => of[v];
  for (let v = first; v <= (closed ? last - 1 : last); v++) {
    const n = at(v);
    if (stays[n] === 1) {
      builder.vertex(x[n], y[n]);
      continue;
    }
    const before = at(v === first ? last - 1 : v - 1);
    const behind = at(v + 1);
    builder.vertex(quarter(x[n], x[before]), quarter(y[n], y[before]));
    builder.vertex(quarter(x[n], x[behind]), quarter(y[n], y[behind]));
  }
  if (closed) builder.vertex(builder.coordinate(2 * begun), builder.coordinate(2 * begun + 1));
}
