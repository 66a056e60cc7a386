import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import type { Layer } from '../../src/core/index.ts';
import { nodeMachine, openPath } from '../../src/node/index.ts';
import { type Reporter, runStudy, silentReporter } from '../../src/study/index.ts';

const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
let folder: string;
let said: string[];

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-steps-'));
  said = [];
  const copy = (from: string, to: string) => writeFileSync(join(folder, to), readFileSync(join(data, from)));
  copy('boundary-office/wards-2024.geojson', 'wards.geojson');
  copy('boundary-office/districts-2024.geojson', 'districts.geojson');
  copy('statistics-office/HOUSING.csv', 'housing.csv');
  copy('map-extracts/teskaria-ombrey.zip', 'extract.zip');
  copy('teskaria-grid.wkt', 'grid.wkt');
  copy('map-extracts/ombrey.osm.pbf', 'ombrey.osm.pbf');
  writeFileSync(
    join(folder, 'own.yaml'),
    `scheme: Own
classes:
  marks:
    geometry: [point]
    columns: { height: metres }
    rules:
      - { name: mark, where: flood_mark = 'yes' }
`,
  );
  writeFileSync(
    join(folder, 'two.yaml'),
    `scheme: Two geometries
classes:
  nature:
    geometry: [point, area]
    rules:
      - { name: any, where: place IS NOT NULL OR natural IS NOT NULL }
`,
  );
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** Runs a study of local files; the parts that a test does not give are the plainest there are. */
async function run(parts: {
  area?: string;
  crs?: string;
  gather?: string;
  prepare: string;
  check?: string;
  draw?: string;
}) {
  const text = `study: Steps
area: ${parts.area ?? '{ units: { of: districts, code: T204 } }'}
crs: ${parts.crs ?? 'grid.wkt'}
gather:
  districts: { file: districts.geojson }
  wards: { file: wards.geojson }
  housing: { file: housing.csv }
  roads: { file: extract.zip, layer: roads }
${parts.gather ?? ''}
prepare:
${parts.prepare}
${parts.check ?? ''}
${parts.draw ?? ''}
`;
  writeFileSync(join(folder, 'study.yaml'), text);
  const reporter: Reporter = {
    ...silentReporter,
    say: (words) => said.push(words),
    note: (words) => said.push(words),
  };
  const result = await runStudy(nodeMachine(folder, reporter));
  const layers = new Map(
    (await openPath(join(folder, result.delivered[0]))).map(({ table }) => [table.name, table]),
  );
  return { ...result, layers };
}

async function values(
  layer: { schema: Layer['schema']; batches: Layer['batches'] },
  field: string,
): Promise<unknown[]> {
  const c = layer.schema.findIndex((each) => each.name === field);
  const all: unknown[] = [];
  for await (const batch of layer.batches())
    for (let i = 0; i < batch.length; i++) all.push(batch.columns[c].value(i));
  return all;
}

const areaTold = () => said.find((words) => words.startsWith('Area:'));

describe('the CRS of a study', () => {
  it('is the best for its area when asked, with the reason; equal-area where densities are wanted', async () => {
    const { layers } = await run({ crs: 'best for densities', prepare: '  wards: [clip: area]' });
    expect(areaTold()).toMatch(
      /^Area: 1 unit of districts .* CRS: .* chosen as the best for densities: .*areas equal everywhere/,
    );
    expect(layers.get('wards')).toMatchObject({
      crs: { name: expect.stringMatching(/equal-area at/) as string },
    });
    said.length = 0;
    await run({ crs: 'best', prepare: '  wards: [clip: area]' });
    expect(areaTold()).toMatch(/CRS: EPSG:32626 .* chosen as the best for mapping/);
  });

  it('must keep areas where figures per area are drawn: chosen so, or told', async () => {
    const parts = {
      prepare: '  wards: [{ join: housing, on: code = area_code, many: last }, clip: area]',
      draw: 'titles:\n  households: { title: Households, unit: per km² }\ndraw:\n  dense: { title: Dense, layer: wards, colour by: households }',
    };
    await run({ ...parts, crs: 'best' });
    expect(areaTold()).toMatch(/best for densities.*Figures per area are drawn/);
    const { findings } = await run({ ...parts, crs: 'EPSG:3857' });
    // Over the flats alone even the map of the web is nearly even.
    expect(findings.map(({ code }) => code)).not.toContain('crs-not-equal-area');
    const whole = await run({ ...parts, crs: 'EPSG:3857', area: '{ layer: districts }' });
    expect(whole.findings.map(({ code }) => code)).toContain('crs-not-equal-area');
  });

  it('is reached over a grid of shifts that the study names; a file that is none is told', async () => {
    writeFileSync(join(folder, 'bad.gsb'), 'no grid');
    await expect(
      run({ gather: 'datum grids: [bad.gsb]', prepare: '  wards: [clip: area]' }),
    ).rejects.toMatchObject({
      code: 'grid-damaged',
    });
    await expect(
      run({ gather: 'datum grids: [none.gsb]', prepare: '  wards: [clip: area]' }),
    ).rejects.toMatchObject({
      code: 'file-missing',
    });
  });
});

describe('areas', () => {
  it('a box in degrees', async () => {
    const { layers } = await run({
      area: '{ box: { west: -30.1, south: 45.5, east: -29.9, north: 45.7 } }',
      prepare: '  wards: [clip: area]',
    });
    expect(areaTold()).toMatch(/^Area: the box -30\.1, 45\.5, -29\.9, 45\.7/);
    const wards = layers.get('wards')!;
    expect(wards.count).toBeGreaterThan(10);
    expect(said.find((line) => line.startsWith('Clip:'))).toMatch(/cut, \d+ outside/);
  });

  it('all areas of a layer', async () => {
    const { layers } = await run({ area: '{ layer: districts }', prepare: '  wards: [clip: area]' });
    expect(layers.get('wards')!.count).toBe(296);
  });

  it('one unit, with the code as a plain value', async () => {
    const { layers } = await run({ prepare: '  wards: [clip: area]' });
    expect(new Set(await values(layers.get('wards')!, 'district'))).toEqual(new Set(['T204']));
  });
});

describe('steps', () => {
  it('where, compute, select and keep whole, in order', async () => {
    const { layers } = await run({
      prepare: `  wards:
    - where: district = 'T204' AND code <> '020401'
    - join: housing
      on: code = area_code
      many: last
    - compute: { share: 100 * households_no_car / households, big: share > 30 }
    - where: big
    - select: [code, share, big]
  roads:
    - clip: area
      keep: whole`,
    });
    const wards = layers.get('wards')!;
    expect(wards.schema.map((field) => [field.name, field.type])).toEqual([
      ['fid', 'integer'],
      ['code', 'text'],
      ['share', 'real'],
      ['big', 'boolean'],
    ]);
    const shares = (await values(wards, 'share')) as number[];
    expect(shares.length).toBeGreaterThan(0);
    expect(Math.min(...shares)).toBeGreaterThan(30);
    expect(await values(wards, 'code')).not.toContain('020401');
    expect(said.find((line) => line.includes('kept whole across the border'))).toBeDefined();
  });

  it('a filter at the source and a CRS that the study gives', async () => {
    const { layers } = await run({
      gather:
        "  main: { file: extract.zip, layer: roads, where: CLASS = 'main' }\n  bridges: { file: extract.zip, layer: footbridges, crs: grid.wkt }",
      prepare: '  main: []\n  bridges:',
    });
    expect(new Set(await values(layers.get('main')!, 'CLASS'))).toEqual(new Set(['main']));
    expect(layers.get('bridges')!.count).toBe(13);
    expect((layers.get('bridges') as Layer).crs?.name).toBe('Teskaria National Grid');
  });

  it('several tables in one go, leftovers, place, grid and classes', async () => {
    writeFileSync(join(folder, 'more.csv'), 'area_code,extra\n020401,5\n020402,6\n999,7\n');
    writeFileSync(join(folder, 'depth.tif'), readFileSync(join(data, 'map-extracts/flood-depth.tif')));
    const { layers } = await run({
      gather:
        '  more: { file: more.csv }\n  over: { same as: more }\n  counted: { same as: wards }\n  halls: { file: extract.zip, layer: refuge_halls }\n  depth: { file: depth.tif, crs: grid.wkt }',
      prepare: `  wards:
    - clip: area
    - join: [housing, more]
      on: code = area_code
      many: last
      columns: [homes = households, extra]
      at least: 0
    - summarise: [depth]
      figures: [mean, above 100]
      cells by: centre
      as: depth
    - classify:
        deep: depth_mean >= 100
        shallow: depth_mean < 100
      as: water
      otherwise: dry
  counted:
    - clip: area
    - tally: halls
      compute: { places: sum(PLACES) }
  over:
    - join: wards
      on: area_code = code
      give: features without a row
  halls:
    - within: wards
      columns: [ward = name, water]
      unmatched: drop`,
    });
    const wards = layers.get('wards')!;
    expect(wards.schema.map((field) => field.name)).toEqual(
      expect.arrayContaining(['homes', 'extra', 'depth_mean', 'depth_above_100', 'water']),
    );
    expect((await values(wards, 'extra')).filter((value) => value !== null)).toEqual([5, 6]);
    const depths = (await values(wards, 'depth_mean')) as (number | null)[];
    expect(await values(wards, 'water')).toEqual(
      depths.map((depth) => (depth === null ? 'dry' : depth >= 100 ? 'deep' : 'shallow')),
    );
    const halls = layers.get('halls')!;
    const counts = (await values(layers.get('counted')!, 'halls_count')) as number[];
    expect(counts.reduce((a, b) => a + b)).toBe(halls.count);
    expect(new Set(await values(halls, 'ward')).size).toBe(counts.filter((count) => count > 0).length);
    expect(await values(layers.get('over')!, 'area_code')).toEqual(['999']);
  });

  it('a join that meets too little stops the study at its step', async () => {
    await expect(
      run({ prepare: '  wards:\n    - join: housing\n      on: name = area_code' }),
    ).rejects.toMatchObject({ code: 'join-nothing-matched', place: { layer: 'wards, step 1' } });
    for (const [words, code] of [
      ['on: code == area_code', 'join-on-syntax'],
      ['on: code = area_code\n      repair: zeros', 'repair-unknown'],
      ['on: code = area_code\n      many: median', 'join-many-unknown'],
    ])
      await expect(run({ prepare: `  wards:\n    - join: housing\n      ${words}` })).rejects.toMatchObject({
        code,
      });
  });

  it('a table is prepared and delivered as a table', async () => {
    const { layers } = await run({
      prepare: '  housing:\n    - where: households > 1000\n  wards: [clip: area]',
    });
    expect(layers.get('housing')!.count).toBe(26);
    expect('crs' in layers.get('housing')!).toBe(false);
  });

  it('a layer in another CRS of a code is brought along', async () => {
    const { layers } = await run({ crs: 'EPSG:32626', prepare: '  wards: [clip: area]' });
    expect((layers.get('wards') as Layer).crs?.code).toBe('EPSG:32626');
  });
});

describe('mistakes that only the data can tell', () => {
  const mistakes: [string, Parameters<typeof run>[0], string, RegExp?][] = [
    [
      'a layer without a CRS',
      { gather: '  bridges: { file: extract.zip, layer: footbridges }', prepare: '  bridges: [clip: area]' },
      'crs-missing',
      /never assumed/,
    ],
    [
      'a layer whose datum shift is not known',
      { crs: 'EPSG:32626', prepare: '  roads: [clip: area]' },
      'datum-shift-unknown',
    ],
    [
      'a field that is not there',
      { prepare: "  wards:\n    - where: distrikt = 'T204'" },
      'field-unknown',
      /distrikt/,
    ],
    [
      'a join on a wrong field',
      { prepare: '  wards:\n    - join: housing\n      on: code = code' },
      'field-unknown',
    ],
    ['a clip of a table', { prepare: '  housing: [clip: area]' }, 'geometry-missing'],
    [
      'a map of a text field',
      { prepare: '  wards: [clip: area]', draw: 'draw:\n  m: { title: M, layer: wards, colour by: name }' },
      'field-not-number',
    ],
    [
      'a map of an unknown field',
      { prepare: '  wards: [clip: area]', draw: 'draw:\n  m: { title: M, layer: wards, colour by: share }' },
      'field-unknown',
    ],
    [
      'a wrong way of classes',
      {
        prepare: '  wards: [clip: area]',
        draw: 'draw:\n  m: { title: M, layer: wards, colour by: vintage, classes: 5 jumps }',
      },
      'class-method',
    ],
    [
      'a check of an unknown field',
      { prepare: '  wards: [clip: area]', check: 'check:\n  wards: ["key: cod"]' },
      'field-unknown',
    ],
    [
      'a file that is not there',
      { gather: '  more: { file: more.geojson }', prepare: '  more: []' },
      'file-missing',
    ],
    [
      'a file outside the folder',
      { gather: '  more: { file: ../more.geojson }', prepare: '  more: []' },
      'path-outside',
    ],
    [
      'an archive with several layers',
      { gather: '  more: { file: extract.zip }', prepare: '  more: []' },
      'layer-unclear',
    ],
    ['a CRS file that is damaged', { crs: 'housing.csv', prepare: '  wards: []' }, 'crs-unknown'],
  ];
  it.each(mistakes)('%s', async (_, parts, code, words) => {
    await expect(run(parts)).rejects.toMatchObject({
      code,
      ...(words === undefined ? {} : { message: expect.stringMatching(words) as string }),
    });
  });

  it('a count on a map is drawn, and warned of', async () => {
    const { findings, delivered } = await run({
      prepare:
        '  wards:\n    - clip: area\n    - join: housing\n      on: code = area_code\n      many: last',
      draw: 'draw:\n  m: { title: M, layer: wards, colour by: households, classes: "100, 500, 1000, 3000", colours: night, over: [wards] }',
    });
    expect(delivered).toContain('delivered/maps/m.svg');
    expect(findings.find((finding) => finding.code === 'count-mapped')).toMatchObject({
      severity: 'warning',
    });
  });
});

describe('tables in a study', () => {
  beforeEach(() => {
    const copy = (from: string, to: string) =>
      writeFileSync(join(folder, to), readFileSync(join(data, from)));
    copy('statistics-office/MOBILITY-2024.zip', 'mobility.zip');
    copy('statistics-office/RESIDENTS.csv', 'residents.csv');
    copy('statistics-office/POPULATION.csv', 'population.csv');
  });

  it('are cut to units, grouped, widened and lengthened; the study settles totals, levels and marks', async () => {
    const { layers, findings } = await run({
      gather: `  residents: { file: residents.csv, rows: without totals }
  population: { file: population.csv, marks: { "999999": no ward } }
  mobility:
    file: mobility.zip
    layer: M24
    level: 6 digits
    marks: { "*": fewer than 14 }
    variables: [walkers = cannot walk, adults = residents aged 16 and over]
`,
      prepare: `  residents:
    - widen: { by: [SEX, AGE], value: OBS_VALUE, rows: [REF_AREA] }
    - units: wards
      on: REF_AREA = code
  housing:
    - group: { by: [], compute: { wards: count(), households: sum(households) } }
  population:
    - lengthen: { columns: [persons, persons_65_plus], name: group, value: n }
    - units: wards
      on: ward = code
      repair: leading zeros
  mobility:
    - units: wards
      on: AREA_ID = code
      repair: long identifiers
    - compute: { share: "share(walkers, adults)" }
`,
      check: 'check: { mobility: ["sure: share"] }\nmargins: { confidence: 95, unsure above: 30 }\n',
    });
    const names = (layer: string) => layers.get(layer)!.schema.map((field) => field.name);
    expect(names('residents').slice(0, 4)).toEqual([
      'fid',
      'REF_AREA',
      'women_0_to_15_years',
      'women_0_to_15_years_reason',
    ]);
    expect(said).toContain(
      'Units: 37 residents in; 37 of the 296 wards, 0 of other units, 259 of the wards without a row.',
    );
    expect(said).toContain('Group: 296 housing in; 1 group.');
    expect(said).toContain('Lengthen: 297 population in; 594 rows out: one for each of 2 columns.');
    expect(said.find((line) => line.startsWith('Units: 296 mobility in'))).toMatch(/296 of the 296 wards/);
    expect(names('mobility')).toEqual(
      expect.arrayContaining(['walkers', 'walkers_reason', 'walkers_margin', 'share', 'share_margin']),
    );
    let few = 0;
    const table = layers.get('mobility')!;
    const c = names('mobility').indexOf('walkers_reason');
    for await (const batch of table.batches())
      for (let i = 0; i < batch.length; i++) if (batch.columns[c].text(i) === 'fewer than 14') few++;
    expect(few).toBeGreaterThan(0);
    expect(said.find((line) => line.startsWith('Check: Sure share'))).toMatch(/up to 30 %/);
    const codes = new Set(findings.map((finding) => finding.code));
    expect(codes.has('estimate-unsure')).toBe(true);
    // What the study has settled is no finding any more.
    for (const settled of ['levels-several', 'dimension-total']) expect(codes.has(settled)).toBe(false);
  });

  it('what the study does not settle is found', async () => {
    const { findings } = await run({
      gather: '  population: { file: population.csv }\n  mobility: { file: mobility.zip, layer: M24 }\n',
      prepare: '  population: []\n  mobility: []\n',
    });
    const codes = findings.map((finding) => finding.code);
    expect(codes.filter((code) => code === 'row-total')).toHaveLength(2);
    expect(codes).toEqual(
      expect.arrayContaining([
        'levels-several',
        'header-two-rows',
        'titles-above',
        'notes-below',
        'fields-described',
      ]),
    );
  });
});

describe('map features', () => {
  it('classes of an extract are taken apart once, counted by ward, made points', async () => {
    const { layers, findings } = await run({
      gather: `  streets: { file: ombrey.osm.pbf, class: roads, tags: [junction] }
  houses: { file: ombrey.osm.pbf, class: buildings }
  halls: { file: ombrey.osm.pbf, class: places, where: subclass = 'refuge' }
  marks: { file: ombrey.osm.pbf, scheme: own.yaml, class: marks }
`,
      prepare: `  wards:
    - clip: area
    - tally: streets
      as: lanes
    - compute: { per_km2: density(lanes_km) }
  houses:
    - clip: area
    - points: inside areas
  streets: []
  halls: []
  marks: [clip: area]`,
    });
    const { kinds } = layers.get('houses')! as Layer;
    expect(kinds).toEqual(['Point']);
    expect((await values(layers.get('halls')!, 'subclass')).every((each) => each === 'refuge')).toBe(true);
    expect(await values(layers.get('streets')!, 'junction')).toContain('roundabout');
    expect((await values(layers.get('marks')!, 'height')).every((each) => typeof each === 'number')).toBe(
      true,
    );
    const km = (await values(layers.get('wards')!, 'lanes_km')) as number[];
    expect(Math.min(...km)).toBeGreaterThan(5);
    expect(layers.get('wards')!.schema.find((field) => field.name === 'lanes_km')).toMatchObject({
      title: 'Lanes, length (km)',
    });
    // Two schemes, two readings; not one for each dataset.
    expect(said.filter((line) => line.startsWith('Take apart:'))).toHaveLength(2);
    expect(said.find((line) => line.startsWith('Tally:'))).toMatch(
      /^Tally: 18 wards in; \d+ streets inside one of them/,
    );
    expect(findings.map(({ code }) => code)).toContain('way-incomplete');
  });

  it('what cannot be is told: several geometries, no such class, options without a class', async () => {
    const prepare = '  wards: [clip: area]\n  own: []';
    const own = (words: string) => run({ gather: `  own: { file: ombrey.osm.pbf${words} }\n`, prepare });
    await expect(own(', class: road')).rejects.toMatchObject({ code: 'class-unknown' });
    await expect(own(', class: railways, geometry: areas')).rejects.toMatchObject({ code: 'nothing-found' });
    await expect(own(', class: nature, scheme: two.yaml')).rejects.toMatchObject({
      code: 'layer-unclear',
      advice: expect.stringContaining('geometry:'),
    });
    await expect(own(', class: roads, scheme: none.yaml')).rejects.toMatchObject({ code: 'file-missing' });
    await expect(own(', tags: [lanes]')).rejects.toMatchObject({ code: 'study-value' });
  });
});
