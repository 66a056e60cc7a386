import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gzipSync, zipSync } from 'fflate';
import type { Browser, Page } from 'playwright-core';
import { build } from 'vite';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { serve, startBrowser } from './browser.ts';
import { pointBzip2 } from './fuzz-harness.ts';

/** What tests/in-browser/page.ts tells. */
interface PageResult {
  files: string[];
  layers: { format: string; rows: number; vertices: number; first: string }[];
}

const path = (relative: string) => fileURLToPath(new URL(relative, import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'isomeric-browser-'));
const wards = readFileSync(path('../demo/data/boundary-office/wards-2024.geojson'), 'utf8');
let browser: Browser;
let page: Page;
let site: Awaited<ReturnType<typeof serve>>;
const mistakes: string[] = [];

beforeAll(async () => {
  await build({
    root: path('./in-browser'),
    base: './',
    logLevel: 'error',
    resolve: {
      alias: {
        isomeric: path('../dist/index.js'),
        buffer: path('../node_modules/buffer/index.js'),
        string_decoder: path('../node_modules/string_decoder/lib/string_decoder.js'),
      },
    },
    build: { outDir: folder, emptyOutDir: true, target: 'es2022', chunkSizeWarningLimit: 4000 },
  });
  site = await serve(folder);
  browser = await startBrowser();
  page = await browser.newPage();
  page.on('pageerror', (error) => mistakes.push(String(error)));
  await page.goto(site.address);
  await page.waitForFunction('window.ready');
}, 120_000);

afterAll(async () => {
  await browser?.close();
  await site?.close();
  rmSync(folder, { recursive: true, force: true });
});

describe('in Chromium', () => {
  const vertices = (
    JSON.parse(wards) as { features: { geometry: { coordinates: unknown } }[] }
  ).features.reduce((sum, { geometry }) => sum + (geometry.coordinates as unknown[]).flat(8).length / 2, 0);
  it.each([
    ['w.geojson', 'geojson', ['w.geojson']],
    ['w.geojsons', 'geojson', ['w.geojsons']],
    ['w.gpkg', 'geopackage', ['w.gpkg']],
    ['w.shp', 'shapefile', ['w.cpg', 'w.dbf', 'w.prj', 'w.shp', 'w.shx']],
    ['w.fgb', 'flatgeobuf', ['w.fgb']],
    ['w.parquet', 'geoparquet', ['w.parquet']],
    ['w.kml', 'kml', ['w.kml']],
    ['w.kmz', 'kml', ['w.kmz']],
    ['w.gml', 'gml', ['w.gml', 'w.xsd']],
    ['w.topojson', 'topojson', ['w.topojson']],
    ['w.csv', 'delimited', ['w.csv']],
    ['w.xlsx', 'workbook', ['w.xlsx']],
  ])('%s is written and read again', async (name, format, files) => {
    const result = (await page.evaluate(
      ([text, wanted]) =>
        (window as unknown as { throughFormat(a: string, b: string): Promise<unknown> }).throughFormat(
          text,
          wanted,
        ),
      [wards, name] as const,
    )) as PageResult;
    expect(result).toMatchObject({ files, layers: [{ format, rows: 296, vertices, first: '010101' }] });
    expect(mistakes).toEqual([]);
  });

  it('archives, gzip and bzip2 are opened', async () => {
    const looked = (bytes: Uint8Array, name: string) =>
      page.evaluate(
        ([data, file]) =>
          (window as unknown as { looked(a: number[], b: string): Promise<string[]> }).looked(data, file),
        [[...bytes], name] as [number[], string],
      );
    const point = new TextEncoder().encode('{"type":"Point","coordinates":[1,2]}');
    expect(await looked(zipSync({ 'a/p.geojson': point }), 'x.zip')).toEqual(['a/p.geojson p geojson 1']);
    expect(await looked(gzipSync(point), 'p.geojson.gz')).toEqual([' p geojson 1']);
    expect(await looked(pointBzip2, 'p.geojson.bz2')).toEqual([' p geojson 1']);
    const demo = (name: string) => readFileSync(path(`../demo/data/${name}`));
    expect(await looked(demo('map-extracts/ombrey.osm.pbf'), 'ombrey.osm.pbf')).toEqual([
      ' points osm-pbf 147',
      ' lines osm-pbf 290',
      ' areas osm-pbf 2098',
    ]);
    // A pack of tables with the workbook that describes it; a grid is none of the layers.
    expect(await looked(demo('statistics-office/MOBILITY-2024.zip'), 'MOBILITY-2024.zip')).toEqual([
      'MOBILITY-2024/M24.csv M24 delimited 312',
      'MOBILITY-2024/description.xlsx Tables workbook 2',
      'MOBILITY-2024/description.xlsx Columns workbook 6',
    ]);
  });
});
