import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { zipSync } from 'fflate';
import { openOne, saverFor } from '../src/node/index.ts';
import { dbaseBytes, shapeBytes } from './hand-made.ts';

export { crsFromText, IsomericError } from '../src/core/index.ts';

/** One small good file of every format, written into `folder` and given back by name. */
export async function loadsOf(data: string, folder: string): Promise<Map<string, Uint8Array>> {
  const collection = JSON.parse(
    readFileSync(join(data, 'boundary-office/districts-2024.geojson'), 'utf8'),
  ) as { features: { geometry: { coordinates: number[][][] } }[] };
  collection.features = collection.features.slice(0, 4);
  for (const feature of collection.features) {
    const ring = feature.geometry.coordinates[0];
    feature.geometry.coordinates = [[...ring.slice(0, 8), ring[0]]];
  }
  const geojson = new TextEncoder().encode(JSON.stringify(collection));
  const csv = readFileSync(join(data, 'statistics-office/HOUSING.csv')).subarray(0, 800);
  const dbf = dbaseBytes(
    [
      ['NAME', 'C', 8, 0],
      ['N', 'N', 16, 0],
      ['R', 'N', 9, 2],
      ['D', 'D', 8, 0],
      ['OK', 'L', 1, 0],
    ],
    [
      [' ', 'a', '1', '1.5', '20240101', 'T'],
      ['*', 'b', '2', '2.5', '20240102', 'F'],
      [' ', 'c', '3', '3.5', '', '?'],
    ],
    3,
  );
  const ring = (x: number) => [
    [x, 0],
    [x, 10],
    [x + 10, 10],
    [x + 10, 0],
    [x, 0],
  ];
  const shp = shapeBytes(5, [
    [
      ring(0),
      [
        [2, 2],
        [4, 2],
        [4, 4],
        [2, 2],
      ],
    ],
    [ring(20)],
    [ring(40), ring(60)],
  ]);
  const files = new Map<string, Uint8Array>([
    ['small.geojson', geojson],
    ['small.csv', csv],
    ['small.dbf', dbf],
    ['small.shp', shp],
    [
      'small.zip',
      zipSync({ 'a/w.shp': shp, 'a/w.dbf': dbf, 'a/w.geojson': geojson }, { mtime: new Date(2024, 0, 1) }),
    ],
  ]);
  for (const [name, bytes] of files) writeFileSync(join(folder, name), bytes);
  const package_ = join(folder, 'small.gpkg');
  const { table } = await openOne(join(folder, 'small.geojson'));
  await saverFor(package_).save([table], package_, '2026-01-01T00:00:00.000Z');
  files.set('small.gpkg', readFileSync(package_));
  return files;
}
