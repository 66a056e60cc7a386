import type { Crs } from '../crs/crs.ts';
import type { GeometryArray } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';
import type { Area } from './area.ts';
import { Batch } from './batch.ts';
import { layerOf } from './layer.ts';
import { reprojectLayer } from './verbs/reproject.ts';

/** The polygons of an area in another CRS. */
export async function areaInCrs(area: Area, crs: Crs): Promise<GeometryArray> {
  const { name, geometry } = area;
  const batch = new Batch({ length: geometry.length, first: 0, geometry, columns: [] });
  const layer = layerOf({ name, schema: [], crs: area.crs, batches: [batch] });
  const maker = new GeometryMaker();
  for await (const part of reprojectLayer(layer, crs).batches())
    for (let i = 0; i < part.length; i++) maker.copy(part.geometry!, i);
  return maker.finish();
}
