import {
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  type Position,
  uniteAreas,
} from '../../src/core/index.ts';
import { degrees } from './grid.ts';
import { districts, flats, type Point, provinces, type Unit, type Ward, wards } from './units.ts';

interface Feature {
  type: 'Feature';
  id: string;
  properties: Record<string, unknown>;
  geometry: GeometryObject;
}

/** Grid rings → polygons in degrees. Neighbours share vertices to the last digit, since each vertex is converted alone. */
function inDegrees(object: GeometryObject): GeometryObject {
  const ring = (points: Position[]) => points.map((point) => degrees(point as Point));
  if (object.type === 'Polygon') return { type: 'Polygon', coordinates: object.coordinates.map(ring) };
  if (object.type === 'MultiPolygon')
    return { type: 'MultiPolygon', coordinates: object.coordinates.map((rings) => rings.map(ring)) };
  throw new Error('a unit must be an area');
}

function united(cells: readonly Ward[]): GeometryObject {
  const array = geometriesFrom(cells.map((cell) => ({ type: 'Polygon', coordinates: [cell.ring] })));
  const builder = new GeometryMaker();
  uniteAreas(
    array,
    cells.map((_, i) => i),
    builder,
  );
  return geometryObject(builder.finish(), 0)!;
}

function feature(id: string, properties: Record<string, unknown>, geometry: GeometryObject): Feature {
  return { type: 'Feature', id, properties, geometry: inDegrees(geometry) };
}

function collection(name: string, features: Feature[]): string {
  return `{"type":"FeatureCollection","name":"${name}","features":[\n${features.map((each) => JSON.stringify(each)).join(',\n')}\n]}\n`;
}

const unit = (vintage: number) => (each: Unit) =>
  feature(each.code, { code: each.code, name: each.name, parent: each.parent, vintage }, united(each.cells));

/** Pairs of wards that still were one in 2019: the first of each with its other half. */
function mergedIn2019(): Map<Ward, Ward> {
  const merged = new Map<Ward, Ward>();
  for (const code of ['T102', 'T204', 'T205', 'T302']) {
    const cells = districts.find((district) => district.code === code)!.cells;
    const first = cells.find((cell) =>
      cells.some((other) => other.row === cell.row && other.column === cell.column + 1),
    )!;
    merged.set(first, cells.find((other) => other.row === first.row && other.column === first.column + 1)!);
  }
  return merged;
}

/** The wards of 2019, each with the wards of today that it was. */
export function cellsOf2019(): [code: string, cells: Ward[]][] {
  const merged = mergedIn2019();
  const gone = new Set(merged.values());
  return wards
    .filter((ward) => !gone.has(ward))
    .map((ward) => [ward.code, merged.has(ward) ? [ward, merged.get(ward)!] : [ward]]);
}

/** Wards as of 2019: four pairs still were one ward, three had another name. */
function wards2019(): Feature[] {
  const merged = mergedIn2019();
  const gone = new Set(merged.values());
  const renamed = new Map([
    [wards[10], 'Old Karsk Cross'],
    [wards[120], 'Ferrylands'],
    [wards[200], 'Saint Vel'],
  ]);
  return wards
    .filter((ward) => !gone.has(ward))
    .map((ward) => {
      const other = merged.get(ward);
      const name = renamed.get(ward) ?? (other === undefined ? ward.name : `${ward.name} and ${other.name}`);
      return feature(
        ward.code,
        { code: ward.code, name, district: ward.district, province: ward.province, vintage: 2019 },
        other === undefined ? { type: 'Polygon', coordinates: [ward.ring] } : united([ward, other]),
      );
    });
}

/** Files of the boundary office, by name. */
export function boundaryFiles(): Record<string, string> {
  return {
    'provinces-2024.geojson': collection('provinces', provinces.map(unit(2024))),
    'districts-2024.geojson': collection('districts', districts.map(unit(2024))),
    'wards-2024.geojson': collection(
      'wards',
      wards.map((ward) =>
        feature(
          ward.code,
          {
            code: ward.code,
            name: ward.name,
            district: ward.district,
            province: ward.province,
            vintage: 2024,
          },
          { type: 'Polygon', coordinates: [ward.ring] },
        ),
      ),
    ),
    'wards-2019.geojson': collection('wards', wards2019()),
  };
}

/** The wards of the flats alone, for the study that “isomeric new” begins with. */
export function wardsOfFlats(): string {
  return collection(
    'wards',
    flats.map((ward) =>
      feature(ward.code, { code: ward.code, name: ward.name }, { type: 'Polygon', coordinates: [ward.ring] }),
    ),
  );
}

/** The wards of 2024 as the boundary office published them again: a corner of two wards lies elsewhere, one ward has another name. */
export function secondRelease(first: string): string {
  const { features } = JSON.parse(first) as { features: Feature[] };
  const inFlats = new Set(flats.map(({ code }) => code));
  const wardsOf = new Map<string, Set<string>>();
  for (const { id, geometry } of features) {
    if (geometry.type !== 'Polygon') continue;
    for (const [x, y] of geometry.coordinates[0]) {
      const key = `[${x},${y}]`;
      wardsOf.set(key, (wardsOf.get(key) ?? new Set()).add(id));
    }
  }
  const shared = [...wardsOf].filter(([, ids]) => ids.size === 2 && [...ids].every((id) => inFlats.has(id)));
  const [corner] = shared[Math.floor(shared.length / 2)];
  const [x, y] = JSON.parse(corner) as [number, number];
  const moved = JSON.stringify([Number((x + 0.0011).toFixed(7)), Number((y + 0.0006).toFixed(7))]);
  const renamed = features.find(({ id }) => id === flats[5].code)!;
  return first
    .replaceAll(corner, moved)
    .replace(
      JSON.stringify(renamed.properties.name),
      JSON.stringify(`${String(renamed.properties.name)} Green`),
    );
}
