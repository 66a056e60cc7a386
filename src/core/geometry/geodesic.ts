import geographiclib from 'geographiclib-geodesic';
import { type Crs, geographicOf } from '../crs/crs.ts';
import { transformer } from '../crs/transformer.ts';
import { type GeometryArray, Kind } from './geometry-array.ts';

export interface GeodesicMeasure {
  /** Area of feature i on the ellipsoid, square metres. */
  area(array: GeometryArray, i: number): number;
  /** Length of the paths of feature i on the ellipsoid, metres. */
  length(array: GeometryArray, i: number): number;
  /** Length of the rings of feature i on the ellipsoid, metres. */
  perimeter(array: GeometryArray, i: number): number;
}

/**
 * Areas and lengths on the ellipsoid of a CRS, whatever its projection. Vertices are joined by geodesics (C. F. F. Karney,
 * Algorithms for geodesics, J. Geodesy 87, 2013, section 6).
 */
export function geodesicMeasure(crs: Crs): GeodesicMeasure {
  const geographic = geographicOf(crs);
  const { a, f } = geographic.ellipsoid;
  const geodesic = new geographiclib.Geodesic.Geodesic(a, f);
  const back = transformer(crs, geographic);
  const toDegrees = (geographic.unit * 180) / Math.PI;
  let place = new Float64Array(1024);
  const degrees = (array: GeometryArray, first: number, end: number) => {
    if (2 * (end - first) > place.length) place = new Float64Array(4 * (end - first));
    place.set(array.xy.subarray(2 * first, 2 * end));
    back.transform(place, 0, end - first);
  };
  const measure = (array: GeometryArray, first: number, end: number, line: boolean) => {
    degrees(array, first, end);
    const polygon = geodesic.Polygon(line);
    // The last vertex of a ring is its first again.
    const n = end - first - (line ? 0 : 1);
    for (let k = 0; k < n; k++) polygon.AddPoint(place[2 * k + 1] * toDegrees, place[2 * k] * toDegrees);
    return polygon.Compute(false, true);
  };
  const along = (array: GeometryArray, i: number, kind: number) => {
    let length = 0;
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      if (array.kindOfPart(i, p) !== kind) continue;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++)
        length += measure(array, array.vertexStart[r], array.vertexStart[r + 1], true).perimeter;
    }
    return length;
  };
  return {
    area(array, i) {
      let area = 0;
      for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
        if (array.kindOfPart(i, p) !== 3) continue;
        const shell = array.ringStart[p];
        for (let r = shell; r < array.ringStart[p + 1]; r++) {
          const ring = Math.abs(
            measure(array, array.vertexStart[r], array.vertexStart[r + 1], false).area ?? 0,
          );
          area += r === shell ? ring : -ring;
        }
      }
      return area;
    },
    length: (array, i) => along(array, i, Kind.LineString),
    perimeter: (array, i) => along(array, i, Kind.Polygon),
  };
}
