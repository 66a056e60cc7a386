import { counted, listed } from '../../core/account.ts';
import type { Crs } from '../../core/crs/crs.ts';
import { crsByEpsg, wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { Kind, type KindName } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import type { Column } from '../../core/table/column.ts';
import { requireField, type Schema } from '../../core/table/schema.ts';
import { readWkb, sridOfWkb } from '../geometry/wkb.ts';
import { looksLikeWkt, readWktText, sridOf } from '../geometry/wkt.ts';
import { crsMissing } from '../making/layer-findings.ts';

/** Names of columns that hold longitudes and latitudes, in degrees. */
const degreeNames: readonly (readonly [RegExp, RegExp])[] = [
  [/^(longitude|lon|long|lng)$/i, /^(latitude|lat)$/i],
];
/** Names of columns that hold coordinates of some other CRS. */
const planeNames: readonly (readonly [RegExp, RegExp])[] = [
  [/^x$/i, /^y$/i],
  [/^easting$/i, /^northing$/i],
];
/** Names under which geometry texts and blobs go. */
const textNames =
  /^(wkt|ewkt|wkb|ewkb|geom|geometry|the_geom|shape|(geom|geometry)_?(wkt|wkb)|(wkt|wkb)_?(geom|geometry))$/i;

type Found =
  | { form: 'pair'; x: number; y: number; z: number; m: number; degrees: boolean }
  | { form: 'text' | 'hex' | 'bytes'; column: number };

const isNumber = (schema: Schema, c: number) =>
  c >= 0 && (schema[c].type === 'integer' || schema[c].type === 'real');

/** Columns with the heights and measures of points, named as we name them; −1 where there is none. */
function furtherColumns(schema: Schema): { z: number; m: number } {
  const find = (name: RegExp) => {
    const c = schema.findIndex((field) => name.test(field.name));
    return isNumber(schema, c) ? c : -1;
  };
  return { z: find(/^z$/i), m: find(/^measure$/i) };
}

async function firstBatch(table: Table): Promise<Batch | null> {
  for await (const batch of table.batches()) return batch;
  return null;
}

function firstValue(column: Column): number {
  for (let i = 0; i < column.length; i++) if (!column.isNull(i)) return i;
  return -1;
}

const looksLikeHexWkb = (text: string) => /^0[01][0-9a-f]{8}/i.test(text) && text.length % 2 === 0;

/** How the values of a column look, by its first one; null when they are no geometry. */
function formOf(batch: Batch, c: number): 'text' | 'hex' | 'bytes' | null {
  const column = batch.columns[c];
  const i = firstValue(column);
  if (i < 0) return null;
  if (column.type === 'bytes') return column.bytes![column.offsets![i]] <= 1 ? 'bytes' : null;
  const text = column.text(i)!;
  return looksLikeWkt(text) ? 'text' : looksLikeHexWkb(text) ? 'hex' : null;
}

/** Degrees that can be none would make points nowhere: then the columns mean something else. */
function areDegrees(batch: Batch, x: number, y: number): boolean {
  let some = false;
  for (let i = 0; i < batch.length; i++) {
    const [lon, lat] = [batch.columns[x].number(i), batch.columns[y].number(i)];
    if (Math.abs(lon) > 360 || Math.abs(lat) > 90) return false;
    some ||= !Number.isNaN(lon) && !Number.isNaN(lat);
  }
  return some;
}

function findByName(schema: Schema, batch: Batch): Found | null {
  for (const [pairs, degrees] of [
    [degreeNames, true],
    [planeNames, false],
  ] as const) {
    for (const [east, north] of pairs) {
      const x = schema.findIndex((field) => east.test(field.name));
      const y = schema.findIndex((field) => north.test(field.name));
      if (isNumber(schema, x) && isNumber(schema, y) && (!degrees || areDegrees(batch, x, y)))
        return { form: 'pair', x, y, ...furtherColumns(schema), degrees };
    }
  }
  for (let c = 0; c < schema.length; c++) {
    if (!textNames.test(schema[c].name)) continue;
    const form = formOf(batch, c);
    if (form !== null) return { form, column: c };
  }
  return null;
}

function findAsked(table: Table, batch: Batch, asked: string): Found {
  const names = asked.split(',').map((name) => name.trim());
  const columns = names.map((name) => requireField(table.schema, name, table.name));
  if (columns.length === 2) {
    const bad = columns.find((c) => !isNumber(table.schema, c));
    if (bad !== undefined) {
      throw new IsomericError('geometry-column', `The column ${table.schema[bad].name} holds no numbers.`, {
        place: { layer: table.name, field: table.schema[bad].name },
        blame: 'usage',
      });
    }
    const degrees = degreeNames.some(([east, north]) => east.test(names[0]) && north.test(names[1]));
    return { form: 'pair', x: columns[0], y: columns[1], ...furtherColumns(table.schema), degrees };
  }
  const form = columns.length === 1 ? formOf(batch, columns[0]) : null;
  if (form === null) {
    throw new IsomericError(
      'geometry-column',
      columns.length === 1
        ? `The column ${names[0]} holds neither WKT nor WKB.`
        : 'Geometry stands in one column (WKT or WKB) or in two (x and y).',
      { place: { layer: table.name }, blame: 'usage' },
    );
  }
  return { form, column: columns[0] };
}

function crsOf(found: Found, batch: Batch): Crs | null {
  if (found.form === 'pair') return found.degrees ? wgs84() : null;
  const column = batch.columns[found.column];
  const i = firstValue(column);
  const srid = found.form === 'text' ? sridOf(column.text(i)!) : sridOfWkb(blobOf(column, i, found.form));
  return srid === null ? null : crsByEpsg(srid);
}

function blobOf(column: Column, i: number, form: 'hex' | 'bytes'): Uint8Array | null {
  if (form === 'bytes') return column.bytes!.subarray(column.offsets![i], column.offsets![i + 1]);
  const text = column.text(i)!;
  if (text.length % 2 !== 0 || !/^[0-9a-f]*$/i.test(text)) return null;
  const bytes = new Uint8Array(text.length / 2);
  for (let k = 0; k < bytes.length; k++) bytes[k] = Number.parseInt(text.slice(2 * k, 2 * k + 2), 16);
  return bytes;
}

/**
 * A table as a layer, where its columns hold geometry: longitude and latitude, x and y, or WKT, WKB, EWKT or EWKB.
 *
 * @param asked names the column, or the two columns with a comma between; left out, columns are known by their names
 * and first values; `none` leaves the table a table
 * @returns null when there is no geometry in it
 */
export async function layerFromColumns(table: Table, asked?: string): Promise<Layer | null> {
  if (asked === 'none') return null;
  if (asked === undefined && !mayHold(table.schema)) return null;
  const batch = await firstBatch(table);
  if (batch === null) return null;
  const found = asked === undefined ? findByName(table.schema, batch) : findAsked(table, batch, asked);
  if (found === null) return null;
  const crs = crsOf(found, batch);
  const findings: Finding[] = [...table.findings];
  const names =
    found.form === 'pair'
      ? `the columns ${listed([found.x, found.y, found.z, found.m].flatMap((c) => (c < 0 ? [] : [table.schema[c].name])))}`
      : `the column ${table.schema[found.column].name}`;
  findings.push({
    code: 'geometry-from-columns',
    severity: 'note',
    words: `The geometry was made of ${names}${found.form === 'pair' && found.degrees ? ', taken as degrees on WGS 84' : ''}.`,
  });
  if (crs === null) findings.push(crsMissing(`Nothing says the CRS of the geometry in ${names}.`));
  const kept = table.schema.map((_, c) => c).filter((c) => found.form === 'pair' || c !== found.column);
  const kinds: KindName[] | undefined = found.form === 'pair' ? ['Point'] : undefined;
  return {
    ...table,
    schema: kept.map((c) => table.schema[c]),
    crs,
    kinds,
    findings,
    async *batches(options) {
      const builder = new GeometryMaker();
      let damaged = 0;
      let example = '';
      for await (const each of table.batches(options)) {
        for (let i = 0; i < each.length; i++) {
          const words =
            found.form === 'pair'
              ? pair(each, i, found, builder)
              : value(each, i, found, builder, table.name);
          if (words === null) continue;
          if (damaged++ === 0) example = words;
        }
        yield each.with({ geometry: builder.finish(), columns: kept.map((c) => each.columns[c]) });
      }
      if (damaged > 0 && !findings.some((finding) => finding.code === 'geometry-damaged'))
        findings.push({
          code: 'geometry-damaged',
          severity: 'error',
          words: `${counted(damaged, 'row has', 'rows have')} no readable geometry and ${damaged === 1 ? 'was' : 'were'} kept without. ${example}`,
        });
    },
  };
}

function mayHold(schema: Schema): boolean {
  const has = (pattern: RegExp) => schema.some((field) => pattern.test(field.name));
  return has(textNames) || [...degreeNames, ...planeNames].some(([east, north]) => has(east) && has(north));
}

/** Adds a point; says what is wrong when one of the two is missing. */
function pair(
  batch: Batch,
  i: number,
  found: { x: number; y: number; z: number; m: number },
  builder: GeometryMaker,
): string | null {
  const x = batch.columns[found.x].number(i);
  const y = batch.columns[found.y].number(i);
  if (Number.isNaN(x) || Number.isNaN(y)) {
    builder.feature(Kind.None);
    // Both blank is a row without a place, which is no damage.
    return Number.isNaN(x) === Number.isNaN(y) ? null : `Row ${batch.id(i)} has one coordinate only.`;
  }
  builder.feature(Kind.Point);
  builder.part();
  builder.ring();
  builder.vertex(x, y);
  for (const [c, put] of [
    [found.z, (value: number) => builder.height(value)],
    [found.m, (value: number) => builder.measure(value)],
  ] as const) {
    const value = c < 0 ? NaN : batch.columns[c].number(i);
    if (!Number.isNaN(value)) put(value);
  }
  return null;
}

function value(
  batch: Batch,
  i: number,
  found: { form: 'text' | 'hex' | 'bytes'; column: number },
  builder: GeometryMaker,
  name: string,
): string | null {
  const column = batch.columns[found.column];
  if (column.isNull(i)) {
    builder.feature(Kind.None);
    return null;
  }
  const before = builder.mark();
  try {
    const what = `${name}, row ${batch.id(i)}`;
    if (found.form === 'text') readWktText(column.text(i)!, builder, what);
    else {
      const blob = blobOf(column, i, found.form);
      if (blob === null)
        throw new IsomericError('wkb-damaged', `The geometry of ${what} is no hexadecimal text.`);
      readWkb(blob, 0, builder, what);
    }
    return null;
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    builder.back(before);
    builder.feature(Kind.None);
    return error.message;
  }
}
