import { Kind } from '../../core/geometry/geometry-array.ts';
import { type GeometryMaker, littleEndian } from '../../core/geometry/geometry-maker.ts';
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
let scratchBytes = new Uint8Array(scratch.buffer);

function doubles(bytes: Uint8Array, view: DataView, byte: number, count: number): Float64Array {
  if (scratch.length < count) {
    scratch = new Float64Array(count * 2);
    scratchBytes = new Uint8Array(scratch.buffer);
  }
  if (!littleEndian) for (let k = 0; k < count; k++) scratch[k] = view.getFloat64(byte + 8 * k, true);
  else if (count > 64) scratchBytes.set(bytes.subarray(byte, byte + 8 * count));
  else for (let k = 0; k < count; k++) scratch[k] = view.getFloat64(byte + 8 * k, true);
  return scratch;
}

export interface ShapeTroubles {
  /** Polygons whose ring directions do not say which are holes, though the rings' places do. */
  wrongDirection: number;
  /** Rings that did not end where they began; they were closed. */
  unclosed: number;
}

/** Where the heights and measures of a record lie; −1 where it has none. */
interface Ordinates {
  view: DataView;
  z: number;
  m: number;
}

/** Adds vertices from … end of one path, with heights and measures where they are. */
function addPath(
  builder: GeometryMaker,
  xy: Float64Array,
  from: number,
  end: number,
  { view, z, m }: Ordinates,
): void {
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
}

/** The same for a ring, which is closed when it is not. */
function addRing(
  builder: GeometryMaker,
  xy: Float64Array,
  from: number,
  end: number,
  ordinates: Ordinates,
  troubles: ShapeTroubles,
): void {
  addPath(builder, xy, from, end, ordinates);
  const a = 2 * from;
  const b = 2 * end - 2;
  if (xy[a] !== xy[b] || xy[a + 1] !== xy[b + 1]) {
    builder.vertex(xy[a], xy[a + 1]);
    troubles.unclosed++;
  }
}

const ordinates: Ordinates = { view: new DataView(new ArrayBuffer(0)), z: -1, m: -1 };

/**
 * Reads a record's content (without its 8-byte header), which lies at bytes at … at + length, as one feature; false
 * when its counts and lengths disagree.
 */
export function readShape(
  bytes: Uint8Array,
  view: DataView,
  at: number,
  length: number,
  builder: GeometryMaker,
  troubles: ShapeTroubles,
): boolean {
  if (length < 4) return false;
  const type = view.getInt32(at, true);
  const shape = shapeClass(type);
  const hasZ = type > 10 && type < 20;
  const hasM = type > 20;
  if (shape === 0) {
    builder.feature(Kind.None);
    return true;
  }
  if (shape < 0) return false;
  if (shape === 1) {
    if (length < 20) return false;
    builder.feature(Kind.Point);
    builder.part();
    builder.ring();
    builder.vertex(view.getFloat64(at + 4, true), view.getFloat64(at + 12, true));
    if (hasZ && length >= 28) builder.height(view.getFloat64(at + 20, true));
    const mAt = hasZ ? 28 : 20;
    if ((hasM || hasZ) && length >= mAt + 8) {
      const measure = view.getFloat64(at + mAt, true);
      if (measure > noData) builder.measure(measure);
    }
    return true;
  }
  if (length < 40) return false;
  const many = shape === 8;
  if (!many && length < 44) return false;
  const parts = many ? 1 : view.getInt32(at + 36, true);
  const points = view.getInt32(at + (many ? 36 : 40), true);
  const xyAt = many ? 40 : 44 + 4 * parts;
  if (parts < 0 || points < 0 || xyAt + 16 * points > length) return false;
  if (points === 0 || parts === 0) {
    builder.feature(shape === 8 ? Kind.MultiPoint : shape === 3 ? Kind.LineString : Kind.Polygon);
    return true;
  }
  if (!many && parts === 1 && type < 10 && view.getInt32(at + 44, true) === 0) {
    // Most of what there is: one ring or path, plane. It goes straight from the file's bytes to where it stays.
    builder.feature(shape === 3 ? Kind.LineString : Kind.Polygon);
    builder.part();
    builder.ring();
    const k = 2 * builder.vertices;
    builder.runBytes(bytes, view, at + xyAt, points);
    if (shape === 3) return true;
    const last = k + 2 * points - 2;
    const x = builder.coordinate(k);
    const y = builder.coordinate(k + 1);
    if (x !== builder.coordinate(last) || y !== builder.coordinate(last + 1)) {
      builder.vertex(x, y);
      troubles.unclosed++;
    }
    return true;
  }
  const xy = doubles(bytes, view, at + xyAt, 2 * points);
  const zAt = xyAt + 16 * points;
  const z = hasZ && length >= zAt + 16 + 8 * points ? zAt + 16 : -1;
  const mAt = z >= 0 ? z + 8 * points : zAt;
  const m = (hasZ || hasM) && length >= mAt + 16 + 8 * points ? mAt + 16 : -1;
  ordinates.view = view;
  ordinates.z = z < 0 ? -1 : at + z;
  ordinates.m = m < 0 ? -1 : at + m;
  if (many) {
    builder.feature(Kind.MultiPoint);
    for (let v = 0; v < points; v++) {
      builder.part();
      addPath(builder, xy, v, v + 1, ordinates);
    }
    return true;
  }
  if (parts === 1) {
    if (view.getInt32(at + 44, true) !== 0) return false;
    builder.feature(shape === 3 ? Kind.LineString : Kind.Polygon);
    builder.part();
    if (shape === 3) addPath(builder, xy, 0, points, ordinates);
    else addRing(builder, xy, 0, points, ordinates, troubles);
    return true;
  }
  const starts = new Int32Array(parts + 1);
  for (let p = 0; p < parts; p++) starts[p] = view.getInt32(at + 44 + 4 * p, true);
  starts[parts] = points;
  for (let p = 0; p < parts; p++) if (starts[p] < 0 || starts[p] > starts[p + 1]) return false;
  if (shape === 3) {
    builder.feature(Kind.MultiLineString);
    for (let p = 0; p < parts; p++) {
      if (starts[p] === starts[p + 1]) continue;
      builder.part();
      addPath(builder, xy, starts[p], starts[p + 1], ordinates);
    }
    return true;
  }
  const owner = sortRings(xy, starts, troubles);
  let shells = 0;
  for (let p = 0; p < parts; p++) if (owner[p] === p) shells++;
  builder.feature(shells === 1 ? Kind.Polygon : Kind.MultiPolygon);
  for (let p = 0; p < parts; p++) {
    if (owner[p] !== p || starts[p] === starts[p + 1]) continue;
    builder.part();
    addRing(builder, xy, starts[p], starts[p + 1], ordinates, troubles);
    for (let h = 0; h < parts; h++) {
      if (h !== p && owner[h] === p && starts[h] < starts[h + 1])
        addRing(builder, xy, starts[h], starts[h + 1], ordinates, troubles);
    }
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
    const area = ringDoubleArea(xy, starts[p], starts[p + 1]);
    // A ring with coordinates that are no numbers is inside nothing, and nothing inside it.
    areas[p] = Number.isFinite(area) ? area : 0;
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
