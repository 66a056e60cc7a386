/**
 * Makes src/core/crs/registry.generated.ts (or the file that is named) from the data package `epsg-index` (code → WKT 1, area of use).
 *
 * Its projection parameters are good. Its datum shifts are partly wrong and are taken only as far as an audit against
 * published shifts confirmed them: three-parameter and zero shifts as they stand, the listed seven-parameter ones as
 * they stand or with their rotations reversed (they were copied from coordinate-frame tables). All others are left
 * out: no shift is known for them unless src/core/crs/datum-shifts.ts has one. CRSs of one datum share its shift.
 */
import { writeFileSync } from 'node:fs';
import all from 'epsg-index/all.json' with { type: 'json' };
import type { Crs, DatumShift, GeographicCrs, ProjectedCrs } from '../src/core/crs/crs.ts';
import { datumKey } from '../src/core/crs/datum-names.ts';
import { curatedShift } from '../src/core/crs/datum-shifts.ts';
import { methodNamed } from '../src/core/crs/projections/register.ts';
import { crsFromWkt } from '../src/core/crs/wkt-crs.ts';
import { IsomericError } from '../src/core/errors.ts';
import { crsFromParameters, type Entry, knownDefinitions } from './registry-parameters.ts';

/** Seven parameters whose rotations stand in the text with the sign of the coordinate-frame convention. */
const reversed = new Set(
  '4313 4123 4124 4179 4284 4202 4207 4274 4666 4240 4141 4611 5233 4242 8351 5228 4216 4191 4238 4319 4663 4664 4665 4723 4726 8694 4673 5681 4683'.split(
    ' ',
  ),
);
/**
 * Those that stand as published, and those with rotations so small that either sign lies within the accuracy. The rest was
 * compared with the three-parameter shift of the same datum in the middle of its area: one sign agrees with it within the
 * accuracies of both, the other is off by 40 to 1,000 m.
 */
const confirmed = new Set(
  '4720 4299 4300 4265 4307 4309 4281 4688 4643 4181 4134 4614 4625 6892 4188 4194 4195 4196 4273 4231 4200 4756 4622 4629 4692 4690 4691 4689 4133 4687 6311 4322 4324'.split(
    ' ',
  ),
);
/** Metres, where the sign of small rotations is not certain. */
const doubt = new Map(
  Object.entries({
    '4231': 10,
    '4200': 5,
    '4689': 10,
    '4690': 3,
    '4691': 3,
    '6311': 5,
    '4322': 2,
    '4324': 3,
  }),
);

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
const byCode = new Map(entries.map((entry) => [entry.code, entry]));

interface Geographic {
  crs: GeographicCrs;
  entry: Entry | undefined;
  shift: number[] | null;
  accuracy: number;
}
const ellipsoids: string[] = [];
const geographic = new Map<string, Geographic>();
const projected = new Map<string, string>();
/** Codes whose CRS exists and is not computed, with the reason. */
const uncomputed: string[] = [];

const box = (entry: Entry | undefined) =>
  entry?.bbox && entry.bbox[0] !== entry.bbox[2]
    ? [entry.bbox[1], entry.bbox[2], entry.bbox[3], entry.bbox[0]].join(' ')
    : '';

const places: string[] = [];

/** Ends a long text at a word. */
const shortened = (text: string) =>
  text.length <= 64 ? text : `${text.slice(0, 62).replace(/[ ,]+[^ ]*$/, '')} …`;

/** Number of the place where a CRS is used, in words: the first of the two parts that the source's text begins with. */
function placeNumber(entry: Entry | undefined): string {
  const parts = (entry?.area ?? '')
    .replace(/\s*\([^)]*\)/g, '')
    .split(/[;:]|\. (?=[A-Z])| - /)
    .map((part) => part.trim())
    .filter((part) => part !== '');
  if (parts.length === 0) return '';
  const text = /^(World|Afghanistan$)/.test(parts[0])
    ? 'World'
    : shortened(parts.slice(0, 2).join(' - ').replace(/\.$/, ''));
  const number = places.indexOf(text);
  return (number < 0 ? places.push(text) - 1 : number).toString(36);
}

/** EPSG codes end at 32767; what is above is another authority's, and only found by number. */
const isEpsg = (code: string) => Number(code) <= 32767;

function accuracyOf(code: string, entry: Entry | undefined): number {
  const stated = doubt.get(code) ?? entry?.accuracy ?? NaN;
  return stated === 999 ? NaN : stated;
}

function ellipsoidNumber({ ellipsoid }: GeographicCrs): number {
  const text = `${ellipsoid.name};${ellipsoid.a};${ellipsoid.f === 0 ? 0 : Number((1 / ellipsoid.f).toPrecision(15))}`;
  const number = ellipsoids.indexOf(text);
  return number < 0 ? ellipsoids.push(text) - 1 : number;
}

function addGeographic(crs: GeographicCrs, code: string): void {
  const entry = byCode.get(code);
  const known = geographic.get(code);
  const shift = auditedShift(code, crs.shift);
  if (known === undefined) geographic.set(code, { crs, entry, shift, accuracy: accuracyOf(code, entry) });
  // The text of a projected CRS may state the shift that its base leaves out.
  else if (known.shift === null && shift !== null) known.shift = shift;
}

/** The code of a base without one in the text: that of the geographic CRS that says the same; else a number of its own. */
function baseCode(crs: GeographicCrs): string {
  const given = crs.code?.split(':')[1];
  if (given !== undefined) return given;
  for (const [code, { crs: known }] of geographic)
    if (
      known.name === crs.name &&
      known.ellipsoid.a === crs.ellipsoid.a &&
      known.ellipsoid.f === crs.ellipsoid.f &&
      known.primeMeridian === crs.primeMeridian
    )
      return code;
  return `x${[...geographic.keys()].filter((code) => code.startsWith('x')).length + 1}`;
}

/** Spherical forms, which the texts of the other authority mean by the plain names. */
const spherical: Record<string, string> = {
  'equidistant-cylindrical': 'equidistant-cylindrical-sphere',
  orthographic: 'orthographic-sphere',
};
const own: Record<string, string> = {
  '5514': 'krovak-north',
  '8353': 'krovak-north',
  '5221': 'krovak-north',
};

/** Axes of the definition where they are not east and north: letters of the first and second. */
function axesOf(entry: Entry, crs: ProjectedCrs): string {
  if (!isEpsg(entry.code)) return '';
  if (crs.method.startsWith('krovak')) return crs.method.endsWith('-north') ? '' : 'sw';
  if (crs.method === 'transverse-mercator-south') return 'ws';
  if (crs.method === 'bonne-south' || ['8044', '8045'].includes(entry.code)) return 'sw';
  if (crs.method === 'lambert-conic-conformal-west') return 'nw';
  if (entry.wkt === null) return northingFirst.has(entry.code) ? 'ne' : '';
  // Texts say east and north, or nothing where the definition has another order; around the poles both are “north” or
  // “south”, easting first unless the name says otherwise.
  if (/AXIS\["Easting",EAST\]/.test(entry.wkt)) return '';
  const polar =
    crs.method.startsWith('polar') ||
    (crs.method.startsWith('lambert-azimuthal') && Math.abs(crs.parameters.latitudeOfOrigin ?? 0) === 90);
  return polar && !/\(N,E\)/.test(entry.name) && entry.code !== '5482' ? '' : 'ne';
}

const range = (from: number, to: number) => Array.from({ length: to - from + 1 }, (_, k) => String(from + k));
/** Of the entries without text: those whose definition begins with the northing. */
const northingFirst = new Set([
  ...range(5169, 5172),
  ...range(6244, 6275),
  ...range(27391, 27398),
  ...range(31281, 31290),
  ...range(31251, 31253),
  '9895',
  '3295',
  '3993',
]);

function addProjected(crs: ProjectedCrs, entry: Entry): void {
  const base = baseCode(crs.base);
  addGeographic(crs.base, base);
  let method = own[entry.code] ?? crs.method;
  if (!isEpsg(entry.code)) method = spherical[method] ?? method;
  const values = methodNamed(method)!
    .parameters.filter((use) => !use.fixed)
    .map((use) => Number((crs.parameters[use.name] ?? use.otherwise ?? NaN).toPrecision(15)));
  const unit = crs.unit === 1 ? '' : `${crs.unitName} ${crs.unit}`;
  projected.set(
    entry.code,
    [
      entry.code,
      entry.name,
      base,
      method,
      values.join(' '),
      unit,
      box(entry),
      axesOf(entry, { ...crs, method }),
      placeNumber(entry),
    ].join('|'),
  );
}

function definition(entry: Entry): Crs | null {
  if (entry.wkt !== null) return crsFromWkt(entry.wkt);
  return knownDefinitions.has(entry.code)
    ? crsFromWkt(knownDefinitions.get(entry.code)!)
    : crsFromParameters(entry, entries);
}

function add(entry: Entry): void {
  try {
    const crs = definition(entry);
    if (crs === null)
      uncomputed.push(`${entry.code}|${entry.name}|its definition is not in the source of this registry`);
    else if (crs.kind === 'geographic') addGeographic(crs, entry.code);
    else addProjected(crs, entry);
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    const projection = /PROJECTION\["([^"]+)"/.exec(entry.wkt ?? '')?.[1];
    if (error.code !== 'projection-unsupported' || projection === undefined) throw error;
    uncomputed.push(
      `${entry.code}|${entry.name}|its projection (${projection.replaceAll('_', ' ')}) is not computed: its layout is not published in full`,
    );
  }
}

for (const entry of entries) if (entry.kind === 'CRS-GEOGCRS') add(entry);
/** Other numbers of EPSG:3857, which the registry knows by themselves. */
const doubles = new Set(['900913', '3785', '102100', '102113']);
for (const entry of entries) if (entry.kind === 'CRS-PROJCRS' && !doubles.has(entry.code)) add(entry);

/** CRSs of one datum, counted from whichever meridian, have one shift. */
const meridianSuffix =
  / \((Paris|Oslo|Ferro|Lisbon|Rome|Bern|Jakarta|Brussels|Stockholm|Athens|Madrid|Bogota|lon-lat)\)$|_(3D|Grad|Degree)$/;
const family = (crs: GeographicCrs) =>
  `${datumKey(crs.datum.replace(/_(Paris|Oslo|Ferro|Brussels|Stockholm|Madrid)$/, ''))} ${crs.ellipsoid.a} ${crs.ellipsoid.f.toPrecision(10)}`;
const byFamily = new Map<string, string>();
for (const [code, { crs, shift }] of geographic)
  if ((shift !== null || curatedShift(code) !== null) && !byFamily.has(family(crs)))
    byFamily.set(family(crs), code);
const byPlainName = new Map(
  [...geographic].map(([code, { crs }]) => [crs.name.replace(meridianSuffix, ''), code]),
);

function shiftColumn(code: string, { crs, shift }: Geographic): string {
  if (curatedShift(code) !== null) return '';
  if (shift !== null) return shift.join(' ');
  const shared = byFamily.get(family(crs));
  if (shared !== undefined) return `=${shared}`;
  const named = byPlainName.get(crs.name.replace(meridianSuffix, ''));
  const other = named === undefined || named === code ? undefined : geographic.get(named);
  return other !== undefined &&
    (other.shift !== null || curatedShift(named!) !== null) &&
    other.crs.ellipsoid.a === crs.ellipsoid.a
    ? `=${named}`
    : '';
}

const geographicRows = [...geographic].map(([code, each]) =>
  [
    code,
    each.crs.name,
    each.crs.datum,
    ellipsoidNumber(each.crs),
    each.crs.primeMeridian || '',
    each.crs.unit === Math.PI / 180 ? '' : `${each.crs.unitName} ${each.crs.unit}`,
    shiftColumn(code, each),
    Number.isNaN(each.accuracy) ? '' : each.accuracy,
    box(each.entry),
    placeNumber(each.entry),
  ].join('|'),
);

/**
 * Codes of CRSs with heights, and that of their horizontal part: geographic ones in three dimensions, compound ones, and
 * geocentric ones with the geographic CRS of their datum.
 */
const horizontal: string[] = [];
for (const entry of entries) {
  const plainName = entry.name.split(' + ')[0].replace(/ \(lon-lat\)$|_3D$/, '');
  const find = (...kinds: string[]) =>
    entries.find(
      (each) =>
        kinds.includes(each.kind) &&
        (each.name === entry.name.split(' + ')[0] || each.name === plainName) &&
        (geographic.has(each.code) || projected.has(each.code)),
    )?.code;
  let code: string | undefined;
  if (entry.kind === 'CRS-GEOG3DCRS' || entry.kind === 'CRS-GCENCRS') code = find('CRS-GEOGCRS');
  else if (entry.kind === 'CRS-COMPOUNDCRS') code = find('CRS-PROJCRS', 'CRS-GEOGCRS');
  else continue;
  if (code !== undefined)
    horizontal.push(`${entry.code} ${code}${entry.kind === 'CRS-GCENCRS' ? ' geocentric' : ''}`);
  else uncomputed.push(`${entry.code}|${entry.name}|its horizontal part is not in this registry`);
}
for (const entry of entries) {
  const kinds: Record<string, string> = {
    'CRS-VERTCRS': 'it is a vertical CRS: heights only',
    'CRS-ENGCRS': 'it is a local engineering CRS without a tie to the earth',
    'CRS-DRVDCRS': 'it is derived by a formula that the source of this registry does not give',
  };
  if (entry.kind in kinds) uncomputed.push(`${entry.code}|${entry.name}|${kinds[entry.kind]}`);
}

const lines = (rows: Iterable<string>) =>
  `\`\n${[...rows].map((row) => row.replace(/[`\\$]/g, '\\$&')).join('\n')}\n\``;
writeFileSync(
  process.argv[2] ?? new URL('../src/core/crs/registry.generated.ts', import.meta.url),
  `// Made by scripts/make-registry.ts from epsg-index 2.0.0. Do not edit.\n` +
    `/** name;semi-major axis;inverse flattening */\nexport const ellipsoidRows: string = ${lines(ellipsoids)};\n` +
    `/** code|name|datum|ellipsoid|prime meridian|unit|shift, or = and a code|accuracy|west south east north|place */\nexport const geographicRows: string = ${lines(geographicRows)};\n` +
    `/** code|name|base|method|parameters in the method's order|unit|west south east north|axes, where not east and north|place */\nexport const projectedRows: string = ${lines(projected.values())};\n` +
    `/** code with heights, code of its horizontal part, geocentric */\nexport const horizontalRows: string = ${lines(horizontal)};\n` +
    `/** places, by their number in base 36 */\nexport const placeRows: string = ${lines(places)};\n` +
    `/** code|name|why it is not computed */\nexport const uncomputedRows: string = ${lines(uncomputed)};\n`,
);
const reach = geographicRows.filter(
  (row) => row.split('|')[6] !== '' || curatedShift(row.split('|')[0]) !== null,
);
console.log(
  `${geographic.size} geographic and ${projected.size} projected CRSs; ${uncomputed.length} known and not computed; ${reach.length} geographic ones reach WGS 84.`,
);
