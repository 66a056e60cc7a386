import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { ombreyExtract } from '../../demo/country/extract/ombrey.ts';
import { osmXml } from '../../demo/country/extract/write-xml.ts';
import { openPath } from '../../src/node/index.ts';
import { commandIn } from '../support/command.ts';
import { featuresOf } from '../support/extract-made.ts';

let folder: string;
let isomeric: ReturnType<typeof commandIn>;
const pbf = 'data/map-extracts/ombrey.osm.pbf';

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-features-'));
  cpSync('demo/data', join(folder, 'data'), { recursive: true });
  writeFileSync(join(folder, 'ombrey.osm'), osmXml(ombreyExtract()));
  isomeric = commandIn(folder);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const layersOf = async (file: string) =>
  featuresOf((await openPath(join(folder, file))).map(({ table }) => table as never));

describe('isomeric features', () => {
  test('classes, counts, troubles and what is unclassified; the same from XML', async () => {
    const { code, out } = await isomeric('features', pbf, '--figures');
    expect(code).toBe(0);
    expect(out).toContain('Take apart: 15,798 objects in (13,149 nodes, 2,476 ways, 173 relations)');
    expect(out).toMatch(/roads +main +Main roads +51/);
    expect(out).toMatch(/municipality +Municipalities and wards +37 +769\.9/);
    expect(out).toMatch(/boundaries_areas +district +Districts +2 +769\.9/);
    expect(out).toMatch(/flood_mark = yes +37 +37 +0 +0/);
    expect(out).toContain('feature relation/7167, at -29.8838052, 45.5169427: Its border is open at 2 ends');
    const xml = await isomeric('features', 'ombrey.osm', '--figures');
    expect(xml.out.replaceAll('ombrey.osm', 'x')).toBe(out.replaceAll('ombrey.osm.pbf', 'x'));
  });

  test('an area, a CRS, chosen classes: clean layers', async () => {
    const { code, out } = await isomeric(
      'features',
      pbf,
      '--class',
      'roads,buildings',
      '--area',
      'data/boundary-office/districts-2024.geojson',
      '--area-where',
      "code = 'T204'",
      '--crs',
      'data/teskaria-grid.wkt',
      '--out',
      'west.gpkg',
    );
    expect(code).toBe(0);
    expect(out).toContain('Clip: 47 roads in; 29 kept whole, 15 cut, 3 outside.');
    const layers = await layersOf('west.gpkg');
    expect(Object.keys(layers)).toEqual(['buildings_areas', 'roads']);
    expect(layers.roads).toHaveLength(44);
    expect(new Set(layers.roads.map((row) => row.object))).toEqual(new Set(['way']));
  });

  test('a rule on the fly, in a box, its tag as a column, saved as GeoJSON', async () => {
    const { code, out } = await isomeric(
      'features',
      pbf,
      '--where',
      "flood_mark = 'yes'",
      '--name',
      'marks',
      '--tags',
      'height',
      '--box=-29.9,45.4,-29.7,45.6',
      '--out',
      'marks.geojson',
    );
    expect(code).toBe(0);
    expect(out).toContain('outside the box');
    const [marks] = Object.values(await layersOf('marks.geojson'));
    expect(marks.length).toBeGreaterThan(3);
    for (const { geometry, height } of marks) {
      const [lon, lat] = (geometry as { coordinates: [number, number] }).coordinates;
      expect(lon > -29.9 && lon < -29.7 && lat > 45.4 && lat < 45.6).toBe(true);
      expect(Number(height)).toBeGreaterThan(0);
    }
  });

  test('one object with its parts', async () => {
    const { code, out } = await isomeric(
      'features',
      pbf,
      '--object',
      'relation/7090',
      '--out',
      'object.gpkg',
    );
    expect(code).toBe(0);
    expect(out).toContain('Object: relation/7090; 2 parts listed, 2 as parts_lines.');
    const layers = await layersOf('object.gpkg');
    expect(layers.relation_7090).toHaveLength(1);
    expect(layers.parts_lines.map((row) => [row.id, row.place, row.role])).toEqual([
      [81802, 1, 'outer'],
      [81803, 2, 'inner'],
    ]);
    expect((await isomeric('features', pbf, '--object', 'way/80001')).out).toContain(
      'not in the extract: node/990001, node/990002',
    );
  });

  test('buildings as points inside them; the editors when asked for', async () => {
    await isomeric('features', pbf, '--class', 'buildings', '--points', '--editors', '--out', 'points.gpkg');
    const { buildings_areas: buildings } = await layersOf('points.gpkg');
    expect(buildings).toHaveLength(1911);
    expect(new Set(buildings.map((row) => (row.geometry as { type: string }).type))).toEqual(
      new Set(['Point']),
    );
    expect(buildings[0]).toMatchObject({ editor: expect.any(String), changeset: expect.any(Number) });
  });

  test('for machines', async () => {
    const { out } = await isomeric('features', pbf, '--json');
    const told = JSON.parse(out) as {
      classCounts: { class: string; count: number }[];
      unclassified: { key: string }[];
      findings: { code: string; feature: string }[];
      accounts: { counts: Record<string, number> }[];
    };
    expect(told.unclassified[0].key).toBe('flood_mark');
    expect(told.findings.map(({ code }) => code)).toContain('relation-incomplete');
    const { counts } = told.accounts[0];
    const placed = counts.points + counts.lines + counts.areas;
    const rest = counts.withoutTags + counts.unwanted + counts.inRelations + counts.shapeless + counts.broken;
    expect(placed + rest).toBe(counts.nodes + counts.ways + counts.relations);
  });

  const mistakes: [string[], number, RegExp][] = [
    [['--class', 'road'], 2, /Did you mean “roads”/],
    [['--class', 'roads', '--where', "a = 'b'"], 2, /Only one of/],
    [['--box', '1,2'], 2, /is no box/],
    [['--where', "a = 'never'", '--out', 'none.gpkg'], 2, /no feature of what was asked for/],
  ];
  test.each(mistakes)('%j ends with %i', async (args, code, words) => {
    const done = await isomeric('features', pbf, ...args);
    expect(done.code).toBe(code);
    expect(done.told).toMatch(words);
    expect(existsSync(join(folder, 'none.gpkg'))).toBe(false);
  });

  test('another file is told from an extract; a damaged extract is an error of the input', async () => {
    const other = await isomeric('features', 'data/boundary-office/wards-2024.geojson');
    expect([other.code, other.told]).toEqual([2, expect.stringContaining('It is no map extract')]);
    writeFileSync(join(folder, 'cut.osm.pbf'), readFileSync(join(folder, pbf)).subarray(0, 50_000));
    const cut = await isomeric('features', 'cut.osm.pbf');
    expect([cut.code, cut.told]).toEqual([3, expect.stringContaining('It ends within a blob')]);
  });
});

describe('isomeric tags, scheme, tally', () => {
  test('keys with their counts, values of one key', async () => {
    expect((await isomeric('tags', pbf)).out).toMatch(/building +1,912 +0 +1,799 +113/);
    const one = (await isomeric('tags', pbf, '--key', 'highway,never')).out;
    expect(one).toMatch(/primary +51 +0 +51 +0/);
    expect(one).toContain('never: no object has it.');
    expect(JSON.parse((await isomeric('tags', pbf, '--json')).out).objects).toEqual({
      node: 13149,
      way: 2476,
      relation: 173,
    });
  });

  test('the shipped scheme is shown, saved, changed and used', async () => {
    expect((await isomeric('scheme')).out).toContain('12 classes with');
    expect((await isomeric('scheme', '--class', 'water')).out).toContain("natural = 'water'");
    await isomeric('scheme', '--out', 'own.yaml');
    const own = readFileSync(join(folder, 'own.yaml'), 'utf8').replace(
      'classes:\n',
      "classes:\n  flood_marks:\n    geometry: [point]\n    columns: { height: metres }\n    rules:\n      - { name: mark, where: flood_mark = 'yes' }\n",
    );
    writeFileSync(join(folder, 'own.yaml'), own);
    const { out } = await isomeric(
      'features',
      pbf,
      '--scheme',
      'own.yaml',
      '--class',
      'flood_marks',
      '--out',
      'own.gpkg',
    );
    expect(out).toMatch(/flood_marks +mark +Mark +37/);
    expect(typeof (await layersOf('own.gpkg')).flood_marks[0].height).toBe('number');
  });

  test('roads by ward', async () => {
    await isomeric('features', pbf, '--class', 'roads', '--out', 'roads.gpkg');
    const { code, out } = await isomeric(
      'tally',
      'data/boundary-office/wards-2024.geojson',
      'roads.gpkg',
      '--out',
      'tally.gpkg',
    );
    expect(code).toBe(0);
    expect(out).toContain('Tally: 296 wards in; 13 roads inside one of them, 163 across borders');
    const { wards } = await layersOf('tally.gpkg');
    const total = wards.reduce((sum, row) => sum + Number(row.roads_km), 0);
    const { roads } = JSON.parse(
      (await isomeric('features', pbf, '--class', 'roads', '--figures', '--json')).out,
    ).figures.reduce(
      (sum: { roads: number }, each: { kilometres: number }) => ({ roads: sum.roads + each.kilometres }),
      { roads: 0 },
    );
    expect(total).toBeCloseTo(roads, 2);
  });

  test('tags without a column are asked for in conditions', async () => {
    expect(
      (await isomeric('rows', pbf, '--layer', 'lines', '--where', "tag('highway') = 'residental'")).out,
    ).toContain('Mill Lane');
  });
});
