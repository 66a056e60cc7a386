import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { nodeFetch } from '../../src/node/index.ts';
import {
  type DatasetRequest,
  type GatheredDataset,
  gatherDataset,
  memoryStore,
} from '../../src/sources/index.ts';
import { type Mood, madeUpSecrets, type StandIns, startStandIns } from '../../stand-ins/src/index.ts';
import { demoFolder } from '../support/demo-study.ts';
import { closeServices, service } from '../support/http-service.ts';

let services: StandIns;
const mood: Mood = 'well';
beforeAll(async () => {
  services = await startStandIns({
    data: join(demoFolder, 'data'),
    pageSize: 60,
    moods: { boundaryOffice: () => mood },
    desk: { takes: 10, mostArea: 1e6 },
  });
});
afterAll(() => services.close());
afterEach(closeServices);

const textOf = async ({ files }: GatheredDataset) =>
  Promise.all(files.map(async (file) => new TextDecoder().decode(await file.bytes(0, file.size))));

describe('one dataset without a study', () => {
  const request = (): DatasetRequest => ({
    kind: 'features',
    address: `${services.boundaryOffice.address}/`,
    collection: 'wards',
    box: [-30, 45.4, -29.6, 45.7],
  });

  it('comes into memory, whichever fetch brings it', async () => {
    const own = await gatherDataset(request(), { fetch: nodeFetch });
    const platform = await gatherDataset(request());
    expect(await textOf(platform)).toEqual(await textOf(own));
    expect(own.files.length).toBeGreaterThan(1);
    const [text] = await textOf(own);
    expect(own.receipts[0].sha256).toBe(createHash('sha256').update(text).digest('hex'));
  });

  it('is not fetched again while it is current', async () => {
    const store = memoryStore();
    const first = await gatherDataset(request(), { store });
    const times = first.receipts.map(({ at }) => at);
    await new Promise((resolve) => setTimeout(resolve, 5));
    const again = await gatherDataset(request(), { store, earlier: first.receipts });
    expect(again.receipts.map(({ at }) => at)).toEqual(times);
  });

  it('tells its progress, takes keys, and asks for agreement where a service does', async () => {
    const rows: DatasetRequest = {
      kind: 'rows',
      address: `${services.statisticsOffice.address}/rows/`,
      table: 'CARS',
      columns: ['AREA', 'CAR_001'],
    };
    await expect(gatherDataset(rows)).rejects.toMatchObject({ code: 'source-forbidden' });
    const seen: number[] = [];
    const { receipts } = await gatherDataset(rows, {
      keys: { parameters: { key: madeUpSecrets.key } },
      progress: ({ bytes }) => seen.push(bytes),
    });
    expect(seen.at(-1)).toBe(receipts[0].bytes);
    expect(JSON.stringify(receipts)).not.toContain(madeUpSecrets.key);
    const works: DatasetRequest = {
      kind: 'orders',
      address: `${services.orderDesk.address}/`,
      collection: 'pumps',
    };
    await expect(gatherDataset(works)).rejects.toMatchObject({ code: 'terms-not-agreed' });
    const [pumps] = await textOf(await gatherDataset({ ...works, agreed: true }));
    expect((JSON.parse(pumps) as { features: unknown[] }).features).toHaveLength(13);
    await expect(
      gatherDataset({ ...works, kind: 'pigeons' as DatasetRequest['kind'] }),
    ).rejects.toMatchObject({ code: 'kind-unknown' });
  });

  it('goes on in memory where a connection was cut', async () => {
    const body = 'x'.repeat(100_000);
    const asked: (string | undefined)[] = [];
    const address = await service((request, response) => {
      asked.push(request.headers.range);
      const from = Number(/^bytes=(\d+)-/.exec(request.headers.range ?? '')?.[1] ?? 0);
      response.writeHead(from > 0 ? 206 : 200, {
        etag: '"1"',
        'content-length': body.length - from,
        ...(from > 0 ? { 'content-range': `bytes ${from}-${body.length - 1}/${body.length}` } : {}),
      });
      if (from > 0) response.end(body.slice(from));
      else {
        response.write(body.slice(0, 40_000), () => response.socket?.end());
      }
    });
    const got = await gatherDataset(
      { kind: 'files', address, file: 'x.txt' },
      { tries: 3, fetch: nodeFetch },
    );
    expect(await textOf(got)).toEqual([body]);
    expect(asked).toEqual([undefined, 'bytes=40000-']);
  });

  it('never places an order twice because an answer was lost', async () => {
    let placed = 0;
    const links = { links: [] };
    const address = await service((request, response) => {
      const send = (value: unknown) =>
        response.setHeader('content-type', 'application/json').end(JSON.stringify(value));
      if (request.method === 'POST') {
        placed++;
        request.resume();
        response.destroy();
      } else if (request.url === '/') send(links);
      else if (request.url === '/conformance')
        send({ conformsTo: ['http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/core'] });
      else if (request.url === '/processes') send({ processes: [{ id: 'p' }] });
      else send({ id: 'p', jobControlOptions: ['async-execute'], inputs: {} });
    });
    await expect(
      gatherDataset({ kind: 'orders', address: `${address}/` }, { tries: 5, fetch: nodeFetch }),
    ).rejects.toMatchObject({ code: 'source-unreachable' });
    expect(placed).toBe(1);
  });
});
