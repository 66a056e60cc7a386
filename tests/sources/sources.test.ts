import { createHash } from 'node:crypto';
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { IsomericError } from '../../src/core/index.ts';
import {
  Credentials,
  type Order,
  protocolOf,
  type Receipt,
  type TransferContext,
  transfer,
  withoutSecrets,
} from '../../src/sources/index.ts';
import { closeServices, type Handler, service, transferContext } from '../support/http-service.ts';

let folder: string;
const record = { said: [] as string[], slept: [] as number[], kept: [] as Receipt[] };

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'isomeric-sources-'));
  for (const list of Object.values(record)) list.length = 0;
});
afterEach(async () => {
  rmSync(folder, { recursive: true, force: true });
  await closeServices();
});

const context = (more: Partial<TransferContext> = {}) => transferContext(folder, record, more);

const ask = (url: string, more?: Partial<TransferContext>) =>
  transfer(
    { what: 'office/table', datasets: ['table'], url, path: 'gathered/office/table.csv' },
    context(more),
  );
const text = () => readFileSync(join(folder, 'gathered/office/table.csv'), 'utf8');
const left = () =>
  readdirSync(folder, { recursive: true })
    .map(String)
    .filter((name) => name.includes('table'));

describe('one transfer', () => {
  it('keeps the bytes as received with size, checksum and validators', async () => {
    const address = await service((_, response) =>
      response
        .setHeader('etag', '"v1"')
        .setHeader('last-modified', 'Wed, 01 May 2024 10:00:00 GMT')
        .end('a,b\n1,2\n'),
    );
    const { receipt, unchanged } = await ask(`${address}/table.csv?api_key=secret&year=2024`);
    expect(text()).toBe('a,b\n1,2\n');
    expect(unchanged).toBe(false);
    expect(receipt).toMatchObject({
      bytes: 8,
      etag: '"v1"',
      lastModified: 'Wed, 01 May 2024 10:00:00 GMT',
      at: '2026-01-01T00:00:00.000Z',
    });
    expect(receipt.sha256).toBe(createHash('sha256').update('a,b\n1,2\n').digest('hex'));
    expect(receipt.url).toContain('year=2024');
    expect(receipt.url).not.toContain('secret');
  });

  it('asks whether what it has is still current, and believes only a file that is untouched', async () => {
    const asked: (string | undefined)[] = [];
    const address = await service((request, response) => {
      asked.push(request.headers['if-none-match']);
      response.setHeader('etag', '"v1"');
      if (request.headers['if-none-match'] === '"v1"') response.writeHead(304).end();
      else response.end('a,b\n');
    });
    const first = await ask(address);
    const earlier = new Map<string, Receipt>([[first.receipt.path, first.receipt]]);
    expect((await ask(address, { earlier })).unchanged).toBe(true);
    chmodSync(join(folder, 'gathered/office/table.csv'), 0o644);
    writeFileSync(join(folder, 'gathered/office/table.csv'), 'touched');
    expect((await ask(address, { earlier })).unchanged).toBe(false);
    expect(asked).toEqual([undefined, '"v1"', undefined]);
    expect(text()).toBe('a,b\n');
  });

  it('sends a key to its own host only, even when it is redirected', async () => {
    const seen: Record<string, string | undefined> = {};
    const other = await service((request, response) => {
      seen.other = request.headers['x-key'] as string | undefined;
      response.end('a,b\n');
    });
    const own = await service((request, response) => {
      seen[request.url!] = request.headers['x-key'] as string | undefined;
      if (request.url === '/start') response.writeHead(302, { location: '/moved' }).end();
      else response.writeHead(307, { location: `${other}/elsewhere` }).end();
    });
    await ask(`${own}/start`, { credentials: new Credentials(own, { headers: { 'x-key': 'secret' } }) });
    expect(seen).toEqual({ '/start': 'secret', '/moved': 'secret', other: undefined });
  });

  it('tries again what passes, and gives up what does not', async () => {
    let times = 0;
    const address = await service((_, response) => {
      if (++times < 3) response.writeHead(503).end('later');
      else response.end('a,b\n');
    });
    await ask(address, { tries: 3 });
    expect(times).toBe(3);
    let refused = 0;
    const no = await service((_, response) => {
      refused++;
      response.writeHead(404).end();
    });
    await expect(ask(no, { tries: 3 })).rejects.toMatchObject({ code: 'source-missing' });
    expect(refused).toBe(1);
  });

  const bad: [string, Handler, string][] = [
    [
      'an answer that is shorter than announced',
      (_, response) => {
        response.writeHead(200, { 'content-length': '100' });
        response.write('a,b\n');
        setTimeout(() => response.destroy(), 20);
      },
      'source-cut',
    ],
    [
      'an answer that stops in the middle and stays silent',
      (_, response) => {
        response.writeHead(200, { 'content-length': '100' });
        response.write('a,b\n');
      },
      'source-silent',
    ],
    ['a server that never answers', () => {}, 'source-silent'],
    ['a web page', (_, response) => response.end('\n <!DOCTYPE html><html>log in</html>'), 'source-html'],
    ['a log-in', (_, response) => response.writeHead(401).end(), 'source-forbidden'],
    ['a broken server', (_, response) => response.writeHead(500).end(), 'source-failing'],
    [
      'redirects in a circle',
      (_, response) => response.writeHead(302, { location: '/again' }).end(),
      'source-redirects',
    ],
    [
      'a damaged gzip body',
      (_, response) =>
        response
          .writeHead(200, { 'content-encoding': 'gzip' })
          .end(Buffer.from('1f8b0800000000000003deadbeef', 'hex')),
      'source-',
    ],
  ];
  it.each(bad)('%s is told, and nothing half-received stays', async (_, handler, code) => {
    const address = await service(handler);
    await expect(ask(address, code === 'source-silent' ? { patience: 700 } : {})).rejects.toSatisfy(
      (error: unknown) => error instanceof IsomericError && error.code.startsWith(code),
    );
    expect(left()).toEqual([]);
  });

  it('leaves the earlier file alone when a new one fails', async () => {
    let cut = false;
    const address = await service((_, response) => {
      if (!cut) response.end('a,b\n1,2\n');
      else {
        response.writeHead(200, { 'content-length': '100' });
        response.write('x');
        setTimeout(() => response.destroy(), 20);
      }
    });
    await ask(address);
    cut = true;
    await expect(ask(address)).rejects.toMatchObject({ code: 'source-cut' });
    expect(text()).toBe('a,b\n1,2\n');
  });
});

describe('addresses', () => {
  it('lose what is secret', () => {
    expect(withoutSecrets('https://me:pw@x.test/a?apikey=1&Token=2&token=page2&b=3')).toBe(
      'https://x.test/a?apikey=%E2%80%A6&Token=%E2%80%A6&token=%E2%80%A6&b=3',
    );
    expect(withoutSecrets('no address')).toBe('no address');
  });
});

describe('OGC API – Features', () => {
  const conforming = ['http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core'];
  const feature = (id: number) => ({
    type: 'Feature',
    id,
    properties: { n: id },
    geometry: { type: 'Point', coordinates: [id, id] },
  });

  /** A service of `count` features with pages of two and links that only it understands. */
  function pages(
    count: number,
    options: { conformsTo?: string[]; relative?: boolean } = {},
  ): { handler: Handler; asked: string[] } {
    const asked: string[] = [];
    return {
      asked,
      handler: (request, response) => {
        const url = new URL(request.url!, `http://${request.headers.host}`);
        asked.push(request.url!);
        const base = options.relative ? '' : url.origin;
        const send = (value: unknown) =>
          response.setHeader('content-type', 'application/json').end(JSON.stringify(value));
        if (url.pathname === '/api/')
          return send({
            links: [
              { rel: 'data', href: `${base}/api/collections` },
              { rel: 'conformance', href: `${base}/api/conformance` },
            ],
          });
        if (url.pathname === '/api/conformance')
          return send({ conformsTo: options.conformsTo ?? conforming });
        if (url.pathname === '/api/collections') return send({ collections: [{ id: 'two words' }] });
        if (url.pathname === '/api/collections/two%20words')
          return send({
            id: 'two words',
            links: [
              { rel: 'items', href: `${base}/api/collections/two%20words/items?f=json` },
              { rel: 'license', href: 'http://x.test/licence' },
            ],
          });
        const from = Number(url.searchParams.get('~opaque') ?? 0);
        const features = Array.from({ length: Math.min(2, count - from) }, (_, k) => feature(from + k));
        const links =
          from + 2 < count
            ? [{ rel: 'next', href: `${base}/api/collections/two%20words/items?f=json&~opaque=${from + 2}` }]
            : [];
        send({ type: 'FeatureCollection', features, links });
      },
    };
  }
  const order = (address: string, more: Partial<Order> = {}): Order[] => [
    { name: 'things', source: 'office', address, wanted: { collection: 'two words' }, traits: {}, ...more },
  ];

  it.each([false, true])('follows opaque links to the end, relative ones too (%s)', async (relative) => {
    const { handler, asked } = pages(5, { relative });
    const address = await service(handler);
    const got = await protocolOf('features')!.gather(
      order(`${address}/api`, { box: [-31, 45, -29, 46] }),
      context(),
    );
    expect(got.receipts.map((receipt) => receipt.path)).toEqual(
      [1, 2, 3].map((n) => `gathered/office/things/page-000${n}.geojson`),
    );
    expect(got.receipts[0]).toMatchObject({ licence: 'http://x.test/licence', what: 'office/two words' });
    expect(asked.find((url) => url.includes('bbox'))).toBe(
      '/api/collections/two%20words/items?f=json&bbox=-31%2C45%2C-29%2C46',
    );
    const ids = got.receipts.flatMap((receipt) =>
      (
        JSON.parse(readFileSync(join(folder, receipt.path), 'utf8')) as { features: { id: number }[] }
      ).features.map((each) => each.id),
    );
    expect(ids).toEqual([0, 1, 2, 3, 4]);
  });

  it('removes pages of an earlier, longer answer', async () => {
    const many = await service(pages(9).handler);
    await protocolOf('features')!.gather(order(`${many}/api`), context());
    const few = await service(pages(3).handler);
    await protocolOf('features')!.gather(order(`${few}/api`), context());
    expect(readdirSync(join(folder, 'gathered/office/things')).sort()).toEqual([
      'page-0001.geojson',
      'page-0002.geojson',
    ]);
  });

  it('refuses what is no such service', async () => {
    const other = await service(pages(3, { conformsTo: ['http://x.test/other'] }).handler);
    await expect(protocolOf('features')!.gather(order(`${other}/api`), context())).rejects.toMatchObject({
      code: 'source-unsupported',
    });
    const odd = await service((_, response) => response.end('{"hello":1}'));
    await expect(protocolOf('features')!.gather(order(odd), context())).rejects.toMatchObject({
      code: 'source-garbled',
    });
    const noJson = await service((_, response) => response.end('hello'));
    await expect(protocolOf('features')!.gather(order(noJson), context())).rejects.toMatchObject({
      code: 'source-garbled',
    });
  });
});
