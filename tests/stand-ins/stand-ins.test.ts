import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  fileOffice,
  type Mood,
  moods,
  offices,
  type StandIns,
  startStandIns,
  usualPorts,
} from '../../stand-ins/src/index.ts';

const data = fileURLToPath(new URL('../../demo/data', import.meta.url));
let services: StandIns;
let mood: Mood = 'well';

interface Page {
  numberMatched: number;
  numberReturned: number;
  features: { id: string; properties: { vintage: number } }[];
  links: { rel: string; href: string }[];
}

beforeAll(async () => {
  services = await startStandIns({ data, pageSize: 50, moods: { boundaryOffice: () => mood } });
});
afterAll(() => services.close());

const get = (path: string, headers: Record<string, string> = {}) =>
  fetch(`${services.boundaryOffice.address}${path}`, { headers });
const json = async <T>(path: string) => (await (await get(path)).json()) as T;

describe('the boundary office, as OGC API – Features prescribes', () => {
  it('leads from the landing page to the items', async () => {
    const landing = await json<{ links: { rel: string; href: string }[] }>('/');
    expect(landing.links.map((link) => link.rel)).toEqual(['self', 'conformance', 'data']);
    const { conformsTo } = await json<{ conformsTo: string[] }>('/conformance');
    expect(conformsTo).toContain('http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core');
    const { collections } = await json<{ collections: { id: string; links: { rel: string }[] }[] }>(
      '/collections',
    );
    expect(collections.map((collection) => collection.id)).toEqual([
      'provinces',
      'districts',
      'wards',
      'wards-2019',
    ]);
    for (const collection of collections)
      expect(collection.links.map((link) => link.rel.replace(/^.*\//, ''))).toEqual([
        'items',
        'license',
        'queryables',
      ]);
  });

  it('pages through all features once, with tokens that mean nothing to others', async () => {
    const ids: string[] = [];
    let url: string | undefined = `${services.boundaryOffice.address}/collections/wards/items`;
    let pages = 0;
    while (url !== undefined) {
      const page = (await (await fetch(url)).json()) as Page;
      ids.push(...page.features.map((feature) => feature.id));
      expect(page.numberMatched).toBe(296);
      expect(page.numberReturned).toBe(page.features.length);
      url = page.links.find((link) => link.rel === 'next')?.href;
      if (url !== undefined) expect(url).toMatch(/token=[A-Za-z0-9_-]+/);
      pages++;
    }
    expect(pages).toBe(6);
    expect(new Set(ids).size).toBe(296);
  });

  it('honours box and limit, and refuses a wrong box', async () => {
    const near = await json<Page>('/collections/wards/items?bbox=-30.1,45.5,-30,45.6&limit=7');
    expect(near.numberReturned).toBe(7);
    expect(near.numberMatched).toBeLessThan(40);
    expect((await get('/collections/wards/items?bbox=1,2,3')).status).toBe(400);
    expect((await get('/collections/cantons/items')).status).toBe(404);
    expect((await get('/collections/cantons')).status).toBe(404);
  });

  it('has two vintages, and the older one has fewer wards', async () => {
    const old = await json<Page>('/collections/wards-2019/items?limit=1000');
    expect(old.numberMatched).toBe(292);
    expect(new Set(old.features.map((feature) => feature.properties.vintage))).toEqual(new Set([2019]));
  });

  it('answers 304 to whoever has the current answer', async () => {
    const first = await get('/collections/districts/items');
    const etag = first.headers.get('etag')!;
    expect(etag).toMatch(/^"[0-9a-f]{16}"$/);
    expect((await get('/collections/districts/items', { 'if-none-match': etag })).status).toBe(304);
  });

  it('can be told to have a bad day', async () => {
    mood = 'busy';
    const busy = await get('/collections');
    expect([busy.status, busy.headers.get('retry-after')]).toEqual([503, '1']);
    mood = 'html';
    expect(await (await get('/collections')).text()).toContain('Maintenance');
    mood = 'cut';
    await expect(get('/collections').then((response) => response.text())).rejects.toThrow();
    mood = 'loop';
    const page = await json<Page>('/collections/wards/items?limit=100');
    const second = (await (await fetch(page.links[0].href)).json()) as Page;
    expect(second.features[0].id).toBe(page.features[0].id);
    mood = 'well';
    expect((await get('/collections')).status).toBe(200);
  });
});

describe('offices that hand out files', () => {
  it('name their files, answer conditional requests, and let nobody out of their folder', async () => {
    const base = services.statisticsOffice.address;
    const { files } = (await (await fetch(`${base}/`)).json()) as { files: string[] };
    expect(files.sort()).toEqual([
      '/files/HOUSING.csv',
      '/files/MOBILITY-2024.zip',
      '/files/POPULATION-2019.csv',
      '/files/POPULATION.csv',
      '/files/RESIDENTS.csv',
      '/files/catalogue.json',
    ]);
    const first = await fetch(`${base}/files/HOUSING.csv`);
    expect(first.headers.get('content-type')).toContain('text/csv');
    expect(first.headers.get('last-modified')).toBeTruthy();
    await first.text();
    expect(
      (await fetch(`${base}/files/HOUSING.csv`, { headers: { 'if-none-match': first.headers.get('etag')! } }))
        .status,
    ).toBe(304);
    for (const path of ['..%2Fteskaria-grid.wkt', '%2e%2e%2fteskaria-grid.wkt', 'nothing.csv'])
      expect((await fetch(`${base}/files/${path}`)).status).toBe(404);
  });

  it('can want a key', async () => {
    const server = fileOffice({
      folder: `${data}/statistics-office`,
      title: 'Locked office',
      key: { header: 'x-key', value: 'right' },
    });
    const address = await server.listen({ host: '127.0.0.1', port: 0 });
    try {
      expect((await fetch(`${address}/files/HOUSING.csv`)).status).toBe(401);
      expect((await fetch(`${address}/files/HOUSING.csv`, { headers: { 'x-key': 'wrong' } })).status).toBe(
        401,
      );
      expect((await fetch(`${address}/files/HOUSING.csv`, { headers: { 'x-key': 'right' } })).status).toBe(
        200,
      );
    } finally {
      await server.close();
    }
  });
});

describe('moods', () => {
  it('are changed by a request, and those that there are not are told', async () => {
    const own = await startStandIns({ data, moodsByRequest: true, desk: { takes: 0 } });
    const post = (address: string, mood: string) =>
      fetch(`${address}/mood`, { method: 'POST', headers: { 'content-type': 'text/plain' }, body: mood });
    try {
      for (const office of offices) {
        const { address } = own[office];
        expect((await post(address, 'gloomy')).status).toBe(400);
        expect(await (await post(address, 'refused')).json()).toEqual({
          mood: 'refused',
          means: moods.refused,
        });
        expect((await fetch(`${address}/anything`)).status).toBe(403);
        expect((await fetch(`${address}/`)).status).toBe(200);
        await post(address, 'well');
        expect((await fetch(`${address}/anything`)).status).toBe(404);
      }
    } finally {
      await own.close();
    }
  });

  it('all stand in the documentation, with what they do', () => {
    const page = readFileSync(fileURLToPath(new URL('../../docs/stand-ins.md', import.meta.url)), 'utf8');
    for (const [mood, means] of Object.entries(moods))
      expect(page).toMatch(new RegExp(`\\| \`${mood}\` +\\| ${means} +\\|`));
    for (const [office, port] of Object.entries(usualPorts)) {
      expect(page).toContain(`\`${office}\``);
      expect(page).toContain(`:${port}`);
    }
  });
});

describe('the order desk, as OGC API – Processes prescribes', () => {
  it('takes an order, tells its state, hands out results', async () => {
    let now = 0;
    const own = await startStandIns({ data, desk: { takes: 100, now: () => now } });
    const desk = own.orderDesk.address;
    try {
      const { jobControlOptions, inputs } = (await (await fetch(`${desk}/processes/extract`)).json()) as {
        jobControlOptions: string[];
        inputs: Record<string, unknown>;
      };
      expect(jobControlOptions).toEqual(['async-execute']);
      expect(Object.keys(inputs)).toEqual(['datasets', 'area']);
      const order = (body: unknown) =>
        fetch(`${desk}/processes/extract/execution`, {
          method: 'POST',
          headers: { 'content-type': 'application/json', prefer: 'respond-async' },
          body: JSON.stringify(body),
        });
      expect((await order({ inputs: { datasets: ['castles'] } })).status).toBe(400);
      expect((await order(null)).status).toBe(400);
      expect(
        (await order({ inputs: { datasets: ['pumps'], area: { bbox: [-31, 45, -29, 46] } } })).status,
      ).toBe(413);
      const placed = await order({ inputs: { datasets: ['pumps'] } });
      expect(placed.status).toBe(201);
      const job = placed.headers.get('location')!;
      const state = async () => (await (await fetch(job)).json()) as { status: string; progress: number };
      expect(await state()).toMatchObject({ status: 'accepted', progress: 0 });
      now = 50;
      expect(await state()).toMatchObject({ status: 'running', progress: 50 });
      now = 100;
      expect(await state()).toMatchObject({ status: 'successful', progress: 100 });
      const results = (await (await fetch(`${job}/results`)).json()) as Record<string, { href: string }>;
      expect(Object.keys(results)).toEqual(['pumps']);
      const file = (await (await fetch(results.pumps.href)).json()) as { features: unknown[] };
      expect(file.features).toHaveLength(13);
      expect((await fetch(`${desk}/jobs/none`)).status).toBe(404);
    } finally {
      await own.close();
    }
  });
});
