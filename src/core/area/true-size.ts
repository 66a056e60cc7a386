import { type Crs, geographicOf } from '../crs/crs.ts';
import { type GeodesicMeasure, geodesicMeasure } from '../geometry/geodesic.ts';
import type { GeometryArray } from '../geometry/geometry-array.ts';
import { dividedEdges } from './divided.ts';

/**
 * The same areas with so many more vertices that geodesics between them keep to the edges as they are drawn in degrees: a parallel is no
 * geodesic, and lies (east part of its length)² · tan φ / 8 R from the one between its ends.
 *
 * @param allowed metres that a geodesic may lie beside its edge
 */
function alongEdges(array: GeometryArray, crs: Crs, allowed: number): GeometryArray {
  const { ellipsoid, unit } = geographicOf(crs);
  return dividedEdges(array, (ax, ay, bx, by) => {
    const steepest = Math.min(1.5, Math.max(Math.abs(ay), Math.abs(by)) * unit);
    const east = Math.abs(bx - ax) * unit * Math.cos(((ay + by) / 2) * unit) * ellipsoid.a;
    const bend = (east * east * Math.tan(steepest)) / (8 * ellipsoid.a);
    // Around more than a quarter of the globe the formula says nothing; and no geodesic goes further than half around it.
    const least = Math.ceil((Math.abs(bx - ax) * unit) / 1.5);
    return Math.max(least, Math.ceil(Math.sqrt(bend / allowed)));
  });
}

/**
 * Measures areas on the ellipsoid of a CRS with their edges as they are drawn: straight in the coordinates of a geographic CRS.
 * Vertices of projected ones are joined by geodesics.
 *
 * @param allowed metres that are neglected beside an edge
 */
export function trueSize(crs: Crs, allowed: number): Pick<GeodesicMeasure, 'area' | 'perimeter'> {
  const measure = geodesicMeasure(crs);
  if (crs.kind === 'projected') return measure;
  const made = new WeakMap<GeometryArray, GeometryArray>();
  const drawn = (array: GeometryArray) => {
    let found = made.get(array);
    if (found === undefined) made.set(array, (found = alongEdges(array, crs, allowed)));
    return found;
  };
  return {
    area: (array, i) => measure.area(drawn(array), i),
    perimeter: (array, i) => measure.perimeter(drawn(array), i),
  };
}
