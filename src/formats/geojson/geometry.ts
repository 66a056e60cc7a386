import { Kind } from '../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import type { JsonBytes } from './json-bytes.ts';

const encoder = new TextEncoder();
const kindBytes = [
  'Point',
  'LineString',
  'Polygon',
  'MultiPoint',
  'MultiLineString',
  'MultiPolygon',
  'GeometryCollection',
].map((name) => encoder.encode(name));
const typeBytes = encoder.encode('type');
const coordinatesBytes = encoder.encode('coordinates');
const geometriesBytes = encoder.encode('geometries');

/** Deepest nesting of collections that is read. */
const deepest = 32;

/** Kind named by the cursor's last string; 0 when it is none. */
export function kindNamed(json: JsonBytes): number {
  for (let k = 0; k < kindBytes.length; k++) if (json.stringIs(kindBytes[k])) return k + 1;
  return 0;
}

/** Passes a geometry object (or null) and returns its kind, without reading coordinates. */
export function seeGeometry(json: JsonBytes): number {
  if (json.next() === 110) {
    json.word('null');
    return Kind.None;
  }
  const start = json.pos;
  let kind = 0;
  if (json.openObject()) {
    do {
      json.memberName();
      if (json.stringIs(typeBytes)) {
        json.string();
        kind = kindNamed(json);
      } else json.skip();
    } while (json.moreMembers());
  }
  if (kind === 0) json.fail('The geometry names no type that GeoJSON knows', start);
  return kind;
}

/** Reads a geometry object (or null) as one feature of the builder. */
export function readGeometry(json: JsonBytes, builder: GeometryMaker): void {
  if (json.next() === 110) {
    json.word('null');
    builder.feature(Kind.None);
    return;
  }
  builder.feature(Kind.None);
  builder.setKind(readInto(json, builder, false, 0));
}

function readInto(json: JsonBytes, builder: GeometryMaker, member: boolean, depth: number): number {
  if (depth > deepest) json.fail('Geometry collections are nested too deeply');
  const start = json.pos;
  let kind = 0;
  let later = -1;
  let read = false;
  if (json.openObject()) {
    do {
      json.memberName();
      if (json.stringIs(typeBytes)) {
        json.string();
        kind = kindNamed(json);
      } else if (json.stringIs(coordinatesBytes) || json.stringIs(geometriesBytes)) {
        json.next();
        if (kind === 0) {
          // The type comes after the coordinates: pass them now, read them when the kind is known.
          later = json.pos;
          json.skip();
        } else {
          readBody(json, builder, kind, member, depth);
          read = true;
        }
      } else json.skip();
    } while (json.moreMembers());
  }
  if (kind === 0) json.fail('The geometry names no type that GeoJSON knows', start);
  if (later >= 0) {
    const end = json.pos;
    json.pos = later;
    readBody(json, builder, kind, member, depth);
    json.pos = end;
    read = true;
  }
  if (!read) json.fail('The geometry has no coordinates', start);
  return kind;
}

function readBody(
  json: JsonBytes,
  builder: GeometryMaker,
  kind: number,
  member: boolean,
  depth: number,
): void {
  const part = (single: number) => builder.part(member ? single : undefined);
  switch (kind) {
    case Kind.Point:
      if (startsEmpty(json)) return;
      part(Kind.Point);
      builder.ring();
      position(json, builder);
      return;
    case Kind.LineString:
      if (startsEmpty(json)) return;
      part(Kind.LineString);
      path(json, builder);
      return;
    case Kind.Polygon:
      if (startsEmpty(json)) return;
      part(Kind.Polygon);
      rings(json, builder);
      return;
    case Kind.MultiPoint:
      each(json, () => {
        part(Kind.Point);
        builder.ring();
        position(json, builder);
      });
      return;
    case Kind.MultiLineString:
      each(json, () => {
        part(Kind.LineString);
        path(json, builder);
      });
      return;
    case Kind.MultiPolygon:
      each(json, () => {
        part(Kind.Polygon);
        rings(json, builder);
      });
      return;
    case Kind.Collection:
      each(json, () => {
        readInto(json, builder, true, depth + 1);
      });
  }
}

/** True, and passed, for `[]`. */
function startsEmpty(json: JsonBytes): boolean {
  if (json.next() !== 91) json.fail('Coordinates must be an array');
  const start = json.pos;
  json.pos++;
  if (json.next() === 93) {
    json.pos++;
    return true;
  }
  json.pos = start;
  return false;
}

function each(json: JsonBytes, element: () => void): void {
  json.expect(91);
  if (json.next() === 93) {
    json.pos++;
    return;
  }
  do element();
  while (json.moreElements());
}

function rings(json: JsonBytes, builder: GeometryMaker): void {
  json.expect(91);
  if (json.next() === 93) {
    json.pos++;
    return;
  }
  do path(json, builder);
  while (json.moreElements());
}

function path(json: JsonBytes, builder: GeometryMaker): void {
  builder.ring();
  json.expect(91);
  if (json.next() === 93) {
    json.pos++;
    return;
  }
  const { buf } = json;
  for (;;) {
    position(json, builder);
    // The common case without white space.
    const c = buf[json.pos];
    if (c === 44) json.pos++;
    else if (c === 93) {
      json.pos++;
      return;
    } else if (!json.moreElements()) return;
  }
}

function position(json: JsonBytes, builder: GeometryMaker): void {
  const { buf } = json;
  if (buf[json.pos] === 91) json.pos++;
  else json.expect(91);
  if (buf[json.pos] <= 32) json.next();
  const x = json.number();
  if (buf[json.pos] === 44) json.pos++;
  else json.expect(44);
  if (buf[json.pos] <= 32) json.next();
  const y = json.number();
  builder.vertex(x, y);
  if (buf[json.pos] === 93) {
    json.pos++;
    return;
  }
  if (!json.moreElements()) return;
  json.next();
  builder.height(json.number());
  // RFC 7946, 3.1.1: more than three elements have no meaning; they are passed over.
  while (json.moreElements()) {
    json.next();
    json.number();
  }
}
