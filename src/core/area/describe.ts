import { degreesOfArea } from '../crs/area-extent.ts';
import { sameCrs } from '../crs/crs.ts';
import { wgs84 } from '../crs/registry.ts';
import { IsomericError } from '../errors.ts';
import { type GeodesicMeasure, geodesicMeasure } from '../geometry/geodesic.ts';
import { type Box, emptyBox, Kind } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';
import { AreaIndex } from '../geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../geometry/overlay/clipping.ts';
import type { Layer } from '../layer/layer.ts';
import { reprojectLayer } from '../layer/verbs/reproject.ts';
import { fieldIndex, requireField } from '../table/schema.ts';
import { layerWithoutLeaps } from './leaps.ts';
import type { Shape } from './shape.ts';
import { trueSize } from './true-size.ts';

/** What an area is like. */
export interface AreaFacts {
  /** On the ellipsoid of its CRS, square metres. */
  squareMetres: number;
  /** Length of its border, holes included, metres. */
  borderMetres: number;
  parts: number;
  holes: number;
  vertices: number;
  /** In its CRS: least x, least y, greatest x, greatest y. */
  box: Box;
  /** Longitudes and latitudes on WGS 84, west greater than east across the antimeridian; null without a way there. */
  degrees: Box | null;
}

/** What an area is like. @param index the same area made ready, when it is at hand */
export function areaFacts({ geometry, crs }: Shape, index = new AreaIndex(geometry)): AreaFacts {
  const measure = trueSize(crs, 0.001);
  const own = index.geometry;
  const parts = own.partStart[1];
  let degrees: Box | null = null;
  try {
    // From edge to edge it is two areas beside the antimeridian, or goes all around.
    const around = index.box[0] === -180 && index.box[2] === 180;
    degrees = sameCrs(crs, wgs84()) && !around ? index.box : degreesOfArea(index, crs);
  } catch (error) {
    if (!(error instanceof IsomericError) || error.code !== 'datum-shift-unknown') throw error;
  }
  return {
    squareMetres: measure.area(own, 0),
    borderMetres: measure.perimeter(own, 0),
    parts,
    holes: own.ringStart[parts] - parts,
    vertices: own.vertexCount,
    box: index.box,
    degrees,
  };
}

/** A unit that an area lies on. */
export interface TouchedUnit {
  code: string;
  name: string;
  /** How much of the unit lies in the area, 0 to 1, on the ellipsoid. */
  covered: number;
  /** How much of the area lies in the unit, 0 to 1. */
  held: number;
}

/**
 * The units of a layer that an area lies on, the largest share of the area first; what only touches its border is none of them.
 *
 * @param index the area, in the coordinates of its CRS
 * @param by fields with codes and names; without the first, features are told by their ids
 */
export async function unitsTouched(
  layer: Layer,
  { crs }: Shape,
  index: AreaIndex,
  by: { code?: string; name: string },
): Promise<TouchedUnit[]> {
  const key = by.code === undefined ? -1 : requireField(layer.schema, by.code, layer.name);
  const named = fieldIndex(layer.schema, by.name);
  const measure = geodesicMeasure(crs);
  const all = measure.area(index.geometry, 0);
  const found = new Map<string, { name: string; inside: number; whole: number }>();
  const box = emptyBox();
  for await (const batch of reprojectLayer(layerWithoutLeaps(layer), crs).batches()) {
    const geometry = batch.geometry!;
    for (let i = 0; i < batch.length; i++) {
      if (geometry.kind[i] !== Kind.Polygon && geometry.kind[i] !== Kind.MultiPolygon) continue;
      geometry.boxOf(i, box);
      const fate = settleByBox(index, box);
      const code = key < 0 ? String(batch.id(i)) : (batch.columns[key].text(i) ?? '');
      const known = found.get(code);
      // Of a unit of several features, those outside count for the whole, too.
      if (fate === Clipped.Outside && known === undefined && key < 0) continue;
      const size = measure.area(geometry, i);
      const inside =
        fate === Clipped.Outside
          ? 0
          : fate === Clipped.Whole
            ? size
            : insideOf(geometry, i, box, index, size, measure);
      const name = named < 0 ? '' : (batch.columns[named].text(i) ?? '');
      found.set(code, {
        name: known?.name ?? name,
        inside: (known?.inside ?? 0) + inside,
        whole: (known?.whole ?? 0) + size,
      });
    }
  }
  return [...found]
    .filter(([, { inside }]) => inside > 0)
    .map(([code, { name, inside, whole }]) => ({
      code,
      name,
      covered: Math.min(1, inside / whole),
      held: Math.min(1, inside / all),
    }))
    .sort((a, b) => b.held - a.held || (a.code < b.code ? -1 : 1));
}

function insideOf(
  geometry: Parameters<typeof clipFeature>[0],
  i: number,
  box: Box,
  index: AreaIndex,
  whole: number,
  measure: GeodesicMeasure,
): number {
  const maker = new GeometryMaker();
  const fate = clipFeature(geometry, i, box, index, maker);
  if (fate === Clipped.Outside) return 0;
  return fate === Clipped.Whole ? whole : measure.area(maker.finish(), 0);
}
