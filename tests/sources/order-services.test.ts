import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterEach, describe, expect, it } from 'vitest';
import type { Box } from '../../src/core/geometry/geometry-array.ts';
import { halves, piecesOf, squareKilometres } from '../../src/sources/pieces.ts';
import { type Mood, type OrderDeskOptions, orderDesk } from '../../stand-ins/src/index.ts';
import type { Service } from '../../stand-ins/src/service.ts';
import { demoFolder } from '../support/demo-study.ts';
import { idsOf, StudyFolder } from '../support/study-folder.ts';

const data = join(demoFolder, 'data/order-desk');
const servers: Service[] = [];
const studies: StudyFolder[] = [];
afterEach(async () => {
  await Promise.all(servers.splice(0).map((each) => each.close()));
  for (const study of studies.splice(0)) study.end();
});

async function desk(options: Partial<OrderDeskOptions> = {}) {
  const asked: string[] = [];
  const state = { mood: 'well' as Mood };
  const server = orderDesk({
    folder: data,
    takes: 10,
    mood: () => state.mood,
    onRequest: (url) => asked.push(url),
    ...options,
  });
  servers.push(server);
  const placed = () => asked.filter((url) => url.endsWith('/execution')).length;
  return { address: await server.listen({ host: '127.0.0.1', port: 0 }), asked, state, placed };
}

const both = '  embankments: { from: desk }\n  pumps: { from: desk }\n';

function study(address: string, gather = both, more = ', agreed: 2026-01-01'): StudyFolder {
  const own = new StudyFolder().write(
    `sources:\n  desk: { kind: orders, at: "${address}/", licence: L${more} }\ngather:\n${gather}`,
  );
  studies.push(own);
  return own;
}

const idsIn = (name: string) =>
  (
    JSON.parse(readFileSync(join(data, `${name}.geojson`), 'utf8')) as { features: { id: string }[] }
  ).features.map(({ id }) => id);

describe('orders that take time', () => {
  it('bring several datasets in one order', async () => {
    const { address, placed } = await desk();
    const own = study(address);
    await own.gather();
    expect(placed()).toBe(1);
    expect(await idsOf(await own.open('embankments'))).toEqual(idsIn('embankments'));
    expect(await idsOf(await own.open('pumps'))).toEqual(idsIn('pumps'));
    expect((await own.ledger()).orders.size).toBe(0);
    expect(own.said.find((line) => line.startsWith('Gather:'))).toMatch(
      /^Gather: embankments, pumps from desk; 2 files/,
    );
    // What was received stays: another run is no other order, unless it is asked for.
    await own.gather();
    expect(placed()).toBe(1);
    expect(own.said.at(-1)).toMatch(/kept as received on \d{4}-\d\d-\d\d\.$/);
    await own.gather({ again: ['pumps'] });
    expect(placed()).toBe(2);
  });

  it.each([
    ['the study says', ', agreed: 2026-01-01, limits: { square kilometres: 200 }', {}],
    ['the provider refuses at once', ', agreed: 2026-01-01', {}],
    ['the provider tells late', ', agreed: 2026-01-01', { tellsLate: true }],
  ])(
    'go in pieces where the area is too large, as %s, with border features once',
    async (_, more, options) => {
      const { address, placed } = await desk({ mostArea: 250, ...options });
      const own = study(address, both, more);
      await own.gather();
      expect(placed()).toBeGreaterThan(3);
      const layer = await own.open('embankments');
      expect((await idsOf(layer)).sort()).toEqual(idsIn('embankments'));
      expect(layer.accounts.at(-1)!.sentence).toMatch(/^Once: \d+ embankments in; 16 kept, \d+ left out/);
      expect(own.said.join('\n')).toContain('pieces; what lies across their borders is kept once');
    },
  );

  it('are fetched by a later run when they take long', async () => {
    let clock = 0;
    const { address, placed } = await desk({ takes: 3_600_000, now: () => clock });
    const own = study(address);
    await expect(own.gather({ longestOrder: 300 })).rejects.toMatchObject({
      code: 'order-pending',
      advice: expect.stringContaining('not ordered anew') as string,
    });
    const [order] = (await own.ledger()).orders.values();
    expect(order.jobs).toHaveLength(1);
    expect(order.jobs[0].url).toMatch(/\/jobs\/[0-9a-f]+$/);
    clock = 1_800_000;
    await expect(own.gather({ longestOrder: 300 })).rejects.toMatchObject({
      message: expect.stringContaining('at 50 %') as string,
    });
    clock = 4_000_000;
    await own.gather();
    expect(placed()).toBe(1);
    expect(own.said.join('\n')).toContain('1 order of an earlier run is taken up again');
    expect(await idsOf(await own.open('pumps'))).toEqual(idsIn('pumps'));
    expect((await own.ledger()).orders.size).toBe(0);
  });

  it('that fail are told with the reason of the provider, and ordered anew by the next run', async () => {
    const { address, state, placed } = await desk();
    const own = study(address);
    state.mood = 'failing';
    await expect(own.gather()).rejects.toMatchObject({
      code: 'order-failed',
      message: expect.stringContaining('The survey of this area is locked by another user') as string,
    });
    expect((await own.ledger()).orders.size).toBe(0);
    state.mood = 'well';
    await own.gather();
    expect(placed()).toBe(2);
  });

  it('whose results have expired are ordered anew', async () => {
    const { address, state, placed, asked } = await desk();
    const own = study(address);
    state.mood = 'forgetful';
    const going = own.gather();
    // The desk throws results away until it has been asked for some.
    const watch = setInterval(() => {
      if (asked.some((url) => url.endsWith('/results'))) state.mood = 'well';
    }, 2);
    await going.finally(() => clearInterval(watch));
    expect(placed()).toBe(2);
    expect(own.said.join('\n')).toContain('had expired at the provider; it was ordered anew');
    expect(await idsOf(await own.open('pumps'))).toEqual(idsIn('pumps'));
  });

  it('of which half is lost keep the other half', async () => {
    const { address } = await desk({ lost: ['pumps'] });
    const own = study(address);
    await expect(own.gather()).rejects.toMatchObject({ code: 'order-failed' });
    const ledger = await own.ledger();
    expect(ledger.datasets.get('embankments')!.state).toBe('done');
    expect(ledger.datasets.get('pumps')!.state).toBe('begun');
    expect(own.said.join('\n')).toContain('pumps could not be gathered');
    expect(own.files('gathered/desk')).toContain('gathered/desk/embankments/piece-001.geojson');
  });

  it('wait in line where the provider works on so many at a time', async () => {
    const { address } = await desk({ mostArea: 250, mostJobs: 1 });
    const own = study(address);
    await own.gather({ tries: 30 });
    expect((await idsOf(await own.open('pumps'))).sort()).toEqual(idsIn('pumps'));
    expect(own.slept).toContain(1000);
  });

  it('are counted by their features, and not placed in hundreds', async () => {
    const { address, placed } = await desk();
    const limits = (more: string) => `, agreed: 2026-01-01, limits: { ${more} }`;
    const own = study(address, both, limits('features a month: 1000'));
    await own.gather();
    expect(own.said.join('\n')).toContain('the monthly limit cannot be held against it');
    expect([...(await own.ledger()).usage.values()]).toMatchObject([
      { features: idsIn('pumps').length + idsIn('embankments').length },
    ]);
    const many = study(address, both, limits('square kilometres: 2'));
    await expect(many.gather()).rejects.toMatchObject({ code: 'order-too-large', blame: 'usage' });
    expect(placed()).toBe(1);
  });

  it('tell what the process does not take', async () => {
    const { address } = await desk();
    await expect(study(address, '  levees: { from: desk }\n').gather()).rejects.toMatchObject({
      code: 'collection-unknown',
    });
    await expect(study(address, '  pumps: { from: desk, process: print }\n').gather()).rejects.toMatchObject({
      code: 'process-unknown',
      advice: expect.stringContaining('extract') as string,
    });
    await expect(
      study(address, '  pumps: { from: desk, inputs: { colour: red } }\n').gather(),
    ).rejects.toMatchObject({ code: 'input-unknown' });
  });
});

describe('terms of use', () => {
  it('stop the run until the study agrees, and again when they change', async () => {
    const { address, placed } = await desk();
    const open = study(address, both, '');
    const error = await open.gather().catch((each: unknown) => each as { code: string; sentence: string });
    expect(error).toMatchObject({ code: 'terms-not-agreed', blame: 'usage' });
    expect((error as { sentence: string }).sentence).toMatch(
      /gathered\/desk\/~terms\.html: .*“Terms of the order desk”.*write “agreed: \d{4}-\d\d-\d\d” under sources → desk/,
    );
    expect(placed()).toBe(0);
    expect(open.text('gathered/desk/~terms.html')).toContain('Flood works are shown as of the last survey.');
    const own = study(address, both, ', agreed: 2026-02-03');
    await own.gather();
    const [terms] = (await own.ledger()).terms.values();
    expect(terms).toMatchObject({
      source: 'desk',
      agreed: '2026-02-03',
      title: 'Terms of the order desk',
      text: 'Terms of the order desk\nFlood works are shown as of the last survey. Nothing here replaces a look at the site.',
    });
    expect(terms.url).toBe(`${address}/terms`);
    // Another text than the one that was agreed to: as if the service had changed it.
    const ledger = own.text('ledger.jsonl').replace(terms.sha256, '0'.repeat(64));
    const { writeFileSync } = await import('node:fs');
    writeFileSync(join(own.folder, 'ledger.jsonl'), ledger);
    await expect(own.gather({ again: ['pumps'] })).rejects.toMatchObject({ code: 'terms-changed' });
    own.write(
      `sources:\n  desk: { kind: orders, at: "${address}/", licence: L, agreed: 2026-03-04 }\ngather:\n${both}`,
    );
    await own.gather({ again: ['pumps'] });
    expect([...(await own.ledger()).terms.values()].map(({ agreed }) => agreed)).toEqual(['2026-03-04']);
  });

  it('of a source that is not there fail that source alone', async () => {
    const { address } = await desk();
    const own = new StudyFolder().write(
      `sources:\n  gone: { kind: orders, at: "http://127.0.0.1:9/" }\n  desk: { kind: orders, at: "${address}/", agreed: 2026-01-01 }\ngather:\n  lost: { from: gone }\n  pumps: { from: desk }\n`,
    );
    studies.push(own);
    await expect(own.gather({ tries: 1 })).rejects.toMatchObject({ code: 'source-unreachable' });
    expect((await own.ledger()).datasets.get('pumps')!.state).toBe('done');
  });
});

describe('pieces of an area', () => {
  it('cover it without overlap, none larger than allowed', () => {
    fc.assert(
      fc.property(
        fc.tuple(
          fc.double({ min: -170, max: 160, noNaN: true }),
          fc.double({ min: -80, max: 70, noNaN: true }),
          fc.double({ min: 0.01, max: 10, noNaN: true }),
          fc.double({ min: 0.01, max: 10, noNaN: true }),
        ),
        fc.double({ min: 500, max: 5e5, noNaN: true }),
        ([west, south, width, height], most) => {
          const box: Box = [west, south, west + width, south + height];
          const pieces = piecesOf(box, (each) => squareKilometres(each) > most);
          const sum = pieces.reduce((total, piece) => total + squareKilometres(piece), 0);
          expect(sum / squareKilometres(box)).toBeCloseTo(1, 6);
          for (const piece of pieces) expect(squareKilometres(piece)).toBeLessThanOrEqual(most);
          const [a, b] = halves(box);
          expect([a[0], a[1], b[2], b[3]]).toEqual([...box]);
        },
      ),
      { numRuns: 50 },
    );
    // A degree by a degree at the equator: R²·Δλ·sin φ.
    expect(squareKilometres([0, 0, 1, 1])).toBeCloseTo(12_363.7, 0);
  });
});
