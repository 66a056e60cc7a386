import { emptyBox, type GeometryArray, growBox, isEmptyBox } from '../../core/geometry/geometry-array.ts';
import { ringDoubleArea } from '../../core/geometry/measures.ts';
import type { ByteSink } from '../writing/target.ts';

/** Stands for “no measure”: any value under −10³⁸ (white paper of 1998, page 2). */
const noMeasure = -1.7976931348623157e308;

/** Writes one .shp and its .shx. Shape types and layouts: the white paper of July 1998. */
export class ShapeWriter {
  private readonly main: ByteSink;
  private readonly index: ByteSink;
  /** 1 points, 3 lines, 5 areas, 8 multi-points. */
  private readonly shape: 1 | 3 | 5 | 8;
  private readonly z: boolean;
  private readonly m: boolean;
  private readonly type: number;
  private readonly box = emptyBox();
  private readonly zRange: [number, number] = [Infinity, -Infinity];
  private readonly mRange: [number, number] = [Infinity, -Infinity];
  /** Vertices that got a height of 0 because they had none. */
  filled = 0;
  private records = 0;
  private bytes = new Uint8Array(4096);
  private view = new DataView(this.bytes.buffer);
  private readonly entry = new Uint8Array(8);

  constructor(main: ByteSink, index: ByteSink, shape: 1 | 3 | 5 | 8, z: boolean, m: boolean) {
    this.main = main;
    this.index = index;
    this.shape = shape;
    this.z = z;
    this.m = m;
    this.type = shape + (z ? 10 : m ? 20 : 0);
    main.write(new Uint8Array(100));
    index.write(new Uint8Array(100));
  }

  /** Adds the parts of feature i that belong to this set; without any, a null shape. */
  add(array: GeometryArray, i: number): void {
    const wanted = this.shape === 8 ? 1 : this.shape === 1 ? 1 : this.shape === 3 ? 2 : 3;
    const parts: number[] = [];
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
      if (array.kindOfPart(i, p) === wanted) parts.push(p);
    let length = 4;
    if (parts.length > 0) length = this.shape === 1 ? this.point(array, parts[0]) : this.many(array, parts);
    else this.view.setInt32(8, 0, true);
    this.records++;
    this.view.setInt32(0, this.records);
    this.view.setInt32(4, length / 2);
    const entry = new DataView(this.entry.buffer);
    entry.setInt32(0, this.main.length / 2);
    entry.setInt32(4, length / 2);
    this.index.write(this.entry);
    this.main.write(this.bytes.subarray(0, 8 + length));
  }

  private room(bytes: number): void {
    if (bytes <= this.bytes.length) return;
    this.bytes = new Uint8Array(2 * bytes);
    this.view = new DataView(this.bytes.buffer);
  }

  private see(array: GeometryArray, v: number): void {
    const { box } = this;
    const x = array.xy[2 * v];
    const y = array.xy[2 * v + 1];
    if (x < box[0]) box[0] = x;
    if (x > box[2]) box[2] = x;
    if (y < box[1]) box[1] = y;
    if (y > box[3]) box[3] = y;
  }

  private point(array: GeometryArray, p: number): number {
    const v = array.vertexStart[array.ringStart[p]];
    const { view } = this;
    this.see(array, v);
    view.setInt32(8, this.type, true);
    view.setFloat64(12, array.xy[2 * v], true);
    view.setFloat64(20, array.xy[2 * v + 1], true);
    let at = 28;
    if (this.z) {
      view.setFloat64(at, this.height(array, v), true);
      at += 8;
    }
    if (this.z || this.m) {
      view.setFloat64(at, this.measure(array, v), true);
      at += 8;
    }
    return at - 8;
  }

  private height(array: GeometryArray, v: number): number {
    const none = array.z === null || Number.isNaN(array.z[v]);
    if (none) this.filled++;
    const value = none ? 0 : array.z![v];
    this.zRange[0] = Math.min(this.zRange[0], value);
    this.zRange[1] = Math.max(this.zRange[1], value);
    return value;
  }

  private measure(array: GeometryArray, v: number): number {
    const value = array.m === null ? NaN : array.m[v];
    if (Number.isNaN(value)) return noMeasure;
    this.mRange[0] = Math.min(this.mRange[0], value);
    this.mRange[1] = Math.max(this.mRange[1], value);
    return value;
  }

  private many(array: GeometryArray, parts: readonly number[]): number {
    // Vertex runs in the order of writing; a negative step reads a ring backwards.
    const runs: { from: number; end: number; step: 1 | -1 }[] = [];
    let points = 0;
    for (const p of parts) {
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        const from = array.vertexStart[r];
        const end = array.vertexStart[r + 1];
        if (from === end) continue;
        // Shells run clockwise, holes the other way.
        const twice = this.shape === 5 ? ringDoubleArea(array.xy, from, end) : 0;
        const backwards = r === array.ringStart[p] ? twice > 0 : twice < 0;
        runs.push(backwards ? { from: end - 1, end: from - 1, step: -1 } : { from, end, step: 1 });
        points += end - from;
      }
    }
    const withParts = this.shape !== 8;
    this.room(8 + 44 + 4 * runs.length + 32 * points + 48);
    const { view } = this;
    view.setInt32(8, this.type, true);
    let at = 44;
    if (withParts) {
      view.setInt32(at, runs.length, true);
      at += 4;
    }
    view.setInt32(at, points, true);
    at += 4;
    if (withParts) {
      let start = 0;
      for (const { from, end } of runs) {
        view.setInt32(at, start, true);
        start += Math.abs(end - from);
        at += 4;
      }
    }
    const box = emptyBox();
    for (const { from, end, step } of runs) {
      for (let v = from; v !== end; v += step) {
        const x = array.xy[2 * v];
        const y = array.xy[2 * v + 1];
        if (x < box[0]) box[0] = x;
        if (x > box[2]) box[2] = x;
        if (y < box[1]) box[1] = y;
        if (y > box[3]) box[3] = y;
        view.setFloat64(at, x, true);
        view.setFloat64(at + 8, y, true);
        at += 16;
      }
    }
    growBox(this.box, box);
    for (let k = 0; k < 4; k++) view.setFloat64(12 + 8 * k, box[k], true);
    if (this.z) at = this.ordinates(array, runs, at, (v) => this.height(array, v));
    if (this.z || this.m) at = this.ordinates(array, runs, at, (v) => this.measure(array, v));
    return at - 8;
  }

  private ordinates(
    _array: GeometryArray,
    runs: readonly { from: number; end: number; step: 1 | -1 }[],
    start: number,
    value: (v: number) => number,
  ): number {
    const { view } = this;
    let least = Infinity;
    let greatest = -Infinity;
    let at = start + 16;
    for (const { from, end, step } of runs) {
      for (let v = from; v !== end; v += step) {
        const one = value(v);
        if (one > noMeasure) {
          if (one < least) least = one;
          if (one > greatest) greatest = one;
        }
        view.setFloat64(at, one, true);
        at += 8;
      }
    }
    view.setFloat64(start, least === Infinity ? noMeasure : least, true);
    view.setFloat64(start + 8, greatest === -Infinity ? noMeasure : greatest, true);
    return at;
  }

  finish(): void {
    for (const sink of [this.main, this.index]) {
      const head = new DataView(new ArrayBuffer(100));
      head.setInt32(0, 9994);
      head.setInt32(24, sink.length / 2);
      head.setInt32(28, 1000, true);
      head.setInt32(32, this.type, true);
      const box = isEmptyBox(this.box) ? [0, 0, 0, 0] : this.box;
      for (let k = 0; k < 4; k++) head.setFloat64(36 + 8 * k, box[k], true);
      [this.zRange, this.mRange].forEach((range, k) => {
        if (range[0] > range[1]) return;
        head.setFloat64(68 + 16 * k, range[0], true);
        head.setFloat64(76 + 16 * k, range[1], true);
      });
      sink.patch(0, new Uint8Array(head.buffer));
    }
  }
}
