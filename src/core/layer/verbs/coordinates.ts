import { Kind } from '../../geometry/geometry-array.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';

/** Adds where each point lies in the CRS of the layer as fields: easting and northing, in its units. */
export function withCoordinates(layer: Layer): Layer {
  const taken = layer.schema.map(({ name }) => name);
  const unit = layer.crs?.kind === 'projected' && layer.crs.unit !== 1 ? layer.crs.unitName : 'm';
  const fields: Field[] = (
    [
      ['easting', 'Easting'],
      ['northing', 'Northing'],
    ] as const
  ).map(([name, title]) => ({ name: freeName(name, taken), type: 'real', title, unit }));
  return {
    ...layer,
    schema: [...layer.schema, ...fields],
    async *batches(options) {
      for await (const batch of layer.batches(options)) {
        const [east, north] = fields.map(() => new ColumnBuilder('real'));
        const geometry = batch.geometry!;
        for (let i = 0; i < batch.length; i++) {
          if (geometry.kind[i] !== Kind.Point || geometry.isEmpty(i)) {
            east.null();
            north.null();
            continue;
          }
          const v = geometry.vertexStart[geometry.ringStart[geometry.partStart[i]]];
          east.number(geometry.xy[2 * v]);
          north.number(geometry.xy[2 * v + 1]);
        }
        yield batch.with({ columns: [...batch.columns, east.finish(), north.finish()] });
      }
    },
  };
}
