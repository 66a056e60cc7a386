import { IsomericError } from '../errors.ts';
import type { Box } from '../geometry/geometry-array.ts';
import {
  type Crs,
  type DatumShift,
  type Ellipsoid,
  type GeographicCrs,
  type ProjectedCrs,
  shiftOf,
} from './crs.ts';
import { curatedShift } from './datum-shifts.ts';
import { methodNamed } from './projections/register.ts';
import {
  ellipsoidRows,
  geographicRows,
  horizontalRows,
  placeRows,
  projectedRows,
  uncomputedRows,
} from './registry.generated.ts';

/** Rows by code, split when first asked for. */
interface Rows {
  geographic: Map<string, string>;
  projected: Map<string, string>;
  horizontal: Map<string, string>;
  uncomputed: Map<string, string>;
  ellipsoids: Ellipsoid[];
  places: string[];
}
let rows: Rows | null = null;

export function registryRows(): Rows {
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
      uncomputed: byCode(uncomputedRows),
      horizontal: new Map(
        split(horizontalRows).map((row) => {
          const space = row.indexOf(' ');
          return [row.slice(0, space), row.slice(space + 1)];
        }),
      ),
      ellipsoids,
      places: split(placeRows),
    };
  }
  return rows;
}

function boxFrom(text: string): Box | undefined {
  return text === '' ? undefined : (text.split(' ').map(Number) as Box);
}

/** EPSG codes end there; numbers above are another authority's, which is not named, and found by number alone. */
const lastEpsg = 32767;
const codeOf = (number: string) => (Number(number) <= lastEpsg ? `EPSG:${number}` : undefined);

function shiftFrom(code: string, text: string, accuracy: string): DatumShift | null {
  const curated = curatedShift(code);
  if (curated !== null || text === '') return curated;
  if (text.startsWith('=')) {
    const other = text.slice(1);
    const row = registryRows().geographic.get(other)?.split('|') ?? [];
    return shiftFrom(other, row[6] ?? '', row[7] ?? '');
  }
  const numbers = text.split(' ').map(Number);
  const zero = numbers.every((value) => value === 0);
  return shiftOf(numbers, {
    accuracy: accuracy === '' ? (zero ? 1 : NaN) : Number(accuracy),
    source: zero ? 'taken as zero, as the registry says' : 'EPSG registry, audited',
  });
}

const unitOf = (unit: string, otherwise: number, name: string): [size: number, name: string] => {
  const space = unit.lastIndexOf(' ');
  return unit === '' ? [otherwise, name] : [Number(unit.slice(space + 1)), unit.slice(0, space)];
};

function geographicFrom(code: string): GeographicCrs | null {
  const row = registryRows().geographic.get(code);
  if (row === undefined) return null;
  const [, name, datum, ellipsoid, meridian, unit, shift, accuracy, area] = row.split('|');
  const [size, unitName] = unitOf(unit, Math.PI / 180, 'degree');
  return {
    kind: 'geographic',
    name,
    code: codeOf(code),
    datum,
    ellipsoid: registryRows().ellipsoids[Number(ellipsoid)],
    primeMeridian: Number(meridian),
    unit: size,
    unitName,
    shift: shiftFrom(code, shift, accuracy),
    area: boxFrom(area),
  };
}

function projectedFrom(code: string): ProjectedCrs | null {
  const row = registryRows().projected.get(code);
  if (row === undefined) return null;
  const [, name, base, method, values, unit, area] = row.split('|');
  const numbers = values.split(' ').map(Number);
  const parameters: ProjectedCrs['parameters'] = {};
  methodNamed(method)!
    .parameters.filter((use) => !use.fixed)
    .forEach((use, i) => {
      parameters[use.name] = numbers[i];
    });
  const [size, unitName] = unitOf(unit, 1, 'metre');
  return {
    kind: 'projected',
    name,
    code: codeOf(code),
    base: geographicFrom(base)!,
    method,
    parameters,
    unit: size,
    unitName,
    area: boxFrom(area),
  };
}

const found = new Map<string, Crs>();

/** Numbers that stand for one and the same pseudo-Mercator of the web. */
const sameAs3857 = new Set(['900913', '102100', '102113', '3785']);

/**
 * The CRS with this number in the registry, of whichever authority; of one with heights (in three dimensions, compound)
 * its horizontal part, since heights are never changed here. Null when the registry has none, or does not compute it.
 */
export function crsByNumber(number: string | number): Crs | null {
  const code = sameAs3857.has(String(number)) ? '3857' : String(number);
  const known = found.get(code);
  if (known !== undefined) return known;
  const part = registryRows().horizontal.get(code);
  let crs: Crs | null;
  if (part !== undefined) crs = part.endsWith(' geocentric') ? null : crsByNumber(part);
  else crs = /^\d+$/.test(code) ? (geographicFrom(code) ?? projectedFrom(code)) : null;
  if (crs !== null) found.set(code, crs);
  return crs;
}

/** The CRS with this EPSG number; see `crsByNumber`. */
export function crsByEpsg(number: string | number): Crs | null {
  return Number(number) <= lastEpsg || sameAs3857.has(String(number)) ? crsByNumber(number) : null;
}

/** Longitude and latitude on WGS 84: the CRS of RFC 7946. */
export const wgs84 = (): GeographicCrs => crsByNumber(4326) as GeographicCrs;

/** Numbers of the registry's CRSs, projected ones first. */
export function registryCodes(): string[] {
  return [
    ...registryRows().projected.keys(),
    ...[...registryRows().geographic.keys()].filter((code) => /^\d/.test(code)),
  ];
}

/** A geographic CRS of the registry by its row's key, also of those that only serve as a base. */
export const geographicByKey = geographicFrom;

/**
 * Axes of the definition of an EPSG code, in its order: `en` (east, north), `ne`, `nw`, `ws`, `sw`. Geographic CRSs have
 * latitude first (`ne`), but for those that say otherwise in their names. Null for an unknown code.
 */
export function axesOfDefinition(number: string | number): 'en' | 'ne' | 'nw' | 'ws' | 'sw' | null {
  const code = String(number);
  const part = registryRows().horizontal.get(code);
  if (part !== undefined) return axesOfDefinition(part.split(' ')[0]);
  const row = registryRows().projected.get(code);
  if (row !== undefined) return (row.split('|')[7] || 'en') as 'en';
  const geographic = registryRows().geographic.get(code);
  if (geographic === undefined) return null;
  return geographic.split('|', 2)[1].includes('(lon-lat)') ? 'en' : 'ne';
}

/** Where the CRS of a number is used, in words; empty where the source says nothing. */
export function placeOfUse(number: string | number): string {
  const { projected, geographic, places } = registryRows();
  const code = String(number);
  const place = projected.get(code)?.split('|')[8] ?? geographic.get(code)?.split('|')[9] ?? '';
  return place === '' ? '' : places[Number.parseInt(place, 36)];
}

/** Why a number that exists has no CRS here; null when the number is not known at all. */
export function whyNotComputed(number: string | number): IsomericError | null {
  const code = String(number);
  const part = registryRows().horizontal.get(code);
  if (part?.endsWith(' geocentric')) {
    const geographic = part.split(' ')[0];
    return new IsomericError(
      'crs-kind-unsupported',
      `EPSG:${code} is geocentric: its coordinates are X, Y and Z from the middle of the earth, which no layer of two dimensions holds.`,
      { advice: `Its longitudes and latitudes are EPSG:${geographic}.`, blame: 'usage' },
    );
  }
  const row = registryRows().uncomputed.get(code);
  if (row === undefined) return null;
  const [, name, why] = row.split('|');
  return new IsomericError('crs-kind-unsupported', `${code} is ${name}; ${why}.`, {
    advice: 'Bring the layer to another CRS where it comes from, or give a CRS text that says the same.',
    blame: 'usage',
  });
}
