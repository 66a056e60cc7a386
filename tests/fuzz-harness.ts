import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync, zipSync } from 'fflate';
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
  // The formats that are written, each from the same few districts.
  const { table } = await openOne(join(folder, 'small.geojson'));
  for (const end of ['gpkg', 'fgb', 'parquet', 'kml', 'gml', 'topojson', 'geojsons']) {
    const path = join(folder, `small.${end}`);
    await saverFor(path).save([table], path, '2026-01-01T00:00:00.000Z');
    files.set(`small.${end}`, readFileSync(path));
  }
  const encoder = new TextEncoder();
  files.set(
    'small.gpx',
    encoder.encode(
      '<?xml version="1.0"?><gpx version="1.1"><wpt lat="45.5" lon="-29.5"><ele>12</ele><time>2024-05-01T10:00:00Z</time><name>CUL-001</name><extensions><depth>1.5</depth></extensions></wpt><trk><name>Walk</name><trkseg><trkpt lat="1" lon="2"/><trkpt lat="2" lon="3"><ele>4</ele></trkpt></trkseg></trk></gpx>',
    ),
  );
  files.set(
    'small-wkt.csv',
    encoder.encode(
      'code,wkt\n007,"POLYGON ((0 0, 4 0, 4 4, 0 0), (1 1, 2 1, 2 2, 1 1))"\n008,SRID=4326;POINT Z (1 2 3)\n009,\n',
    ),
  );
  files.set('small.geojson.gz', gzipSync(geojson, { mtime: 0 }));
  files.set('small.geojson.bz2', pointBzip2);
  return files;
}

/** A point in GeoJSON as bzip2 1.0.8 packs it. */
export const pointBzip2 = Uint8Array.from(
  Buffer.from(
    'QlpoOTFBWSZTWfpWoFgAABEbgBAEMBBACi4h3CogADFGjIGjTI0KGmgNA2kKi0Np0vInnbhAJ0B3ATQXDJf3vi7kinChIfStQLA=',
    'base64',
  ),
);
