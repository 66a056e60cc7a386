import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gzipSync, zipSync } from 'fflate';
import type { Browser, Page } from 'playwright-core';
import { build } from 'vite';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Mood, type StandIns, startStandIns } from '../../stand-ins/src/index.ts';
import { pointBzip2 } from '../fuzz/samples.ts';
import type { Told } from '../in-browser/told.ts';
import { serve, startBrowser } from '../support/browser.ts';

/** What tests/in-browser/page.ts tells. */
interface PageResult {
  files: string[];
  layers: { format: string; rows: number; vertices: number; first: string }[];
}

const path = (relative: string) => fileURLToPath(new URL(relative, import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'isomeric-browser-'));
const wards = readFileSync(path('../../demo/data/boundary-office/wards-2024.geojson'), 'utf8');
let browser: Browser;
let page: Page;
let site: Awaited<ReturnType<typeof serve>>;
const mistakes: string[] = [];

beforeAll(async () => {
  await build({
    root: path('../in-browser'),
    base: '../',
    logLevel: 'error',
    resolve: {
      alias: [
        { find: /^isomeric$/, replacement: path('../../dist/index.js') },
        { find: /^isomeric\/(\w+)$/, replacement: path('../../dist/$1/index.js') },
      ],
    },
    build: { outDir: folder, emptyOutDir: true, target: 'es2022', chunkSizeWarningLimit: 4000 },
  });
  site = await serve(folder);
  browser = await startBrowser();
  page = await browser.newPage();
  page.on('pageerror', (error) => mistakes.push(String(error)));
  await page.goto(site.address);
  await page.waitForFunction('window.ready');
});

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

  it('layer verbs work in workers of the page, and make the same bytes', async () => {
    const lines = Array.from({ length: 6000 }, (_, k) => {
      const [x, y] = [500_000 + 90 * (k % 80), 4_000_000 + 70 * Math.floor(k / 80)];
      const coordinates = Array.from({ length: 12 }, (_, n) => [x + 15 * n, y + 40 * Math.sin(n * k)]);
      return JSON.stringify({
        type: 'Feature',
        properties: { k },
        geometry: { type: 'LineString', coordinates },
      });
    });
    const text = `{"type":"FeatureCollection","crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::32626"}},"features":[${lines.join(',')}]}`;
    const told = (await page.evaluate(
      (given) => (window as unknown as { inWorkers(a: string): Promise<unknown> }).inWorkers(given),
      text,
    )) as { same: boolean; bytes: number; workers: number };
    expect(told.same).toBe(true);
    expect(told.bytes).toBeGreaterThan(1e6);
    expect(told.workers).toBeGreaterThan(1);
    expect(mistakes).toEqual([]);
  }, 120_000);

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
    const demo = (name: string) => readFileSync(path(`../../demo/data/${name}`));
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

  it('the job is done in sentences, with files in place of paths', async () => {
    const demo = (name: string) => readFileSync(path(`../../demo/data/${name}`), 'utf8');
    const told = await page.evaluate(
      (files) =>
        (window as unknown as { sentences(files: Record<string, string>): Promise<Told> }).sentences(files),
      {
        wards,
        districts: demo('boundary-office/districts-2024.geojson'),
        table: demo('statistics-office/HOUSING.csv'),
      },
    );
    expect(told.sentences).toEqual([
      'Clip: 296 wards in; 37 kept whole, 0 cut, 259 outside.',
      expect.stringMatching(/^Join: 37 wards in; 36 matched on code = area_code/),
      expect.stringMatching(/^Compute: 37 wards in; 36 given half/),
      'Reproject: 37 wards in; 37 brought to EPSG:32626 (WGS 84 / UTM zone 26N).',
      expect.stringMatching(/^Write: 37 wards/),
    ]);
    expect(told.files).toEqual([['out.gpkg', expect.any(Number)]]);
    expect(told).toMatchObject({
      again: 37,
      first: expect.stringMatching(/^Multi?Polygon \d{6}$|^Polygon \d{6}$/),
      ended: 'AbortError',
      address: 296,
    });
  });

  describe('services are asked with the fetch of the browser', () => {
    let services: StandIns;
    let mood: Mood = 'well';
    beforeAll(async () => {
      services = await startStandIns({
        data: path('../../demo/data'),
        pageSize: 100,
        moods: { boundaryOffice: () => mood, statisticsOffice: () => mood },
        desk: { takes: 20, mostArea: 1e6 },
      });
    });
    afterAll(() => services.close());
    type Request = Record<string, unknown>;
    const gathered = (request: Request) =>
      page.evaluate(
        (asked) =>
          (
            window as unknown as {
              gathered(a: Request): Promise<{ rows: number; files: string[]; sums: string[] }>;
            }
          ).gathered(asked),
        request,
      );
    const failing = (request: Request, patience?: number) =>
      page.evaluate(
        ([asked, patient]) =>
          (window as unknown as { failing(a: Request, b?: number): Promise<string> }).failing(asked, patient),
        [request, patience] as const,
      );

    it('of every kind', async () => {
      const boundary = services.boundaryOffice.address;
      const statistics = services.statisticsOffice.address;
      const map = services.mapExtracts.address;
      const wards = await gathered({ kind: 'features', address: `${boundary}/`, collection: 'wards' });
      expect([wards.rows, wards.files.length]).toEqual([296, 3]);
      expect(
        (await gathered({ kind: 'wfs', address: `${boundary}/wfs`, collection: 'districts' })).rows,
      ).toBe(15);
      const sdmx = { kind: 'sdmx', address: `${statistics}/sdmx-2.1/`, agency: 'TSO', table: 'RESIDENTS' };
      expect((await gathered({ ...sdmx, choose: { SEX: ['Women'] } })).rows).toBe(111);
      const cubes = { kind: 'json-stat', address: `${statistics}/json-stat/`, table: 'HOUSEHOLDS' };
      expect((await gathered({ ...cubes, choose: { KIND: ['households'] } })).rows).toBe(295);
      expect(
        (await gathered({ kind: 'files', address: `${statistics}/files/`, file: 'HOUSING.csv' })).rows,
      ).toBe(296);
      const works = { kind: 'orders', address: `${services.orderDesk.address}/`, collection: 'pumps' };
      expect(await failing(works)).toMatch(/^terms-not-agreed/);
      expect((await gathered({ ...works, agreed: true })).rows).toBe(13);
      expect(
        (await gathered({ kind: 'map-features', address: `${map}/`, object: 'relation/7001' })).rows,
      ).toBeGreaterThan(0);
    });

    it('and its bad days are told', async () => {
      const request = {
        kind: 'features',
        address: `${services.boundaryOffice.address}/`,
        collection: 'wards',
      };
      for (const [today, code] of [
        ['busy', /^source-busy/],
        ['html', /^source-html/],
        ['cut', /^source-(cut|unreachable)/],
        ['half', /^source-(cut|garbled)/],
        ['gzip damaged', /^source-(cut|unreachable|damaged)/],
        ['silent', /^source-silent/],
        ['redirect loop', /^source-(redirects|unreachable)/],
        ['loop', /^source-loop/],
      ] as const) {
        mood = today;
        expect(await failing(request, today === 'silent' ? 4000 : undefined), today).toMatch(code);
      }
      mood = 'well';
      expect((await gathered(request)).rows).toBe(296);
    });
  });
});
