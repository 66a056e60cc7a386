import { type Account, closeAccount, openAccount } from '../../core/account.ts';
import { emptyBox, growBox, isEmptyBox } from '../../core/geometry/geometry-array.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { hilbertOfBox, orderOf } from '../hilbert.ts';
import type { Target } from '../writing/target.ts';
import { FeatureWriter } from './feature.ts';
import { columnTypeOf, magic, writeHeader } from './header.ts';
import { packIndex } from './packed-index.ts';

const nodeSize = 16;

/** A Float64Array that grows. */
class Numbers {
  values = new Float64Array(4096);
  length = 0;

  push(...values: number[]): void {
    if (this.length + values.length > this.values.length) {
      const larger = new Float64Array(2 * this.values.length);
      larger.set(this.values);
      this.values = larger;
    }
    for (const value of values) this.values[this.length++] = value;
  }
}

/**
 * Writes FlatGeobuf 3 with its packed index, features in Hilbert order. Features are put aside first, since header,
 * index and order need all of them; about 60 bytes a feature stay in memory.
 */
export async function writeFlatgeobuf(layer: Layer, target: Target): Promise<Account[]> {
  const account = openAccount('Write', layer.name);
  const scratch = target.scratch();
  const writer = new FeatureWriter(layer.schema.map((field) => columnTypeOf(field.type)));
  const boxes = new Numbers();
  const places = new Numbers();
  const extent = emptyBox();
  const box = emptyBox();
  let kinds = 0;
  let z = false;
  let m = false;
  let ids = false;
  let count = 0;
  for await (const batch of layer.batches()) {
    const geometry = batch.geometry!;
    z ||= geometry.z !== null;
    m ||= geometry.m !== null;
    ids ||= batch.ids !== null;
    for (let i = 0; i < batch.length; i++) {
      kinds |= 1 << geometry.kind[i];
      growBox(extent, geometry.boxOf(i, box));
      boxes.push(box[0], box[1], box[2], box[3]);
      const bytes = writer.write(geometry, i, batch.columns);
      places.push(scratch.append(bytes), bytes.length);
      count++;
    }
  }
  const keys = new Uint32Array(count);
  for (let k = 0; k < count; k++) {
    for (let n = 0; n < 4; n++) box[n] = boxes.values[4 * k + n];
    keys[k] = hilbertOfBox(box, extent);
  }
  const order = orderOf(keys);
  const sink = target.create(target.name);
  sink.write(magic);
  const one = [1, 2, 3, 4, 5, 6, 7].find((kind) => (kinds & ~1) === 1 << kind);
  sink.write(
    writeHeader({
      name: layer.name,
      schema: layer.schema,
      crs: layer.crs,
      count,
      nodeSize: count > 0 ? nodeSize : 0,
      geometryType: one ?? 0,
      extent: isEmptyBox(extent) ? null : extent,
      z,
      m,
    }),
  );
  if (count > 0) {
    const sorted = new Float64Array(4 * count);
    const offsets = new Float64Array(count);
    let offset = 0;
    for (let k = 0; k < count; k++) {
      const from = 4 * order[k];
      for (let n = 0; n < 4; n++) sorted[4 * k + n] = boxes.values[from + n];
      offsets[k] = offset;
      offset += places.values[2 * order[k] + 1];
    }
    for (const bytes of packIndex(sorted, offsets, count, nodeSize)) sink.write(bytes);
    for (let k = 0; k < count; k++) {
      const at = places.values[2 * order[k]];
      sink.write(scratch.read(at, at + places.values[2 * order[k] + 1]));
    }
  }
  if (layer.crs === null) account.notes.push('The layer has no CRS; none was written.');
  if (ids) account.notes.push('FlatGeobuf keeps no ids of features.');
  account.notes.push('Features stand in the order of their places, not in that of the source.');
  account.counts = { written: count };
  closeAccount(account, [count, `${layer.name} written to ${target.name}`]);
  return [account];
}
