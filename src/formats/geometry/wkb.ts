import { IsomericError } from '../../core/errors.ts';
import { type GeometryArray, Kind, partKindOf } from '../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../core/geometry/geometry-maker.ts';

/** Deepest nesting of collections that is read. */
const deepest = 16;

/** Well-known binary (OGC 06-103r4, clause 8; ISO codes for Z and M) of geometries, little-endian. */
export class WkbWriter {
  private bytes = new Uint8Array(1024);
  private view = new DataView(this.bytes.buffer);
  private at = 0;

  /**
   * The WKB of feature i after `room` bytes left free for a header; a view that is valid until the next call.
   * `kind` may ask for the multi-part kind of a single-part geometry.
   */
  write(array: GeometryArray, i: number, room = 0, kind: number = array.kind[i]): Uint8Array {
    const parts = array.partStart[i + 1] - array.partStart[i];
    const vertices = array.endVertex(i) - array.firstVertex(i);
    const rings = array.ringStart[array.partStart[i + 1]] - array.ringStart[array.partStart[i]];
    const needed = room + 32 + 13 * parts + 4 * rings + 32 * vertices;
    if (needed > this.bytes.length) {
      this.bytes = new Uint8Array(needed * 2);
      this.view = new DataView(this.bytes.buffer);
    }
    this.at = room;
    // A vertex without a height has NaN in its place, as the points of an empty geometry have.
    const z = array.z !== null && (vertices === 0 || array.hasHeights(i));
    const m = array.m !== null && (vertices === 0 || array.hasMeasures(i));
    const first = array.partStart[i];
    if (kind < Kind.MultiPoint) {
      if (parts === 0) this.empty(kind, z, m);
      else this.part(array, first, kind, z, m);
    } else {
      this.header(kind, z, m);
      this.count(parts);
      for (let p = first; p < first + parts; p++)
        this.part(array, p, kind === Kind.Collection ? array.kindOfPart(i, p) : partKindOf(kind), z, m);
    }
    return this.bytes.subarray(0, this.at);
  }

  /** The bytes written last, to fill the room at their front. */
  get front(): DataView {
    return this.view;
  }

  private header(kind: number, z: boolean, m: boolean): void {
    this.bytes[this.at] = 1;
    this.view.setUint32(this.at + 1, kind + (z ? 1000 : 0) + (m ? 2000 : 0), true);
    this.at += 5;
  }

  private count(n: number): void {
    this.view.setUint32(this.at, n, true);
    this.at += 4;
  }

  private empty(kind: number, z: boolean, m: boolean): void {
    this.header(kind, z, m);
    if (kind !== Kind.Point) this.count(0);
    else {
      // An empty point is written as NaN (GeoPackage 1.3, requirement 153).
      for (let k = 0; k < 2 + Number(z) + Number(m); k++, this.at += 8)
        this.view.setFloat64(this.at, NaN, true);
    }
  }

  private part(array: GeometryArray, p: number, kind: number, z: boolean, m: boolean): void {
    this.header(kind, z, m);
    const firstRing = array.ringStart[p];
    if (kind === Kind.Polygon) this.count(array.ringStart[p + 1] - firstRing);
    for (let r = firstRing; r < array.ringStart[p + 1]; r++) {
      const from = array.vertexStart[r];
      const end = array.vertexStart[r + 1];
      if (kind !== Kind.Point) this.count(end - from);
      const { view } = this;
      let { at } = this;
      for (let v = from; v < end; v++) {
        view.setFloat64(at, array.xy[2 * v], true);
        view.setFloat64(at + 8, array.xy[2 * v + 1], true);
        at += 16;
        if (z) {
          view.setFloat64(at, array.z![v], true);
          at += 8;
        }
        if (m) {
          view.setFloat64(at, array.m![v], true);
          at += 8;
        }
      }
      this.at = at;
    }
  }
}

/** Reads WKB (both byte orders; ISO and the older high-bit codes for Z, M and SRID) as one feature of a builder. */
export function readWkb(bytes: Uint8Array, start: number, builder: GeometryMaker, what: string): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let at = start;
  const need = (count: number) => {
    if (at + count > bytes.length) {
      throw new IsomericError('wkb-damaged', `The geometry of ${what} ends in the middle.`, {
        place: { byte: at },
        advice: 'The file is damaged: get it again.',
      });
    }
  };
  const bad = (words: string): never => {
    throw new IsomericError('wkb-damaged', `The geometry of ${what} ${words}.`, {
      place: { byte: at },
      advice: 'The file is damaged: get it again.',
    });
  };
  const head = () => {
    need(5);
    const order = bytes[at];
    if (order > 1) bad(`begins with the byte order ${order}`);
    const little = order === 1;
    let code = view.getUint32(at + 1, little);
    at += 5;
    let z = (code & 0x80000000) !== 0;
    let m = (code & 0x40000000) !== 0;
    if (code & 0x20000000) {
      need(4);
      at += 4;
    }
    code &= 0x0fffffff;
    const thousands = Math.floor(code / 1000);
    if (thousands > 3) bad(`has the unknown type ${code}`);
    z ||= thousands === 1 || thousands === 3;
    m ||= thousands >= 2;
    const kind = code % 1000;
    if (kind < 1 || kind > 7) bad(`has the unsupported type ${code}`);
    return { little, kind, z, m };
  };
  type Head = ReturnType<typeof head>;
  const count = (h: Head, least: number) => {
    need(4);
    const n = view.getUint32(at, h.little);
    at += 4;
    if (n * least > bytes.length - at) bad(`claims ${n} members, more than its bytes can hold`);
    return n;
  };
  const vertices = (h: Head, n: number) => {
    const step = 16 + (h.z ? 8 : 0) + (h.m ? 8 : 0);
    need(n * step);
    for (let k = 0; k < n; k++, at += step) {
      builder.vertex(view.getFloat64(at, h.little), view.getFloat64(at + 8, h.little));
      if (h.z) builder.height(view.getFloat64(at + 16, h.little));
      if (h.m) builder.measure(view.getFloat64(at + (h.z ? 24 : 16), h.little));
    }
  };
  const single = (h: Head, member: boolean) => {
    const part = () => builder.part(member ? h.kind : undefined);
    if (h.kind === Kind.Point) {
      need(16);
      const nothing =
        Number.isNaN(view.getFloat64(at, h.little)) && Number.isNaN(view.getFloat64(at + 8, h.little));
      if (nothing) {
        at += 16 + (h.z ? 8 : 0) + (h.m ? 8 : 0);
        return;
      }
      part();
      builder.ring();
      vertices(h, 1);
    } else if (h.kind === Kind.LineString) {
      const n = count(h, 16);
      if (n === 0) return;
      part();
      builder.ring();
      vertices(h, n);
    } else {
      const rings = count(h, 4);
      if (rings === 0) return;
      part();
      for (let r = 0; r < rings; r++) {
        builder.ring();
        vertices(h, count(h, 16));
      }
    }
  };
  const members = (h: Head, inCollection: boolean, depth: number): void => {
    if (depth > deepest) bad('is nested too deeply');
    const n = count(h, 5);
    for (let k = 0; k < n; k++) {
      const inner = head();
      if (inner.kind < Kind.MultiPoint) single(inner, inCollection);
      else if (inCollection) members(inner, true, depth + 1);
      else bad('has a multi-part geometry inside a multi-part geometry');
    }
  };
  const top = head();
  builder.feature(top.kind);
  if (top.kind < Kind.MultiPoint) single(top, false);
  else members(top, top.kind === Kind.Collection, 0);
}

/** The SRID of an EWKB blob; null when it names none, or there is no blob. */
export function sridOfWkb(bytes: Uint8Array | null): number | null {
  if (bytes === null || bytes.length < 9) return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const little = bytes[0] === 1;
  return view.getUint32(1, little) & 0x20000000 ? view.getUint32(5, little) : null;
}
