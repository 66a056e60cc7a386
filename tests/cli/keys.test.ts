import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { commandIn } from '../support/command.ts';

const data = fileURLToPath(new URL('../../demo/data/', import.meta.url));
const wards = join(data, 'boundary-office/wards-2024.geojson');
const districts = join(data, 'boundary-office/districts-2024.geojson');
const office = (file: string) => join(data, 'statistics-office', file);
const folder = mkdtempSync(join(tmpdir(), 'isomeric-keys-'));
const isomeric = commandIn(folder);
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const write = (name: string, lines: readonly string[]) => {
  writeFileSync(join(folder, name), `${lines.join('\n')}\n`);
  return name;
};

interface Advised {
  advices: {
    on: string;
    repair: string;
    met: number;
    many: boolean;
    doubtful: boolean;
    reasons: { reason: string }[];
  }[];
  lists: { list: string; met: number }[];
}
const advised = async (...args: string[]): Promise<Advised> =>
  JSON.parse((await isomeric('keys', ...args, '--json')).out);

describe('isomeric keys', () => {
  it('finds the fields and the repair of every table of the demo, and says what to write', async () => {
    const { code, out } = await isomeric('keys', wards, office('POPULATION.csv'));
    expect(code).toBe(0);
    expect(out).toContain('1  code = ward  repaired: leading zeros to 6');
    expect(out).toContain('296 of 296 keys of wards meet, one to one.');
    expect(out).toContain('1 key of POPULATION is of a total (999999).');
    expect(out).toMatch(/- join: POPULATION\n\s+on: code = ward\n\s+repair: leading zeros to 6\n/);
    const [housing] = (await advised(wards, office('HOUSING.csv'))).advices;
    expect(housing).toMatchObject({ on: 'code = area_code', repair: '', met: 295, many: true });
    const [mobility] = (await advised(wards, office('MOBILITY-2024.zip'), '--table', 'M24')).advices;
    expect(mobility).toMatchObject({
      on: 'code = AREA_ID',
      repair: 'digits at the end of the table',
      met: 296,
    });
    const [residents] = (await advised(wards, office('RESIDENTS.csv'))).advices;
    expect(residents).toMatchObject({ on: 'code = REF_AREA', repair: '', met: 37 });
  });

  it('names a table of a finer level', async () => {
    const [best] = (await advised(districts, office('HOUSING.csv'))).advices;
    expect(best).toMatchObject({
      on: 'code = area_code',
      repair: 'prefix "T" of the layer, first 4 signs of the table, leading zeros to 4',
      many: true,
    });
    expect(best.reasons.map(({ reason }) => reason)).toContain('finer');
  });

  it('writes commands that do what it says', async () => {
    const { out } = await isomeric('keys', wards, office('POPULATION.csv'), '--most', '1');
    const [, on, repair] = /--on "([^"]+)" --repair "([^"]+)" --out joined\.gpkg/.exec(out)!;
    const joined = await isomeric(
      'join',
      wards,
      office('POPULATION.csv'),
      '--on',
      on,
      '--repair',
      repair,
      '--out',
      'joined.csv',
    );
    expect(joined.out).toContain('296 matched on code = ward, 0 without a row');
  });

  it('goes over a list of codes that stands between both sides', async () => {
    const units = write('units.csv', [
      'code,name',
      ...Array.from({ length: 40 }, (_, k) => `${1010 + 7 * k},u${k}`),
    ]);
    const list = write('list.csv', [
      'old,new',
      ...Array.from({ length: 40 }, (_, k) => `${1010 + 7 * k},ZX${k * k}`),
    ]);
    const table = write('new.csv', [
      'zone,n',
      ...Array.from({ length: 40 }, (_, k) => `ZX${k * k},${k % 3}`),
    ]);
    const { out } = await isomeric('keys', units, table, '--list', list);
    expect(out).toContain('code = old, then new = zone  over list');
    expect(out).toContain('40 of 40 keys of units meet');
    expect(out).toMatch(
      /- join: list\n\s+on: code = old\n\s+columns: \[new\]\n\s+- join: new\n\s+on: new = zone/,
    );
  });

  it('puts fields together, and takes the unit above where names are not enough', async () => {
    const units = write('u.csv', [
      'code,name,province',
      ...Array.from(
        { length: 60 },
        (_, k) =>
          `${String(1 + (k % 20)).padStart(2, '0')}${String(1 + Math.floor(k / 20)).padStart(3, '0')},Villa ${'ABCDEFGHIJ'[k % 10]}${'klmnop'[Math.floor(k / 10)]},P${k % 2}`,
      ),
    ]);
    const split = write('split.csv', [
      'ST,CTY,n',
      ...Array.from({ length: 60 }, (_, k) => `${1 + (k % 20)},${1 + Math.floor(k / 20)},${k}`),
    ]);
    expect((await advised(units, split)).advices[0]).toMatchObject({
      on: 'code = ST (2) + CTY (3)',
      met: 60,
    });
    const twice = [
      'Ambercastle',
      'Brindlemoor',
      'Cotterwick',
      'Dunnaweald',
      'Elverstone',
      'Fernholt',
      'Garrowby',
      'Hollinside',
    ];
    const named = write('named.csv', [
      'name,province',
      ...twice.flatMap((name) => [`${name},East`, `${name},West`]),
    ]);
    const other = write('other.csv', [
      'town,part,n',
      ...twice.flatMap((name, k) => [
        `${k % 2 ? name.toUpperCase() : name},East,${k}`,
        `${k === 3 ? 'Dunawaeld' : name},West,${k}`,
      ]),
    ]);
    expect((await advised(named, other)).advices[0]).toMatchObject({
      on: 'name = town, province = part',
      repair: expect.stringContaining('near names'),
      met: 16,
    });
  });

  it('pairs names of which not one is spelt alike, by the unit above', async () => {
    const here = [
      'Ardenby',
      'Bellmoor',
      'Casterwold',
      'Dunmeer',
      'Elmstow',
      'Farrowgate',
      'Gullhaven',
      'Harthwick',
    ];
    const two = [
      'Ardenbie',
      'Belmore',
      'Kasterwold',
      'Dunnmeer',
      'Elmesto',
      'Farogate',
      'Gulhavn',
      'Hartwik',
    ];
    const part = (k: number) => ['East', 'West', 'South'][k % 3];
    const units = write('here.csv', ['name,part', ...here.map((name, k) => `${name},${part(k)}`)]);
    const table = write('there.csv', [
      'nom,region,n',
      ...two.map((name, k) => `${name},${part(k)},${k * k}`),
    ]);
    const [best] = (await advised(units, table)).advices;
    expect(best).toMatchObject({ on: 'name = nom, part = region', met: 8 });
    expect(best.repair).toContain('near names');
  });

  it('writes no lines for names that come again on both sides', async () => {
    const names = ['Ambercastle', 'Brindlemoor', 'Cotterwick', 'Dunnaweald'];
    const units = write('again.csv', ['name,size', ...names.flatMap((name) => [`${name},1`, `${name},2`])]);
    const table = write('again-too.csv', ['town,n', ...names.flatMap((name) => [`${name},3`, `${name},4`])]);
    const { out } = await isomeric('keys', units, table);
    expect(out).toContain(
      'Keys come several times on both sides (4 times more in again, 4 in again-too): they name no unit',
    );
    expect(out).not.toContain('- join:');
  });

  it('warns of what may be chance, and proposes nothing where nothing meets', async () => {
    const units = write('zones.csv', ['zone', ...Array.from({ length: 12 }, (_, k) => String(1 + k))]);
    const numbers = write('numbers.csv', ['value', ...Array.from({ length: 12 }, (_, k) => String(12 - k))]);
    const { out } = await isomeric('keys', units, numbers);
    expect(out).toContain('This may be a false friend');
    const words = write('words.csv', ['word', 'heron', 'otter', 'lapwing']);
    expect((await isomeric('keys', units, words)).out).toContain(
      'No field of one meets a field of the other',
    );
  });
});

describe('isomeric join', () => {
  it('explains in place of joining, and needs to know where to save otherwise', async () => {
    const words = ['join', wards, office('POPULATION.csv'), '--on', 'code = ward'];
    const { code, out } = await isomeric(...words, '--explain');
    expect(code).toBe(0);
    expect(out).toContain('code = ward  repaired: leading zeros to 6');
    expect(await isomeric(...words)).toMatchObject({ code: 2, told: expect.stringContaining('--out') });
  });

  it('gives the leftovers of both sides as files', async () => {
    const words = ['join', wards, office('HOUSING.csv'), '--on', 'code = area_code'];
    const features = await isomeric(...words, '--give', 'features without a row', '--out', 'alone.geojson');
    expect(features.out).toContain(
      'Left over: 296 wards in; 1 without a partner in HOUSING on code = area_code.',
    );
    const rows = await isomeric(...words, '--give', 'rows without a feature', '--out', 'over.csv');
    expect(rows.out).toContain('Left over: 296 HOUSING in; 0 without a partner in wards');
  });

  it('that matched nothing writes nothing, and says what would help', async () => {
    const done = await isomeric(
      'join',
      wards,
      office('POPULATION.csv'),
      '--on',
      'name = ward',
      '--out',
      'none.gpkg',
    );
    expect(done).toMatchObject({
      code: 2,
      told: expect.stringContaining('“isomeric keys” searches all fields of both'),
    });
    expect(existsSync(join(folder, 'none.gpkg'))).toBe(false);
  });
});
