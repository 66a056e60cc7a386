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

/** Surface of an ellipsoid of revolution, square metres (Karney 2013, equation 60: 4π times the square of the authalic radius). */
function surface(a: number, f: number): number {
  const e = Math.sqrt(f * (2 - f));
  return 2 * Math.PI * a * a * (1 + (e === 0 ? 1 : ((1 - e * e) * Math.atanh(e)) / e));
}

/** Share of a sphere that a ring covers whose edges are straight in degrees; 0 of one that is not wider than half of it. */
function shareOfGlobe(place: Float64Array, count: number, toDegrees: number): number {
  let west = Number.POSITIVE_INFINITY;
  let east = Number.NEGATIVE_INFINITY;
  for (let k = 0; k < count; k++) {
    west = Math.min(west, place[2 * k]);
    east = Math.max(east, place[2 * k]);
  }
  if ((east - west) * toDegrees <= 180) return 0;
  const sine = (k: number) => Math.sin((place[2 * k + 1] * toDegrees * Math.PI) / 180);
  let twice = 0;
  for (let k = 1; k < count; k++)
    twice += (place[2 * k] - place[2 * k - 2]) * toDegrees * (sine(k) + sine(k - 1));
  return Math.abs(twice) / (2 * 360 * 2);
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
    return polygon;
  };
  /**
   * Area within a ring. Either side of a ring on a globe may be meant: in degrees it is the one that it goes round in the plane, and that
   * is the greater one only of rings wider than half the globe.
   */
  const within = (array: GeometryArray, first: number, end: number) => {
    const smaller = Math.abs(measure(array, first, end, false).Compute(false, true).area ?? 0);
    if (crs.kind === 'projected') return smaller;
    return shareOfGlobe(place, end - first, toDegrees) > 0.5 ? surface(a, f) - smaller : smaller;
  };
  const along = (array: GeometryArray, i: number, kind: number) => {
    let length = 0;
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      if (array.kindOfPart(i, p) !== kind) continue;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++)
        length += measure(array, array.vertexStart[r], array.vertexStart[r + 1], true).Compute(
          false,
          true,
        ).perimeter;
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
          const ring = within(array, array.vertexStart[r], array.vertexStart[r + 1]);
          area += r === shell ? ring : -ring;
        }
      }
      return area;
    },
    length: (array, i) => along(array, i, Kind.LineString),
    perimeter: (array, i) => along(array, i, Kind.Polygon),
  };
}
