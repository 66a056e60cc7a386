import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { command, commandIn } from '../support/command.ts';

const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
const wards = join(data, 'boundary-office/wards-2024.geojson');
const districts = join(data, 'boundary-office/districts-2024.geojson');
const housing = join(data, 'statistics-office/HOUSING.csv');
const population = join(data, 'statistics-office/POPULATION.csv');
const extract = join(data, 'map-extracts/teskaria-ombrey.zip');
const folder = mkdtempSync(join(tmpdir(), 'isomeric-cli-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const isomeric = commandIn(folder);

interface LookJson {
  layers: {
    name: string;
    format: string;
    geometry: string[] | null;
    count: number;
    crs: { code: string | null; name: string } | null;
    extent: number[] | null;
    fields: { name: string; type: string }[];
    troubles: { code: string }[];
  }[];
}

describe('look', () => {
  it('lists the layers of an archive as data', async () => {
    const { code, out } = await isomeric('look', extract, '--json');
    expect(code).toBe(0);
    const { layers } = JSON.parse(out) as LookJson;
    expect(layers.map((layer) => [layer.name, layer.format, layer.geometry, layer.count])).toEqual([
      ['roads', 'shapefile', ['LineString'], 161],
      ['waterways', 'shapefile', ['LineString'], 3],
      ['buildings', 'shapefile', ['Polygon', 'MultiPolygon'], 5686],
      ['refuge_halls', 'shapefile', ['Point'], 10],
      ['footbridges', 'shapefile', ['Point'], 13],
    ]);
    expect(layers[4].crs).toBeNull();
    expect(layers[4].troubles.map((trouble) => trouble.code)).toContain('crs-missing');
    expect(layers[0].fields).toMatchObject([
      { name: 'ID', type: 'integer' },
      { name: 'CLASS', type: 'text' },
      { name: 'NAME', type: 'text' },
    ]);
    expect(layers[0].extent).toHaveLength(4);
  });

  it('looks into one path of an archive and at a folder', async () => {
    const one = JSON.parse(
      (await isomeric('look', `${extract}/teskaria-ombrey/roads.shp`, '--json')).out,
    ) as LookJson;
    expect(one.layers.map((layer) => layer.name)).toEqual(['roads']);
    const all = JSON.parse((await isomeric('look', join(data, 'statistics-office'), '--json')).out) as {
      layers: { name: string; describes: boolean }[];
    };
    const names = (describes: boolean) =>
      all.layers.filter((layer) => layer.describes === describes).map((layer) => layer.name);
    expect(names(false).sort()).toEqual([
      'HOUSING',
      'M24',
      'POPULATION',
      'POPULATION-2019',
      'RESIDENTS',
      'catalogue',
    ]);
    expect(names(true).sort()).toEqual(['Columns', 'Tables']);
  });

  it('says that degrees cannot be so large', async () => {
    const path = join(folder, 'metres.geojson');
    writeFileSync(path, '{"type":"Point","coordinates":[500000,4100000]}');
    const { layers } = JSON.parse((await isomeric('look', path, '--json')).out) as LookJson;
    expect(layers[0].troubles.map((trouble) => trouble.code)).toEqual(['extent-no-degrees']);
  });
});

describe('rows', () => {
  it('filters, chooses, sorts and limits', async () => {
    const { out } = await isomeric(
      'rows',
      housing,
      '--where',
      'households > 1000',
      '--columns',
      'area_code, households',
      '--sort',
      'households',
      '--descending',
      '--limit',
      '3',
      '--json',
    );
    const { rows, count } = JSON.parse(out) as {
      rows: { area_code: string; households: number }[];
      count: number;
    };
    const expected = readFileSync(housing, 'utf8')
      .trim()
      .split('\n')
      .slice(1)
      .map((line) => line.split(','))
      .map((cells) => ({ area_code: cells[0], households: Number(cells[2]) }))
      .filter((row) => row.households > 1000);
    expect(count).toBe(expected.length);
    expect(rows).toEqual(expected.sort((a, b) => b.households - a.households).slice(0, 3));
  });

  it('keeps codes with their zeros in the table it prints', async () => {
    expect((await isomeric('rows', housing, '--limit', '1')).out).toMatch(
      /^area_code +area_name.*\n030301 +Grebrey +665/,
    );
  });
});

describe('verbs', () => {
  it('clips with the account in plain words and as data', async () => {
    const out = join(folder, 'clipped.gpkg');
    const run = await isomeric(
      'clip',
      wards,
      '--area',
      districts,
      '--area-where',
      "code = 'T204'",
      '--out',
      out,
    );
    expect(run.out).toContain('Clip: 296 wards in; 18 kept whole, 0 cut, 278 outside.');
    expect(
      execFileSync('/usr/bin/sqlite3', [
        out,
        "select count(*), min(district), max(district) from wards; select rtreecheck('rtree_wards_geom')",
      ]).toString(),
    ).toBe('18|T204|T204\nok\n');
    const json = JSON.parse(
      (
        await isomeric(
          'clip',
          wards,
          '--area',
          districts,
          '--area-where',
          "code = 'T204'",
          '--out',
          join(folder, 'again.gpkg'),
          '--json',
        )
      ).out,
    );
    expect(json.accounts.find((account: { verb: string }) => account.verb === 'Clip').counts).toEqual({
      in: 296,
      whole: 18,
      cut: 0,
      dropped: 0,
      outside: 278,
      withoutGeometry: 0,
      unusable: 0,
    });
  });

  it('brings an area in another CRS to the layer and says so', async () => {
    const out = join(folder, 'roads.gpkg');
    const run = await isomeric(
      'clip',
      extract,
      '--layer',
      'roads',
      '--from',
      join(data, 'teskaria-grid.wkt'),
      '--area',
      districts,
      '--area-where',
      "code IN ('T204','T205')",
      '--out',
      out,
    );
    expect(run.out).toContain('The area was brought from EPSG:4326 (WGS 84) to Teskaria National Grid');
    expect(run.out).toContain('Clip: 161 roads in; 51 kept whole, 25 cut, 85 outside.');
  });

  it('joins with the repair when asked', async () => {
    const out = join(folder, 'joined.geojson');
    const run = await isomeric(
      'join',
      wards,
      population,
      '--on',
      'code = ward',
      '--repair',
      'leading zeros',
      '--columns',
      'persons',
      '--out',
      out,
    );
    expect(run.out).toContain('Join: 296 wards in; 296 matched on code = ward');
    const first = JSON.parse(readFileSync(out, 'utf8')).features[0].properties;
    expect(first).toMatchObject({ code: '030301', persons: 1639 });
  });

  it('reprojects to a GeoPackage in the CRS asked for', async () => {
    const out = join(folder, 'utm.gpkg');
    const run = await isomeric('reproject', wards, '--crs', 'EPSG:32626', '--out', out);
    expect(run.code).toBe(0);
    expect(
      execFileSync('/usr/bin/sqlite3', [
        out,
        'select srs_id from gpkg_geometry_columns; select min_x > 100000 and max_y < 5200000 from gpkg_contents',
      ]).toString(),
    ).toBe('32626\n1\n');
  });

  it('checks, and ends with 1 when something is wrong', async () => {
    const bad = await isomeric('check', extract, '--layer', 'buildings', '--key', 'ID');
    expect(bad.code).toBe(1);
    expect(bad.out).toMatch(
      /error +buildings, feature 1493, at 2172\d\d\.\d+, 906\d\d\.\d+: The geometry is invalid: a ring crosses itself\./,
    );
    expect(bad.out).toContain('Valid: 5,686 buildings; 5,684 valid, 2 not.');
    expect((await isomeric('check', extract, '--layer', 'buildings', '--fail-at', 'never')).code).toBe(0);
    expect(
      (await isomeric('check', districts, '--key', 'code', '--that', "vintage = 2024 AND code LIKE 'T%'"))
        .code,
    ).toBe(0);
    expect((await isomeric('check', housing, '--key', 'area_code')).code).toBe(1);
  });
});

describe('new and run', () => {
  // What it prints is held against docs/demo.md.
  it('runs the whole demo in one command', async () => {
    const study = join(folder, 'demo');
    const { code, out, told } = await isomeric('demo', study, '--json');
    expect([code, told]).toEqual([0, '']);
    expect((JSON.parse(out) as { delivered: string[] }).delivered).toContain('delivered/maps/no-car.png');
    expect(existsSync(join(study, 'delivered/report.html'))).toBe(true);
  });
});

describe('mistakes and exit codes', () => {
  const cases: [string, string[], number, RegExp][] = [
    ['an unknown command', ['lok', 'x'], 2, /There is no command “lok”. Did you mean “look”\?/],
    [
      'a command under another name',
      ['convert', 'x'],
      2,
      /no command “convert”. It is done by “isomeric save”/,
    ],
    ['a part of a study as a command', ['maps'], 2, /“isomeric run FOLDER” makes them all/],
    ['a command that is near to none', ['mpqa'], 2, /no command “mpqa”. “isomeric help” lists/],
    [
      'an option misspelt',
      ['clip', wards, '--aria', districts],
      2,
      /has no option --aria. Did you mean --area\?/,
    ],
    ['an option of another command', ['look', wards, '--zigzag'], 2, /has no option --zigzag. It has: --/],
    [
      'a code without quotes',
      ['rows', wards, '--where', 'code = 020408'],
      2,
      /Codes are text: write '020408' in single quotes/,
    ],
    [
      'a text without quotes',
      ['rows', wards, '--where', 'district = TX'],
      2,
      /A text stands in single quotes: 'TX'/,
    ],
    [
      'a study of another name',
      ['run', wards],
      2,
      /A study is a folder with a study.yaml.*call it study.yaml/,
    ],
    ['no such file', ['look', 'nothing.shp'], 3, /^Stopped: nothing\.shp: There is no such file or folder/],
    [
      'a wrong column name',
      ['rows', housing, '--where', 'househols > 1'],
      2,
      /no field “househols”[\s\S]*Did you mean “households”/,
    ],
    ['a limit that is no number', ['variables', housing, '--limit', 'some'], 2, /--limit some is no number/],
    [
      'a wrong CRS',
      ['reproject', wards, '--crs', 'EPSG:999999', '--out', 'x.gpkg'],
      2,
      /“EPSG:999999” names no CRS/,
    ],
    [
      'an ending that is not written',
      ['clip', wards, '--area', districts, '--out', 'x.abc'],
      2,
      /No format is written to files that end in “\.abc”/,
    ],
    [
      'no known datum shift',
      ['reproject', extract, '--layer', 'roads', '--crs', 'EPSG:32626', '--out', 'x.gpkg'],
      3,
      /No datum shift is known for GCS_Teskaria_1931/,
    ],
    [
      'no CRS',
      ['reproject', extract, '--layer', 'footbridges', '--crs', 'EPSG:32626', '--out', 'x.gpkg'],
      3,
      /footbridges has no CRS/,
    ],
    ['several layers', ['rows', extract], 2, /There are 5 layers in it: roads, waterways/],
    ['a wrong layer', ['rows', extract, '--layer', 'road'], 2, /no layer “road”.*Did you mean “roads”/],
    [
      'a missing option',
      ['clip', wards, '--out', 'x.gpkg'],
      2,
      /“isomeric clip” needs --area <area>: the area: a layer/,
    ],
    [
      'a table where a layer must be',
      ['reproject', housing, '--crs', 'EPSG:32626', '--out', 'x.gpkg'],
      2,
      /is a table without geometry/,
    ],
    ['a wrong severity', ['check', wards, '--fail-at', 'eror'], 2, /Did you mean “error”/],
  ];
  it.each(cases)('%s', async (_, args, code, words) => {
    const run = await isomeric(...args);
    expect(run.told).toMatch(words);
    expect(run.code).toBe(code);
    expect(existsSync(join(folder, 'x.gpkg'))).toBe(false);
  });

  it('a damaged file gives one sentence with the place, code 3, and as data when asked', async () => {
    const path = join(folder, 'cut.geojson');
    writeFileSync(path, readFileSync(wards).subarray(0, 100_000));
    const plain = await isomeric('clip', path, '--area', districts, '--out', join(folder, 'never.gpkg'));
    expect(plain.code).toBe(3);
    expect(plain.told).toMatch(/^Stopped: .*cut\.geojson, byte \d+: The JSON ends in the middle/);
    expect(readdirSync(folder).filter((name) => name.startsWith('never'))).toEqual([]);
    const json = await isomeric('look', path, '--json');
    expect(JSON.parse(json.told).error).toMatchObject({ code: 'json-syntax', place: { file: path } });
  });

  it('a damaged archive too', async () => {
    const path = join(folder, 'cut.zip');
    writeFileSync(path, readFileSync(extract).subarray(0, 200_000));
    const run = await isomeric('look', path);
    expect(run).toMatchObject({ code: 3 });
    expect(run.told).toMatch(/archive is damaged/);
  });

  it('colours are off when asked', () => {
    const done = spawnSync(process.execPath, [command, 'look', housing, '--no-colour'], {
      encoding: 'utf8',
      env: { ...process.env, FORCE_COLOR: '1', NO_COLOR: undefined },
    });
    expect(done.stdout).not.toContain('\u001b[');
  });
});

describe('interruption', () => {
  it('ends with 130 and keeps nothing half-written', async () => {
    const path = join(folder, 'many.geojson');
    const square = (k: number) => {
      const x = -30 + (k % 1000) / 1e4;
      const y = 45.5 + k / 1e7;
      return `{"type":"Feature","properties":{"k":${k}},"geometry":{"type":"Polygon","coordinates":[[[${x},${y}],[${x + 1e-4},${y}],[${x + 1e-4},${y + 1e-4}],[${x},${y}]]]}}`;
    };
    writeFileSync(
      path,
      `{"type":"FeatureCollection","features":[${Array.from({ length: 250_000 }, (_, k) => square(k)).join(',')}]}`,
    );
    const out = join(folder, 'interrupted.gpkg');
    const child = spawn(process.execPath, [command, 'reproject', path, '--crs', 'EPSG:32626', '--out', out], {
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    const parts = () => readdirSync(folder).filter((name) => name.startsWith('interrupted'));
    await expect.poll(parts, { timeout: 20_000, interval: 20 }).not.toEqual([]);
    child.kill('SIGINT');
    const code = await new Promise((resolve) => child.on('exit', resolve));
    expect(code).toBe(130);
    expect(parts()).toEqual([]);
  });
});

describe('save', () => {
  const look = async (path: string) =>
    (JSON.parse((await isomeric('look', path, '--json')).out) as LookJson).layers;

  it('writes every format that it names, each read again as what it is', async () => {
    const { told } = await isomeric('save', districts, '--out', 'x.nothing');
    const endings = [...told.matchAll(/\.([a-z]+)(?=,)/g)].map((found) => found[1]);
    expect(endings.length).toBeGreaterThan(15);
    // Two endings that mean the same file format need not both be tried; GPX has no areas.
    for (const end of ['json', 'ndjson', 'jsonl', 'geoparquet', 'gpx'])
      endings.splice(endings.indexOf(end), 1);
    for (const end of endings) {
      const saved = await isomeric('save', districts, '--out', join('formats', end, `districts.${end}`));
      expect(saved.told).toBe('');
      expect(saved.code).toBe(0);
      expect(saved.out).toMatch(/^Write: 15 (rows of )?districts written to /);
    }
    const layers = await look('formats');
    expect(layers.length).toBe(endings.length);
    expect(layers.every((layer) => layer.count === 15)).toBe(true);
    expect(new Set(layers.map((layer) => layer.format)).size).toBe(11);
  });

  it('several files become the layers of one GeoPackage; layers are added and replaced', async () => {
    const first = await isomeric('save', districts, extract, housing, '--out', 'all.gpkg');
    expect(first.code).toBe(0);
    expect(first.out).toContain('Write: 161 roads written to the GeoPackage');
    // What was said of the sources is said again: one extract has no CRS.
    expect(first.out).toContain('footbridges.shp: there is no .prj beside it');
    expect((await look('all.gpkg')).map((layer) => layer.name)).toEqual([
      'districts',
      'roads',
      'waterways',
      'buildings',
      'refuge_halls',
      'footbridges',
      'HOUSING',
    ]);
    const refused = await isomeric('save', wards, '--out', 'all.gpkg', '--add', '--as', 'geopackage');
    expect(refused.code).toBe(0);
    const twice = await isomeric('save', wards, '--out', 'all.gpkg', '--add');
    expect(twice.code).toBe(2);
    expect(twice.told).toContain('There is a layer wards in the GeoPackage already. Say --replace');
    expect(
      (await isomeric('save', wards, '--out', 'all.gpkg', '--replace', '--where', "district = 'T204'")).code,
    ).toBe(0);
    const layer = (await look('all.gpkg')).find(({ name }) => name === 'wards')!;
    expect(layer.count).toBeLessThan(296);
  });

  it('chooses rows, columns, a CRS and a format, and accounts for each', async () => {
    const done = await isomeric(
      'save',
      wards,
      '--out',
      'some.dat',
      '--as',
      'flatgeobuf',
      '--where',
      "district = 'T204'",
      '--columns',
      'code, ward = name',
      '--crs',
      'EPSG:32626',
    );
    expect(done.told).toBe('');
    expect(
      done.out
        .split('\n')
        .filter((line) => /^\w+: /.test(line))
        .map((line) => line.split(':')[0]),
    ).toEqual(['Filter', 'Select', 'Reproject', 'Write']);
    const [layer] = await look('some.dat');
    expect(layer).toMatchObject({ format: 'flatgeobuf', crs: { code: 'EPSG:32626' } });
    expect(layer.fields.map((field) => field.name)).toEqual(['code', 'ward']);
  });

  it('tells mistakes before anything is written', async () => {
    for (const [args, words] of [
      [[wards, '--out', 'x.gpkg', '--as', 'klingon'], 'There is no format “klingon” to write.'],
      [[districts, wards, '--out', 'x.shp'], 'Shapefile holds one layer, and there are 2: districts, wards.'],
      [[housing, '--out', 'x.fgb'], 'HOUSING has no geometry'],
      [[wards, '--out', folder], 'No format is written'],
      [[wards, '--out', 'x.gpkg', '--layer', 'wads'], 'There is no layer “wads”'],
      [[wards, '--out', 'x.gpkg', '--columns', 'nam'], 'There is no field “nam”'],
      [[wards, '--out', 'x.geojson', '--add'], 'Nothing can be added to a GeoJSON file.'],
    ] as const) {
      const done = await isomeric('save', ...args);
      expect([done.code, done.told.includes(words), done.told]).toEqual([2, true, done.told]);
    }
    expect(existsSync(join(folder, 'x.gpkg'))).toBe(false);
    expect(readdirSync(folder).filter((name) => name.includes('part-'))).toEqual([]);
  });

  it('reads texts in the encoding that is asked for', async () => {
    writeFileSync(join(folder, 'old.csv'), Buffer.from('name,n\nGr\x82brey,1\n', 'latin1'));
    expect((await isomeric('rows', 'old.csv', '--encoding', 'cp850')).out).toContain('Grébrey');
    expect((await isomeric('look', 'old.csv', '--encoding', 'cp850')).out).toContain('Grébrey');
    expect((await isomeric('look', 'old.csv', '--encoding', 'cp-nothing')).code).toBe(2);
  });
});
