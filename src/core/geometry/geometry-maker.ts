import { GeometryArray, Kind, partKindOf } from './geometry-array.ts';

function grown<T extends Uint8Array | Uint32Array | Float64Array>(array: T, needed: number, least = 16): T {
  let capacity = Math.max(least, array.length * 2);
  while (capacity < needed) capacity *= 2;
  const larger = new (array.constructor as new (length: number) => T)(capacity);
  larger.set(array as never);
  return larger;
}

/** True on all but a few rare machines: then doubles of files are copied as they lie. */
export const littleEndian = new Uint8Array(new Uint16Array([1]).buffer)[0] === 1;

/** Counts of a builder at one moment, to go back to when a feature turns out to be unfinished. */
export interface BuilderMark {
  features: number;
  parts: number;
  rings: number;
  vertices: number;
}

/**
 * Builds a GeometryArray feature by feature, without an object for any of them:
 * `feature(kind)`, then for each part `part()`, for each ring or path `ring()`, for each vertex `vertex(x, y)`.
 */
export class GeometryMaker {
  features = 0;
  parts = 0;
  rings = 0;
  vertices = 0;
  private kind = new Uint8Array(64);
  private partStart = new Uint32Array(64);
  private ringStart = new Uint32Array(64);
  private vertexStart = new Uint32Array(64);
  private xy: Float64Array<ArrayBuffer>;
  /** Vertices that are likely to come: what the array that was handed over last held. */
  private likely: number;
  private z: Float64Array | null = null;
  private m: Float64Array | null = null;
  private partKind: Uint8Array | null = null;

  /** @param likely number of vertices to make room for from the start */
  constructor(likely = 512) {
    this.likely = likely;
    this.xy = new Float64Array(2 * likely);
  }

  /** Makes room for a number of features that is known beforehand, each of one part and one ring at least. */
  expect(features: number): void {
    if (this.features + features > this.kind.length) {
      this.kind = grown(this.kind, this.features + features);
      this.partStart = grown(this.partStart, this.features + features);
    }
    if (this.parts + features > this.ringStart.length)
      this.ringStart = grown(this.ringStart, this.parts + features);
    if (this.rings + features > this.vertexStart.length)
      this.vertexStart = grown(this.vertexStart, this.rings + features);
  }

  /** Starts a feature; without parts it stays empty, and of kind None it has no geometry. */
  feature(kind: number): void {
    if (this.features >= this.kind.length) {
      this.kind = grown(this.kind, this.features + 1);
      this.partStart = grown(this.partStart, this.features + 1);
    }
    this.kind[this.features] = kind;
    this.partStart[this.features] = this.parts;
    this.features++;
  }

  /** Changes the kind of the feature that was started last (when it is known only after its parts). */
  setKind(kind: number): void {
    this.kind[this.features - 1] = kind;
  }

  /** Starts a part; inside a Collection its kind (Point, LineString, Polygon) must be said. */
  part(kind?: number): void {
    if (this.parts >= this.ringStart.length) this.ringStart = grown(this.ringStart, this.parts + 1);
    this.ringStart[this.parts] = this.rings;
    if (kind !== undefined || this.partKind !== null) {
      if (this.partKind === null) {
        this.partKind = new Uint8Array(Math.max(64, this.parts + 1));
        for (let f = 0; f < this.features; f++) {
          const end = f + 1 < this.features ? this.partStart[f + 1] : this.parts;
          this.partKind.fill(partKindOf(this.kind[f]), this.partStart[f], end);
        }
      }
      if (this.parts >= this.partKind.length) this.partKind = grown(this.partKind, this.parts + 1);
      this.partKind[this.parts] = kind ?? partKindOf(this.kind[this.features - 1]);
    }
    this.parts++;
  }

  /** Begins a ring of an area, or a path of a line. */
  ring(): void {
    if (this.rings >= this.vertexStart.length) this.vertexStart = grown(this.vertexStart, this.rings + 1);
    this.vertexStart[this.rings] = this.vertices;
    this.rings++;
  }

  /** Adds a vertex: east or longitude, north or latitude. */
  vertex(x: number, y: number): void {
    const k = 2 * this.vertices;
    if (k + 1 >= this.xy.length) this.xy = grown(this.xy, k + 2, 2 * this.likely);
    this.xy[k] = x;
    this.xy[k + 1] = y;
    if (this.z !== null) this.setZ(NaN, this.vertices);
    if (this.m !== null) this.setM(NaN, this.vertices);
    this.vertices++;
  }

  /** Gives the vertex that was added last a height. */
  height(z: number): void {
    this.setZ(z, this.vertices - 1);
  }

  /** Gives the vertex that was added last a measure. */
  measure(m: number): void {
    this.setM(m, this.vertices - 1);
  }

  private setZ(z: number, vertex: number): void {
    if (this.z === null) this.z = new Float64Array(this.xy.length / 2).fill(NaN, 0, vertex);
    if (vertex >= this.z.length) this.z = grown(this.z, vertex + 1);
    this.z[vertex] = z;
  }

  private setM(m: number, vertex: number): void {
    if (this.m === null) this.m = new Float64Array(this.xy.length / 2).fill(NaN, 0, vertex);
    if (vertex >= this.m.length) this.m = grown(this.m, vertex + 1);
    this.m[vertex] = m;
  }

  /** Adds `count` vertices from `xy`, starting at vertex `from`, as they are. */
  run(xy: Float64Array, from: number, count: number): void {
    const k = 2 * this.vertices;
    if (k + 2 * count > this.xy.length) this.xy = grown(this.xy, k + 2 * count, 2 * this.likely);
    if (count > 24) this.xy.set(xy.subarray(2 * from, 2 * (from + count)), k);
    else {
      // For a few vertices a plain loop costs less than a view.
      const own = this.xy;
      for (let i = 2 * from, end = 2 * (from + count), at = k; i < end; i++, at++) own[at] = xy[i];
    }
    if (this.z !== null || this.m !== null) {
      for (let i = 0; i < count; i++) {
        if (this.z !== null) this.setZ(NaN, this.vertices + i);
        if (this.m !== null) this.setM(NaN, this.vertices + i);
      }
    }
    this.vertices += count;
  }

  /** The coordinates as bytes, made once for each array. */
  private ownBytes = new Uint8Array(0);
  private ownBytesOf: Float64Array | null = null;

  /** Adds `count` vertices from little-endian bytes (and the view of the same bytes), starting at byte `at`. */
  runBytes(bytes: Uint8Array, view: DataView, at: number, count: number): void {
    const k = 2 * this.vertices;
    const end = k + 2 * count;
    if (end > this.xy.length) this.xy = grown(this.xy, end, 2 * this.likely);
    const { xy } = this;
    if (littleEndian && count > 12) {
      if (this.ownBytesOf !== xy) {
        this.ownBytesOf = xy;
        this.ownBytes = new Uint8Array(xy.buffer);
      }
      this.ownBytes.set(bytes.subarray(at, at + 16 * count), 8 * k);
    } else for (let i = k, byte = at; i < end; i++, byte += 8) xy[i] = view.getFloat64(byte, true);
    if (this.z !== null || this.m !== null) {
      for (let i = 0; i < count; i++) {
        if (this.z !== null) this.setZ(Number.NaN, this.vertices + i);
        if (this.m !== null) this.setM(Number.NaN, this.vertices + i);
      }
    }
    this.vertices += count;
  }

  /** Coordinate k (x and y in turn) of the vertices so far. */
  coordinate(k: number): number {
    return this.xy[k];
  }

  /** Copies feature i of another array whole. */
  copy(from: GeometryArray, i: number): void {
    this.feature(from.kind[i]);
    for (let p = from.partStart[i]; p < from.partStart[i + 1]; p++) {
      this.part(from.kind[i] === Kind.Collection ? from.kindOfPart(i, p) : undefined);
      for (let r = from.ringStart[p]; r < from.ringStart[p + 1]; r++) {
        this.ring();
        const first = from.vertexStart[r];
        const end = from.vertexStart[r + 1];
        if (from.z === null && from.m === null) {
          this.run(from.xy, first, end - first);
          continue;
        }
        for (let v = first; v < end; v++) {
          this.vertex(from.xy[2 * v], from.xy[2 * v + 1]);
          if (from.z !== null) this.height(from.z[v]);
          if (from.m !== null) this.measure(from.m[v]);
        }
      }
    }
  }

  /** Copies the features first … end of another array, which has no heights, measures or collections, in one go. */
  copyRun(from: GeometryArray, first: number, end: number): void {
    if (this.z !== null || this.m !== null || this.partKind !== null || end - first < 4) {
      for (let i = first; i < end; i++) this.copy(from, i);
      return;
    }
    const p0 = from.partStart[first];
    const p1 = from.partStart[end];
    const r0 = from.ringStart[p0];
    const r1 = from.ringStart[p1];
    const v0 = from.vertexStart[r0];
    const v1 = from.vertexStart[r1];
    const features = this.features + end - first;
    if (features > this.kind.length) {
      this.kind = grown(this.kind, features);
      this.partStart = grown(this.partStart, features);
    }
    for (let i = first, f = this.features; i < end; i++, f++) {
      this.kind[f] = from.kind[i];
      this.partStart[f] = from.partStart[i] - p0 + this.parts;
    }
    const parts = this.parts + p1 - p0;
    if (parts > this.ringStart.length) this.ringStart = grown(this.ringStart, parts);
    for (let p = p0, own = this.parts; p < p1; p++, own++)
      this.ringStart[own] = from.ringStart[p] - r0 + this.rings;
    const rings = this.rings + r1 - r0;
    if (rings > this.vertexStart.length) this.vertexStart = grown(this.vertexStart, rings);
    for (let r = r0, own = this.rings; r < r1; r++, own++)
      this.vertexStart[own] = from.vertexStart[r] - v0 + this.vertices;
    this.features = features;
    this.parts = parts;
    this.rings = rings;
    this.run(from.xy, v0, v1 - v0);
  }

  /** Kind of a feature that was started. */
  kindOf(feature: number): number {
    return this.kind[feature];
  }

  /** Copies all that another builder holds so far (no heights, measures or collections); that one stays as it is. */
  addAll(from: GeometryMaker): void {
    for (let f = 0, p = 0, r = 0; f < from.features; f++) {
      this.feature(from.kind[f]);
      const partEnd = f + 1 < from.features ? from.partStart[f + 1] : from.parts;
      for (; p < partEnd; p++) {
        this.part();
        const ringEnd = p + 1 < from.parts ? from.ringStart[p + 1] : from.rings;
        for (; r < ringEnd; r++) {
          this.ring();
          const first = from.vertexStart[r];
          this.run(from.xy, first, (r + 1 < from.rings ? from.vertexStart[r + 1] : from.vertices) - first);
        }
      }
    }
  }

  /** Sets the vertices of the last ring in reverse order. */
  reverseLastRing(): void {
    let a = this.vertexStart[this.rings - 1];
    let b = this.vertices - 1;
    const swap = (array: Float64Array, i: number, j: number) => {
      const kept = array[i];
      array[i] = array[j];
      array[j] = kept;
    };
    for (; a < b; a++, b--) {
      swap(this.xy, 2 * a, 2 * b);
      swap(this.xy, 2 * a + 1, 2 * b + 1);
      if (this.z !== null) swap(this.z, a, b);
      if (this.m !== null) swap(this.m, a, b);
    }
  }

  /** Where it stands now, for `back`. */
  mark(): BuilderMark {
    return { features: this.features, parts: this.parts, rings: this.rings, vertices: this.vertices };
  }

  /** Takes back all that was added since a mark. */
  back(mark: BuilderMark): void {
    this.features = mark.features;
    this.parts = mark.parts;
    this.rings = mark.rings;
    this.vertices = mark.vertices;
  }

  /** The finished array, of exactly the size needed; the builder is empty afterwards and may be used again. */
  finish(): GeometryArray {
    const { features, parts, rings, vertices } = this;
    const closed = (array: Uint32Array, count: number, last: number) => {
      const whole = new Uint32Array(count + 1);
      whole.set(array.subarray(0, count));
      whole[count] = last;
      return whole;
    };
    const array = new GeometryArray({
      length: features,
      kind: this.kind.slice(0, features),
      partStart: closed(this.partStart, features, parts),
      ringStart: closed(this.ringStart, parts, rings),
      vertexStart: closed(this.vertexStart, rings, vertices),
      // Handed over as it is when it is nearly full; copied when most of it would be carried along unused.
      xy:
        2 * vertices > 0.6 * this.xy.length
          ? this.xy.subarray(0, 2 * vertices)
          : this.xy.slice(0, 2 * vertices),
      z: this.z === null ? null : this.z.slice(0, vertices),
      m: this.m === null ? null : this.m.slice(0, vertices),
      partKind: this.partKind === null ? null : this.partKind.slice(0, parts),
    });
    if (array.xy.buffer === this.xy.buffer) {
      this.likely = Math.max(512, vertices);
      this.xy = new Float64Array(0);
    }
    this.back({ features: 0, parts: 0, rings: 0, vertices: 0 });
    this.z = null;
    this.m = null;
    this.partKind = null;
    return array;
  }
}

/** The features of `array` whose numbers stand in `indices`, in that order. */
export function takeGeometries(array: GeometryArray, indices: ArrayLike<number>): GeometryArray {
  const builder = new GeometryMaker();
  for (let k = 0; k < indices.length; k++) builder.copy(array, indices[k]);
  return builder.finish();
}
