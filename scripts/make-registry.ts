/**
 * Makes src/core/crs/registry.generated.ts from the data package `epsg-index` (code → WKT 1, area of use).
 *
 * Its projection parameters are good. Its datum shifts are partly wrong and are taken only as far as an audit against
 * published shifts confirmed them: three-parameter and zero shifts as they stand, the listed seven-parameter ones as
 * they stand or with their rotations reversed (they were copied from coordinate-frame tables). All others are left
 * out: no shift is known for them unless src/core/crs/datum-shifts.ts has one.
 */
import { writeFileSync } from 'node:fs';
import all from 'epsg-index/all.json' with { type: 'json' };
import type { Crs, DatumShift, Ellipsoid, GeographicCrs, ProjectionParameters } from '../src/core/crs/crs.ts';
import { parameterNames } from '../src/core/crs/crs.ts';
import { crsFromWkt } from '../src/core/crs/wkt-crs.ts';
import { IsomericError } from '../src/core/errors.ts';

interface Entry {
  code: string;
  kind: string;
  name: string;
  wkt: string | null;
  bbox: [north: number, west: number, south: number, east: number] | null;
}

const reversed = new Set(
  '4313 4123 4124 4179 4284 4202 4207 4274 4666 4240 4141 4611 5233 4242 8351 5228 4216'.split(' '),
);
const confirmed = new Set('4720 4299 4300 4265 4307 4309 4281 4688 4643 4312 4181'.split(' '));

function auditedShift(code: string, shift: DatumShift | null): number[] | null {
  if (shift === null) return null;
  const { tx, ty, tz, rx, ry, rz, ppm } = shift;
  if (rx === 0 && ry === 0 && rz === 0 && ppm === 0) return [tx, ty, tz];
  if (reversed.has(code)) return [tx, ty, tz, 0 - rx, 0 - ry, 0 - rz, ppm];
  return confirmed.has(code) ? [tx, ty, tz, rx, ry, rz, ppm] : null;
}

const entries = Object.values(all as unknown as Record<string, Entry>).sort(
  (a, b) => Number(a.code) - Number(b.code),
);
const ellipsoids: string[] = [];
const geographic = new Map<string, string>();
const projected: string[] = [];
let unsupported = 0;
let withoutText = 0;

const box = (entry: Entry | undefined) =>
  entry?.bbox ? [entry.bbox[1], entry.bbox[2], entry.bbox[3], entry.bbox[0]].join(' ') : '';

function geographicLine(crs: GeographicCrs, code: string, entry: Entry | undefined): string {
  const text = `${crs.ellipsoid.name};${crs.ellipsoid.a};${crs.ellipsoid.f === 0 ? 0 : Number((1 / crs.ellipsoid.f).toPrecision(15))}`;
  let number = ellipsoids.indexOf(text);
  if (number < 0) number = ellipsoids.push(text) - 1;
  const unit = crs.unit === Math.PI / 180 ? '' : `${crs.unitName} ${crs.unit}`;
  return [
    code,
    crs.name,
    crs.datum,
    number,
    crs.primeMeridian || '',
    unit,
    auditedShift(code, crs.shift)?.join(' ') ?? '',
    box(entry),
  ].join('|');
}

/** Ellipsoids and prime meridians of the entries that have no text, only a line of parameters. */
const ellipsoidsByName: Record<string, Ellipsoid> = {
  intl: { name: 'International 1924', a: 6378388, f: 1 / 297 },
  bessel: { name: 'Bessel 1841', a: 6377397.155, f: 1 / 299.1528128 },
  clrk66: { name: 'Clarke 1866', a: 6378206.4, f: 1 / 294.978698213898 },
  clrk80ign: { name: 'Clarke 1880 (IGN)', a: 6378249.2, f: 1 / 293.466021293627 },
};
const meridians: Record<string, number> = {
  paris: 2.33722917,
  lisbon: -(9 + 7 / 60 + 54.862 / 3600),
  oslo: 10 + 43 / 60 + 22.5 / 3600,
  ferro: -(17 + 40 / 60),
  jakarta: 106 + 48 / 60 + 27.79 / 3600,
  bern: 7 + 26 / 60 + 22.5 / 3600,
  bogota: -(74 + 4 / 60 + 51.3 / 3600),
  rome: 12 + 27 / 60 + 8.4 / 3600,
  athens: 23 + 42 / 60 + 58.815 / 3600,
};
const footUs = 1200 / 3937;

/** The CRS of an entry without text, from its line of parameters; null when it has none, or one that is not computed. */
function crsFromParameters(entry: Entry): Crs | null {
  const line = Object.values(entry).find((value) => typeof value === 'string' && value.startsWith('+')) as
    | string
    | undefined;
  if (line === undefined) return null;
  const given = new Map(
    line
      .split(/\s*\+/)
      .filter((part) => part !== '')
      .map((part) => part.trim().split('=') as [string, string]),
  );
  const number = (key: string, otherwise = 0) => Number(given.get(key) ?? otherwise);
  const own = given.has('a')
    ? { name: `${entry.name} ellipsoid`, a: number('a'), f: 1 / number('rf') }
    : ellipsoidsByName[given.get('ellps') ?? ''];
  const meridian = given.has('pm') ? meridians[given.get('pm')!] : 0;
  if (own === undefined || meridian === undefined) return null;
  const baseName = entry.name.split(' / ')[0];
  const baseEntry = entries.find((each) => each.kind === 'CRS-GEOGCRS' && each.name === baseName);
  if (baseEntry === undefined) return null;
  // Grads are the unit of the CRSs counted from Paris.
  const grads = given.get('pm') === 'paris';
  const base: GeographicCrs = {
    kind: 'geographic',
    name: baseName,
    code: `EPSG:${baseEntry.code}`,
    datum: baseName.replace(/[^A-Za-z0-9]+/g, '_').replace(/_$/, ''),
    ellipsoid: own,
    primeMeridian: meridian,
    unit: grads ? Math.PI / 200 : Math.PI / 180,
    unitName: grads ? 'grad' : 'degree',
    shift: null,
  };
  const unit = given.get('units') === 'us-ft' ? footUs : 1;
  const common = {
    centralMeridian: number('lon_0'),
    latitudeOfOrigin: number('lat_0'),
    falseEasting: number('x_0') / unit,
    falseNorthing: number('y_0') / unit,
  };
  const projected = (method: string, parameters: ProjectionParameters): Crs => ({
    kind: 'projected',
    name: entry.name,
    code: `EPSG:${entry.code}`,
    base,
    method,
    parameters: { ...common, ...parameters },
    unit,
    unitName: unit === 1 ? 'metre' : 'US survey foot',
  });
  switch (given.get('proj')) {
    case 'longlat':
      return base;
    case 'tmerc':
      return projected('transverse-mercator', { scaleFactor: number('k', 1) });
    case 'lcc':
      return given.has('lat_2')
        ? projected('lambert-conic-conformal-2sp', {
            standardParallel1: number('lat_1'),
            standardParallel2: number('lat_2'),
            scaleFactor: number('k_0', 1),
          })
        : projected('lambert-conic-conformal-1sp', {
            latitudeOfOrigin: number('lat_1'),
            scaleFactor: number('k_0', 1),
          });
    default:
      return null;
  }
}

function add(entry: Entry): void {
  if (!['CRS-PROJCRS', 'CRS-GEOGCRS', 'CRS-COMPOUNDCRS'].includes(entry.kind)) return;
  let crs: Crs;
  try {
    const made = entry.wkt === null ? crsFromParameters(entry) : crsFromWkt(entry.wkt);
    if (made === null) {
      withoutText++;
      return;
    }
    crs = made;
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    unsupported++;
    return;
  }
  if (crs.kind === 'geographic') {
    if (entry.kind === 'CRS-GEOGCRS') geographic.set(entry.code, geographicLine(crs, entry.code, entry));
    return;
  }
  if (entry.kind === 'CRS-COMPOUNDCRS') return;
  const base = crs.base.code?.split(':')[1];
  if (base === undefined) return;
  if (!geographic.has(base)) {
    const own = (all as unknown as Record<string, Entry>)[base];
    geographic.set(base, geographicLine(crs.base, base, own));
  }
  const parameters = parameterNames.map((name) => {
    const value = crs.parameters[name];
    return value === undefined ? '' : Number(value.toPrecision(15));
  });
  const unit = crs.unit === 1 ? '' : `${crs.unitName} ${crs.unit}`;
  projected.push(
    [entry.code, entry.name, base, crs.method, parameters.join(' '), unit, box(entry)].join('|'),
  );
}

for (const entry of entries) if (entry.kind === 'CRS-GEOGCRS') add(entry);
for (const entry of entries) if (entry.kind !== 'CRS-GEOGCRS') add(entry);

/** Codes of CRSs with heights, and that of their horizontal part: geographic ones in three dimensions, and compound ones. */
const horizontal: string[] = [];
const horizontalCodes = new Set([
  ...geographic.keys(),
  ...projected.map((row) => row.slice(0, row.indexOf('|'))),
]);
for (const entry of entries) {
  let code: string | undefined;
  if (entry.kind === 'CRS-GEOG3DCRS')
    code = entries.find((each) => each.kind === 'CRS-GEOGCRS' && each.name === entry.name)?.code;
  else if (entry.kind === 'CRS-COMPOUNDCRS')
    code = entries.find((each) => each.kind !== entry.kind && each.name === entry.name.split(' + ')[0])?.code;
  if (code !== undefined && horizontalCodes.has(code)) horizontal.push(`${entry.code} ${code}`);
}

const lines = (rows: Iterable<string>) =>
  `\`\n${[...rows].map((row) => row.replace(/[`\\$]/g, '\\$&')).join('\n')}\n\``;
writeFileSync(
  new URL('../src/core/crs/registry.generated.ts', import.meta.url),
  `// Made by scripts/make-registry.ts from epsg-index 2.0.0. Do not edit.\n` +
    `/** name;semi-major axis;inverse flattening */\nexport const ellipsoidRows = ${lines(ellipsoids)};\n` +
    `/** code|name|datum|ellipsoid|prime meridian|unit|shift|west south east north */\nexport const geographicRows = ${lines(geographic.values())};\n` +
    `/** code|name|base|method|parameters|unit|west south east north */\nexport const projectedRows = ${lines(projected)};\n` +
    `/** code with heights, code of its horizontal part */\nexport const horizontalRows = ${lines(horizontal)};\n`,
);
console.log(
  `${geographic.size} geographic and ${projected.length} projected CRSs; ${unsupported} use a projection that is not computed; ${withoutText} have no text in the package.`,
);
