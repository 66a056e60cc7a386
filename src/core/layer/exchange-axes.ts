import { GeometryArray } from '../geometry/geometry-array.ts';
import type { Layer } from './layer.ts';

/** The same layer with the two ordinates of every vertex exchanged: what came as [north, east] becomes [east, north]. */
export function exchangeAxes(layer: Layer): Layer {
  const [a, b, c, d] = layer.extent ?? [];
  return {
    ...layer,
    extent: layer.extent === undefined ? undefined : [b!, a!, d!, c!],
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
          xy[k] = geometry.xy[k + 1];
          xy[k + 1] = geometry.xy[k];
        }
        yield batch.with({ geometry: new GeometryArray({ ...geometry.buffers(), xy }) });
      }
    },
  };
}
