import { type GeometryObject, geometryObject, type Table, type Value } from '../../src/core/index.ts';
import {
  type Opened,
  openAmong,
  openSource,
  sourceFromBytes,
  surroundingsOf,
  writeTables,
  writingFormatFor,
} from '../../src/formats/index.ts';
import { memoryTarget } from '../../src/formats/writing/target.ts';

export const now = '2026-01-01T00:00:00.000Z';

/** Writes tables in memory; the files by name. */
export async function saved(
  name: string,
  tables: readonly Table[],
  as?: string,
): Promise<{ files: Map<string, Uint8Array>; notes: string[]; sentences: string[] }> {
  const target = memoryTarget(name);
  const accounts = await writeTables(writingFormatFor(name, as), tables, target, { now });
  return {
    files: target.files(),
    notes: accounts.flatMap((account) => account.notes),
    sentences: accounts.map((account) => account.sentence),
  };
}

/** Opens files that stand beside each other in memory. */
export async function openFiles(
  files: ReadonlyMap<string, Uint8Array>,
  more: { encoding?: string; geometry?: string } = {},
): Promise<Opened[]> {
  const around = surroundingsOf(
    new Map([...files].map(([name, bytes]) => [name, sourceFromBytes(bytes, name)])),
  );
  const context = { capabilities: {}, ...more };
  if (files.size > 1) return openAmong(around, [...files.keys()], context);
  const [[name, bytes]] = files;
  return openSource(sourceFromBytes(bytes, name), { ...context, around, path: name });
}

/** Writes tables in memory and opens what was written. */
export async function savedAndOpened(name: string, tables: readonly Table[], as?: string): Promise<Opened[]> {
  return openFiles((await saved(name, tables, as)).files);
}

export interface Everything {
  names: string[];
  rows: Value[][];
  geometries: (GeometryObject | null)[];
  measures: (number | undefined)[][];
  ids: (string | number)[];
}

/** All that a table holds, as plain values: the ids of features apart from the other fields. */
export async function everything(table: Table): Promise<Everything> {
  const plain = table.schema.map((field) => field.featureId === undefined);
  const all: Everything = {
    names: table.schema.filter((_, c) => plain[c]).map((field) => field.name),
    rows: [],
    geometries: [],
    measures: [],
    ids: [],
  };
  for await (const batch of table.batches()) {
    for (let i = 0; i < batch.length; i++) {
      all.rows.push(batch.columns.filter((_, c) => plain[c]).map((column) => column.value(i)));
      all.ids.push(batch.id(i));
      const { geometry } = batch;
      if (geometry === null) continue;
      all.geometries.push(geometryObject(geometry, i));
      const { m } = geometry;
      all.measures.push(m === null ? [] : [...m.subarray(geometry.firstVertex(i), geometry.endVertex(i))]);
    }
  }
  return all;
}

type Ring = number[][];

/** A ring in a form that says neither where it begins nor which way it runs. */
function plainRing(ring: Ring): Ring {
  const open = ring.slice(0, -1).map((position) => position.map((v) => v + 0));
  const candidates = [open, [...open].reverse()].flatMap((points) => {
    const least = points.reduce((best, point, k) => (compare(point, points[best]) < 0 ? k : best), 0);
    // Where the least corner comes several times, every beginning there is tried.
    return points
      .map((_, k) => k)
      .filter((k) => compare(points[k], points[least]) === 0)
      .map((k) => [...points.slice(k), ...points.slice(0, k)]);
  });
  candidates.sort((a, b) => {
    for (let k = 0; k < a.length; k++) if (compare(a[k], b[k]) !== 0) return compare(a[k], b[k]);
    return 0;
  });
  return candidates[0];
}

function compare(a: number[], b: number[]): number {
  for (let k = 0; k < Math.max(a.length, b.length); k++)
    if ((a[k] ?? 0) !== (b[k] ?? 0)) return (a[k] ?? 0) - (b[k] ?? 0);
  return 0;
}

/** The parts of a geometry by kind, rings in their plain form: what every format must keep. */
export function partsOf(geometry: GeometryObject | null, flat = false): unknown {
  if (geometry === null) return null;
  const cut = (position: number[]) => (flat ? position.slice(0, 2) : position).map((v) => v + 0);
  const polygon = (rings: Ring[]) => rings.map((ring) => plainRing(ring.map(cut)));
  switch (geometry.type) {
    case 'Point':
      return geometry.coordinates.length === 0 ? [] : [['point', cut(geometry.coordinates)]];
    case 'MultiPoint':
      return geometry.coordinates.map((position) => ['point', cut(position)]);
    case 'LineString':
      return geometry.coordinates.length === 0 ? [] : [['line', geometry.coordinates.map(cut)]];
    case 'MultiLineString':
      return geometry.coordinates.map((path) => ['line', path.map(cut)]);
    case 'Polygon':
      return geometry.coordinates.length === 0 ? [] : [['area', polygon(geometry.coordinates)]];
    case 'MultiPolygon':
      return geometry.coordinates.map((rings) => ['area', polygon(rings)]);
    default:
      return geometry.geometries.flatMap((member) => partsOf(member, flat) as unknown[]);
  }
}

/** A value as every format gives it back: bytes as hexadecimal text, JSON as text. */
export function plainValue(value: Value): string | number | boolean | null {
  if (value instanceof Uint8Array)
    return [...value].map((byte) => byte.toString(16).padStart(2, '0')).join('');
  return typeof value === 'object' && value !== null ? JSON.stringify(value) : value;
}
