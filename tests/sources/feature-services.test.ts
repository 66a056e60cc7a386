import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterEach, describe, expect, it } from 'vitest';
import type { Layer } from '../../src/core/layer/layer.ts';
import { outerMembers } from '../../src/sources/features/page.ts';
import { cql2Text, sendablePart } from '../../src/sources/pushdown.ts';
import { filterXml } from '../../src/sources/wfs/fes.ts';
import { type BoundaryOfficeOptions, boundaryOffice, type Mood } from '../../stand-ins/src/index.ts';
import type { Service } from '../../stand-ins/src/service.ts';
import { demoFolder } from '../support/demo-study.ts';
import { idsOf, StudyFolder, verticesOf } from '../support/study-folder.ts';

interface BoundaryFile {
  features: {
    id: string;
    properties: Record<string, unknown>;
    geometry: { type: string; coordinates: unknown };
  }[];
}

const data = join(demoFolder, 'data/boundary-office');
const truth = (name: string) =>
  JSON.parse(readFileSync(join(data, `${name}.geojson`), 'utf8')) as BoundaryFile;
const flatVertices = (coordinates: unknown): number[] => (coordinates as unknown[]).flat(9) as number[];

const servers: Service[] = [];
const folders: StudyFolder[] = [];
afterEach(async () => {
  await Promise.all(servers.splice(0).map((each) => each.close()));
  for (const folder of folders.splice(0)) folder.end();
});

/** A boundary office on a free port, with all that it was asked. */
async function office(options: Partial<BoundaryOfficeOptions> = {}) {
  const asked: string[] = [];
  const state = { mood: 'well' as Mood };
  const server = boundaryOffice({
    folder: data,
    mood: () => state.mood,
    onRequest: (url) => asked.push(decodeURIComponent(url)),
    ...options,
  });
  servers.push(server);
  return { address: await server.listen({ host: '127.0.0.1', port: 0 }), asked, state };
}

function study(body: string, area?: string): StudyFolder {
  const folder = new StudyFolder().write(body, area);
  folders.push(folder);
  return folder;
}

const whole = 'area: { box: { west: -31, south: 45, east: -29, north: 46.5 } }';
const source = (kind: string, address: string, more = '') =>
  `sources:\n  office: { kind: ${kind}, at: "${address}"${more} }\n`;

describe('OGC API – Features, parts 1 to 3', () => {
  it('brings every feature of a collection once, to the last digit', async () => {
    const { address } = await office({ pageSize: 40 });
    const own = study(
      `${source('features', `${address}/`)}gather:\n  wards: { from: office, vintage: 2024 }\n`,
      whole,
    );
    await own.gather();
    const layer = await own.open('wards');
    const { features } = truth('wards-2024');
    expect(await idsOf(layer)).toEqual(features.map(({ id }) => id));
    expect(await verticesOf(layer)).toEqual(
      features.flatMap(({ geometry }) => flatVertices(geometry.coordinates)),
    );
    expect(own.files('gathered/office/wards@2024')).toHaveLength(8);
    const { receipts } = await own.ledger();
    expect([...receipts.values()].reduce((sum, { features: n }) => sum + n!, 0)).toBe(296);
  });

  it('sends the part of a condition that the service knows, and applies all of it here', async () => {
    const { address, asked } = await office();
    const own = study(
      `${source('features', `${address}/`)}gather:\n  wards:\n    from: office\n    where: "district = 'T204' AND code LIKE '0204%' AND char_length(name) > 6"\n`,
      whole,
    );
    await own.gather().catch(() => {});
    const sent = asked.find((url) => url.includes('filter='))!;
    expect(sent).toContain("filter=(district+=+'T204')+AND+(code+LIKE+'0204%')");
    expect(sent).toContain('filter-lang=cql2-text');
    expect(own.said.join('\n')).toContain("where (district = 'T204') AND (code LIKE '0204%')");
  });

  it('filters here what a service cannot, with the same result', async () => {
    const ids: string[][] = [];
    for (const abilities of ['all', 'core', 'gml'] as const) {
      const { address, asked } = await office({ abilities, pageSize: 70 });
      const own = study(
        `${source('features', `${address}/`)}gather:\n  wards: { from: office, where: "district IN ('T204', 'T101') AND NOT (code = '020401')" }\n`,
        whole,
      );
      await own.gather();
      const rows = await own.rows('wards');
      ids.push(rows.map(({ code }) => String(code)));
      expect(asked.some((url) => url.includes('filter='))).toBe(abilities === 'all');
      if (abilities !== 'all')
        expect(own.said.join('\n')).toContain('the service cannot filter; the condition is applied here');
    }
    const wanted = truth('wards-2024')
      .features.map(({ properties }) => properties as { code: string; district: string })
      .filter(({ code, district }) => ['T204', 'T101'].includes(district) && code !== '020401')
      .map(({ code }) => code);
    expect(wanted.length).toBeGreaterThan(20);
    for (const found of ids) expect(found).toEqual(wanted);
  });

  it('asks for another CRS, with its box, and reads coordinates in the order of its axes', async () => {
    const { address, asked } = await office();
    const own = study(
      `${source('features', `${address}/`)}gather:\n  plain: { from: office, collection: districts }\n  latitudes: { from: office, collection: districts, in crs: "EPSG:4326" }\n  metres: { from: office, collection: districts, in crs: "EPSG:3857" }\n`,
    );
    await own.gather();
    expect(asked.find((url) => url.includes('crs=') && url.includes('4326'))).toMatch(
      /bbox=45\.35,-30\.2,45\.8,-29\.3&bbox-crs=http:\/\/www\.opengis\.net\/def\/crs\/EPSG\/0\/4326/,
    );
    const plain = (await own.open('plain')) as Layer;
    const latitudes = (await own.open('latitudes')) as Layer;
    const metres = (await own.open('metres')) as Layer;
    expect(await idsOf(latitudes)).toEqual(await idsOf(plain));
    expect(await verticesOf(latitudes)).toEqual(await verticesOf(plain));
    expect(latitudes.crs?.code).toBe('EPSG:4326');
    expect(metres.crs?.code).toBe('EPSG:3857');
    // Web Mercator on the sphere: x = R·λ (EPSG Guidance Note 7-2, method 1024).
    const [lon] = await verticesOf(plain);
    expect((await verticesOf(metres))[0]).toBeCloseTo((6378137 * lon * Math.PI) / 180, 2);
    await expect(
      study(
        `${source('features', `${address}/`)}gather:\n  districts: { from: office, in crs: "EPSG:32625" }\n`,
      ).gather(),
    ).rejects.toMatchObject({ code: 'crs-not-offered' });
  });

  it('brings features by their ids', async () => {
    const { address } = await office();
    const own = study(
      `${source('features', `${address}/`)}gather:\n  two: { from: office, collection: wards, ids: ["020405", "020401"] }\n`,
    );
    await own.gather();
    expect(await idsOf(await own.open('two'))).toEqual(['020405', '020401']);
    const none = study(
      `${source('features', `${address}/`)}gather:\n  two: { from: office, collection: wards, ids: ["nobody"] }\n`,
    );
    await expect(none.gather()).rejects.toMatchObject({ code: 'source-missing' });
  });

  it('knows features that come twice because the pages shifted', async () => {
    const { address, state } = await office({ pageSize: 30 });
    state.mood = 'shifting';
    const own = study(`${source('features', `${address}/`)}gather:\n  wards: { from: office }\n`, whole);
    await own.gather();
    const layer = await own.open('wards');
    expect(await idsOf(layer)).toEqual(truth('wards-2024').features.map(({ id }) => id));
    expect(layer.accounts.at(-1)!.sentence).toMatch(
      /^Once: \d+ wards in; 296 kept, \d+ left out that came before with the same id\.$/,
    );
  });

  it('reads GML where that is all there is, paged by headers', async () => {
    const { address } = await office({ abilities: 'gml', pageSize: 100 });
    const own = study(`${source('features', `${address}/`)}gather:\n  wards: { from: office }\n`, whole);
    await own.gather();
    expect(own.files('gathered')).toEqual([1, 2, 3].map((n) => `gathered/office/wards/page-000${n}.gml`));
    expect(await verticesOf(await own.open('wards'))).toEqual(
      truth('wards-2024').features.flatMap(({ geometry }) => flatVertices(geometry.coordinates)),
    );
  });

  it('tells a circle of pages whose addresses look new each time', async () => {
    const { address, state } = await office({ pageSize: 50 });
    state.mood = 'loop';
    const own = study(`${source('features', `${address}/`)}gather:\n  wards: { from: office }\n`, whole);
    await expect(own.gather()).rejects.toMatchObject({ code: 'source-loop' });
  });

  it('estimates: features near the area, features outside, bytes', async () => {
    const { address } = await office();
    const own = study(`${source('features', `${address}/`)}gather:\n  wards: { from: office }\n`);
    const { estimates } = await own.gather({ dry: true });
    const [line] = estimates!;
    expect(line.features! + line.outside!).toBe(296);
    await own.gather();
    const { receipts } = await own.ledger();
    const sum = (of: 'features' | 'bytes') =>
      [...receipts.values()].reduce((total, receipt) => total + receipt[of]!, 0);
    expect(sum('features')).toBe(line.features);
    expect(line.bytes! / sum('bytes')).toBeGreaterThan(0.5);
    expect(line.bytes! / sum('bytes')).toBeLessThan(2);
  });
});

describe('a page of features', () => {
  const parse = (text: string) => outerMembers(new TextEncoder().encode(text));

  it('shows its outer members as JSON.parse does, whatever is in them', () => {
    fc.assert(
      fc.property(
        fc.dictionary(fc.string(), fc.jsonValue({ maxDepth: 3 }), { maxKeys: 6 }),
        fc.constantFrom(undefined, 1, '\t'),
        (value, space) => {
          const text = JSON.stringify(value, null, space);
          const bytes = new TextEncoder().encode(text);
          const members = outerMembers(bytes)!;
          const again = Object.fromEntries(
            [...members].map(([key, { from, to }]) => [
              key,
              JSON.parse(new TextDecoder().decode(bytes.subarray(from, to))) as unknown,
            ]),
          );
          expect(again).toEqual(JSON.parse(text));
        },
      ),
    );
  });

  it('is not whole when any of its ends is missing', () => {
    const text = '{"type":"FeatureCollection","features":[{"id":"a\\"}"},{"id":2}],"links":[]} \n';
    expect(parse(text)!.get('features')!.objects).toBe(2);
    for (let cut = 0; cut < text.trimEnd().length; cut++)
      expect(parse(text.slice(0, cut)), `${cut}`).toBeNull();
    expect(parse(`${text}x`)).toBeNull();
    expect(parse('[1]')).toBeNull();
  });
});

describe('conditions for services', () => {
  const queryables = new Map([
    ['code', 'text'],
    ['n', 'number'],
    ['day', 'date'],
  ] as const);
  const send = (where: string, advanced = true) => {
    const part = sendablePart(where, queryables, { advanced });
    return part === null ? null : cql2Text(part);
  };

  it('go as far as the service knows them', () => {
    expect(send("code = '01' AND n > 5")).toBe("(code = '01') AND (n > 5)");
    expect(send("code = '01' AND m > 5")).toBe("code = '01'");
    expect(send("code = '01' OR m > 5")).toBeNull();
    expect(send("code LIKE '01%'", false)).toBeNull();
    expect(send('NOT (n BETWEEN 1 AND 5)')).toBe('NOT (n BETWEEN 1 AND 5)');
    expect(send("code IN ('a', 'it''s')")).toBe("code IN ('a', 'it''s')");
    expect(send('code IS NOT NULL')).toBe('NOT (code IS NULL)');
    // Codes that are numbers here and text there would be compared otherwise there.
    expect(send('code = 1')).toBeNull();
    expect(send("day > DATE('2024-01-01')")).toBeNull();
    expect(send('n * 2 > 5')).toBeNull();
  });

  it('are the same in the filter encodings of both versions', () => {
    const condition = sendablePart("code LIKE 'a<%' AND n BETWEEN 1 AND -5", queryables, { advanced: true });
    const two = filterXml('2.0.0', { condition })!;
    expect(two).toContain('<fes:ValueReference>code</fes:ValueReference><fes:Literal>a&lt;%</fes:Literal>');
    expect(two).toContain(
      '<fes:LowerBoundary><fes:Literal>1</fes:Literal></fes:LowerBoundary><fes:UpperBoundary><fes:Literal>-5</fes:Literal></fes:UpperBoundary>',
    );
    const one = filterXml('1.1.0', { condition })!;
    expect(one).toContain('<ogc:PropertyName>code</ogc:PropertyName>');
    expect(filterXml('2.0.0', { ids: ['a.1'] })).toContain('<fes:ResourceId rid="a.1"/>');
    expect(filterXml('2.0.0', {})).toBeNull();
  });
});

describe('Web Feature Service', () => {
  it.each([
    ['2.0', '/wfs', 6],
    ['1.1', '/wfs-1.1', 1],
  ])(
    'of version %s brings what the boundary files have, axes in order, codes as text',
    async (_, path, pages) => {
      const { address } = await office({ pageSize: 50 });
      const own = study(`${source('wfs', `${address}${path}`)}gather:\n  wards: { from: office }\n`, whole);
      await own.gather();
      const { features } = truth('wards-2024');
      const layer = (await own.open('wards')) as Layer;
      expect(await verticesOf(layer)).toEqual(
        features.flatMap(({ geometry }) => flatVertices(geometry.coordinates)),
      );
      expect(layer.schema.find(({ name }) => name === 'code')?.type).toBe('text');
      expect(layer.schema.find(({ name }) => name === 'vintage')?.type).toBe('integer');
      const rows = await own.rows('wards');
      expect(rows.map(({ code }) => code)).toEqual(features.map(({ properties }) => properties.code));
      expect(own.files('gathered').filter((file) => file.endsWith('.gml'))).toHaveLength(pages);
      expect(own.files('gathered')).toContain('gathered/office/wards/schema.xsd');
      const { receipts } = await own.ledger();
      expect([...receipts.values()].find(({ role }) => role === 'data')).toMatchObject({
        licence: 'Teskaria Open Boundaries Licence 2.0',
        citation: 'Boundary Office of Teskaria: Wards of Teskaria, 2024.',
      });
    },
  );

  it.each(['/wfs', '/wfs-1.1'])('filters at the service, by GET and by POST (%s)', async (path) => {
    const { address, asked } = await office();
    const many = truth('wards-2024')
      .features.map(({ properties }) => String(properties.code))
      .slice(0, 120);
    const own = study(
      `${source('wfs', `${address}${path}`)}gather:\n  few: { from: office, collection: wards, where: "district = 'T204' AND vintage BETWEEN 2020 AND 2030" }\n  many: { from: office, collection: wards, where: "code IN (${many.map((code) => `'${code}'`).join(', ')})" }\n`,
    );
    await own.gather();
    const few = await own.rows('few');
    expect(new Set(few.map(({ district }) => district))).toEqual(new Set(['T204']));
    const { receipts } = await own.ledger();
    const received = (name: string) =>
      [...receipts.values()]
        .filter(({ datasets, role }) => role === 'data' && datasets.includes(name))
        .reduce((sum, { features }) => sum + features!, 0);
    expect(received('few')).toBe(few.length);
    // 120 codes do not go into an address.
    expect(received('many')).toBe((await own.rows('many')).length);
    expect((await own.rows('many')).every(({ code }) => many.includes(String(code)))).toBe(true);
    expect(asked.filter((url) => url === path).length).toBeGreaterThan(0);
    expect(asked.every((url) => url.length < 2500)).toBe(true);
  });

  it('brings features by id, in another CRS, and of an older vintage', async () => {
    const { address } = await office();
    const own = study(
      `${source('wfs', `${address}/wfs`)}gather:\n  two: { from: office, collection: wards, ids: ["wards.020405", "wards.020401"] }\n  metres: { from: office, collection: districts, in crs: "EPSG:3857" }\n  old: { from: office, collection: wards, vintage: 2019 }\n`,
    );
    await own.gather();
    expect((await own.rows('two')).map(({ code }) => code).sort()).toEqual(['020401', '020405']);
    expect(((await own.open('metres')) as Layer).crs?.code).toBe('EPSG:3857');
    expect(Math.abs((await verticesOf(await own.open('metres')))[0])).toBeGreaterThan(3_000_000);
    expect(new Set((await own.rows('old')).map(({ vintage }) => vintage))).toEqual(new Set([2019]));
  });

  it('tells what the service says in exception reports, and what is no such service', async () => {
    const { address, state } = await office();
    const own = study(`${source('wfs', `${address}/wfs`)}gather:\n  wards: { from: office }\n`);
    state.mood = 'exception';
    await expect(own.gather()).rejects.toMatchObject({
      code: 'source-refused',
      message: expect.stringContaining('The database is asleep') as string,
    });
    state.mood = 'well';
    await expect(
      study(
        `${source('wfs', `${address}/wfs`)}gather:\n  x: { from: office, collection: cantons }\n`,
      ).gather(),
    ).rejects.toMatchObject({
      code: 'collection-unknown',
      advice: expect.stringContaining('wards') as string,
    });
    await expect(
      study(`${source('wfs', `${address}/collections`)}gather:\n  x: { from: office }\n`).gather(),
    ).rejects.toMatchObject({ code: 'source-garbled' });
  });

  it('notices answers that end in the middle, shifting pages and circles', async () => {
    const { address, state } = await office({ pageSize: 40 });
    const own = study(`${source('wfs', `${address}/wfs`)}gather:\n  wards: { from: office }\n`, whole);
    state.mood = 'loop';
    await expect(own.gather()).rejects.toMatchObject({ code: 'source-loop' });
    state.mood = 'shifting';
    await own.gather();
    expect(await idsOf(await own.open('wards'))).toHaveLength(296);
    state.mood = 'half';
    await expect(own.gather({ tries: 1 })).rejects.toMatchObject({
      code: expect.stringMatching(/source-(cut|garbled)/) as string,
    });
  });

  it('leaves nothing in the ledger of a schema that is gone with its protocol', async () => {
    const { address } = await office();
    const own = study(`${source('wfs', `${address}/wfs`)}gather:\n  wards: { from: office }\n`);
    await own.gather();
    own.write(`${source('features', `${address}/`)}gather:\n  wards: { from: office }\n`);
    await own.gather();
    expect([...(await own.ledger()).receipts.keys()].sort()).toEqual(own.files('gathered'));
  });

  it('counts before it fetches', async () => {
    const { address } = await office();
    for (const path of ['/wfs', '/wfs-1.1']) {
      const own = study(`${source('wfs', `${address}${path}`)}gather:\n  wards: { from: office }\n`);
      const { estimates } = await own.gather({ dry: true });
      expect(estimates![0].features! + estimates![0].outside!).toBe(296);
      expect(estimates![0].features).toBeLessThan(296);
      expect(own.files('gathered')).toEqual([]);
    }
  });
});
