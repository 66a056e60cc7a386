/** Geometry kinds as stored in `kind`. `Collection` keeps a kind for every part in `partKind`. */
export const Kind = {
  None: 0,
  Point: 1,
  LineString: 2,
  Polygon: 3,
  MultiPoint: 4,
  MultiLineString: 5,
  MultiPolygon: 6,
  Collection: 7,
} as const;
export type Kind = (typeof Kind)[keyof typeof Kind];

/** Names of the kinds, by their numbers; 0 is no geometry. */
export const kindNames = [
  'none',
  'Point',
  'LineString',
  'Polygon',
  'MultiPoint',
  'MultiLineString',
  'MultiPolygon',
  'GeometryCollection',
] as const;
/** Name of a kind of geometry, as OGC 06-103r4 has them. */
export type KindName = (typeof kindNames)[number];

/** The kind of one part of a geometry of this kind: Point, LineString or Polygon. */
export function partKindOf(kind: number): number {
  return kind > 3 && kind < 7 ? kind - 3 : kind;
}

/** 0 for points, 1 for lines, 2 for areas, −1 for none, 3 for collections. */
export function dimensionOf(kind: number): number {
  if (kind === Kind.None) return -1;
  return kind === Kind.Collection ? 3 : partKindOf(kind) - 1;
}

/** [least x, least y, greatest x, greatest y] */
export type Box = [number, number, number, number];

/** A box that holds nothing: [Infinity, Infinity, -Infinity, -Infinity]. */
export function emptyBox(): Box {
  return [Infinity, Infinity, -Infinity, -Infinity];
}

/** Does a box hold nothing? */
export function isEmptyBox(box: Box): boolean {
  return !(box[0] <= box[2] && box[1] <= box[3]);
}

/** Makes a box hold another one too, in place. */
export function growBox(box: Box, other: Box): void {
  if (other[0] < box[0]) box[0] = other[0];
  if (other[1] < box[1]) box[1] = other[1];
  if (other[2] > box[2]) box[2] = other[2];
  if (other[3] > box[3]) box[3] = other[3];
}

/** Box of x, y pairs; those without coordinates (NaN) do not count. */
export function boxOfPositions(xy: ArrayLike<number>): Box {
  const box = emptyBox();
  for (let k = 0; k < xy.length; k += 2) {
    if (Number.isNaN(xy[k]) || Number.isNaN(xy[k + 1])) continue;
    if (xy[k] < box[0]) box[0] = xy[k];
    if (xy[k + 1] < box[1]) box[1] = xy[k + 1];
    if (xy[k] > box[2]) box[2] = xy[k];
    if (xy[k + 1] > box[3]) box[3] = xy[k + 1];
  }
  return box;
}

/** Do two boxes share a point, of their borders too? */
export function boxesMeet(a: Box, b: Box): boolean {
  return a[0] <= b[2] && b[0] <= a[2] && a[1] <= b[3] && b[1] <= a[3];
}

function someNumber(values: Float64Array, from: number, end: number): boolean {
  for (let v = from; v < end; v++) if (!Number.isNaN(values[v])) return true;
  return false;
}

/** The flat buffers of a GeometryArray: offsets feature → parts → rings or paths → vertices, and interleaved x and y. */
export interface GeometryBuffers {
  length: number;
  kind: Uint8Array;
  partStart: Uint32Array;
  ringStart: Uint32Array;
  vertexStart: Uint32Array;
  xy: Float64Array;
  z: Float64Array | null;
  m: Float64Array | null;
  partKind: Uint8Array | null;
}

/**
 * The geometries of `length` features in flat buffers (the nested offsets of the GeoArrow specification).
 *
 * Feature i has the parts `partStart[i] … partStart[i + 1]`, part p the rings or paths `ringStart[p] …`, ring r the
 * vertices `vertexStart[r] …`; vertex v lies at `xy[2v]` (east or longitude), `xy[2v + 1]` (north or latitude).
 * A point is one part of one ring of one vertex; an empty geometry has no parts; kind 0 is no geometry at all.
 * Polygon rings are closed: the last vertex repeats the first.
 */
export class GeometryArray implements GeometryBuffers {
  readonly length: number;
  readonly kind: Uint8Array;
  readonly partStart: Uint32Array;
  readonly ringStart: Uint32Array;
  readonly vertexStart: Uint32Array;
  readonly xy: Float64Array;
  readonly z: Float64Array | null;
  readonly m: Float64Array | null;
  readonly partKind: Uint8Array | null;

  constructor(buffers: GeometryBuffers) {
    this.length = buffers.length;
    this.kind = buffers.kind;
    this.partStart = buffers.partStart;
    this.ringStart = buffers.ringStart;
    this.vertexStart = buffers.vertexStart;
    this.xy = buffers.xy;
    this.z = buffers.z;
    this.m = buffers.m;
    this.partKind = buffers.partKind;
  }

  get vertexCount(): number {
    return this.vertexStart[this.ringStart[this.partStart[this.length]]];
  }

  /** First vertex of feature i. */
  firstVertex(i: number): number {
    return this.vertexStart[this.ringStart[this.partStart[i]]];
  }

  /** One past the last vertex of feature i. */
  endVertex(i: number): number {
    return this.vertexStart[this.ringStart[this.partStart[i + 1]]];
  }

  /** Has feature i no vertex? */
  isEmpty(i: number): boolean {
    return this.firstVertex(i) === this.endVertex(i);
  }

  /** True when a vertex of feature i has a height; others of it may have none (NaN). */
  hasHeights(i: number): boolean {
    return this.z !== null && someNumber(this.z, this.firstVertex(i), this.endVertex(i));
  }

  /** True when a vertex of feature i has a measure; others of it may have none (NaN). */
  hasMeasures(i: number): boolean {
    return this.m !== null && someNumber(this.m, this.firstVertex(i), this.endVertex(i));
  }

  /** Kind of part p of feature i: Point, LineString or Polygon. */
  kindOfPart(i: number, p: number): number {
    return this.partKind === null || this.kind[i] !== Kind.Collection
      ? partKindOf(this.kind[i])
      : this.partKind[p];
  }

  /** Box of feature i, written into `box`; an empty box when it has no vertices. */
  boxOf(i: number, box: Box = emptyBox()): Box {
    const { xy } = this;
    let x0 = Infinity;
    let y0 = Infinity;
    let x1 = -Infinity;
    let y1 = -Infinity;
    const end = 2 * this.endVertex(i);
    for (let k = 2 * this.firstVertex(i); k < end; k += 2) {
      const x = xy[k];
      const y = xy[k + 1];
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      if (y > y1) y1 = y;
    }
    box[0] = x0;
    box[1] = y0;
    box[2] = x1;
    box[3] = y1;
    return box;
  }

  /** Box of all features. */
  box(): Box {
    const whole = emptyBox();
    const one = emptyBox();
    for (let i = 0; i < this.length; i++) growBox(whole, this.boxOf(i, one));
    return whole;
  }

  /** The same geometries with their own coordinates, so that a transformer may work in place. */
  withXY(xy: Float64Array): GeometryArray {
    return new GeometryArray({ ...this.buffers(), xy });
  }

  /** Its buffers, to be handed to another thread; views, not copies. */
  buffers(): GeometryBuffers {
    const { length, kind, partStart, ringStart, vertexStart, xy, z, m, partKind } = this;
    return { length, kind, partStart, ringStart, vertexStart, xy, z, m, partKind };
  }

  /** Buffers to hand over to another thread without copying. */
  transferables(): ArrayBuffer[] {
    const arrays = [
      this.kind,
      this.partStart,
      this.ringStart,
      this.vertexStart,
      this.xy,
      this.z,
      this.m,
      this.partKind,
    ];
    return arrays.filter((a) => a !== null).map((a) => a.buffer as ArrayBuffer);
  }
}
