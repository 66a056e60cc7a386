import { type Crs, geographicOf } from '../crs/crs.ts';
import { type GeodesicMeasure, geodesicMeasure } from '../geometry/geodesic.ts';
import type { GeometryArray } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';

/** Pieces of one edge, at most. */
const mostPieces = 4096;

/**
 * The same areas with so many more vertices that geodesics between them keep to the edges as they are drawn in degrees: a parallel is no
 * geodesic, and lies (east part of its length)² · tan φ / 8 R from the one between its ends.
 *
 * @param allowed metres that a geodesic may lie beside its edge
 */
function alongEdges(array: GeometryArray, crs: Crs, allowed: number): GeometryArray {
  const { ellipsoid, unit } = geographicOf(crs);
  const maker = new GeometryMaker(array.vertexCount);
  const { xy } = array;
  for (let i = 0; i < array.length; i++) {
    maker.feature(array.kind[i]);
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      maker.part();
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        maker.ring();
        const end = array.vertexStart[r + 1];
        for (let v = array.vertexStart[r]; v < end; v++) {
          const [ax, ay] = xy.subarray(2 * v, 2 * v + 2);
          maker.vertex(ax, ay);
          if (v + 1 === end) continue;
          const [bx, by] = xy.subarray(2 * v + 2, 2 * v + 4);
          const steepest = Math.min(1.5, Math.max(Math.abs(ay), Math.abs(by)) * unit);
          const east = Math.abs(bx - ax) * unit * Math.cos(((ay + by) / 2) * unit) * ellipsoid.a;
          const bend = (east * east * Math.tan(steepest)) / (8 * ellipsoid.a);
          // Around more than a quarter of the globe the formula says nothing; and no geodesic goes further than half around it.
          const least = Math.ceil((Math.abs(bx - ax) * unit) / 1.5);
          const pieces = Math.min(mostPieces, Math.max(1, least, Math.ceil(Math.sqrt(bend / allowed))));
          for (let n = 1; n < pieces; n++)
            maker.vertex(ax + ((bx - ax) * n) / pieces, ay + ((by - ay) * n) / pieces);
        }
      }
    }
  }
  return maker.finish();
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
