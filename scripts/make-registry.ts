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
import type { Crs, DatumShift, GeographicCrs } from '../src/core/crs/crs.ts';
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

function add(entry: Entry): void {
  if (!['CRS-PROJCRS', 'CRS-GEOGCRS', 'CRS-COMPOUNDCRS'].includes(entry.kind)) return;
  if (entry.wkt === null) {
    withoutText++;
    return;
  }
  let crs: Crs;
  try {
    crs = crsFromWkt(entry.wkt);
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

const lines = (rows: Iterable<string>) =>
  `\`\n${[...rows].map((row) => row.replace(/[`\\$]/g, '\\$&')).join('\n')}\n\``;
writeFileSync(
  new URL('../src/core/crs/registry.generated.ts', import.meta.url),
  `// Made by scripts/make-registry.ts from epsg-index 2.0.0. Do not edit.\n` +
    `/** name;semi-major axis;inverse flattening */\nexport const ellipsoidRows = ${lines(ellipsoids)};\n` +
    `/** code|name|datum|ellipsoid|prime meridian|unit|shift|west south east north */\nexport const geographicRows = ${lines(geographic.values())};\n` +
    `/** code|name|base|method|parameters|unit|west south east north */\nexport const projectedRows = ${lines(projected)};\n`,
);
console.log(
  `${geographic.size} geographic and ${projected.length} projected CRSs; ${unsupported} use a projection that is not computed; ${withoutText} have no text in the package.`,
);
