import { createServer, type Server } from 'node:http';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { demoAddresses } from '../../src/cli/commands/demo.ts';
import { IsomericError } from '../../src/core/index.ts';
import { type StandIns, startStandIns } from '../../stand-ins/src/index.ts';
import { demoEnvironment, demoFolder } from '../support/demo-study.ts';
import { StudyFolder } from '../support/study-folder.ts';

/** How the answers of a service are spoilt on their way. */
interface Damage {
  /** Which answer, counted from the first one. */
  answer: number;
  kind: 'byte' | 'cut' | 'doubled' | 'swapped' | 'status' | 'blank';
  place: number;
  value: number;
}

const damage: fc.Arbitrary<Damage> = fc.record({
  answer: fc.nat(6),
  kind: fc.constantFrom('byte', 'cut', 'doubled', 'swapped', 'status', 'blank'),
  place: fc.double({ min: 0, max: 1, noNaN: true }),
  value: fc.integer({ min: 0, max: 255 }),
});

function spoilt(body: Buffer, { kind, place, value }: Damage): Buffer {
  const at = Math.floor(place * Math.max(0, body.length - 1));
  switch (kind) {
    case 'byte': {
      const copy = Buffer.from(body);
      if (copy.length > 0) copy[at] = value;
      return copy;
    }
    case 'cut':
      return body.subarray(0, at);
    case 'doubled':
      return Buffer.concat([body, body]);
    case 'swapped':
      return Buffer.concat([body.subarray(at), body.subarray(0, at)]);
    case 'blank':
      return Buffer.alloc(0);
    case 'status':
      return body;
  }
}

let services: StandIns;
let between: Server;
let through: Record<string, string>;
let current: Damage | null = null;
let answers = 0;

/** A go-between that spoils one answer; addresses in the answers lead back through it. */
beforeAll(async () => {
  services = await startStandIns({ data: join(demoFolder, 'data'), pageSize: 4, desk: { takes: 5 } });
  // Receivers are no services of the web.
  const usual = Object.fromEntries(
    Object.entries(demoAddresses(services)).filter(([, address]) => address.startsWith('http')),
  );
  const hosts = [...new Set(Object.values(usual).map((address) => new URL(address).origin))];
  between = createServer(async (request, response) => {
    try {
      const [, n, rest] = /^\/(\d)(\/.*)$/.exec(request.url!)!;
      const chunks: Buffer[] = [];
      for await (const chunk of request) chunks.push(chunk as Buffer);
      const { host: _, connection: __, 'accept-encoding': ___, ...headers } = request.headers;
      const answer = await fetch(`${hosts[Number(n)]}${rest}`, {
        method: request.method,
        headers: headers as Record<string, string>,
        body: chunks.length === 0 ? undefined : Buffer.concat(chunks),
        redirect: 'manual',
      });
      const own = `http://${request.headers.host}`;
      const replaced = (text: string) =>
        hosts.reduce((result, host, k) => result.replaceAll(host, `${own}/${k}`), text);
      const type = answer.headers.get('content-type') ?? 'text/plain';
      const raw = Buffer.from(await answer.arrayBuffer());
      const body = /json|xml|text/.test(type) ? Buffer.from(replaced(raw.toString('utf8'))) : raw;
      const mine = current !== null && answers++ === current.answer;
      const location = answer.headers.get('location');
      response.writeHead(mine && current!.kind === 'status' ? 200 + current!.value : answer.status, {
        'content-type': type,
        ...(location === null ? {} : { location: replaced(location) }),
      });
      response.end(mine ? spoilt(body, current!) : body);
    } catch {
      response.destroy();
    }
  });
  await new Promise<void>((resolve) => between.listen(0, '127.0.0.1', resolve));
  const own = `http://127.0.0.1:${(between.address() as { port: number }).port}`;
  through = Object.fromEntries(
    Object.entries(usual).map(([name, address]) => {
      const url = new URL(address);
      return [name, `${own}/${hosts.indexOf(url.origin)}${url.pathname}`];
    }),
  );
});
afterAll(async () => {
  between.closeAllConnections();
  between.close();
  await services.close();
});

const datasets: Record<string, [source: string, dataset: string]> = {
  features: ['kind: features', 'where: "district = \'T204\'", collection: wards, in crs: "EPSG:4326"'],
  wfs: ['kind: wfs', 'collection: wards'],
  sdmx: ['kind: sdmx, agency: TSO', 'table: RESIDENTS, choose: { SEX: Women }'],
  'json-stat': ['kind: json-stat', 'table: HOUSEHOLDS, choose: { KIND: Households without a car }'],
  rows: [
    'kind: rows, key: { parameter: key, variable: TESKARIA_KEY }, key columns: [AREA], limits: { columns: 3 }',
    'table: CARS, columns: [CAR_001, CAR_002, CAR_003]',
  ],
  orders: ['kind: orders, agreed: 2026-01-01', 'collection: pumps'],
  'map-features': ['kind: map-features', 'object: relation/7001, class: waterways'],
  regions: ['kind: regions', 'region: ombrey, class: roads'],
};
const sourceOf: Record<string, string> = {
  features: 'boundary-office',
  wfs: 'boundary-wfs',
  sdmx: 'statistics-sdmx',
  'json-stat': 'statistics-cubes',
  rows: 'statistics-rows',
  orders: 'order-desk',
  'map-features': 'map-database',
  regions: 'map-regions',
};

describe('an answer that is spoilt on its way', () => {
  it.each(Object.keys(datasets))(
    'never crashes or hangs %s, and nothing half-received stays',
    async (kind) => {
      const [source, dataset] = datasets[kind];
      await fc.assert(
        fc.asyncProperty(damage, async (how) => {
          const study = new StudyFolder().write(
            `sources:\n  office: { ${source}, at: "${through[sourceOf[kind]]}" }\ngather:\n  data: { from: office, ${dataset} }\n`,
            'area: { box: { west: -29.9, south: 45.48, east: -29.8, north: 45.53 } }',
          );
          current = how;
          answers = 0;
          try {
            await study.gather({ tries: 1, patience: 1000, longestOrder: 3000 });
          } catch (error) {
            // A mistake of ours would be another kind of error.
            expect(error, error instanceof Error ? error.stack : '').toBeInstanceOf(IsomericError);
            const { sentence } = error as IsomericError;
            expect(sentence.length).toBeGreaterThan(20);
            expect(sentence).not.toContain(demoEnvironment.TESKARIA_KEY);
          }
          current = null;
          expect(study.files('incoming')).toEqual([]);
          // The next run, with nothing spoilt, makes it good.
          try {
            await study.gather({ tries: 2, again: ['data'] });
            await study.open('data');
          } catch (error) {
            // Terms that were spoilt, and agreed to as they came, are not those that come now.
            expect(error).toMatchObject({ code: 'terms-changed' });
          }
          study.end();
        }),
        { numRuns: 12 },
      );
    },
    90_000,
  );
});
