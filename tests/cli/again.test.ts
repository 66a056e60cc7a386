import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type StandIns, startStandIns } from '../../stand-ins/src/index.ts';
import { commandIn } from '../support/command.ts';
import { demoEnvironment, demoFolder } from '../support/demo-study.ts';
import { ownStudyFolder, ownStudyText } from '../support/own-study.ts';

const text = ownStudyText.slice(0, ownStudyText.indexOf('draw:'));
let folder: string;
let run: ReturnType<typeof commandIn>;
beforeAll(async () => {
  folder = ownStudyFolder(text);
  run = commandIn(folder);
  expect((await run('run', '.')).code).toBe(0);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

describe('isomeric trace', () => {
  it('leads a computed value back to the rows of its files, and verifies them', async () => {
    const { code, out } = await run('trace', '.', '--of', '0202', '--field', 'no_car_share');
    expect(code).toBe(0);
    expect(out).toContain(
      'by step 3 of wards (study.yaml, line 29): compute: no_car_share = share(no_car, households)',
    );
    expect(out).toContain('no_car of wards = 95');
    expect(out).toContain('row 2 of housing.csv');
    expect(out).toContain('it is as it was received');
    const traced = JSON.parse((await run('trace', '.', '--of', '0202', '--field', 'name', '--json')).out);
    expect(traced).toMatchObject({
      table: 'wards',
      value: 'Mill Yard',
      step: null,
      rows: [{ path: 'wards.geojson', row: 2, intact: true }],
    });
  });

  it('claims no row of which it cannot be sure: of several tables it names the files', async () => {
    const other = ownStudyFolder(
      text
        .replace(
          '  housing:\n    file: housing.csv',
          '  more: { file: more.csv }\n  housing:\n    file: housing.csv',
        )
        .replace('- join: housing', '- join: [housing, more]')
        .replace('      columns: [households, no_car]\n', ''),
    );
    try {
      writeFileSync(join(other, 'more.csv'), 'area_code,wells\n0201,7\n0202,8\n0203,9\n');
      const own = commandIn(other);
      expect((await own('run', '.')).code).toBe(0);
      const traced = JSON.parse((await own('trace', '.', '--of', '0202', '--field', 'wells', '--json')).out);
      expect(traced).toMatchObject({ value: 8, rows: [], step: { verb: 'join' } });
      expect(traced.files.map(({ path }: { path: string }) => path)).toEqual(['housing.csv', 'more.csv']);
    } finally {
      rmSync(other, { recursive: true, force: true });
    }
  });

  it('finds the row of a key whose zeros were lost, and not one that only looks alike', async () => {
    const other = ownStudyFolder(
      text.replace(
        'columns: [households, no_car]',
        'columns: [households, no_car]\n      repair: leading zeros',
      ),
    );
    try {
      writeFileSync(
        join(other, 'housing.csv'),
        'area_code,households,no_car\n10202,5,5\n201,1200,310\n202,840,95\n203,1510,460\n',
      );
      const own = commandIn(other);
      expect((await own('run', '.')).code).toBe(0);
      const traced = JSON.parse((await own('trace', '.', '--of', '0202', '--field', 'no_car', '--json')).out);
      expect(traced.rows).toMatchObject([{ path: 'housing.csv', row: 3, value: 95 }]);
    } finally {
      rmSync(other, { recursive: true, force: true });
    }
  });

  it('says that a file is not as it was received', async () => {
    const before = readFileSync(join(folder, 'housing.csv'), 'utf8');
    writeFileSync(join(folder, 'housing.csv'), before.replace('95', '96'));
    const { out } = await run('trace', '.', '--of', '0202', '--field', 'no_car');
    expect(out).toContain('it is NOT as it was received');
    expect(out).toContain('row 2 of housing.csv: 96');
    writeFileSync(join(folder, 'housing.csv'), before);
  });

  it('says what is wrong with what is asked', async () => {
    expect((await run('trace', '.', '--of', '0202', '--field', 'no_car_shar')).told).toContain(
      'Did you mean “no_car_share”?',
    );
    expect((await run('trace', '.', '--of', '9999', '--field', 'name')).told).toContain(
      'No feature with a field “name” is called “9999”',
    );
    expect((await run('trace', '.', '--of', '0202', '--field', 'name', '--layer', 'wardes')).told).toContain(
      'Did you mean “wards”?',
    );
  });
});

describe('isomeric watch', () => {
  it('says nothing where nothing changed, and what changed to a command and to an address', async () => {
    const heard: unknown[] = [];
    const server = createServer((message, answer) => {
      let body = '';
      message.on('data', (chunk: Buffer) => {
        body += chunk.toString();
      });
      message.on('end', () => {
        heard.push(JSON.parse(body));
        answer.end();
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/news?token=secret`;
    try {
      const quiet = await run('watch', '.', '--once', '--post', address, '--then', 'cat > told.json');
      expect([quiet.code, quiet.told]).toEqual([0, expect.stringContaining('nothing changed')]);
      expect(heard).toEqual([]);
      const before = readFileSync(join(folder, 'housing.csv'), 'utf8');
      writeFileSync(join(folder, 'housing.csv'), before.replace('95', '195'));
      const changed = await run('watch', '.', '--once', '--post', address, '--then', 'cat > told.json');
      expect(changed.code).toBe(0);
      expect(changed.out).toContain('wards: 3 before, 3 after; 1 changed in fields.');
      expect(heard).toMatchObject([
        { what: 'changed', changes: { layers: [{ layer: 'wards', state: 'changed' }] } },
      ]);
      expect(JSON.parse(readFileSync(join(folder, 'told.json'), 'utf8'))).toMatchObject({ what: 'changed' });
    } finally {
      server.close();
    }
    const lost = await run('watch', '.', '--once', '--then', 'exit 3');
    expect(lost.code).toBe(0);
  });

  it('tells a failure once, and that it works again', async () => {
    const before = readFileSync(join(folder, 'housing.csv'), 'utf8');
    writeFileSync(join(folder, 'housing.csv'), 'area_code,households,no_car\nX,1,1\n');
    const first = await run('watch', '.', '--once', '--json');
    expect([first.code, JSON.parse(first.out).what]).toEqual([3, 'failed']);
    const second = await run('watch', '.', '--once');
    expect([second.code, second.out, second.told]).toEqual([
      3,
      '',
      expect.stringContaining('it fails as it was told before'),
    ]);
    writeFileSync(join(folder, 'housing.csv'), before);
    const third = await run('watch', '.', '--once');
    expect([third.code, third.out]).toEqual([0, expect.stringContaining('It works again.')]);
    writeFileSync(join(folder, 'housing.csv'), before.replace('195', '295'));
    const unheard = await run('watch', '.', '--once', '--post', 'http://127.0.0.1:9/hook/secret');
    expect(unheard.code).toBe(3);
    expect(unheard.told).toContain('cannot be reached');
    expect(unheard.told).not.toContain('secret');
  });

  it('prints what cron and systemd want', async () => {
    const cron = await run('watch', '.', '--every', '6h', '--print', 'cron', '--then', "echo 'it changed'");
    expect(cron.out).toMatch(/^17 \*\/6 \* \* \* isomeric watch \/\S+ --once --then /);
    expect((await run('watch', '.', '--every', '1d', '--print', 'cron')).out).toMatch(/^17 3 \* \* \* /);
    expect((await run('watch', '.', '--every', '90s', '--print', 'systemd')).out).toContain(
      'OnUnitActiveSec=90s',
    );
    expect((await run('watch', '.', '--every', 'daily', '--once')).told).toContain('is no interval');
  });
});

describe('isomeric run --dry, of sources that changed', () => {
  it('asks each whether it changed, and says which layers rest on it', async () => {
    const data = mkdtempSync(join(tmpdir(), 'isomeric-data-'));
    let services: StandIns | undefined;
    try {
      cpSync(join(demoFolder, 'data'), data, { recursive: true });
      services = await startStandIns({ data });
      const study = join(data, 'study');
      mkdirSync(study);
      writeFileSync(
        join(study, 'study.yaml'),
        `study: Asked
area: { box: { west: -29.95, south: 45.45, east: -29.75, north: 45.55 } }
crs: EPSG:32626
sources:
  boundary: { kind: features, at: "${services.boundaryOffice.address}/" }
  files: { kind: files, at: "${services.statisticsOffice.address}/files/" }
  regions: { kind: regions, at: "${services.mapExtracts.address}/regions.json" }
  receiver: { kind: receiver, at: ../receiver }
gather:
  wards: { from: boundary }
  housing: { from: files, file: HOUSING.csv, where: area_code <> '020410' OR area_name LIKE '%(revised)' }
  streets: { from: regions, region: teskaria/ombrey, class: roads }
  culverts: { from: receiver, waypoints: all }
prepare:
  wards:
    - join: housing
      on: code = area_code
      columns: [households]
  streets: [clip: area]
  culverts: []
deliver: { pages: [] }
`,
      );
      const own = commandIn(study, demoEnvironment);
      expect((await own('run', '.')).code).toBe(0);
      const calm = JSON.parse((await own('run', '.', '--dry', '--json')).out);
      expect(calm.plan.datasets.map(({ state }: { state: string }) => state)).toEqual(
        Array.from({ length: 4 }, () => 'unchanged'),
      );
      expect(calm.plan.layers.every(({ reasons }: { reasons: unknown }) => reasons === null)).toBe(true);
      cpSync(
        join(data, 'second-release', 'statistics-office', 'HOUSING.csv'),
        join(data, 'statistics-office', 'HOUSING.csv'),
      );
      cpSync(join(data, 'receiver', 'inspections.gpx'), join(data, 'receiver', 'more.gpx'));
      const { out } = await own('run', '.', '--dry');
      expect(out).toMatch(/housing\s+files\s+changed\s+Of files\/HOUSING\.csv, its ETag is another one/);
      expect(out).toMatch(/culverts\s+receiver\s+changed\s+more\.gpx holds something of culverts/);
      expect(out).toContain('wards would be made anew: the data of housing changed.');
      expect(out).toContain('Again: of 4 orders 2 would be fetched, 2 not.');
      expect(out).toContain('Again: 2 of 3 layers would be made anew: wards and culverts.');
    } finally {
      await services?.close();
      rmSync(data, { recursive: true, force: true });
    }
  });
});
