import { type Box, emptyBox } from '../../core/geometry/geometry-array.ts';
import { hilbertOfBox, orderOf } from '../geometry/hilbert.ts';

/** Boxes in one chunk: memory grows by chunks, never by copying all. */
const chunkLength = 65_536;

const single = new Float32Array(1);
const bits = new Int32Array(single.buffer);

/** The nearest single-precision number not above `value`. */
export function roundDown(value: number): number {
  single[0] = value;
  if (single[0] <= value) return single[0];
  bits[0] += single[0] > 0 ? -1 : single[0] < 0 ? 1 : 0;
  if (single[0] > value) single[0] = -1.401298464324817e-45;
  return single[0];
}

/** The nearest single-precision number not below `value`. */
export function roundUp(value: number): number {
  return -roundDown(-value);
}

/**
 * The boxes of all features of a layer, in single precision and rounded outwards, so that none is smaller than its
 * feature: sixteen bytes a feature. What spatial indexes are made of.
 */
export class FeatureBoxes {
  count = 0;
  /** Box of all, in full precision. */
  readonly extent = emptyBox();
  private readonly chunks: Float32Array[] = [];

  /** Adds the box of the next feature; an empty one for a feature without vertices. */
  add(box: Box): void {
    const { extent } = this;
    if (this.count % chunkLength === 0) this.chunks.push(new Float32Array(4 * chunkLength));
    const chunk = this.chunks[this.chunks.length - 1];
    const at = 4 * (this.count++ % chunkLength);
    if (!(box[0] <= box[2] && box[1] <= box[3])) {
      chunk[at] = chunk[at + 1] = Infinity;
      chunk[at + 2] = chunk[at + 3] = -Infinity;
      return;
    }
    chunk[at] = roundDown(box[0]);
    chunk[at + 1] = roundDown(box[1]);
    chunk[at + 2] = roundUp(box[2]);
    chunk[at + 3] = roundUp(box[3]);
    if (box[0] < extent[0]) extent[0] = box[0];
    if (box[1] < extent[1]) extent[1] = box[1];
    if (box[2] > extent[2]) extent[2] = box[2];
    if (box[3] > extent[3]) extent[3] = box[3];
  }

  /** Box of feature k, written into `box`. */
  get(k: number, box: Box): Box {
    const chunk = this.chunks[Math.floor(k / chunkLength)];
    const at = 4 * (k % chunkLength);
    box[0] = chunk[at];
    box[1] = chunk[at + 1];
    box[2] = chunk[at + 2];
    box[3] = chunk[at + 3];
    return box;
  }

  /** Numbers of the features in Hilbert order; those without a box last. */
  order(): Uint32Array {
    const keys = new Uint32Array(this.count);
    const box = emptyBox();
    for (let c = 0, k = 0; c < this.chunks.length; c++) {
      const chunk = this.chunks[c];
      for (let at = 0; at < chunk.length && k < this.count; at += 4, k++) {
        box[0] = chunk[at];
        box[1] = chunk[at + 1];
        box[2] = chunk[at + 2];
        box[3] = chunk[at + 3];
        keys[k] = hilbertOfBox(box, this.extent);
      }
    }
    return orderOf(keys);
  }
}

/** Where features lie that were put aside: twelve bytes a feature. */
export class FeaturePlaces {
  count = 0;
  private readonly offsets: Float64Array[] = [];
  private readonly lengths: Uint32Array[] = [];

  add(offset: number, length: number): void {
    if (this.count % chunkLength === 0) {
      this.offsets.push(new Float64Array(chunkLength));
      this.lengths.push(new Uint32Array(chunkLength));
    }
    const at = this.count++ % chunkLength;
    this.offsets[this.offsets.length - 1][at] = offset;
    this.lengths[this.lengths.length - 1][at] = length;
  }

  offset(k: number): number {
    return this.offsets[Math.floor(k / chunkLength)][k % chunkLength];
  }

  length(k: number): number {
    return this.lengths[Math.floor(k / chunkLength)][k % chunkLength];
  }
}
