import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { cpSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { rolldown } from 'rolldown';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { demoAddresses } from '../../src/cli/commands/demo.ts';
import { type Mood, offices, type StandIns, startStandIns } from '../../stand-ins/src/index.ts';
import { demoEnvironment, demoFolder } from '../support/demo-study.ts';
import { StudyFolder } from '../support/study-folder.ts';

/** The process that is killed, as one file: it is started some sixty times. */
const child = fileURLToPath(new URL('../../.cache/tests/study-child.mjs', import.meta.url));
const body = `gather:
  wards: { from: boundary-office, page size: 5 }
  borders: { from: boundary-wfs, collection: districts }
  mobility: { from: statistics-packs, file: MOBILITY-2024.zip }
  residents: { from: statistics-sdmx, table: RESIDENTS, choose: { SEX: F } }
  cars: { from: statistics-rows, table: CARS, columns: [CAR_001, CAR_002, CAR_003, CAR_004, CAR_005] }
  streets: { from: map-regions, region: ombrey, class: roads }
  omber: { from: map-database, object: relation/7001, class: waterways }
  embankments: { from: order-desk }
  pumps: { from: order-desk }
prepare:
  wards: [clip: area]
  streets: [clip: area]
  embankments: [clip: area]
check: { wards: [valid] }
`;
const source = readFileSync(join(demoFolder, 'study.yaml'), 'utf8');
const sources = source.slice(source.indexOf('sources:'), source.indexOf('gather:'));
const area = 'area: { box: { west: -29.95, south: 45.45, east: -29.75, north: 45.55 } }';

let data: string;
let services: StandIns;
/** The offices after they have published again. */
let later: StandIns;
let mood: Mood = 'well';
const warm: ChildProcess[] = [];

/** A process that has loaded everything and waits; the next one warms up meanwhile. */
async function begin(folder: string, only: string | undefined, from = services): Promise<ChildProcess> {
  const start = () =>
    spawn(process.execPath, [child], {
      stdio: ['pipe', 'pipe', 'pipe'],
      env: { ...process.env, ...demoEnvironment },
    });
  const own = warm.pop() ?? start();
  warm.push(start());
  await once(own.stdout!.setEncoding('utf8'), 'data');
  own.stdin!.write(`${JSON.stringify({ folder, only, addresses: demoAddresses(from) })}\n`);
  return own;
}

async function finish(folder: string, only: string | undefined, from = services): Promise<number> {
  const began = performance.now();
  const own = await begin(folder, only, from);
  let errors = '';
  own.stderr!.setEncoding('utf8').on('data', (text: string) => {
    errors += text;
  });
  const [code] = (await once(own, 'exit')) as [number | null];
  expect(code, errors).toBe(0);
  return performance.now() - began;
}

/** Every file of a study with its bytes; what differs from run to run in the address of an order is taken out. */
function everything(study: StudyFolder): Map<string, string> {
  return new Map(
    study.files().map((path) => {
      const bytes = readFileSync(join(study.folder, path));
      return [
        path,
        /\.(jsonl|html)$/.test(path)
          ? bytes
              .toString('utf8')
              .replace(/\/jobs\/[0-9a-f]+/g, '/jobs/…')
              // Digests of the files in which such an address stands.
              .replace(/"(of|delivered\/(ledger\.jsonl|report\.html))":"[0-9a-f]{64}"/g, '"$1":"…"')
          : bytes.toString('base64'),
      ];
    }),
  );
}

const newStudy = () => new StudyFolder().write(`${sources}${body}`, area);

beforeAll(async () => {
  const made = await rolldown({
    input: fileURLToPath(new URL('../support/study-child.mjs', import.meta.url)),
    platform: 'node',
    external: ['@resvg/resvg-js', 'node-sqlite3-wasm', '#stand-ins', /^node:/],
  });
  await made.write({ file: child, format: 'esm', codeSplitting: false });
  data = mkdtempSync(join(tmpdir(), 'isomeric-killed-'));
  cpSync(join(demoFolder, 'data'), data, { recursive: true });
  services = await startStandIns({
    data,
    moods: Object.fromEntries(offices.map((office) => [office, () => mood])),
    desk: { takes: 150, mostArea: 200 },
  });
});
afterAll(async () => {
  await later?.close();
  for (const own of warm) own.kill('SIGKILL');
  await services.close();
  rmSync(data, { recursive: true, force: true });
});

/** What differs between two studies, in words. */
function differences(found: ReadonlyMap<string, string>, wanted: ReadonlyMap<string, string>): string[] {
  const words: string[] = [];
  for (const path of new Set([...wanted.keys(), ...found.keys()])) {
    const [a, b] = [found.get(path), wanted.get(path)];
    if (a === b) continue;
    const lines = (text: string | undefined) => new Set((text ?? '').split('\n'));
    const own = lines(a);
    const other = lines(b);
    words.push(
      a === undefined || b === undefined
        ? `${path} ${a === undefined ? 'is missing' : 'is left over'}`
        : /\.(jsonl|html)$/.test(path)
          ? `${path}: ${[...own].filter((line) => !other.has(line))} instead of ${[...other].filter((line) => !own.has(line))}`
          : `${path} has other bytes`,
    );
  }
  return words;
}

describe.each([
  ['gather', 4],
  [undefined, 1],
])('a study (stage: %s) that is killed at random points and started again', (only, studies) => {
  let wanted: Map<string, string>;
  let lasts = 0;

  it('first of all ends by itself, twice the same', async () => {
    mood = 'slow';
    const [study, again] = [newStudy(), newStudy()];
    lasts = Math.max(await finish(study.folder, only), await finish(again.folder, only));
    wanted = everything(study);
    expect(differences(everything(again), wanted)).toEqual([]);
    expect(wanted.size).toBeGreaterThan(only === undefined ? 24 : 17);
    study.end();
    again.end();
  });

  // Most of the time is waiting for slow services: all studies at once.
  it.concurrent.each(Array.from({ length: studies }, (_, k) => k + 1))(
    'ends in the same bytes after ten kills (study %i)',
    async () => {
      const study = newStudy();
      const times: number[] = [];
      try {
        for (let kill = 0; kill < 10; kill++) {
          const own = await begin(study.folder, only);
          const after = Math.random() * lasts * 0.9;
          times.push(Math.round(after));
          await new Promise((resolve) => setTimeout(resolve, after));
          own.kill('SIGKILL');
          if (own.exitCode === null && own.signalCode === null) await once(own, 'exit');
        }
        await finish(study.folder, only);
        expect(differences(everything(study), wanted), `killed after ${times.join(', ')} ms`).toEqual([]);
      } finally {
        study.end();
      }
    },
    120_000,
  );
});

describe('a refresh that is killed at random points and started again', () => {
  it('ends in the same bytes after thirty kills, the difference to before included', async () => {
    later = await startStandIns({
      data,
      release: 'second',
      moods: Object.fromEntries(offices.map((office) => [office, () => mood])),
      desk: { takes: 150, mostArea: 200 },
    });
    mood = 'well';
    const [whole, killed] = [newStudy(), newStudy()];
    try {
      await finish(whole.folder, undefined);
      await finish(killed.folder, undefined);
      const lasts = await finish(whole.folder, undefined, later);
      const wanted = everything(whole);
      expect(JSON.parse(whole.text('prepared/changes.json')).layers).toContainEqual(
        expect.objectContaining({ layer: 'wards', state: 'changed' }),
      );
      const times: number[] = [];
      for (let kill = 0; kill < 30; kill++) {
        const own = await begin(killed.folder, undefined, later);
        const after = Math.random() * lasts * 1.1;
        times.push(Math.round(after));
        const ended = once(own, 'exit');
        await Promise.race([ended, new Promise((resolve) => setTimeout(resolve, after))]);
        own.kill('SIGKILL');
        if (own.exitCode === null && own.signalCode === null) await ended;
      }
      await finish(killed.folder, undefined, later);
      expect(differences(everything(killed), wanted), `killed after ${times.join(', ')} ms`).toEqual([]);
    } finally {
      whole.end();
      killed.end();
    }
  }, 300_000);
});
