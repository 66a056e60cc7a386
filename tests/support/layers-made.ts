import type { GeometryArray } from '../../src/core/geometry/geometry-array.ts';
import { geometriesFrom } from '../../src/core/geometry/object-view.ts';
import { Batch } from '../../src/core/layer/batch.ts';
import { type Layer, layerOf } from '../../src/core/layer/layer.ts';

/** Polygons from their rings: shell first, then holes. */
export function polygons(
  all: readonly (readonly (readonly (readonly [number, number] | number[])[])[])[],
): GeometryArray {
  return geometriesFrom(
    all.map((rings) => ({ type: 'Polygon', coordinates: rings as unknown as number[][][] })),
  );
}

/** A layer of geometries, called “made”, without fields and without a CRS. */
export function layerFrom(geometry: GeometryArray): Layer {
  return layerOf({
    name: 'made',
    schema: [],
    crs: null,
    batches: [new Batch({ columns: [], geometry, length: geometry.length, first: 0 })],
  });
}
