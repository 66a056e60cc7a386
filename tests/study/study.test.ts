import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { IsomericError } from '../../src/core/index.ts';
import { nodeMachine } from '../../src/node/index.ts';
import { Ledger, loadStudy, type RunResult, studyJsonSchema } from '../../src/study/index.ts';
import { type DemoStudy, demoEnvironment, demoFolder, demoStudy } from '../support/demo-study.ts';

const studyText = readFileSync(join(demoFolder, 'study.yaml'), 'utf8');
const sqlite = (path: string, sql: string) => execFileSync('/usr/bin/sqlite3', [path, sql]).toString().trim();

describe('the demo study', () => {
  let study: DemoStudy;
  let result: RunResult;
  let package_: string;
  beforeAll(async () => {
    study = await demoStudy(20);
    result = await study.run();
    package_ = join(study.folder, 'delivered/flood-refuges-on-the-ombrey-flats.gpkg');
  });
  afterAll(() => study.end());

  it('delivers a GeoPackage that another SQLite program opens, with all rows and sound indexes', () => {
    expect(sqlite(package_, 'pragma integrity_check')).toBe('ok');
    expect(sqlite(package_, 'pragma application_id; pragma user_version')).toBe(`${0x47504b47}\n10400`);
    for (const [layer, count] of Object.entries({
      wards: 37,
      roads: 76,
      waterways: 3,
      buildings: 3563,
      refuge_halls: 10,
      footbridges: 9,
    })) {
      expect(sqlite(package_, `select count(*) from ${layer}`)).toBe(String(count));
      expect(sqlite(package_, `select rtreecheck('rtree_${layer}_geom')`)).toBe('ok');
    }
    expect(sqlite(package_, "select title from gpkg_data_columns where column_name='no_car_share'")).toBe(
      'Households without a car (per cent of all households)',
    );
    expect(
      sqlite(
        package_,
        "select organization from gpkg_spatial_ref_sys where srs_id=(select srs_id from gpkg_geometry_columns where table_name='wards')",
      ),
    ).toBe('NONE');
  });

  it('joins right: what another program computes from the received files is what was delivered', () => {
    const housing = readFileSync(join(demoFolder, 'data/statistics-office/HOUSING.csv'), 'utf8')
      .trim()
      .split('\n')
      .slice(1)
      .map((line) => line.split(','));
    const code = sqlite(
      package_,
      'select code from wards where no_car_share is not null order by no_car_share desc limit 1',
    );
    const row = housing.find((cells) => cells[0] === code)!;
    const share = (100 * Number(row[4])) / Number(row[2]);
    expect(Number(sqlite(package_, `select no_car_share from wards where code='${code}'`))).toBeCloseTo(
      share,
      10,
    );
    const population = readFileSync(join(demoFolder, 'data/statistics-office/POPULATION.csv'), 'utf8')
      .split(/\r?\n/)
      .find((line) => line.startsWith(`${Number(code)};`))!;
    expect(sqlite(package_, `select persons from wards where code='${code}'`)).toBe(population.split(';')[1]);
  });

  it('carries figures of 2019 to the wards of today: what was one ward is shared out, all others stay', () => {
    const older = new Map(
      readFileSync(join(demoFolder, 'data/statistics-office/POPULATION-2019.csv'), 'utf8')
        .trim()
        .split('\n')
        .slice(1)
        .map((line) => [/(\d{6})/.exec(line)![1], Number(line.slice(line.lastIndexOf(',') + 1))] as const),
    );
    const today = new Map(
      sqlite(package_, 'select code, persons_2019 from wards')
        .split('\n')
        .map((line) => line.split('|') as [string, string]),
    );
    let unchanged = 0;
    for (const [code, persons] of today)
      if (older.has(code) && Math.abs(Number(persons) - older.get(code)!) < 1e-6) unchanged++;
    // Two pairs of the flats were one ward each.
    expect(unchanged).toBe(33);
    for (const [first, second] of [
      ['020401', '020402'],
      ['020501', '020502'],
    ])
      expect(Number(today.get(first)) + Number(today.get(second))).toBeCloseTo(older.get(first)!, 6);
    // The shares of each ward of 2019 sum to one.
    const shares = sqlite(package_, 'select "from", sum(share) from vintages group by "from"').split('\n');
    expect(shares.length).toBe(92);
    for (const line of shares) expect(Number(line.split('|')[1])).toBeCloseTo(1, 12);
  });

  it('finds class, depth and district of each: by look-up, by grid and by place', () => {
    expect(sqlite(package_, 'select count(*) from frequency where frequency is null')).toBe('1');
    expect(
      sqlite(
        package_,
        `select count(*) from frequency where frequency <> case when OFTEN >= 40 then 'often flooded' when OFTEN + SELDOM >= 40 then 'flooded in wet years' else 'seldom flooded' end`,
      ),
    ).toBe('0');
    // The dominant part of unit 11 of the look-up.
    expect(sqlite(package_, 'select distinct PART from frequency where UNIT = 11')).toBe('open marsh');
    const [low, high, most] = sqlite(
      package_,
      'select min(depth_mean), max(depth_mean), max(depth_greatest) from wards',
    )
      .split('|')
      .map(Number);
    expect(low).toBeGreaterThan(1);
    expect(high).toBeLessThan(most);
    expect(most).toBeLessThanOrEqual(292);
    expect(sqlite(package_, 'select count(*) from wards where depth_covered < 99')).toBe('6');
    expect(sqlite(package_, 'select group_concat(distinct district) from refuge_halls')).toBe('T204,T205');
    expect(study.said).toEqual(
      expect.arrayContaining([
        'Crosswalk: 92 vintages to wards; 90 go whole into one, 2 are split.',
        'Summarise: 37 wards in; 1 grid summed up (depth).',
        'Classify: 187 frequency in; 186 in 3 classes, 1 without a class.',
        'Within: 10 refuge_halls in; 10 inside one of the 2 flats, 0 outside of all.',
      ]),
    );
  });

  it('accounts for every step', () => {
    expect(study.said).toEqual(
      expect.arrayContaining([
        'Clip: 5,686 buildings in; 3,561 kept whole, 2 cut, 2,123 outside.',
        "Filter: 296 housing in; 295 kept where area_code <> '020410' OR area_name LIKE '%(revised)', 1 dropped.",
        'Totals: 297 population in; 296 kept, 1 total left out.',
        'Level: 312 mobility in; 296 of the level 6 digits, 16 of others.',
        'Join: 37 wards in; 36 matched on code = area_code, 1 without a row in housing, 259 keys of housing left over.',
        'Join: 37 wards in; 37 matched on code = ward, 0 without a row in population, 259 keys of population left over.',
        'Join: 37 wards in; 37 matched on code = AREA_ID, 0 without a row in mobility, 259 keys of mobility left over.',
        'Compute: 37 wards in; 36 given no_car_share = share(households_no_car, households), 1 left blank.',
        'Compute: 37 wards in; 37 given residents_per_km2 = density(persons), 0 left blank.',
        'Check: Sure cannot_walk_share: 37 wards; 27 with a coefficient of variation up to 40 %, 9 above, 1 without a value or margin.',
      ]),
    );
    const codes = result.findings.map((finding) => finding.code);
    for (const code of [
      'self-intersection',
      'spike',
      'crs-missing',
      'estimate-unsure',
      'join-incomplete',
      'ring-direction',
      'condition-unknown',
    ])
      expect(codes).toContain(code);
    // What the study has set right is no finding any more.
    for (const code of ['join-key-many', 'row-total', 'levels-several', 'join-repairable'])
      expect(codes).not.toContain(code);
  });

  it('keeps files as received, read-only, with a ledger of where they came from', async () => {
    const pages = readdirSync(join(study.folder, 'gathered/boundary-office/wards@2024'));
    expect(pages.length).toBe(15);
    expect(statSync(join(study.folder, 'gathered/statistics-office/HOUSING.csv')).mode & 0o222).toBe(0);
    expect(readFileSync(join(study.folder, 'gathered/statistics-office/HOUSING.csv'))).toEqual(
      readFileSync(join(demoFolder, 'data/statistics-office/HOUSING.csv')),
    );
    const ledger = await Ledger.load(nodeMachine(study.folder));
    const receipt = ledger.receipts.get('gathered/statistics-office/HOUSING.csv')!;
    expect(receipt.sha256).toBe(
      execFileSync('sha256sum', [join(study.folder, receipt.path)])
        .toString()
        .slice(0, 64),
    );
    expect(receipt).toMatchObject({
      what: 'statistics-office/HOUSING.csv',
      licence: 'Teskaria Open Statistics Licence 1.0',
      citation: 'Statistics Office of Teskaria (2024): Households by floor and car.',
    });
    expect(ledger.receipts.get('gathered/boundary-office/wards@2024/page-0001.geojson')).toMatchObject({
      licence: 'Teskaria Open Boundaries Licence 2.0',
      citation: 'Boundary Office of Teskaria (2024): wards.',
    });
    expect(
      ledger.steps.find((step) => step.verb === 'Clip' && step.layer === 'buildings')!.counts,
    ).toMatchObject({ in: 5686, whole: 3561, cut: 2 });
  });

  it('draws maps with readable titles, and a report that holds everything together', () => {
    const svg = readFileSync(join(study.folder, 'delivered/maps/no-car.svg'), 'utf8');
    execFileSync('/usr/bin/xmllint', ['--noout', join(study.folder, 'delivered/maps/no-car.svg')]);
    for (const text of [
      'Households without a car',
      'per cent of all households',
      'Flood refuge halls',
      'The Omber and its arms',
      'no value',
      '10 km',
      'Sources: Boundary Office of Teskaria',
    ])
      expect(svg).toContain(text);
    expect(svg).not.toMatch(/>no_car_share<|>refuge_halls</);
    const png = readFileSync(join(study.folder, 'delivered/maps/no-car.png'));
    expect([png.readUInt32BE(16), png.readUInt32BE(20)]).toEqual([2246, 1588]);
    const report = readFileSync(join(study.folder, 'delivered/report.html'), 'utf8');
    execFileSync('/usr/bin/xmllint', ['--html', '--noout', join(study.folder, 'delivered/report.html')], {
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    for (const text of [
      '37',
      'Findings',
      'Data dictionary',
      'Teskaria Open Boundaries Licence 2.0',
      'a ring crosses itself',
    ])
      expect(report).toContain(text);
    const dictionary = readFileSync(join(study.folder, 'delivered/data-dictionary.csv'), 'utf8');
    expect(dictionary).toContain(
      'wards,no_car_share,real,Households without a car,per cent of all households,',
    );
  });

  it('asks for nothing twice when nothing has changed, and for what has', async () => {
    study.requests.length = 0;
    study.said.length = 0;
    await study.run();
    expect(study.said.filter((line) => line.startsWith('Gather:'))).toHaveLength(23);
    expect(
      study.said
        .filter((line) => line.startsWith('Gather:'))
        .every((line) => /unchanged since the last run\.$|kept as received on [-\d]+\.$/.test(line)),
    ).toBe(true);
    const office = join(study.folder, 'service-data/statistics-office/HOUSING.csv');
    writeFileSync(
      office,
      readFileSync(office, 'utf8').replace('020401,"Marhaven",181', '020401,"Marhaven",200'),
    );
    study.said.length = 0;
    await study.run();
    expect(study.said.find((line) => line.startsWith('Gather: housing'))).toMatch(/received\.$/);
    expect(sqlite(package_, "select households from wards where code='020401'")).toBe('200');
  });

  it('cites on a map what came by region as well', () => {
    const svg = readFileSync(join(study.folder, 'delivered/maps/at-risk.svg'), 'utf8');
    expect(svg.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ')).toContain(
      'Ombrey and the Flats, state of 2024-06-30.',
    );
  });

  it('clears away what a run left that was killed while it wrote and read', async () => {
    const prepared = join(study.folder, 'prepared');
    mkdirSync(join(prepared, 'layers.gpkg.lock'));
    writeFileSync(join(prepared, 'layers.gpkg.part-999999999'), 'half');
    mkdirSync(join(study.folder, 'mine.gpkg.lock'));
    writeFileSync(join(study.folder, 'mine.gpkg.lock/kept.txt'), 'not ours');
    await study.run({ only: 'check' });
    expect(readdirSync(prepared).filter((name) => /lock|part/.test(name))).toEqual([]);
    expect(existsSync(join(study.folder, 'mine.gpkg.lock/kept.txt'))).toBe(true);
  });

  it('runs one stage alone on what the ones before left', async () => {
    study.moods.boundaryOffice = 'busy';
    study.moods.mapExtracts = 'busy';
    const drawn = await study.run({ only: 'draw' });
    expect(drawn.delivered).toEqual([]);
    const checked = await study.run({ only: 'check' });
    expect(checked.findings.map((finding) => finding.code)).toContain('spike');
    const delivered = await study.run({ only: 'deliver' });
    expect(delivered.delivered).toContain('delivered/report.html');
    study.moods.boundaryOffice = 'well';
    study.moods.mapExtracts = 'well';
  });
});

describe('bad days of services', () => {
  let study: DemoStudy;
  beforeEach(async () => {
    study = await demoStudy(20);
    return () => study.end();
  });

  const moods = [
    ['busy', 'source-busy', /come back later \(503\)/],
    ['html', 'source-html', /web page instead of data/],
    ['cut', 'source-cut', /cut after|announced/],
    ['silent', 'source-silent', /no answer for 1 second/],
  ] as const;
  it.each(moods)(
    'a service that is %s gives one clear sentence and leaves no half file',
    async (mood, code, words) => {
      study.moods.statisticsOffice = mood;
      // Time goes by as fast as anybody waits for it.
      let ahead = 0;
      const hasty = {
        now: () => new Date(Date.now() + ahead).toISOString(),
        sleep: async (milliseconds: number) => {
          ahead += milliseconds;
        },
      };
      await expect(
        study.run({ only: 'gather', ...(mood === 'silent' && { patience: 1000 }) }, hasty),
      ).rejects.toSatisfy(
        (error: unknown) =>
          error instanceof IsomericError && error.code === code && words.test(error.message),
      );
      const left = existsSync(join(study.folder, 'gathered/statistics-office'))
        ? readdirSync(join(study.folder, 'gathered/statistics-office'))
        : [];
      expect(left).toEqual([]);
      // The others were gathered all the same; the next run asks only for what is missing.
      expect(existsSync(join(study.folder, 'gathered/map-extracts/teskaria-ombrey.zip'))).toBe(true);
      study.moods.statisticsOffice = 'well';
      study.said.length = 0;
      await study.run({ only: 'gather' });
      expect(study.said.find((line) => line.startsWith('Gather: roads'))).toMatch(/run that was broken off/);
      expect(study.said.find((line) => line.startsWith('Gather: housing'))).toMatch(/received/);
    },
  );

  it('notices pages that lead in a circle', async () => {
    study.moods.boundaryOffice = 'loop';
    await expect(study.run({ only: 'gather' })).rejects.toMatchObject({ code: 'source-loop' });
  });

  it('tells a dead service, a wrong collection, a wrong file', async () => {
    const gone = {
      'boundary-office': 'http://127.0.0.1:9/',
      'statistics-office': `${study.services.statisticsOffice.address}/files/`,
      'map-extracts': `${study.services.mapExtracts.address}/files/`,
    };
    await expect(study.run({ addresses: gone })).rejects.toMatchObject({
      code: 'source-unreachable',
      blame: 'input',
    });
    const change = (from: string, to: string) =>
      writeFileSync(join(study.folder, 'study.yaml'), studyText.replace(from, to));
    change('collection: wards', 'collection: wads');
    await expect(study.run()).rejects.toMatchObject({
      code: 'collection-unknown',
      advice: 'Did you mean “wards”?',
    });
    change('HOUSING.csv', 'HOUSE.csv');
    await expect(study.run()).rejects.toMatchObject({ code: 'source-missing' });
    change('layer: roads', 'layer: rods');
    await expect(study.run()).rejects.toMatchObject({
      code: 'layer-unknown',
      advice: 'Did you mean “roads”?',
    });
    change('West, Ombrey Flats East]', 'West, Ombrey Flats Eest]');
    await expect(study.run()).rejects.toMatchObject({
      code: 'unit-unknown',
      advice: expect.stringContaining('“Ombrey Flats East”') as string,
    });
  });

  it('sends a key from the environment and writes it down nowhere', async () => {
    const text = studyText.replace(
      'licence: Teskaria Open Statistics Licence 1.0',
      'licence: x\n    key: { header: x-key, variable: OFFICE_KEY }',
    );
    writeFileSync(join(study.folder, 'study.yaml'), text);
    await expect(study.run({ only: 'gather' })).rejects.toMatchObject({ code: 'key-missing' });
    const environment = (name: string) =>
      name === 'OFFICE_KEY' ? 'very-secret-12345' : demoEnvironment[name];
    await study.run({}, { environment });
    for (const secret of ['very-secret-12345', ...Object.values(demoEnvironment)]) {
      const grep = () => execFileSync('grep', ['-r', '-l', secret, study.folder]).toString();
      expect(grep, secret).toThrow();
      expect(study.said.join('\n')).not.toContain(secret);
    }
  });
});

describe('study.yaml', () => {
  it('is read, and has a JSON Schema for editors', () => {
    const study = loadStudy(studyText);
    expect(study.area).toMatchObject({
      units: {
        of: ['districts', 'wards'],
        name: ['Ombrey Flats West', 'Ombrey Flats East'],
        'down to': 'wards',
        by: 'code',
        'named by': 'name',
      },
      margin: '250 m',
    });
    expect(study.check.wards).toEqual([
      'valid',
      'key: code',
      'no_car_share between 0 and 100',
      'households_ground <= households',
      'sure: cannot_walk_share',
    ]);
    const schema = studyJsonSchema() as {
      properties: Record<string, unknown>;
      additionalProperties: boolean;
    };
    expect(Object.keys(schema.properties)).toEqual([
      'study',
      'area',
      'crs',
      'datum grids',
      'sources',
      'catalogues',
      'gather',
      'prepare',
      'check',
      'margins',
      'titles',
      'draw',
      'deliver',
    ]);
    expect(schema.additionalProperties).toBe(false);
  });

  const mistakes: [what: string, from: string, to: string, words: RegExp, at: string, advice?: string][] = [
    ['an unknown word', 'prepare:', 'perpare:', /has no “perpare”/, 'perpare:', 'Did you mean “prepare”?'],
    [
      'an unknown key of a step',
      '    - clip: area without margin\n    - join',
      '    - clip: area\n    - jion',
      /has no “jion”/,
      'jion',
      'Did you mean “join”?',
    ],
    [
      'an unknown source',
      'from: boundary-office, collection: wards',
      'from: boundary-ofice, collection: wards',
      /no source “boundary-ofice”/,
      'boundary-ofice',
      'Did you mean “boundary-office”?',
    ],
    [
      'an unknown table',
      'join: housing',
      'join: housings',
      /no gathered table “housings”/,
      'housings',
      'Did you mean “housing”?',
    ],
    [
      'a value that is none of the allowed',
      'kind: features',
      'kind: feature',
      /cannot be “feature”/,
      'kind: feature\n',
      'Did you mean “features”?',
    ],
    [
      'a missing key',
      '    at: http://127.0.0.1:47811/\n',
      '',
      /“sources → boundary-office → at” is missing/,
      'boundary-office:',
    ],
    [
      'two areas',
      'units: { of',
      'box: { west: 1, south: 1, east: 2, north: 2 }\n  units: { of',
      /say exactly one of units, box, point, place, polygon, layer, sheets, together/,
      'area:',
    ],
    [
      'a step without a verb',
      '      on: code = area_code\n',
      '',
      /join needs “on: …” beside it: the fields that must be equal: LAYER_FIELD = TABLE_FIELD/,
      'join: housing',
    ],
    ['text that is no YAML', 'crs: teskaria-grid.wkt', 'crs: [teskaria', /“\[” is not closed/, 'crs:'],
    [
      'an unknown layer on a map',
      'over: [waterways, roads',
      'over: [waterways, rods',
      /no prepared layer “rods”/,
      'rods',
      'Did you mean “roads”?',
    ],
  ];
  it.each(mistakes)('tells %s with its line and the nearest right word', (_, from, to, words, at, advice) => {
    expect(studyText).toContain(from);
    const changed = studyText.replace(from, to);
    const line = changed.slice(0, changed.indexOf(at)).split('\n').length;
    let raised: unknown;
    try {
      loadStudy(changed);
    } catch (error) {
      raised = error;
    }
    expect(raised).toBeInstanceOf(IsomericError);
    const error = raised as IsomericError;
    expect(error.message).toMatch(words);
    expect(error.blame).toBe('usage');
    expect(error.place.line).toBeGreaterThanOrEqual(line - 1);
    expect(error.place.line).toBeLessThanOrEqual(line + 1);
    expect(error.place.column).toBeGreaterThan(0);
    if (advice !== undefined) expect(error.advice).toBe(advice);
  });
});
