import { GeometryArray } from '../geometry/geometry-array.ts';
import type { Layer } from './layer.ts';

/**
 * The same layer with the ordinates of every vertex as memory has them: exchanged where they came as [north, east], turned
 * where they came as westings or southings.
 */
export function exchangeAxes(
  layer: Layer,
  { exchanged, east, north } = { exchanged: true, east: 1, north: 1 },
): Layer {
  const first = exchanged ? 1 : 0;
  return {
    ...layer,
    extent: undefined,
    readsByBox: false,
    async *batches() {
      for await (const batch of layer.batches()) {
        const { geometry } = batch;
        if (geometry === null) {
          yield batch;
          continue;
        }
        const xy = new Float64Array(geometry.xy.length);
        for (let k = 0; k + 1 < xy.length; k += 2) {
          xy[k] = east * geometry.xy[k + first];
          xy[k + 1] = north * geometry.xy[k + 1 - first];
        }
        yield batch.with({ geometry: new GeometryArray({ ...geometry.buffers(), xy }) });
      }
    },
  };
}
