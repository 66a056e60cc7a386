import { type GeometryArray, Kind, kindNames } from './geometry-array.ts';
import { GeometryMaker } from './geometry-maker.ts';

/** A position: [x, y] or [x, y, z]. */
export type Position = number[];

/** GeoJSON-like view of one geometry: a convenience at the edge, never what the core computes with. */
export type GeometryObject =
  | { type: 'Point'; coordinates: Position }
  | { type: 'LineString' | 'MultiPoint'; coordinates: Position[] }
  | { type: 'Polygon' | 'MultiLineString'; coordinates: Position[][] }
  | { type: 'MultiPolygon'; coordinates: Position[][][] }
  | { type: 'GeometryCollection'; geometries: GeometryObject[] };

/** Feature i as an object, or null when it has no geometry. Members of a collection come as single-part geometries. */
export function geometryObject(array: GeometryArray, i: number): GeometryObject | null {
  const kind = array.kind[i];
  if (kind === Kind.None) return null;
  const position = (v: number): Position =>
    array.z === null || Number.isNaN(array.z[v])
      ? [array.xy[2 * v], array.xy[2 * v + 1]]
      : [array.xy[2 * v], array.xy[2 * v + 1], array.z[v]];
  const path = (r: number): Position[] => {
    const positions: Position[] = [];
    for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++) positions.push(position(v));
    return positions;
  };
  const part = (p: number): Position[][] => {
    const paths: Position[][] = [];
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) paths.push(path(r));
    return paths;
  };
  const parts: Position[][][] = [];
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) parts.push(part(p));
  switch (kind) {
    case Kind.Point:
      return { type: 'Point', coordinates: parts[0]?.[0]?.[0] ?? [] };
    case Kind.LineString:
      return { type: 'LineString', coordinates: parts[0]?.[0] ?? [] };
    case Kind.Polygon:
      return { type: 'Polygon', coordinates: parts[0] ?? [] };
    case Kind.MultiPoint:
      return { type: 'MultiPoint', coordinates: parts.map((rings) => rings[0][0]) };
    case Kind.MultiLineString:
      return { type: 'MultiLineString', coordinates: parts.map((rings) => rings[0]) };
    case Kind.MultiPolygon:
      return { type: 'MultiPolygon', coordinates: parts };
    default: {
      const geometries = parts.map((rings, k): GeometryObject => {
        const single = array.kindOfPart(i, array.partStart[i] + k);
        if (single === Kind.Point) return { type: 'Point', coordinates: rings[0][0] };
        if (single === Kind.LineString) return { type: 'LineString', coordinates: rings[0] };
        return { type: 'Polygon', coordinates: rings };
      });
      return { type: 'GeometryCollection', geometries };
    }
  }
}

function addPath(builder: GeometryMaker, positions: Position[]): void {
  builder.ring();
  for (const position of positions) {
    builder.vertex(position[0], position[1]);
    if (position.length > 2) builder.height(position[2]);
  }
}

/** Appends one object to a builder as one feature. Nested collections are flattened to their single parts. */
export function addGeometryObject(builder: GeometryMaker, object: GeometryObject | null): void {
  if (object === null) {
    builder.feature(Kind.None);
    return;
  }
  builder.feature(kindNames.indexOf(object.type));
  const inCollection = object.type === 'GeometryCollection';
  const addParts = (member: GeometryObject): void => {
    const part = (kind: number) => builder.part(inCollection ? kind : undefined);
    switch (member.type) {
      case 'Point':
        if (member.coordinates.length === 0) return;
        part(Kind.Point);
        addPath(builder, [member.coordinates]);
        return;
      case 'MultiPoint':
        for (const position of member.coordinates) {
          part(Kind.Point);
          addPath(builder, [position]);
        }
        return;
      case 'LineString':
        if (member.coordinates.length === 0) return;
        part(Kind.LineString);
        addPath(builder, member.coordinates);
        return;
      case 'MultiLineString':
        for (const path of member.coordinates) {
          part(Kind.LineString);
          addPath(builder, path);
        }
        return;
      case 'Polygon':
        if (member.coordinates.length === 0) return;
        part(Kind.Polygon);
        for (const ring of member.coordinates) addPath(builder, ring);
        return;
      case 'MultiPolygon':
        for (const polygon of member.coordinates) {
          part(Kind.Polygon);
          for (const ring of polygon) addPath(builder, ring);
        }
        return;
      case 'GeometryCollection':
        for (const inner of member.geometries) addParts(inner);
    }
  };
  addParts(object);
}

/** Objects → one GeometryArray. */
export function geometriesFrom(objects: readonly (GeometryObject | null)[]): GeometryArray {
  const builder = new GeometryMaker();
  for (const object of objects) addGeometryObject(builder, object);
  return builder.finish();
}
