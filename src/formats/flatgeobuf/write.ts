import { type Account, closeAccount, openAccount } from '../../core/account.ts';
import { emptyBox, isEmptyBox } from '../../core/geometry/geometry-array.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { FeatureBoxes, FeaturePlaces } from '../writing/feature-boxes.ts';
import { inOrder } from '../writing/in-order.ts';
import type { Target } from '../writing/target.ts';
import { FeatureWriter } from './feature.ts';
import { columnTypeOf, magic, writeHeader } from './header.ts';
import { packIndex } from './packed-index.ts';

const nodeSize = 16;

/**
 * Writes FlatGeobuf 3 with its packed index, features in Hilbert order. Features are put aside first, since header,
 * index and order need all of them; about 70 bytes a feature stay in memory.
 */
export async function writeFlatgeobuf(layer: Layer, target: Target): Promise<Account[]> {
  const account = openAccount('Write', layer.name);
  const scratch = target.scratch();
  const writer = new FeatureWriter(layer.schema.map((field) => columnTypeOf(field.type)));
  const boxes = new FeatureBoxes();
  const places = new FeaturePlaces();
  const box = emptyBox();
  let kinds = 0;
  let z = false;
  let m = false;
  let count = 0;
  for await (const batch of layer.batches()) {
    const geometry = batch.geometry!;
    z ||= geometry.z !== null;
    m ||= geometry.m !== null;
    for (let i = 0; i < batch.length; i++) {
      kinds |= 1 << geometry.kind[i];
      boxes.add(geometry.boxOf(i, box));
      const bytes = writer.write(geometry, i, batch.columns);
      places.add(scratch.append(bytes), bytes.length);
      count++;
    }
  }
  const order = boxes.order();
  const { extent } = boxes;
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
    for (const bytes of packIndex(boxes, places, order, nodeSize)) sink.write(bytes);
    for (const bytes of inOrder(scratch, places, order, target)) sink.write(bytes);
  }
  if (layer.crs === null) account.notes.push('The layer has no CRS; none was written.');
  account.notes.push('Features stand in the order of their places, not in that of the source.');
  account.counts = { written: count };
  closeAccount(account, [count, `${layer.name} written to ${target.name}`]);
  return [account];
}
