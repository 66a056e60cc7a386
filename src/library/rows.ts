import { type GeometryObject, geometryObject } from '../core/geometry/object-view.ts';
import type { Layer, Table } from '../core/layer/layer.ts';
import { countRows, rowsOf as objectsOf } from '../core/layer/layer.ts';
import type { Given } from '../verbs/step.ts';
import { type Watching, watchedTable } from './progress.ts';

/** The rows of a table as objects, one after the other: field → value, null where it is blank. */
export async function* rowsOf(
  table: Given<Table>,
  watching: Watching = {},
): AsyncGenerator<Record<string, unknown>> {
  yield* objectsOf(watchedTable(await table, watching));
}

/** One feature as an object. */
export interface FeatureObject {
  type: 'Feature';
  id: string | number;
  /** In the layer's own CRS: [east or longitude, north or latitude]; null where it has none. */
  geometry: GeometryObject | null;
  properties: Record<string, unknown>;
}

/** The features of a layer as objects, one after the other: for small results, and for what takes GeoJSON. */
export async function* featuresOf(
  layer: Given<Layer>,
  watching: Watching = {},
): AsyncGenerator<FeatureObject> {
  const watched = watchedTable(await layer, watching);
  for await (const batch of watched.batches())
    for (let i = 0; i < batch.length; i++)
      yield {
        type: 'Feature',
        id: batch.id(i),
        geometry: geometryObject(batch.geometry!, i),
        properties: Object.fromEntries(
          watched.schema.map((field, c) => [field.name, batch.columns[c].value(i)]),
        ),
      };
}

/** Number of rows; they are read where it is not known. */
export async function countOf(table: Given<Table>, watching: Watching = {}): Promise<number> {
  return countRows(watchedTable(await table, watching));
}
