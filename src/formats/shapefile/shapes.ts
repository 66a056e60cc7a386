import { Kind } from '../../core/geometry/geometry-array.ts';
import type { GeometryBuilder } from '../../core/geometry/geometry-builder.ts';
import { ringDoubleArea } from '../../core/geometry/measures.ts';
import { locateInRing } from '../../core/geometry/predicates.ts';

/** Geometry of each shape type: point, line, area, points; 0 for none. */
export function shapeClass(type: number): 0 | 1 | 3 | 5 | 8 | -1 {
  if (type === 0) return 0;
  const plain = type % 10;
  return type <= 28 && (plain === 1 || plain === 3 || plain === 5 || plain === 8) ? plain : -1;
}

/** Values under this mean “no measure” (white paper of 1998, page 2). */
const noData = -1e38;

/** A rewritten copy of a record's coordinates, since records are not aligned to eight bytes. */
let scratch = new Float64Array(4096);
const littleEndian = new Uint8Array(new Uint16Array([1]).buffer)[0] === 1;

function doubles(content: Uint8Array, byte: number, count: number): Float64Array {
  if (scratch.length < count) scratch = new Float64Array(count * 2);
  if (littleEndian) {
    new Uint8Array(scratch.buffer, 0, 8 * count).set(content.subarray(byte, byte + 8 * count));
  } else {
    const view = new DataView(content.buffer, content.byteOffset + byte, 8 * count);
    for (let k = 0; k < count; k++) scratch[k] = view.getFloat64(8 * k, true);
  }
  return scratch;
}

export interface ShapeTroubles {
  /** Polygons whose ring directions do not say which are holes, though the rings' places do. */
  wrongDirection: number;
  /** Rings that did not end where they began; they were closed. */
  unclosed: number;
}

/** Reads one record's content (without its 8-byte header) as one feature; false when its counts and lengths disagree. */
export function readShape(content: Uint8Array, builder: GeometryBuilder, troubles: ShapeTroubles): boolean {
  if (content.length < 4) return false;
  const view = new DataView(content.buffer, content.byteOffset, content.byteLength);
  const type = view.getInt32(0, true);
  const shape = shapeClass(type);
  const hasZ = type > 10 && type < 20;
  const hasM = type > 20;
  if (shape === 0) {
    builder.feature(Kind.None);
    return true;
  }
  if (shape === 1) {
    if (content.length < 20) return false;
    builder.feature(Kind.Point);
    const x = view.getFloat64(4, true);
    const y = view.getFloat64(12, true);
    builder.part();
    builder.ring();
    builder.vertex(x, y);
    if (hasZ && content.length >= 28) builder.height(view.getFloat64(20, true));
    const mAt = hasZ ? 28 : 20;
    if ((hasM || hasZ) && content.length >= mAt + 8 && view.getFloat64(mAt, true) > noData)
      builder.measure(view.getFloat64(mAt, true));
    return true;
  }
  if (content.length < 40) return false;
  const many = shape === 8;
  const parts = many ? 1 : view.getInt32(36, true);
  const points = view.getInt32(many ? 36 : 40, true);
  const partsAt = 44;
  const xyAt = many ? 40 : 44 + 4 * parts;
  if (parts < 0 || points < 0 || xyAt + 16 * points > content.length) return false;
  if (points === 0 || parts === 0) {
    builder.feature(shape === 8 ? Kind.MultiPoint : shape === 3 ? Kind.LineString : Kind.Polygon);
    return true;
  }
  const starts = new Int32Array(parts + 1);
  if (!many) for (let p = 0; p < parts; p++) starts[p] = view.getInt32(partsAt + 4 * p, true);
  starts[parts] = points;
  for (let p = 0; p < parts; p++) if (starts[p] < 0 || starts[p] > starts[p + 1]) return false;
  const xy = doubles(content, xyAt, 2 * points);
  const zAt = xyAt + 16 * points;
  const z = hasZ && content.length >= zAt + 16 + 8 * points ? zAt + 16 : -1;
  const mAt = z >= 0 ? z + 8 * points : zAt;
  const m = (hasZ || hasM) && content.length >= mAt + 16 + 8 * points ? mAt + 16 : -1;
  /** Adds vertices of one path, with heights and measures where they are. */
  const addPath = (from: number, end: number) => {
    builder.ring();
    if (z < 0 && m < 0) {
      builder.run(xy, from, end - from);
      return;
    }
    for (let v = from; v < end; v++) {
      builder.vertex(xy[2 * v], xy[2 * v + 1]);
      if (z >= 0) builder.height(view.getFloat64(z + 8 * v, true));
      if (m >= 0) {
        const measure = view.getFloat64(m + 8 * v, true);
        if (measure > noData) builder.measure(measure);
      }
    }
  };
  if (many) {
    builder.feature(Kind.MultiPoint);
    for (let v = 0; v < points; v++) {
      builder.part();
      addPath(v, v + 1);
    }
    return true;
  }
  if (shape === 3) {
    builder.feature(parts === 1 ? Kind.LineString : Kind.MultiLineString);
    for (let p = 0; p < parts; p++) {
      if (starts[p] === starts[p + 1]) continue;
      builder.part();
      addPath(starts[p], starts[p + 1]);
    }
    return true;
  }
  const closedPath = (p: number) => {
    addPath(starts[p], starts[p + 1]);
    const a = 2 * starts[p];
    const b = 2 * starts[p + 1] - 2;
    if (xy[a] !== xy[b] || xy[a + 1] !== xy[b + 1]) {
      builder.vertex(xy[a], xy[a + 1]);
      troubles.unclosed++;
    }
  };
  if (parts === 1) {
    builder.feature(Kind.Polygon);
    builder.part();
    closedPath(0);
    return true;
  }
  const owner = sortRings(xy, starts, troubles);
  let shells = 0;
  for (let p = 0; p < parts; p++) if (owner[p] === p) shells++;
  builder.feature(shells === 1 ? Kind.Polygon : Kind.MultiPolygon);
  for (let p = 0; p < parts; p++) {
    if (owner[p] !== p) continue;
    builder.part();
    closedPath(p);
    for (let h = 0; h < parts; h++) if (h !== p && owner[h] === p) closedPath(h);
  }
  return true;
}

/**
 * The shell of every ring (itself, for shells). Directions say which rings are shells (clockwise); where a ring's
 * place contradicts its direction, the place counts.
 */
function sortRings(xy: Float64Array, starts: Int32Array, troubles: ShapeTroubles): Int32Array {
  const n = starts.length - 1;
  const owner = new Int32Array(n).fill(-1);
  const areas = new Float64Array(n);
  const clockwise: number[] = [];
  for (let p = 0; p < n; p++) {
    areas[p] = ringDoubleArea(xy, starts[p], starts[p + 1]);
    if (areas[p] <= 0) clockwise.push(p);
  }
  /** Smallest ring of `among` around ring p; −1 when there is none. */
  const around = (p: number, among: readonly number[]) => {
    let best = -1;
    for (const shell of among) {
      if (shell === p || Math.abs(areas[shell]) <= Math.abs(areas[p])) continue;
      if (best >= 0 && Math.abs(areas[shell]) >= Math.abs(areas[best])) continue;
      for (let v = starts[p]; v < starts[p + 1]; v++) {
        const where = locateInRing(xy[2 * v], xy[2 * v + 1], xy, starts[shell], starts[shell + 1]);
        if (where > 0) best = shell;
        if (where !== 0) break;
      }
    }
    return best;
  };
  let contradiction = clockwise.length === 0;
  for (const p of clockwise) owner[p] = p;
  for (let p = 0; p < n && !contradiction; p++) {
    if (areas[p] <= 0) continue;
    owner[p] = around(p, clockwise);
    if (owner[p] < 0) contradiction = true;
  }
  // Two clockwise rings one directly inside the other, with no hole between them, contradict as well.
  for (const p of clockwise) {
    if (contradiction || clockwise.length < 2) break;
    const outer = around(p, clockwise);
    if (outer < 0) continue;
    const holes = Array.from({ length: n }, (_, h) => h).filter((h) => owner[h] === outer && h !== outer);
    if (around(p, holes) < 0) contradiction = true;
  }
  if (!contradiction) return owner;
  troubles.wrongDirection++;
  const all = Array.from({ length: n }, (_, p) => p);
  const depth = (p: number): number => {
    const outer = around(p, all);
    return outer < 0 ? 0 : 1 + depth(outer);
  };
  const depths = all.map(depth);
  for (const p of all) owner[p] = depths[p] % 2 === 0 ? p : around(p, all);
  return owner;
}
