import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import {
  Batch,
  crsByEpsg,
  type FieldType,
  type GeometryObject,
  geometriesFrom,
  type Layer,
  layerOf,
  type Position,
} from '../../src/core/index.ts';
import { openOne, saverFor } from '../../src/node/index.ts';
import { anyGeometry, anyRows, type Rows } from '../support/arbitrary.ts';
import { everything, now, partsOf, plainValue, savedAndOpened } from '../support/saved.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-round-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const wgs84 = crsByEpsg(4326)!;

type Kept = (value: string) => string | null;
/** What XML cannot hold is U+FFFD afterwards; white space around a text is not kept; a blank text is none. */
const inXml: Kept = (text) =>
  text
    // biome-ignore lint/suspicious/noControlCharactersInRegex: these are what is looked for
    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '\ufffd')
    .trim() || null;
const asIs: Kept = (text) => text;
/** A .dbf fills its fields with spaces and cannot tell a blank text from none. */
const inDbase: Kept = (text) => text.replace(/[ \0]+$/, '') || null;

interface FormatRules {
  name: string;
  collections: boolean;
  /** Areas must be proper ones: the format says which rings are holes by where they lie. */
  proper?: boolean;
  heights: boolean;
  /** Empty geometries come back as empty (otherwise as none). */
  empties: boolean;
  text: Kept;
  /** Features come in another order. */
  reordered?: boolean;
  /** Vertices without a height get 0 where others have one. */
  filled?: boolean;
  /** Coordinates must be degrees: what lies outside the CRS might be taken for the other order of axes. */
  degrees?: boolean;
  /** Types whose values come back. */
  types?: FieldType[];
}

const all: FieldType[] = ['integer', 'real', 'text', 'boolean', 'date', 'timestamp', 'bytes', 'json'];
const formats: FormatRules[] = [
  { name: 'x.geojson', degrees: true, collections: true, heights: true, empties: true, text: asIs },
  { name: 'x.geojsonl', degrees: true, collections: true, heights: true, empties: true, text: asIs },
  { name: 'x.geojsons', degrees: true, collections: true, heights: true, empties: true, text: asIs },
  { name: 'x.gpkg', collections: true, heights: true, empties: true, text: asIs },
  {
    name: 'x.shp',
    collections: false,
    proper: true,
    filled: true,
    heights: true,
    empties: false,
    text: inDbase,
  },
  { name: 'x.fgb', collections: true, heights: true, empties: true, text: asIs, reordered: true },
  { name: 'x.parquet', collections: true, heights: true, empties: true, text: asIs, reordered: true },
  { name: 'x.kml', degrees: true, collections: true, heights: true, empties: false, text: inXml },
  { name: 'x.kmz', degrees: true, collections: true, heights: true, empties: false, text: inXml },
  { name: 'x.gml', degrees: true, collections: true, heights: true, empties: false, text: inXml },
  { name: 'x.topojson', collections: true, heights: false, empties: true, text: asIs },
];

const whole = fc.integer({ min: -1000, max: 1000 });

/** Polygons whose holes lie in their shells and whose parts are apart. */
const properAreas: fc.Arbitrary<GeometryObject> = fc
  .array(fc.record({ holes: fc.integer({ min: 0, max: 2 }), z: whole, turn: fc.boolean() }), {
    minLength: 1,
    maxLength: 3,
  })
  .map((parts) => {
    const square = (x: number, y: number, size: number, turn: boolean): Position[] => {
      const ring = [
        [x, y],
        [x + size, y],
        [x + size, y + size],
        [x, y + size],
        [x, y],
      ];
      return turn ? ring.reverse() : ring;
    };
    const polygons = parts.map(({ holes, turn }, k) => [
      square(100 * k, 7 * k, 90, turn),
      ...Array.from({ length: holes }, (_, h) => square(100 * k + 10 + 30 * h, 7 * k + 10, 20, !turn)),
    ]);
    return polygons.length === 1
      ? { type: 'Polygon', coordinates: polygons[0] }
      : { type: 'MultiPolygon', coordinates: polygons };
  });

function kindOf(geometry: GeometryObject | null): string {
  return geometry === null ? '' : geometry.type.replace('Multi', '');
}

/** Geometries for the rows; for a format of one kind, all of that kind. */
function geometriesFor(rules: FormatRules, count: number): fc.Arbitrary<(GeometryObject | null)[]> {
  const any = rules.proper
    ? fc.oneof(
        anyGeometry({ collections: false }).filter((each) => kindOf(each) !== 'Polygon'),
        properAreas,
      )
    : anyGeometry({ collections: rules.collections });
  const list = fc
    .array(any, { minLength: count, maxLength: count })
    .map((geometries) =>
      rules.degrees ? geometries.map((each) => JSON.parse(JSON.stringify(each), toDegrees)) : geometries,
    );
  if (!rules.proper) return list;
  return list.map((geometries) => {
    const kind = kindOf(geometries.find((each) => each !== null) ?? null);
    return geometries.map((each) => (kindOf(each) === kind ? each : null));
  });
}

function layerFrom({ fields, columns, rows }: Rows, geometries: (GeometryObject | null)[]): Layer {
  return layerOf({
    name: 'x',
    schema: fields,
    crs: wgs84,
    batches: [new Batch({ length: rows.length, first: 0, geometry: geometriesFrom(geometries), columns })],
  });
}

async function roundTrip(name: string, layer: Layer): Promise<Layer> {
  if (!name.endsWith('.gpkg')) return (await savedAndOpened(name, [layer]))[0].table as Layer;
  const path = join(folder, name);
  await saverFor(path).save([layer], path, now);
  return (await openOne(path)).table as Layer;
}

const isPosition = (value: unknown): value is number[] =>
  Array.isArray(value) && value.length > 0 && value.every((each) => typeof each === 'number');

function hasHeights(geometry: GeometryObject | null): boolean {
  let some = false;
  JSON.stringify(geometry, (_, value: unknown) => {
    some ||= isPosition(value) && value.length > 2;
    return value;
  });
  return some;
}

/** Brings positions of up to a million into the range of latitudes. */
const toDegrees = (_: string, value: unknown) =>
  isPosition(value) ? value.map((each) => each * 8e-5) : value;

const fillHeight = (_: string, value: unknown) =>
  isPosition(value) && value.length === 2 ? [...value, 0] : value;

describe('what is written comes back', () => {
  it.each(formats.map((rules) => [rules.name, rules] as const))(
    '%s: geometries of every kind and values of every type',
    async (name, rules) => {
      await fc.assert(
        fc.asyncProperty(
          anyRows(rules.types ?? all, 1).chain((rows) =>
            fc.tuple(fc.constant(rows), geometriesFor(rules, rows.rows.length)),
          ),
          async ([rows, geometries]) => {
            const back = await roundTrip(name, layerFrom(rows, geometries));
            const found = await everything(back);
            const heights = rules.filled === true && geometries.some(hasHeights);
            const withHeights = (geometry: GeometryObject | null) =>
              heights
                ? (JSON.parse(JSON.stringify(geometry), fillHeight) as GeometryObject | null)
                : geometry;
            const expectedRows = rows.rows.map((row, i) => {
              const values = row.map((value) => {
                const plain = plainValue(value);
                return typeof plain === 'string' ? rules.text(plain) : plain;
              });
              let parts = partsOf(withHeights(geometries[i]), !rules.heights) as unknown[] | null;
              if (!rules.empties && parts !== null && parts.length === 0) parts = null;
              return JSON.stringify([values, parts]);
            });
            // Field names are shortened in a .dbf; their order stays.
            const order = rows.fields.map((field, c) => (rules.proper ? c : found.names.indexOf(field.name)));
            const foundRows = found.rows.map((row, i) => {
              const values = order.map((c) => (c < 0 ? null : plainValue(row[c])));
              return JSON.stringify([
                values.map((value) => (typeof value === 'string' ? rules.text(value) : value)),
                partsOf(found.geometries[i] ?? null, !rules.heights),
              ]);
            });
            if (rules.reordered) {
              expectedRows.sort();
              foundRows.sort();
            }
            expect(foundRows).toEqual(expectedRows);
            // GML without any geometry has no place for a CRS.
            if (name !== 'x.gml' || found.geometries.some((each) => each !== null))
              expect(back.crs?.code).toBe('EPSG:4326');
          },
        ),
        { numRuns: name === 'x.gpkg' ? 25 : 60 },
      );
    },
    60_000,
  );
});
