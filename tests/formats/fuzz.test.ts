import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Box, Layer } from '../../src/core/index.ts';
import { openSource, sourceFromBytes } from '../../src/formats/index.ts';
import { nodeSqlite } from '../../src/node/index.ts';
import { crsFromText, IsomericError, loadsOf } from '../fuzz/samples.ts';

const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'isomeric-fuzz-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

let samples: Awaited<ReturnType<typeof loadsOf>>;
beforeAll(async () => {
  samples = await loadsOf(data, folder);
});

/** How a good file is damaged: bytes changed, pieces cut out, put in twice, or cut off at the end. */
const damage = fc.record({
  edits: fc.array(
    fc.tuple(fc.double({ min: 0, max: 0.9999, noNaN: true }), fc.integer({ min: 0, max: 255 })),
    { maxLength: 6 },
  ),
  cut: fc.option(fc.tuple(fc.double({ min: 0, max: 0.9999, noNaN: true }), fc.integer({ min: 1, max: 60 })), {
    freq: 2,
  }),
  twice: fc.option(
    fc.tuple(fc.double({ min: 0, max: 0.9999, noNaN: true }), fc.integer({ min: 1, max: 60 })),
    { freq: 3 },
  ),
  end: fc.option(fc.double({ min: 0, max: 1, noNaN: true }), { freq: 2 }),
});
type Damage = typeof damage extends fc.Arbitrary<infer T> ? T : never;

function damaged(good: Uint8Array, { edits, cut, twice, end }: Damage): Uint8Array {
  let bytes = Uint8Array.from(good);
  for (const [at, value] of edits) bytes[Math.floor(at * bytes.length)] = value;
  if (cut !== null) {
    const from = Math.floor(cut[0] * bytes.length);
    bytes = Uint8Array.from([...bytes.subarray(0, from), ...bytes.subarray(from + cut[1])]);
  }
  if (twice !== null) {
    const from = Math.floor(twice[0] * bytes.length);
    bytes = Uint8Array.from([...bytes.subarray(0, from + twice[1]), ...bytes.subarray(from)]);
  }
  return end === null ? bytes : bytes.subarray(0, Math.floor(end * bytes.length));
}

/** One line a format: its name, the sample's file name, and how many damaged copies are tried. */
const formats: [name: string, file: string, runs: number][] = [
  ['GeoJSON', 'small.geojson', 1500],
  ['GeoJSON sequence', 'small.geojsons', 700],
  ['delimited text', 'small.csv', 1500],
  ['WKT in columns', 'small-wkt.csv', 1500],
  ['dBASE', 'small.dbf', 1500],
  ['Shapefile', 'small.shp', 1500],
  ['FlatGeobuf', 'small.fgb', 1500],
  ['GeoParquet', 'small.parquet', 700],
  ['KML', 'small.kml', 700],
  ['GML', 'small.gml', 700],
  ['GPX', 'small.gpx', 1000],
  ['NMEA 0183', 'small.nmea', 1000],
  ['a photo', 'small.jpg', 1000],
  ['TopoJSON', 'small.topojson', 1000],
  ['zip', 'small.zip', 400],
  ['gzip', 'small.geojson.gz', 700],
  ['bzip2', 'small.geojson.bz2', 300],
  ['GeoPackage', 'small.gpkg', 120],
  ['delivered text', 'delivered.csv', 1500],
  ['SDMX-CSV', 'small-sdmx.csv', 700],
  ['SDMX-ML data', 'small-sdmx.xml', 700],
  ['SDMX-ML structures', 'structure.xml', 700],
  ['SDMX-JSON', 'small-sdmx.json', 1000],
  ['JSON-stat', 'small-stat.json', 1000],
  ['JSON rows', 'small-rows.json', 1000],
  ['workbook (.xlsx)', 'small.xlsx', 250],
  ['workbook (.xlsb)', 'small.xlsb', 250],
  ['workbook (.ods)', 'small.ods', 250],
  ['workbook (.xls)', 'small.xls', 500],
  ['GeoTIFF', 'small.tif', 1500],
  ['BigTIFF in strips', 'small-strips.tif', 1500],
  ['ASCII grid', 'small.asc', 1500],
  ['OSM XML', 'small.osm', 500],
  ['OSM PBF', 'small.osm.pbf', 500],
  ['OSM PBF, not packed', 'small-raw.osm.pbf', 1000],
  ['OSM PBF, plain nodes', 'small-plain.osm.pbf', 1000],
];

/** Opens and reads all of a file; by box too where that is another way in. */
async function readAll(bytes: Uint8Array, name: string): Promise<number> {
  let rows = 0;
  const opened = await openSource(sourceFromBytes(bytes, name), {
    around: null,
    path: name,
    capabilities: { sqlite: nodeSqlite },
  });
  for (const { table } of opened) {
    const layer = table as Layer;
    for (const options of layer.readsByBox
      ? [undefined, { box: layer.extent ?? [0, 0, 1, 1] }]
      : [undefined]) {
      for await (const batch of table.batches(options as { box: Box } | undefined)) {
        rows += batch.length;
        for (const column of batch.columns) for (let i = 0; i < batch.length; i++) column.text(i);
        batch.geometry?.box();
      }
    }
  }
  return rows;
}

describe('damaged files give an error of ours or a reading, never a crash or a hang', () => {
  it.each(formats)(
    '%s',
    async (_, file, runs) => {
      const good = samples.get(file)!;
      // The sample itself is read, or damage would prove nothing.
      expect(await readAll(good, file)).toBeGreaterThan(0);
      await fc.assert(
        fc.asyncProperty(damage, async (how) => {
          try {
            // What is read can never be more than the bytes could hold.
            expect(await readAll(damaged(good, how), file)).toBeLessThan(10 * good.length + 1000);
          } catch (error) {
            if (!(error instanceof IsomericError)) throw error;
            expect(error.sentence.length).toBeGreaterThan(10);
          }
        }),
        { numRuns: runs, interruptAfterTimeLimit: 10_000, markInterruptAsFailure: false },
      );
    },
    40_000,
  );

  it('CRS texts', () => {
    const good = new TextEncoder().encode(readFileSync(join(data, 'teskaria-grid.wkt'), 'utf8'));
    fc.assert(
      fc.property(damage, (how) => {
        try {
          crsFromText(new TextDecoder().decode(damaged(good, how)));
        } catch (error) {
          expect(error).toBeInstanceOf(IsomericError);
        }
      }),
      { numRuns: 500 },
    );
  });
});
