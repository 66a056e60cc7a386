import type { GeometryObject, Position } from '../../src/core/geometry/object-view.ts';

/** The WKT of the reference samples → objects; for tests only. */
export function geometryFromSampleWkt(wkt: string): GeometryObject {
  const kind = /^[A-Z]+/.exec(wkt)![0];
  const body = wkt.slice(wkt.indexOf('('));
  const json = body
    .replace(/(-?[\d.eE+-]+) (-?[\d.eE+-]+)/g, '[$1,$2]')
    .replaceAll('(', '[')
    .replaceAll(')', ']');
  const nested = JSON.parse(json);
  switch (kind) {
    case 'POINT':
      return { type: 'Point', coordinates: (nested as Position[])[0] };
    case 'LINESTRING':
      return { type: 'LineString', coordinates: nested };
    case 'POLYGON':
      return { type: 'Polygon', coordinates: nested };
    case 'MULTIPOLYGON':
      return { type: 'MultiPolygon', coordinates: nested };
    default:
      throw new Error(`sample kind ${kind}`);
  }
}
