import { execFileSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { commandIn } from '../support/command.ts';
import { demoFolder } from '../support/demo-study.ts';
import { housingText, ownStudyText, wardsText } from '../support/own-study.ts';

let folder: string;
let isomeric: ReturnType<typeof commandIn>;
const wards = 'data/boundary-office/wards-2024.geojson';
const districts = 'data/boundary-office/districts-2024.geojson';

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-area-'));
  cpSync(join(demoFolder, 'data'), join(folder, 'data'), { recursive: true });
  mkdirSync(join(folder, 'own'));
  writeFileSync(join(folder, 'own/study.yaml'), ownStudyText);
  writeFileSync(join(folder, 'own/wards.geojson'), wardsText);
  writeFileSync(join(folder, 'own/housing.csv'), housingText);
  mkdirSync(join(folder, 'own/papers'));
  isomeric = commandIn(folder);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

interface AreaJson {
  words: string;
  notes: string[];
  squareMetres: number;
  box: number[];
  degrees: number[] | null;
  units: { level: string; units: { code: string; covered: number; held: number }[] }[];
  sheets: { sheets: { code: string; covered: number; held: number }[] } | null;
  study: string;
}
async function area(text: string, ...more: string[]): Promise<AreaJson> {
  const { code, out, told } = await isomeric('area', text, ...more, '--json');
  expect(code, told).toBe(0);
  return JSON.parse(out) as AreaJson;
}

describe('isomeric area', () => {
  it('knows the size of a circle, a box and the units of a layer', async () => {
    const circle = await area('point: [-29.9, 45.5], radius: 10 km');
    expect(circle.squareMetres / (Math.PI * 1e8)).toBeCloseTo(1, 3);
    const box = await area('box: { west: -30, south: 45, east: -29, north: 46 }');
    expect(box.degrees).toEqual([-30, 45, -29, 46]);
    const across = await area('box: [179, -1, -179, 1]');
    expect(across.degrees?.[0]).toBeGreaterThan(178);
    expect(across.degrees?.[2]).toBeLessThan(-178);
    const whole = await area(districts);
    const some = await area(`layer: ${districts}, where: "code IN ('T204', 'T205')"`);
    const byCode = await area(`units: { of: ${districts}, code: [T204, T205] }`);
    expect(some.squareMetres).toBeCloseTo(byCode.squareMetres, 0);
    expect(whole.squareMetres).toBeGreaterThan(5 * some.squareMetres);
    expect(byCode.units[0].units.map(({ code, covered }) => [code, Number(covered.toFixed(6))])).toEqual([
      ['T204', 1],
      ['T205', 1],
    ]);
    expect(byCode.units[0].units.reduce((sum, { held }) => sum + held, 0)).toBeCloseTo(1, 9);
  });

  it('goes down a hierarchy, tells sheets with shares, and writes itself for a study that reads it', async () => {
    const made = await area(
      `units: { of: [${districts}, ${wards}], name: ombrey flats west, down to: finest }, margin: 500 m`,
      '--sheets',
      'teskaria',
      '--level',
      '80k',
    );
    expect(made.words).toMatch(/^18 wards_2024 \(.*\), with 500 m around$/);
    expect(made.notes).toContain('wards_2024 know their districts_2024 by the field district.');
    expect(made.sheets!.sheets.reduce((sum, { held }) => sum + held, 0)).toBeCloseTo(1, 4);
    expect(made.study).toContain(
      'units: { of: [ districts_2024, wards_2024 ], name: ombrey flats west, down to: finest }',
    );
    mkdirSync(join(folder, 'again'));
    cpSync(join(folder, 'data'), join(folder, 'again/data'), { recursive: true });
    writeFileSync(
      join(folder, 'again/study.yaml'),
      `study: Again\n${made.study.replace('gather:', 'crs: EPSG:4326\ngather:')}\n`,
    );
    const again = await area('again');
    expect(again.squareMetres).toBeCloseTo(made.squareMetres, 0);
  });

  it('takes WKT, GeoJSON, a file of them, places, sheets, and combinations', async () => {
    const wkt = 'POLYGON ((-30 45.4, -29.7 45.4, -29.7 45.6, -30 45.6, -30 45.4))';
    const drawn = await area(wkt);
    const box = await area('box: [-30, 45.4, -29.7, 45.6]');
    expect(drawn.squareMetres).toBeCloseTo(box.squareMetres, 0);
    const json =
      '{"type":"Polygon","coordinates":[[[-30,45.4],[-29.7,45.4],[-29.7,45.6],[-30,45.6],[-30,45.4]]]}';
    expect((await area(json)).squareMetres).toBeCloseTo(box.squareMetres, 0);
    writeFileSync(join(folder, 'drawn.geojson'), json);
    expect((await area('polygon: drawn.geojson')).squareMetres).toBeCloseTo(box.squareMetres, 0);
    const hall = await area(`place: { of: ${wards}, code: '020401' }, radius: 1 km`);
    expect(hall.words).toBe('1 km around Marhaven (wards_2024)');
    const sheet = await area('sheets: { of: teskaria, code: TG03 }');
    expect(sheet.squareMetres / (32_000 * 24_000)).toBeCloseTo(1, 3);
    const both = await area(
      'together: [{ box: [-30, 45.4, -29.9, 45.6] }, { box: [-29.9, 45.4, -29.7, 45.6] }]',
    );
    expect(both.squareMetres).toBeCloseTo(box.squareMetres, -3);
    const less = await area('box: [-30, 45.4, -29.7, 45.6], without: [{ box: [-30, 45.4, -29.9, 45.6] }]');
    const rest = await area('box: [-29.9, 45.4, -29.7, 45.6]');
    expect(less.squareMetres).toBeCloseTo(rest.squareMetres, -3);
  });

  it('is drawn, in a terminal and as a picture, and saved as a layer that others read', async () => {
    const shown = await isomeric(
      'area',
      `units: { of: ${districts}, code: T204 }`,
      '--picture',
      'area.png',
      '--out',
      'area.gpkg',
      '--sheets',
      'teskaria',
    );
    expect(shown.out).toMatch(/[\u2801-\u28ff]{3}/);
    expect(readFileSync(join(folder, 'area.png')).subarray(1, 4).toString()).toBe('PNG');
    expect(
      execFileSync('sqlite3', [join(folder, 'area.gpkg'), 'select count(*) from area'])
        .toString()
        .trim(),
    ).toBe('1');
    expect((await isomeric('area', districts, '--picture', 'area.bmp')).told).toContain(
      'no picture that is drawn here',
    );
    await isomeric('area', districts, '--picture', 'area.svg');
    expect(execFileSync('xmllint', ['--noout', join(folder, 'area.svg')]).toString()).toBe('');
  });

  it.each([
    ['an unknown key', 'bax: 1', /no “bax”. Did you mean “box”/],
    ['a point without a radius', 'point: [1, 2]', /“radius” goes with “point”/],
    ['two ways at once', 'point: [1, 2], radius: 1 km, layer: x', /say exactly one of units, box/],
    ['a box upside down', 'box: [0, 10, 1, 5]', /south the lesser one/],
    ['metres for degrees', 'point: [400000, 45], radius: 1 km', /no longitude and latitude/],
    ['an unknown unit of length', 'point: [1, 2], radius: 5 parsecs', /must be a length like 500 m/],
    ['a radius of nothing', 'point: [1, 2], radius: 0 m', /a length above zero/],
    ['a polygon that is none', 'POLYGON ((1 2, 3 4, 5 6, 1 2))', /encloses nothing/],
    ['a file that is not there', 'nowhere.gpkg', /no such file/],
    ['a layer that is not there', 'layer: nowhere.gpkg', /no such file/],
    ['a wrong sheet', 'sheets: { of: teskaria, code: TG99 }', /nearest right code/],
    ['a wrong scheme', 'sheets: { of: teskara, code: TG03 }', /Did you mean “teskaria”/],
    ['a margin that eats it', 'point: [1, 2], radius: 1 km, margin: -2 km', /Nothing of .* is left/],
    [
      'what is taken away wholly',
      'point: [1, 2], radius: 1 km, without: [{ point: [1, 2], radius: 2 km }]',
      /Nothing of .* is left/,
    ],
    ['a table', 'layer: data/statistics-office/HOUSING.csv', /table without geometry/],
    ['text that is no YAML', 'box: [1, 2', /line 1/],
  ])('tells %s', async (_, text, words) => {
    const { code, told } = await isomeric('area', text);
    expect(told).toMatch(words);
    expect([2, 3]).toContain(code);
  });
});

describe('the same words wherever an area is taken', () => {
  it('clip, erase, cells, features, crs and locate', async () => {
    const clip = await isomeric(
      'clip',
      wards,
      '--area',
      'point: [-29.9, 45.5], radius: 6 km',
      '--out',
      'a.gpkg',
    );
    expect(clip.out).toMatch(/^Clip: 296 wards in; \d+ kept whole, \d+ cut/);
    const erase = await isomeric(
      'erase',
      wards,
      '--area',
      'point: [-29.9, 45.5], radius: 6 km',
      '--out',
      'b.gpkg',
    );
    const size = (path: string) =>
      Number(execFileSync('sqlite3', [join(folder, path), 'select count(*) from wards']).toString());
    expect(size('a.gpkg') + size('b.gpkg')).toBeGreaterThan(296);
    expect(erase.code).toBe(0);
    expect((await isomeric('crs', '--for', 'sheets: { of: teskaria, code: TG03 }')).out).toContain(
      'EPSG:32626',
    );
    const locate = await isomeric(
      'locate',
      'data/map-extracts/teskaria-ombrey.zip',
      '--layer',
      'footbridges',
      '--near',
      'box: [-30.2, 45.3, -29.3, 45.8]',
    );
    expect(locate.out).toContain('Teskaria');
    const features = await isomeric(
      'features',
      'data/map-extracts/ombrey.osm.pbf',
      '--class',
      'places',
      '--area',
      'point: [-29.85, 45.5], radius: 10 km',
      '--out',
      'places.gpkg',
    );
    expect(features.code, features.told).toBe(0);
    const byStudy = await isomeric('clip', wards, '--area', 'own', '--out', 'c.gpkg');
    expect(byStudy.out).toContain('Clip: 296 wards in');
  });

  it('with a name and a condition a layer is meant, as before', async () => {
    const old = await isomeric(
      'clip',
      wards,
      '--area',
      districts,
      '--area-where',
      "code = 'T204'",
      '--out',
      'd.gpkg',
    );
    expect(old.out).toContain('Clip: 296 wards in; 18 kept whole, 0 cut, 278 outside.');
  });
});

describe('isomeric sheets', () => {
  it('lists, describes, reads codes, and saves an index that another program reads', async () => {
    expect((await isomeric('sheets')).out).toContain('millionth');
    const one = JSON.parse((await isomeric('sheets', 'millionth', '--json')).out) as {
      levels: { name: string; sheets: number }[];
    };
    expect(one.levels.find(({ name }) => name === '1000k')?.sheets).toBe(2132);
    expect((await isomeric('sheets', 'utm', '31udq')).told).toContain('31udq is read as 31UDQ.');
    expect((await isomeric('sheets', 'teskaria', 'TG')).told).toContain('TG is the beginning of 5 codes.');
    const saved = await isomeric('sheets', 'millionth', '--level', '1000k', '--out', 'index.gpkg');
    expect(saved.out).toContain('2,132 sheets written');
    expect(
      execFileSync('sqlite3', [
        join(folder, 'index.gpkg'),
        "select code, level, scale from sheets where code = 'NP-31,32'",
      ])
        .toString()
        .trim(),
    ).toBe('NP-31,32|1000k|1000000');
    const below = JSON.parse(
      (await isomeric('sheets', 'teskaria', 'TG03', '--below', '20k', '--json')).out,
    ) as { sheets: { code: string }[] };
    expect(below.sheets).toHaveLength(16);
    const at = await isomeric('sheets', 'teskaria', '--at', '-29.9,45.5');
    expect(at.out).toContain('TG03-');
    await isomeric('sheets', 'teskaria', '--out', 'copy.json');
    expect((await isomeric('sheets', 'copy.json', 'TG03-07')).out).toContain('TG03-07');
    expect((await isomeric('sheets', 'teskaria', '--out', 'copy.json')).told).toContain(
      'it is there already',
    );
  });

  it.each([
    [['nowhere'], /No sheet scheme “nowhere”/],
    [['teskaria', 'TG03', '--level', '7k'], /no level “7k”/],
    [['teskaria', '--at', 'here'], /no longitude and latitude/],
    [['teskaria', '--at', '120,10'], /No sheet of Teskaria/],
    [['tiles', '--level', 'level-20', '--all', '--out', 'x.gpkg'], /Choose a coarser level/],
    [['missing.json'], /missing.json/],
  ])('%j is told', async (args, words) => {
    const { code, told } = await isomeric('sheets', ...args);
    expect(told).toMatch(words);
    expect(code).toBeGreaterThan(1);
    expect(existsSync(join(folder, 'x.gpkg'))).toBe(false);
  });
});
