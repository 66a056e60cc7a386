import { IsomericError } from '../errors.ts';
import type { Box } from '../geometry/geometry-array.ts';
import {
  type Crs,
  type DatumShift,
  type Ellipsoid,
  type GeographicCrs,
  geographicOf,
  type ParameterName,
  type ProjectedCrs,
  type ProjectionParameters,
  parameterNames,
  sameCrs,
  sameDatumName,
  sameEllipsoid,
} from './crs.ts';
import { curatedShift } from './datum-shifts.ts';
import { wktFromProjjson } from './projjson.ts';
import { ellipsoidRows, geographicRows, horizontalRows, projectedRows } from './registry.generated.ts';
import { crsFromNode, crsFromWkt, unknownCrs } from './wkt-crs.ts';

/** Rows by code, split when first asked for. */
let rows: {
  geographic: Map<string, string>;
  projected: Map<string, string>;
  horizontal: Map<string, string>;
  ellipsoids: Ellipsoid[];
} | null = null;

function registry() {
  if (rows === null) {
    const split = (text: string) => text.trim().split('\n');
    const byCode = (text: string) => new Map(split(text).map((row) => [row.slice(0, row.indexOf('|')), row]));
    const ellipsoids = split(ellipsoidRows).map((row) => {
      const [name, a, inverse] = row.split(';');
      return { name, a: Number(a), f: Number(inverse) === 0 ? 0 : 1 / Number(inverse) };
    });
    rows = {
      geographic: byCode(geographicRows),
      projected: byCode(projectedRows),
      horizontal: new Map(split(horizontalRows).map((row) => row.split(' ') as [string, string])),
      ellipsoids,
    };
  }
  return rows;
}

function boxFrom(text: string): Box | undefined {
  return text === '' ? undefined : (text.split(' ').map(Number) as Box);
}

function shiftFrom(code: string, text: string): DatumShift | null {
  const curated = curatedShift(code);
  if (curated !== null || text === '') return curated;
  const [tx, ty, tz, rx = 0, ry = 0, rz = 0, ppm = 0] = text.split(' ').map(Number);
  return { tx, ty, tz, rx, ry, rz, ppm, accuracy: NaN, source: 'EPSG registry, audited' };
}

function geographicFrom(code: string): GeographicCrs | null {
  const row = registry().geographic.get(code);
  if (row === undefined) return null;
  const [, name, datum, ellipsoid, meridian, unit, shift, area] = row.split('|');
  const space = unit.lastIndexOf(' ');
  return {
    kind: 'geographic',
    name,
    code: `EPSG:${code}`,
    datum,
    ellipsoid: registry().ellipsoids[Number(ellipsoid)],
    primeMeridian: Number(meridian),
    unit: unit === '' ? Math.PI / 180 : Number(unit.slice(space + 1)),
    unitName: unit === '' ? 'degree' : unit.slice(0, space),
    shift: shiftFrom(code, shift),
    area: boxFrom(area),
  };
}

function projectedFrom(code: string): ProjectedCrs | null {
  const row = registry().projected.get(code);
  if (row === undefined) return null;
  const [, name, base, method, values, unit, area] = row.split('|');
  const parameters: ProjectionParameters = {};
  values.split(' ').forEach((value, i) => {
    if (value !== '') parameters[parameterNames[i] as ParameterName] = Number(value);
  });
  const space = unit.lastIndexOf(' ');
  return {
    kind: 'projected',
    name,
    code: `EPSG:${code}`,
    base: geographicFrom(base)!,
    method,
    parameters,
    unit: unit === '' ? 1 : Number(unit.slice(space + 1)),
    unitName: unit === '' ? 'metre' : unit.slice(0, space),
    area: boxFrom(area),
  };
}

const found = new Map<string, Crs>();

/**
 * The CRS with this EPSG number; of one with heights (in three dimensions, compound) its horizontal part, since heights
 * are never changed here. Null when the registry has none (or its projection is not computed yet).
 */
export function crsByEpsg(number: string | number): Crs | null {
  const code = String(number);
  const known = found.get(code);
  if (known !== undefined) return known;
  const part = registry().horizontal.get(code);
  const crs = part !== undefined ? crsByEpsg(part) : (geographicFrom(code) ?? projectedFrom(code));
  if (crs !== null) found.set(code, crs);
  return crs;
}

/** Longitude and latitude on WGS 84: the CRS of RFC 7946. */
export const wgs84 = (): GeographicCrs => crsByEpsg(4326) as GeographicCrs;

let names: Map<string, string> | null = null;
const plainName = (name: string) => name.toLowerCase().replace(/[^a-z0-9]/g, '');

function codeByName(name: string): string | undefined {
  if (names === null) {
    names = new Map();
    for (const source of [registry().projected, registry().geographic]) {
      for (const [code, row] of source) {
        const key = plainName(row.split('|', 2)[1]);
        // Names that a later realisation repeats mean the first one registered.
        if (!names.has(key) || source === registry().geographic) names.set(key, code);
      }
    }
  }
  return names.get(plainName(name));
}

/** Codes of the registry, projected ones first. */
export function registryCodes(): string[] {
  return [...registry().projected.keys(), ...registry().geographic.keys()];
}

const codeText =
  /^(?:EPSG\s*:+|urn:(?:ogc|x-ogc):def:crs:EPSG:(?:[^:]*:)?|https?:\/\/\S*\/EPSG\/[^/]*\/|https?:\/\/\S*epsg\.xml#)?\s*(\d{4,6})$/i;

/**
 * A CRS from what a person or a file says: `EPSG:32626`, a URN or address that ends in a code, `CRS84`, a WKT 1 or
 * WKT 2 text, PROJJSON, or a name of the registry (`WGS 84 / UTM zone 26N`).
 */
export function crsFromText(text: string): Crs {
  const trimmed = text.trim();
  if (/^[A-Z_]+CR?S\s*[[(]/i.test(trimmed)) return completed(crsFromWkt(trimmed));
  if (trimmed.startsWith('{')) return crsFromProjjson(trimmed);
  if (/(^|[:/])CRS84h?$/i.test(trimmed)) return wgs84();
  // A longer text is no name of a code.
  const code = trimmed.length < 200 ? codeText.exec(trimmed) : null;
  const number = code?.[1] ?? codeByName(trimmed);
  const crs = number === undefined ? null : crsByEpsg(number);
  if (crs !== null) return crs;
  throw unknownCrs(
    trimmed.length > 80 ? `${trimmed.slice(0, 77)}…` : trimmed,
    trimmed.length > 80
      ? []
      : [...registry().projected.values()]
          .filter((_, i) => i % 7 === 0)
          .slice(0, 600)
          .map((row) => row.split('|', 2)[1]),
  );
}

/** A CRS from PROJJSON, as text or parsed. */
export function crsFromProjjson(value: unknown): Crs {
  let parsed = value;
  if (typeof value === 'string') {
    try {
      parsed = JSON.parse(value);
    } catch {
      throw new IsomericError('wkt-syntax', 'The CRS text begins like JSON, but is none.', {
        advice: 'Give the CRS by code instead, for example EPSG:4326.',
      });
    }
  }
  return completed(crsFromNode(wktFromProjjson(parsed)));
}

/**
 * A CRS read from a text, with what the registry knows of it: the code when it is one of the registry's, and the
 * shift of its datum. A curated shift goes before one that the text brings.
 */
export function completed(crs: Crs): Crs {
  const own = crs.code?.startsWith('EPSG:') ? crsByEpsg(crs.code.slice(5)) : null;
  if (own !== null) return own;
  const geographic = geographicOf(crs);
  const base = matchGeographic(geographic);
  const better: GeographicCrs =
    base === null
      ? geographic
      : {
          ...geographic,
          code: base.code,
          name: base.name,
          datum: base.datum,
          shift: base.shift ?? geographic.shift,
        };
  if (crs.kind === 'geographic')
    return base !== null && sameCrs({ ...better, code: undefined }, { ...base, code: undefined })
      ? base
      : better;
  const projected: ProjectedCrs = { ...crs, base: better };
  return (base === null ? null : matchProjected(projected)) ?? projected;
}

function matchGeographic(crs: GeographicCrs): GeographicCrs | null {
  let match: GeographicCrs | null = null;
  for (const [code, row] of registry().geographic) {
    const [, name, datum] = row.split('|', 3);
    if (!sameDatumName(datum, crs.datum) && !sameDatumName(name, crs.name)) continue;
    const candidate = geographicFrom(code)!;
    if (!sameEllipsoid(candidate.ellipsoid, crs.ellipsoid)) continue;
    if (
      Math.abs(candidate.primeMeridian - crs.primeMeridian) > 1e-9 ||
      Math.abs(candidate.unit - crs.unit) > 1e-12
    )
      continue;
    if (sameDatumName(name, crs.name)) return candidate;
    match ??= candidate;
  }
  return match;
}

function matchProjected(crs: ProjectedCrs): ProjectedCrs | null {
  let match: ProjectedCrs | null = null;
  const base = crs.base.code?.slice(5);
  for (const [code, row] of registry().projected) {
    const parts = row.split('|', 4);
    if (parts[2] !== base || parts[3] !== crs.method) continue;
    const candidate = projectedFrom(code)!;
    if (!sameCrs({ ...crs, code: undefined }, { ...candidate, code: undefined })) continue;
    if (plainName(candidate.name) === plainName(crs.name)) return candidate;
    match ??= candidate;
  }
  return match;
}
