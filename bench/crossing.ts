import { GeometryMaker } from '../src/core/geometry/geometry-maker.ts';
import type { AreaIndex } from '../src/core/geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../src/core/geometry/overlay/clipping.ts';
import type { Layer } from '../src/core/index.ts';

/** Numbers of the features that meet the border, found once. */
const found = new WeakMap<Layer, [batch: number, feature: number][]>();

/** The overlay of the crossing features alone: part of the floor of a clip. */
export async function crossingOnly(layer: Layer, area: AreaIndex): Promise<number> {
  let list = found.get(layer);
  const batches = [];
  for await (const batch of layer.batches()) batches.push(batch);
  if (list === undefined) {
    list = [];
    batches.forEach((batch, b) => {
      for (let i = 0; i < batch.length; i++) {
        if (settleByBox(area, batch.geometry!.boxOf(i)) === Clipped.Undecided) list!.push([b, i]);
      }
    });
    found.set(layer, list);
  }
  const builder = new GeometryMaker();
  for (const [b, i] of list) {
    const geometry = batches[b].geometry!;
    clipFeature(geometry, i, geometry.boxOf(i), area, builder);
  }
  return builder.features;
}
