import {
  Batch,
  type Crs,
  crsByEpsg,
  type GeometryArray,
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  type Layer,
  layerOf,
} from '../../src/core/index.ts';
import { ColumnBuilder } from '../../src/core/table/column-builder.ts';

/** A plane in metres. */
export const plane: Crs = crsByEpsg(32626)!;
/** Longitudes and latitudes. */
export const degrees: Crs = crsByEpsg(4326)!;

/** A layer in memory: geometries, and columns of texts or numbers. */
export function layerWith(
  objects: readonly (GeometryObject | null)[],
  columns: Readonly<Record<string, readonly (string | number | null)[]>> = {},
  { crs = plane, name = 'things' }: { crs?: Crs | null; name?: string } = {},
): Layer {
  const schema = Object.entries(columns).map(([field, values]) => ({
    name: field,
    type: typeof values.find((value) => value !== null) === 'number' ? ('real' as const) : ('text' as const),
  }));
  return layerOf({
    name,
    schema,
    crs,
    batches: [
      new Batch({
        length: objects.length,
        first: 0,
        geometry: geometriesFrom(objects),
        columns: Object.values(columns).map((values, c) => {
          const builder = new ColumnBuilder(schema[c].type);
          for (const value of values)
            if (value === null) builder.null();
            else if (typeof value === 'number') builder.number(value);
            else builder.text(value);
          return builder.finish();
        }),
      }),
    ],
  });
}

/** All of a layer: its geometries in one array, its rows, what it said. */
export async function read(given: Layer | Promise<Layer>) {
  const layer = await given;
  const maker = new GeometryMaker();
  const rows: Record<string, unknown>[] = [];
  const ids: (string | number)[] = [];
  for await (const batch of layer.batches())
    for (let i = 0; i < batch.length; i++) {
      maker.copy(batch.geometry!, i);
      ids.push(batch.id(i));
      rows.push(Object.fromEntries(layer.schema.map((field, c) => [field.name, batch.columns[c].value(i)])));
    }
  const geometry: GeometryArray = maker.features === 0 ? geometriesFrom([]) : maker.finish();
  const account = layer.accounts[layer.accounts.length - 1];
  return { layer, geometry, rows, ids, account, said: account?.sentence ?? '' };
}
