import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { rowsOf } from '../../src/core/index.ts';
import { openOne } from '../../src/node/index.ts';
import { commandIn } from '../support/command.ts';

const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
const office = join(data, 'statistics-office');
const pack = join(office, 'MOBILITY-2024.zip');
const residents = join(office, 'RESIDENTS.csv');
const folder = mkdtempSync(join(tmpdir(), 'isomeric-cli-tables-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const isomeric = commandIn(folder);

const rows = async (path: string, ...more: string[]) =>
  JSON.parse((await isomeric('rows', path, '--json', '--limit', '1000', ...more)).out) as {
    count: number;
    rows: Record<string, unknown>[];
    reasons: Record<string, string>[];
  };

/** A saved table, read by the library: most of these tests are about what was written. */
async function read(name: string): Promise<{ count: number; rows: Record<string, unknown>[] }> {
  const { table } = await openOne(join(folder, name));
  const found: Record<string, unknown>[] = [];
  for await (const row of rowsOf(table)) found.push(row);
  return { count: found.length, rows: found };
}

describe('the pack of tables of the demo', () => {
  it('every trouble is told by look', async () => {
    const { layers } = JSON.parse((await isomeric('look', pack, '--json')).out) as {
      layers: {
        name: string;
        describes: boolean;
        troubles: { code: string }[];
        fields: { name: string; title?: string; reasons: { reason: string; times: number }[] }[];
      }[];
    };
    const [table] = layers;
    expect(table.troubles.map((trouble) => trouble.code).sort()).toEqual([
      'fields-described',
      'header-two-rows',
      'levels-several',
      'notes-below',
      'row-total',
      'titles-above',
    ]);
    expect(
      table.fields.map((field) => [
        field.name,
        field.reasons.map(({ reason, times }) => `${times} ${reason}`).join(),
      ]),
    ).toEqual([
      ['AREA_ID', ''],
      ['AREA_NAME', ''],
      ['M24_001E', ''],
      ['M24_001M', '1 no sampling error'],
      ['M24_002E', '18 suppressed'],
      ['M24_002M', '18 not applicable'],
      ['M24_003E', '29 at least'],
    ]);
    expect(layers.slice(1).every((layer) => layer.describes)).toBe(true);
  });

  it('rows show reasons in place of blanks, and give them as data', async () => {
    const shown = await isomeric('rows', pack, '--where', "AREA_ID = 'TE24W040210'");
    expect(shown.out).toMatch(/TE24W040210 .* suppressed +not applicable/);
    const { rows: found, reasons } = await rows(
      pack,
      '--layer',
      'M24',
      '--where',
      "reason(M24_003E) = 'at least'",
    );
    expect(found).toHaveLength(29);
    expect(found.every((row) => row.M24_003E === 40)).toBe(true);
    expect(reasons.every((row) => row.M24_003E === 'at least')).toBe(true);
  });

  it('its figures are those of its own sums: wards make the country', async () => {
    expect((await isomeric('save', pack, '--level', '6 digits', '--out', 'wards.csv')).code).toBe(0);
    expect(
      (await isomeric('group', 'wards.csv', 'adults = sum(M24_001E)', 'n = count()', '--out', 'country.csv'))
        .code,
    ).toBe(0);
    const [country] = (await read('country.csv')).rows;
    const { rows: total } = await rows(pack, '--layer', 'M24', '--where', "AREA_ID = 'TE24C'");
    expect(country).toMatchObject({ adults: total[0].M24_001E, n: 296 });
    // Margins of the wards make that of the country, but for roundings of the single ones.
    expect(country.adults_margin).toBeCloseTo(1197.32, 1);
  });

  it('variables are found by words, and a dictionary is written with the provider’s codes', async () => {
    const found = JSON.parse((await isomeric('variables', pack, 'cannot', 'walk', '--json')).out) as {
      variables: { code: string; unit: string }[];
    };
    expect(found.variables.map((variable) => variable.code)).toEqual(['M24_002E', 'M24_002M']);
    expect((await isomeric('variables', pack, 'zebras')).out).toContain(
      'No variable of 8 is described by “zebras”.',
    );
    const saved = await isomeric(
      'save',
      pack,
      '--variables',
      'walkers = cannot walk',
      '--out',
      'walk.csv',
      '--dictionary',
      'dictionary.csv',
    );
    expect(saved.out).toContain('walkers is M24_002E, “Residents who cannot walk 500 metres”.');
    const { rows: words } = await read('dictionary.csv');
    expect(words.find((row) => row.field === 'walkers')).toMatchObject({
      code: 'M24_002E',
      unit: 'persons',
      margin: 'walkers_margin',
      reasons: '18 suppressed',
      filled: 294,
      blank: 18,
    });
    expect(await isomeric('save', pack, '--variables', 'zebras', '--out', 'x.csv')).toMatchObject({
      code: 2,
      told: expect.stringContaining('Nothing in M24 is described by “zebras”.'),
    });
    expect(existsSync(join(folder, 'x.csv'))).toBe(false);
  });

  it('levels become tables of their own: sheets, or files named for them', async () => {
    const files = await isomeric('save', pack, '--without-totals', '--by-level', '--out', 'levels.csv');
    expect(files.out).toContain('Write: 15 rows of M24_4_digits written to M24_4_digits.csv.');
    expect((await read('M24_4_digits.csv')).count).toBe(15);
    expect((await read('M24_6_digits.csv')).count).toBe(296);
    expect(await isomeric('save', pack, '--level', 'wards', '--out', 'x.csv')).toMatchObject({
      code: 2,
      told: expect.stringContaining('There is: 4 digits, 6 digits.'),
    });
  });
});

describe('widen and lengthen', () => {
  it('take a long table apart and put it together again', async () => {
    expect(
      (
        await isomeric(
          'widen',
          residents,
          '--by',
          'SEX,AGE',
          '--value',
          'OBS_VALUE',
          '--rows',
          'REF_AREA',
          '--out',
          'wide.csv',
        )
      ).code,
    ).toBe(0);
    const wide = await read('wide.csv');
    expect(wide.count).toBe(37);
    const names = Object.keys(wide.rows[0]).slice(1);
    expect(names).toHaveLength(9);
    // Totals of both sexes are the sums where nothing is suppressed.
    for (const row of wide.rows) {
      const [women, men, total] = ['women', 'men', 'total'].map(
        (sex) => row[`${sex}_16_to_64_years`] as number | null,
      );
      if (women !== null && men !== null) expect(women + men).toBe(total);
    }
    expect(
      (
        await isomeric(
          'lengthen',
          'wide.csv',
          '--columns',
          names.join(','),
          '--name',
          'group',
          '--value',
          'n',
          '--out',
          'long.csv',
        )
      ).code,
    ).toBe(0);
    expect((await read('long.csv')).count).toBe(333);
    expect(
      await isomeric('widen', residents, '--by', 'SEX', '--value', 'NIX', '--out', 'x.csv'),
    ).toMatchObject({
      code: 2,
      told: expect.stringContaining('no field “NIX”'),
    });
  });

  it('sums without totals count nobody twice', async () => {
    const sum = async (...more: string[]) => {
      await isomeric('save', residents, ...more, '--out', 'some.csv', '--replace');
      const sums = ['n = sum(OBS_VALUE)', '--by', 'SEX', '--out', 'sums.csv', '--replace'];
      await isomeric('group', 'some.csv', ...sums);
      return (await read('sums.csv')).rows;
    };
    expect((await sum()).map((row) => row.SEX)).toEqual(['F', 'M', '_T']);
    expect((await sum('--without-totals')).map((row) => row.SEX)).toEqual(['F', 'M']);
  });
});

describe('compute', () => {
  it('carries margins and says what is too unsure; mistakes point at their place', async () => {
    writeFileSync(
      join(folder, 'sample.csv'),
      'code,n,n_margin,all\n001,50,16.45,200\n002,4,8,100\n003,.,.,50\n',
    );
    const done = await isomeric('compute', 'sample.csv', 'share = share(n, all)', '--out', 'shares.csv');
    expect(done.out).toContain(
      '1 of 2 values of share have a coefficient of variation above 40 %, too unsure to map (002).',
    );
    expect((await read('shares.csv')).rows).toEqual([
      { code: '001', n: 50, n_margin: 16.45, all: 200, share: 25, share_margin: 8.225 },
      { code: '002', n: 4, n_margin: 8, all: 100, share: 4, share_margin: 8 },
      { code: '003', n: null, n_margin: null, all: 50, share: null, share_margin: null },
    ]);
    expect((await isomeric('check', 'shares.csv', '--sure', 'share', '--fail-at', 'warning')).code).toBe(1);
    expect(
      (
        await isomeric(
          'check',
          'shares.csv',
          '--sure',
          'share',
          '--fail-at',
          'warning',
          '--unsure-above',
          '200',
        )
      ).code,
    ).toBe(0);
    const wrong = await isomeric('compute', 'sample.csv', 'share = shre(n, all)', '--out', 'x.csv');
    expect(wrong).toMatchObject({ code: 2, told: expect.stringContaining('Did you mean') });
    expect((await isomeric('compute', 'sample.csv', 'n + 1', '--out', 'x.csv')).told).toContain(
      'Write NAME = EXPRESSION',
    );
    expect(
      (await isomeric('compute', 'sample.csv', 'a = n', '--confidence', '80', '--out', 'x.csv')).code,
    ).toBe(2);
    expect((await isomeric('group', 'sample.csv', 'n', '--out', 'x.csv')).code).toBe(2);
  });

  it('densities are per square kilometre on the ellipsoid: areas of wards make their district', async () => {
    const area = async (name: string) => {
      await isomeric(
        'compute',
        join(data, `boundary-office/${name}-2024.geojson`),
        'km2 = area_km2()',
        '--out',
        `${name}.gpkg`,
      );
      return (await read(`${name}.gpkg`)).rows;
    };
    const wards = (await area('wards')).filter((row) => row.district === 'T204');
    const [district] = (await area('districts')).filter((row) => row.code === 'T204');
    expect(wards.reduce((sum, row) => sum + (row.km2 as number), 0)).toBeCloseTo(district.km2 as number, 4);
  });
});

describe('marks and rows of JSON on the command line', () => {
  it('are read as told', async () => {
    writeFileSync(
      join(folder, 'depths.json'),
      '{"a":{"rows":[["code","depth"],["001",5],["002",-9999]]},"b":[{"x":1},{"x":2},{"x":3}]}',
    );
    expect((await rows('depths.json', '--rows-at', '/a/rows', '--marks', '-9999 = dry')).rows).toEqual([
      { code: '001', depth: 5 },
      { code: '002', depth: null },
    ]);
    expect((await rows('depths.json', '--rows-at', '/a/rows', '--marks', '-9999 = dry')).reasons[1]).toEqual({
      depth: 'dry',
    });
    expect((await read('depths.json')).count).toBe(3);
    expect((await isomeric('rows', 'depths.json', '--rows-at', 'a')).told).toContain(
      'It begins with a slash',
    );
  });

  it('summaries are those of the filtered rows', async () => {
    const shown = await isomeric(
      'rows',
      join(office, 'HOUSING.csv'),
      '--where',
      'households > 1900',
      '--columns',
      'households',
      '--summary',
    );
    const all = (await rows(join(office, 'HOUSING.csv'), '--where', 'households > 1900')).rows.map(
      (row) => row.households as number,
    );
    expect(shown.out).toContain(`${all.length} of ${all.length} rows have a value`);
    expect(shown.out).toContain(`least ${Math.min(...all)}, greatest ${Math.max(...all)}`);
  });

  it('a saved CSV and its description are two files that belong together', async () => {
    expect((await isomeric('save', pack, '--level', '4 digits', '--out', 'districts.csv')).code).toBe(0);
    const metadata = JSON.parse(readFileSync(join(folder, 'districts.csv-metadata.json'), 'utf8')) as {
      url: string;
      tableSchema: { columns: { name: string; datatype: string }[] };
    };
    expect(metadata.url).toBe('districts.csv');
    expect(metadata.tableSchema.columns.map((column) => column.datatype)).toEqual([
      'string',
      'string',
      'integer',
      'integer',
      'integer',
      'integer',
      'integer',
    ]);
    const look = (await isomeric('look', 'districts.csv')).out;
    expect(look).toContain('made of districts.csv, districts.csv-metadata.json');
    expect(look).toContain('Residents who cannot walk 500 metres');
  });
});
