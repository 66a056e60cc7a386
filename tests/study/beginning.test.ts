import { execFileSync } from 'node:child_process';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { loadStudy } from '../../src/study/index.ts';
import { commandIn } from '../support/command.ts';
import { housingText, wardsText } from '../support/own-study.ts';

const demo = fileURLToPath(new URL('../../demo/data', import.meta.url));
let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-new-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const isomeric = (...args: string[]) => commandIn(folder)(...args);
const read = (path: string) => readFileSync(join(folder, path), 'utf8');
const write = (path: string, text: string) => writeFileSync(join(folder, path), text);

describe('isomeric new', () => {
  it('brings a study that makes a map at once, every part of it explained', async () => {
    const made = await isomeric('new', 'mine');
    expect(made.out).toContain(
      'New: 4 files in mine: households.csv, wards.geojson, study.yaml, study.schema.json.\nNext: “isomeric run mine”',
    );
    const lines = read('mine/study.yaml').split('\n');
    for (const [k, line] of lines.entries())
      if (/^[a-z]+:/.test(line) && k > 0) expect(lines[k - 1], line).toMatch(/^#/);
    const done = await isomeric('run', 'mine');
    expect([done.code, done.told]).toEqual([0, '']);
    expect(done.out).toContain(
      'Draw: no-car; “Households without a car”, 36 of 37 wards coloured by no_car_share in 5 classes (5 natural), 1 blank (020409 no_car suppressed).',
    );
    expect(done.out).not.toMatch(/^(warning|error)/m);
    // As another program computes it.
    const [share] = execFileSync('/usr/bin/sqlite3', [
      join(folder, 'mine/delivered/households-without-a-car-on-the-ombrey-flats.gpkg'),
      "select abs(no_car_share - 100.0 * no_car / households) < 1e-9 from wards where code = '020401'",
    ])
      .toString()
      .split('\n');
    expect(share).toBe('1');
    expect((await isomeric('new', 'mine')).told).toMatch(/The folder is not empty/);
    expect(JSON.parse((await isomeric('new', 'other', '--json')).out)).toMatchObject({
      files: ['other/households.csv', 'other/wards.geojson', 'other/study.yaml', 'other/study.schema.json'],
    });
  });

  it('writes the study for files of one’s own: keys that fit, a repair, a share, a map that needs no correction', async () => {
    const own = [
      join(demo, 'boundary-office/wards-2024.geojson'),
      join(demo, 'statistics-office/POPULATION.csv'),
      join(demo, 'statistics-office/HOUSING.csv'),
    ];
    const { out, code } = await isomeric('new', 'own', '--from', ...own);
    expect(code).toBe(0);
    expect(out).toContain(
      'population fits wards by code = ward: 296 of 296, with “repair: leading zeros to 6”.',
    );
    expect(out).toContain('housing fits wards by code = area_code: 295 of 296.');
    const study = loadStudy(read('own/study.yaml'));
    expect(study.prepare.wards.map(({ verb }) => verb)).toEqual(['clip', 'join', 'join', 'compute']);
    expect(study.gather.population.rows).toBe('without totals');
    const done = await isomeric('run', 'own');
    // One of the wards crosses itself: that is in the data, and told last.
    expect([done.code, done.told]).toEqual([1, '']);
    expect(done.out).toMatch(/all 296 wards coloured by persons_65_plus_share/);
    expect(done.out.trim().split('\n').at(-1)).toMatch(/^error.*030216.*a ring crosses itself/);
  });

  it('leaves large and folded files where they are, names of any kind, and says what it cannot know', async () => {
    write('odd name.geojson', wardsText.replaceAll('"code"', '"Ward code"'));
    write(
      'figures.csv',
      housingText.replace('area_code', 'Ward: code').replace('households', 'all, in 2024'),
    );
    write('lonely.csv', 'town,visitors\nA,3\nB,5\n');
    const { out } = await isomeric('new', 'odd', '--from', 'odd name.geojson', 'figures.csv', 'lonely.csv');
    expect(out).toMatch(/figures fits \S+ by Ward code = Ward: code: 4 of 4\./);
    expect(out).toContain('lonely fits no layer by any field; say by which');
    const done = await isomeric('run', 'odd');
    expect([done.told, done.code]).toEqual(['', 0]);
    await isomeric('save', 'odd name.geojson', '--out', 'without.shp');
    rmSync(join(folder, 'without.prj'));
    const unsaid = await isomeric('new', 'unsaid', '--from', 'without.shp');
    expect(unsaid.out).toContain('without does not say its CRS: write it under gather → without');
    expect(readdirSync(join(folder, 'unsaid')).sort()).toEqual(
      [
        'study.schema.json',
        'study.yaml',
        ...['cpg', 'dbf', 'shp', 'shx'].map((end) => `without.${end}`),
      ].sort(),
    );
    expect((await isomeric('run', 'unsaid')).told).toMatch(
      /study\.yaml, line \d+, column 3.*Say it with “crs:” under gather/,
    );
    expect((await isomeric('new', 'none', '--from', 'nothing.csv')).told).toMatch(/no such file/);
    expect(existsSync(join(folder, 'none'))).toBe(false);
  });
});

describe('files that make no study', () => {
  it('are told before anything is written; two of one name are two', async () => {
    mkdirSync(join(folder, 'here'));
    mkdirSync(join(folder, 'there'));
    write('here/x.geojson', wardsText);
    write('there/x.geojson', wardsText.replaceAll('02', '03'));
    await isomeric('new', 'both', '--from', 'here/x.geojson', 'there/x.geojson');
    expect(read('both/x.geojson')).toBe(wardsText);
    expect(read('both/x-2.geojson')).toBe(wardsText.replaceAll('02', '03'));
    expect(Object.keys(loadStudy(read('both/study.yaml')).gather)).toEqual(['x', 'x_2']);
    write('head.csv', 'a,b\n');
    write('blank.geojson', '{"type":"FeatureCollection","features":[]}');
    expect((await isomeric('new', 'no', '--from', 'here')).told).toMatch(
      /It is a folder. Name the files in it/,
    );
    expect((await isomeric('new', 'no', '--from', 'head.csv')).told).toMatch(
      /no area to study. Name a layer of areas/,
    );
    expect(existsSync(join(folder, 'no'))).toBe(false);
    await isomeric('new', 'void', '--from', 'blank.geojson');
    expect((await isomeric('run', 'void')).told).toMatch(
      /^Stopped: study\.yaml, line \d+.*holds no polygon to make the area of/,
    );
  });
});

describe('the same study for another area', () => {
  it('is run in a folder of its own, with what was set written down; the first stays as it is', async () => {
    await isomeric('new', 'first');
    write(
      'first/study.yaml',
      read('first/study.yaml').replace('  layer: wards', "  units:\n    of: wards\n    code: ['020401']"),
    );
    const before = read('first/study.yaml');
    const into = ['run', 'first', '--into', 'second', '--set', "area.units.code = ['020402', '020403']"];
    const done = await isomeric(...into, '--set', 'draw.no-car.title = Another area');
    expect([done.code, done.told]).toEqual([0, '']);
    expect(done.out).toContain('The study: second/study.yaml');
    expect(done.out).toContain('Draw: no-car; “Another area”, all 2 wards');
    expect(read('first/study.yaml')).toBe(before);
    expect(existsSync(join(folder, 'first/delivered'))).toBe(false);
    const study = read('second/study.yaml');
    expect(study.split('\n')[0]).toBe(
      `# Made of ../first/study.yaml by: isomeric run first --into second --set "area.units.code = ['020402', '020403']" --set "draw.no-car.title = Another area"`,
    );
    // Comments and all else stay.
    expect(study).toContain('# One CRS for everything that is prepared');
    expect((await isomeric('run', 'second', '--only', 'check')).code).toBe(0);
    expect((await isomeric(...into)).code).toBe(0);
    expect(read('second/study.yaml')).toContain('title: Households without a car');
  });

  it('refuses what would be lost or cannot be read, before anything is written', async () => {
    const cases: [string[], RegExp][] = [
      [['--set', 'area.layer = wards'], /Add “--into FOLDER”/],
      [['--into', 'third', '--set', 'area.layer'], /Write KEY\.KEY = VALUE/],
      [['--into', 'third', '--set', 'area.layer = ['], /Write KEY|quotes/],
      [['--into', 'third', '--set', 'crs.name.x = 1'], /Nothing can be set at “crs.name.x”/],
      [
        ['--into', 'third', '--set', 'area.layr = wards'],
        /third\/study\.yaml, line \d+.*Did you mean “layer”/,
      ],
      [['--into', 'first'], /the folder of the study itself/],
      [['--into', 'mine'], /There is another study in it already/],
    ];
    for (const [args, words] of cases) {
      const done = await isomeric('run', 'first', ...args);
      expect([done.code, done.told]).toEqual([2, expect.stringMatching(words) as string]);
    }
    expect(existsSync(join(folder, 'third'))).toBe(false);
  });
});

it('the data of all examples are put where the docs say', async () => {
  const { out } = await isomeric('demo', '--data', 'data');
  expect(out).toMatch(/^Data: 34 files of Teskaria, a made-up country, in data/);
  expect(readFileSync(join(folder, 'data/statistics-office/HOUSING.csv'))).toEqual(
    readFileSync(join(demo, 'statistics-office/HOUSING.csv')),
  );
});
