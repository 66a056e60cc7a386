import { type Box, emptyBox, type GeometryArray } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { readWkb, WkbWriter } from '../geometry/wkb.ts';
import { FeatureBoxes, FeaturePlaces } from './feature-boxes.ts';
import { inOrder } from './in-order.ts';
import type { Scratch, Target } from './target.ts';

/** Vertices of one piece. */
const mostVertices = 1_000_000;

/** A piece of a layer in its new order. */
export interface SpooledRows {
  length: number;
  geometry: GeometryArray;
  columns: Column[];
  box: Box;
}

/**
 * Puts all features of a layer aside and gives them back in Hilbert order. In memory stay their boxes and places,
 * about 40 bytes a feature; all else is in the scratch.
 */
export class HilbertSpool {
  kinds = 0;
  z = false;
  m = false;
  private readonly layer: Layer;
  private readonly target: Pick<Target, 'scratch'>;
  private readonly scratch: Scratch;
  private readonly boxes = new FeatureBoxes();
  private readonly places = new FeaturePlaces();

  constructor(layer: Layer, target: Pick<Target, 'scratch'>) {
    this.layer = layer;
    this.target = target;
    this.scratch = target.scratch();
  }

  /** Reads the layer to its end. */
  async fill(): Promise<void> {
    const wkb = new WkbWriter();
    const row = new RowBytes();
    const box = emptyBox();
    for await (const batch of this.layer.batches()) {
      const geometry = batch.geometry!;
      this.z ||= geometry.z?.some((value) => !Number.isNaN(value)) ?? false;
      this.m ||= geometry.m?.some((value) => !Number.isNaN(value)) ?? false;
      for (let i = 0; i < batch.length; i++) {
        this.kinds |= 1 << geometry.kind[i];
        this.boxes.add(geometry.boxOf(i, box));
        const bytes = row.encode(geometry.kind[i] === 0 ? null : wkb.write(geometry, i), batch.columns, i);
        this.places.add(this.scratch.append(bytes), bytes.length);
      }
    }
  }

  get count(): number {
    return this.boxes.count;
  }

  /** Box of all features. */
  get extent(): Box {
    return this.boxes.extent;
  }

  /** The features in Hilbert order, so many at a time at most. */
  *inOrder(rows: number): Generator<SpooledRows> {
    const features = inOrder(this.scratch, this.places, this.boxes.order(), this.target);
    for (let from = 0, end = 0; from < this.count; from = end) {
      const builder = new GeometryMaker();
      const columns = this.layer.schema.map((field) => new ColumnBuilder(field.type));
      // Large geometries make small pieces.
      for (; end < this.count && end < from + rows && builder.vertices < mostVertices; end++) {
        const next = features.next();
        if (next.done !== true) decode(next.value, builder, columns);
      }
      const geometry = builder.finish();
      yield {
        length: end - from,
        geometry,
        columns: columns.map((column) => column.finish()),
        box: geometry.box(),
      };
    }
  }
}

/** One row as bytes: length of the WKB (2³² − 1: none) and the WKB, then a mark and the value of every column. */
class RowBytes {
  private bytes = new Uint8Array(4096);
  private view = new DataView(this.bytes.buffer);

  encode(wkb: Uint8Array | null, columns: readonly Column[], i: number): Uint8Array {
    let at = this.room(0, 4 + (wkb?.length ?? 0));
    this.view.setUint32(0, wkb === null ? 0xffffffff : wkb.length, true);
    if (wkb !== null) this.bytes.set(wkb, 4);
    at = 4 + (wkb?.length ?? 0);
    for (const column of columns) {
      this.room(at, 16);
      if (column.isNull(i)) {
        this.bytes[at++] = 0;
        continue;
      }
      this.bytes[at++] = 1;
      if (column.numbers !== null) {
        this.view.setFloat64(at, column.numbers[i], true);
        at += 8;
        continue;
      }
      const own =
        column.offsets === null
          ? new TextEncoder().encode(column.text(i)!)
          : column.bytes!.subarray(column.offsets[i], column.offsets[i + 1]);
      this.room(at, 4 + own.length);
      this.view.setUint32(at, own.length, true);
      this.bytes.set(own, at + 4);
      at += 4 + own.length;
    }
    return this.bytes.subarray(0, at);
  }

  private room(at: number, count: number): number {
    if (at + count > this.bytes.length) {
      const larger = new Uint8Array(2 * (at + count));
      larger.set(this.bytes.subarray(0, at));
      this.bytes = larger;
      this.view = new DataView(larger.buffer);
    }
    return at;
  }
}

function decode(bytes: Uint8Array, builder: GeometryMaker, columns: readonly ColumnBuilder[]): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const length = view.getUint32(0, true);
  let at = 4;
  if (length === 0xffffffff) builder.feature(0);
  else {
    readWkb(bytes.subarray(4, 4 + length), 0, builder, 'a feature put aside');
    at += length;
  }
  for (const column of columns) {
    if (bytes[at++] === 0) column.null();
    else if (column.type === 'text' || column.type === 'json' || column.type === 'bytes') {
      const size = view.getUint32(at, true);
      column.raw(bytes, at + 4, at + 4 + size);
      at += 4 + size;
    } else {
      column.number(view.getFloat64(at, true));
      at += 8;
    }
  }
}
