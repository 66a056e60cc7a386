import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, describe, expect, it } from 'vitest';
import { areaFrom } from '../../src/core/layer/area.ts';
import { type Crew, type TaskGiven, type Threads, useThreads } from '../../src/core/layer/threads.ts';
import { buffer, clip, erase, intersect, openLayer, prepare, save } from '../../src/index.ts';
import { threads } from '../../src/node/threads.ts';
import { randomFrom } from '../support/random.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-threads-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
afterEach(() => useThreads(null));

/** Squares in rows, some of them bow ties, some empty, one with a coordinate that is none. */
function squares(name: string, count: number, shift: number): string {
  const random = randomFrom(11);
  const features = Array.from({ length: count }, (_, k) => {
    const [x, y] = [500_000 + 100 * (k % 60) + shift * random(), 4_000_000 + 100 * Math.floor(k / 60)];
    const ring = [
      [x, y],
      [x + 130, y],
      [x + 130, y + 120 + 9 * random()],
      [x, y + 120],
      [x, y],
    ];
    if (k % 97 === 0) [ring[1], ring[2]] = [ring[2], ring[1]];
    const geometry = k % 131 === 7 ? null : { type: 'Polygon', coordinates: [ring] };
    return JSON.stringify({ type: 'Feature', id: k, properties: { n: k, group: k % 5 }, geometry });
  });
  const path = join(folder, `${name}.geojson`);
  writeFileSync(
    path,
    `{"type":"FeatureCollection","crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::32626"}},"features":[${features.join(',\n')}]}`,
  );
  return path;
}

const path = squares('given', 4000, 40);
const others = squares('others', 900, 70);
const given = () => openLayer(path);

const steps = {
  buffer: () => prepare(given(), buffer({ distance: 30 })),
  rings: () => prepare(given(), buffer({ rings: [10, 40] })),
  intersect: () => prepare(given(), intersect(openLayer(others), { pieces: 'given', split: ['n'] })),
  clip: () => prepare(given(), clip(openLayer(others).then((layer) => areaFrom(layer)))),
  erase: () => prepare(given(), erase(openLayer(others).then((layer) => areaFrom(layer)))),
};

/** Threads that are called at once, however little there is to do. */
const eager = (offered: Threads): Threads => {
  let now = 0;
  return { ...offered, clock: () => (now += 1000) };
};

async function bytesOf(name: keyof typeof steps, offered: Threads | null) {
  const layer = await steps[name]();
  // What was opened has called for the threads of the machine: here it is said which.
  useThreads(offered);
  const out = join(folder, `${name}-${offered === null ? 'one' : 'several'}.fgb`);
  const { sentences } = await save(layer, out, { replace: true });
  return { bytes: readFileSync(out), said: sentences.map((each) => each.replace(/-(one|several)/g, '')) };
}

describe('layer verbs in several threads', () => {
  it.each(Object.keys(steps) as (keyof typeof steps)[])(
    '%s gives the same bytes and says the same as in one',
    async (name) => {
      const machine = threads();
      expect(machine).not.toBeNull();
      let asked = 0;
      const watched = eager({
        ...machine!,
        most: 2,
        async start(task, setup) {
          const crew = await machine!.start(task, setup);
          return {
            ...crew,
            size: crew.size,
            ask: (each: TaskGiven) => {
              asked++;
              return crew.ask(each);
            },
            end: () => crew.end(),
          };
        },
      });
      const one = await bytesOf(name, null);
      const several = await bytesOf(name, watched);
      expect(several.said).toEqual(one.said);
      expect(several.bytes.equals(one.bytes)).toBe(true);
      // Clip has the whole layer in one batch, which is done before others are called.
      if (name === 'buffer' || name === 'intersect') expect(asked).toBeGreaterThan(2);
    },
    60_000,
  );

  it('what threads fail at is done in the one that asked', async () => {
    const failing: Crew = { size: 2, ask: () => Promise.resolve(null), end: () => {} };
    const one = await bytesOf('buffer', null);
    const several = await bytesOf(
      'buffer',
      eager({ most: 2, clock: () => 0, start: () => Promise.resolve(failing) }),
    );
    expect(several.bytes.equals(one.bytes)).toBe(true);
  }, 60_000);

  it('are ended with what asked for them, also when it is broken off', async () => {
    let ended = 0;
    const layer = await steps.buffer();
    useThreads(
      eager({
        most: 2,
        clock: () => 0,
        async start(task, setup) {
          const crew = await threads()!.start(task, setup);
          return {
            size: crew.size,
            ask: (each) => crew.ask(each),
            end: () => {
              ended++;
              crew.end();
            },
          };
        },
      }),
    );
    let seen = 0;
    for await (const batch of layer.batches()) {
      seen += batch.length;
      if (seen > 1500) break;
    }
    expect(ended).toBe(1);
  }, 60_000);

  it('are as many as asked for', () => {
    const before = process.env.ISOMERIC_THREADS;
    process.env.ISOMERIC_THREADS = '1';
    expect(threads()).toBeNull();
    process.env.ISOMERIC_THREADS = '3';
    expect(threads()!.most).toBe(3);
    process.env.ISOMERIC_THREADS = 'many';
    expect(threads()).toBeNull();
    if (before === undefined) delete process.env.ISOMERIC_THREADS;
    else process.env.ISOMERIC_THREADS = before;
  });
});
