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

/** Reads records into a builder, one after the other. */
export class ShapeReader {
  private readonly builder: GeometryMaker;
  private readonly troubles: ShapeTroubles;
  private readonly ordinates: Ordinates = { view: new DataView(new ArrayBuffer(0)), z: -1, m: -1 };
  /** A rewritten copy of a record's coordinates, since records are not aligned to eight bytes. */
  private scratch = new Float64Array(4096);

  constructor(builder: GeometryMaker, troubles: ShapeTroubles) {
    this.builder = builder;
    this.troubles = troubles;
  }

  /**
   * Reads a record's content (without its 8-byte header), which lies at bytes at … at + length, as one feature; false
   * when its counts and lengths disagree.
   */
  read(bytes: Uint8Array, view: DataView, at: number, length: number): boolean {
    if (length < 4) return false;
    const type = view.getInt32(at, true);
    const shape = shapeClass(type);
    if (shape === 0) {
      this.builder.feature(Kind.None);
      return true;
    }
    if (shape < 0) return false;
    if (shape === 1) return this.point(view, at, length, type);
    const many = shape === 8;
    if (length < 40 || (!many && length < 44)) return false;
    const parts = many ? 1 : view.getInt32(at + 36, true);
    const points = view.getInt32(at + (many ? 36 : 40), true);
    const xyAt = many ? 40 : 44 + 4 * parts;
    if (parts < 0 || points < 0 || xyAt + 16 * points > length) return false;
    const kind = many ? Kind.MultiPoint : shape === 3 ? Kind.LineString : Kind.Polygon;
    if (points === 0 || parts === 0) {
      this.builder.feature(kind);
      return true;
    }
    if (!many && parts === 1 && type < 10 && view.getInt32(at + 44, true) === 0) {
      this.plainRun(bytes, view, at + xyAt, points, kind);
      return true;
    }
    const xy = this.doubles(bytes, view, at + xyAt, 2 * points);
    this.findOrdinates(view, at, length, type, xyAt + 16 * points, points);
    if (many) return this.manyPoints(xy, points);
    const starts = startsOf(view, at + 44, parts, points);
    if (starts === null) return false;
    if (parts === 1) {
      if (starts[0] !== 0) return false;
      this.builder.feature(kind);
      this.builder.part();
      if (shape === 3) addPath(this.builder, xy, 0, points, this.ordinates);
      else this.ring(xy, 0, points);
      return true;
    }
    return shape === 3 ? this.paths(xy, starts) : this.polygons(xy, starts);
  }

  private point(view: DataView, at: number, length: number, type: number): boolean {
    const { builder } = this;
    if (length < 20) return false;
    builder.feature(Kind.Point);
    builder.part();
    builder.ring();
    builder.vertex(view.getFloat64(at + 4, true), view.getFloat64(at + 12, true));
    const hasZ = type > 10 && type < 20;
    if (hasZ && length >= 28) builder.height(view.getFloat64(at + 20, true));
    const mAt = hasZ ? 28 : 20;
    if (type > 10 && length >= mAt + 8) {
      const measure = view.getFloat64(at + mAt, true);
      if (measure > noData) builder.measure(measure);
    }
    return true;
  }

  /** Most of what there is: one ring or path, plane. It goes straight from the file's bytes to where it stays. */
  private plainRun(bytes: Uint8Array, view: DataView, byte: number, points: number, kind: number): void {
    const { builder } = this;
    builder.feature(kind);
    builder.part();
    builder.ring();
    const k = 2 * builder.vertices;
    builder.runBytes(bytes, view, byte, points);
    if (kind === Kind.LineString) return;
    const last = k + 2 * points - 2;
    const x = builder.coordinate(k);
    const y = builder.coordinate(k + 1);
    if (x !== builder.coordinate(last) || y !== builder.coordinate(last + 1)) {
      builder.vertex(x, y);
      this.troubles.unclosed++;
    }
  }

  private doubles(bytes: Uint8Array, view: DataView, byte: number, count: number): Float64Array {
    if (this.scratch.length < count) this.scratch = new Float64Array(count * 2);
    const { scratch } = this;
    if (littleEndian && count > 64)
      new Uint8Array(scratch.buffer).set(bytes.subarray(byte, byte + 8 * count));
    else for (let k = 0; k < count; k++) scratch[k] = view.getFloat64(byte + 8 * k, true);
    return scratch;
  }

  /** Where heights and measures lie, behind the coordinates: −1 where there are none. */
  private findOrdinates(
    view: DataView,
    at: number,
    length: number,
    type: number,
    zAt: number,
    points: number,
  ): void {
    const hasZ = type > 10 && type < 20;
    const z = hasZ && length >= zAt + 16 + 8 * points ? zAt + 16 : -1;
    const mAt = z >= 0 ? z + 8 * points : zAt;
    const m = type > 10 && length >= mAt + 16 + 8 * points ? mAt + 16 : -1;
    this.ordinates.view = view;
    this.ordinates.z = z < 0 ? -1 : at + z;
    this.ordinates.m = m < 0 ? -1 : at + m;
  }

  private manyPoints(xy: Float64Array, points: number): boolean {
    this.builder.feature(Kind.MultiPoint);
    for (let v = 0; v < points; v++) {
      this.builder.part();
      addPath(this.builder, xy, v, v + 1, this.ordinates);
    }
    return true;
  }

  private paths(xy: Float64Array, starts: Int32Array): boolean {
    this.builder.feature(Kind.MultiLineString);
    for (let p = 0; p + 1 < starts.length; p++) {
      if (starts[p] === starts[p + 1]) continue;
      this.builder.part();
      addPath(this.builder, xy, starts[p], starts[p + 1], this.ordinates);
    }
    return true;
  }

  private polygons(xy: Float64Array, starts: Int32Array): boolean {
    const owner = sortRings(xy, starts, this.troubles);
    const parts = owner.length;
    let shells = 0;
    for (let p = 0; p < parts; p++) if (owner[p] === p) shells++;
    this.builder.feature(shells === 1 ? Kind.Polygon : Kind.MultiPolygon);
    for (let p = 0; p < parts; p++) {
      if (owner[p] !== p || starts[p] === starts[p + 1]) continue;
      this.builder.part();
      this.ring(xy, starts[p], starts[p + 1]);
      for (let h = 0; h < parts; h++)
        if (h !== p && owner[h] === p && starts[h] < starts[h + 1]) this.ring(xy, starts[h], starts[h + 1]);
    }
    return true;
  }

  private ring(xy: Float64Array, from: number, end: number): void {
    addRing(this.builder, xy, from, end, this.ordinates, this.troubles);
  }
}

/** First points of the parts, and the end; null when they do not lie one behind the other. */
function startsOf(view: DataView, byte: number, parts: number, points: number): Int32Array | null {
  const starts = new Int32Array(parts + 1);
  for (let p = 0; p < parts; p++) starts[p] = view.getInt32(byte + 4 * p, true);
  starts[parts] = points;
  for (let p = 0; p < parts; p++) if (starts[p] < 0 || starts[p] > starts[p + 1]) return null;
  return starts;
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
