import { spawn } from 'node:child_process';
import { chmodSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { bytesText, meterText, Speedometer, timeText } from '../../src/cli/progress.ts';
import type { Meter } from '../../src/sources/index.ts';
import { type Mood, type StandIns, startStandIns } from '../../stand-ins/src/index.ts';
import { command, commandIn } from '../support/command.ts';
import { demoEnvironment, demoFolder } from '../support/demo-study.ts';
import { StudyFolder } from '../support/study-folder.ts';

let services: StandIns;
let mood: Mood = 'well';
const study = new StudyFolder();

beforeAll(async () => {
  services = await startStandIns({
    data: join(demoFolder, 'data'),
    moods: { boundaryOffice: () => mood, statisticsOffice: () => 'well' },
    desk: { takes: 50, mostArea: 1e6 },
  });
  study.write(
    `sources:\n  offices: { kind: features, at: "${services.boundaryOffice.address}/" }\n  rows: { kind: rows, at: "${services.statisticsOffice.address}/rows/", key: { parameter: key, variable: TESKARIA_KEY } }\n  desk: { kind: orders, at: "${services.orderDesk.address}/", agreed: 2026-05-01, licence: Works Licence, citation: The desk. }\ngather:\n  wards: { from: offices }\n  cars: { from: rows, table: CARS, columns: [AREA, CAR_001] }\n  pumps: { from: desk }\n`,
  );
});
afterAll(async () => {
  study.end();
  await services.close();
});

/** Runs the command while the stand-ins of this process answer it. */
function start(...args: string[]) {
  const child = spawn(process.execPath, [command, ...args], {
    cwd: study.folder,
    env: { ...process.env, ...demoEnvironment, NO_COLOR: '1' },
  });
  let out = '';
  let told = '';
  child.stdout.setEncoding('utf8').on('data', (text: string) => {
    out += text;
  });
  child.stderr.setEncoding('utf8').on('data', (text: string) => {
    told += text;
  });
  const done = new Promise<{ code: number | null; out: string; told: string }>((resolve) =>
    child.on('close', (code) => resolve({ code, out, told })),
  );
  return { child, done };
}

const isomeric = commandIn(study.folder, demoEnvironment);

describe('isomeric run, asking first', () => {
  it('shows what would come, and fetches nothing', async () => {
    const { code, out } = await isomeric('run', '.', '--dry');
    expect(code).toBe(0);
    expect(out).toMatch(/^dataset +source +features +outside +size +requests +time$/m);
    expect(out).toMatch(/^wards +offices +167 +129 +\d+ kB/m);
    expect(out).toContain('Its terms of use were agreed to on 2026-05-01.');
    expect(study.files('gathered')).toEqual([]);
    const json = await isomeric('run', '.', '--dry', '--json');
    expect((JSON.parse(json.out) as { estimates: unknown[] }).estimates).toHaveLength(3);
  });

  it('gathers, and tells an unknown dataset of --again', async () => {
    const { code, out } = await isomeric('run', '.', '--only', 'gather');
    expect(code).toBe(0);
    // In the order of the study, plain lines in a pipe.
    expect(out.match(/^Gather: (\w+)/gm)).toEqual(['Gather: wards', 'Gather: cars', 'Gather: pumps']);
    const again = await isomeric('run', '.', '--again', 'pump');
    expect(again.code).toBe(2);
    expect(again.told).toContain('Did you mean “pumps”?');
  });

  it('two runs at once are refused; one that is interrupted ends at once and says how it goes on', async () => {
    mood = 'silent';
    const first = start('run', '.', '--only', 'gather');
    await expect.poll(() => study.files().includes('.running'), { timeout: 40_000 }).toBe(true);
    const second = await isomeric('run', '.', '--only', 'gather');
    expect(second.code).toBe(2);
    expect(second.told).toMatch(/being run already \(process \d+\)/);
    first.child.kill('SIGINT');
    const { code, told } = await first.done;
    mood = 'well';
    expect(code).toBe(130);
    expect(told).toContain('a study goes on where it stopped when it is run again');
    expect(study.files()).not.toContain('.running');
  });
});

describe('isomeric ledger', () => {
  it('shows what came, how to cite it, and under which terms', async () => {
    const { code, out } = await isomeric('ledger', '.', '--verify');
    expect(code).toBe(0);
    for (const text of [
      /^wards +offices +2 +\d+ kB +\d{4}-\d\d-\d\d +Teskaria Open Boundaries Licence 2\.0$/m,
      /^pumps +desk +\d+ .* Works Licence$/m,
      /^Citations$/m,
      /^ {2}Boundary Office of Teskaria \(2024\): wards\.$/m,
      /^ {2}desk: “Terms of the order desk”, agreed to on 2026-05-01; http:\S+\/terms, kept in gathered\/desk\/~terms\.html\.$/m,
      /^Ledger: 3 datasets in \d+ files, [\d,]+ bytes\.$/m,
      /^Verify: every file is as it was received\.$/m,
    ])
      expect(out).toMatch(text);
    expect(out).not.toContain(demoEnvironment.TESKARIA_KEY);
  });

  it('finds a file that was changed', async () => {
    const path = join(study.folder, 'gathered/desk/pumps/piece-001.geojson');
    chmodSync(path, 0o644);
    writeFileSync(path, '{}');
    const { code, out } = await isomeric('ledger', '.', '--verify');
    expect(code).toBe(1);
    expect(out).toContain('gathered/desk/pumps/piece-001.geojson was changed.');
    expect(out).toContain('Verify: 1 file is not as received.');
    // What was changed is gathered anew, though orders are kept otherwise.
    await isomeric('run', '.', '--only', 'gather');
    const json = await isomeric('ledger', '.', '--verify', '--json');
    expect((JSON.parse(json.out) as { changed: unknown[] }).changed).toEqual([]);
  });

  it('says where there is none', async () => {
    const { code, told } = await isomeric('ledger', 'nowhere');
    expect(code).toBe(2);
    expect(told).toContain('There is no ledger in this folder.');
  });
});

describe('the progress line of a dataset', () => {
  it('says what, how far, how fast, how long still', () => {
    const meter: Meter = { bytes: 250_000, totalBytes: 1_000_000, features: 0 };
    expect(meterText('roads', meter, 50_000, 8)).toBe(
      'roads    ████░░░░░░░░░░░░ 250 kB of 1.0 MB · 50 kB/s · 15 s to go',
    );
    expect(meterText('wards', { bytes: 40_000, features: 100, totalFeatures: 400 }, null, 8)).toBe(
      'wards    ████░░░░░░░░░░░░ 100 of 400 features · 40 kB',
    );
    expect(meterText('a very long name', { bytes: 0, features: 0, state: 'order is at 40 %' }, null, 8)).toBe(
      'a very … ················ order is at 40 %',
    );
    expect([0, 999, 1000, 999_499, 999_500, 12_345_678, 5e12].map(bytesText)).toEqual([
      '0 B',
      '999 B',
      '1.0 kB',
      '999 kB',
      '1.0 MB',
      '12 MB',
      '5.0 TB',
    ]);
    expect([0.2, 99, 100, 5999, 6600].map(timeText)).toEqual([
      '1 s',
      '99 s',
      '2 min',
      '1 h 40 min',
      '1 h 50 min',
    ]);
  });

  it('takes its speed over the last seconds, and begins anew when a try failed', () => {
    const speed = new Speedometer();
    expect(speed.speed).toBeNull();
    for (let t = 0; t <= 20_000; t += 500) speed.add(t, t < 10_000 ? 0 : (t - 10_000) * 2);
    expect(speed.speed).toBeCloseTo(2000, -2);
    speed.add(20_500, 100);
    expect(speed.speed).toBeNull();
  });
});
