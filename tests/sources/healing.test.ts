import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync, writeFileSync } from 'node:fs';
import { Writable } from 'node:stream';
import { gzipSync } from 'node:zlib';
import { afterAll, describe, expect, it } from 'vitest';
import { ProgressLines } from '../../src/cli/progress.ts';
import { nodeMachine } from '../../src/node/index.ts';
import type { Meter } from '../../src/sources/transfer/context.ts';
import { transfer } from '../../src/sources/transfer/transfer.ts';
import { command } from '../support/command.ts';
import {
  closeServices,
  featureService,
  type Record,
  service,
  transferContext,
} from '../support/http-service.ts';
import { studiesOfTests } from '../support/study-folder.ts';

afterAll(closeServices);
const study = studiesOfTests();
/** Runs the command beside the services of this process: nothing here may wait for it without listening. */
const run = async (folder: string, args: readonly string[], limit?: number) => {
  const words = [process.execPath, command, 'run', folder, ...args].map((word) => `'${word}'`).join(' ');
  const child = spawn('bash', ['-c', limit === undefined ? words : `ulimit -f ${limit}; ${words}`], {
    env: { ...process.env, NO_COLOR: '1' },
  });
  const texts = { out: '', told: '' };
  child.stdout.setEncoding('utf8').on('data', (text: string) => (texts.out += text));
  child.stderr.setEncoding('utf8').on('data', (text: string) => (texts.told += text));
  const [code] = (await once(child, 'close')) as [number | null];
  return { code, ...texts };
};
const record = (): Record => ({ said: [], slept: [], kept: [] });

/** A feature service of one collection, whose pages are made as the test says. */
async function features(page: (url: URL) => { ids: string[]; next?: string; status?: number }) {
  const asked: { url: string; match: string | undefined }[] = [];
  const address = await featureService('w', (url, request, response) => {
    asked.push({ url: url.pathname + url.search, match: request.headers['if-none-match'] });
    const { ids, next } = page(url);
    // The state of the data, whatever the links around them are.
    const etag = `"${ids.join()}"`;
    response.setHeader('etag', etag);
    if (request.headers['if-none-match'] === etag) return response.writeHead(304).end();
    response.end(
      JSON.stringify({
        type: 'FeatureCollection',
        features: ids.map((id) => ({ type: 'Feature', id, properties: {}, geometry: null })),
        links: next === undefined ? [] : [{ rel: 'next', href: next }],
      }),
    );
  });
  return {
    asked,
    body: `sources:\n  office: { kind: features, at: "${address}/" }\ngather:\n  w: { from: office }\n`,
    address,
  };
}

describe('what was received', () => {
  it('--again means anew: a file that is damaged at the service is not kept because it is unchanged', async () => {
    const asked: (string | undefined)[] = [];
    let text = 'code,n\n01,1\n';
    const address = await service((request, response) => {
      asked.push(request.headers['if-none-match'] as string | undefined);
      response.setHeader('etag', '"same"');
      if (request.headers['if-none-match'] === '"same"') return response.writeHead(304).end();
      response.end(text);
    });
    const own = study(
      `sources:\n  shop: { kind: files, at: "${address}/" }\ngather:\n  t: { from: shop, file: t.csv }\n`,
    );
    await own.gather();
    text = 'code,n\n01,2\n';
    await own.gather();
    expect(await own.rows('t')).toEqual([{ code: '01', n: 1 }]);
    await own.gather({ again: ['t'] });
    expect(asked).toEqual([undefined, '"same"', undefined]);
    expect(await own.rows('t')).toEqual([{ code: '01', n: 2 }]);
  });

  it('a page whose link led in a circle or nowhere does not stop the runs after it', async () => {
    for (const bad of ['/collections/w/items', 'file:///etc/passwd', 'http://[', 'javascript:alert(1)']) {
      let good = false;
      const { asked, body } = await features((url) =>
        url.searchParams.has('second')
          ? { ids: ['c'], next: good ? undefined : bad }
          : { ids: ['a', 'b'], next: '/collections/w/items?second=1' },
      );
      const own = study(body);
      await expect(own.gather({ tries: 1 }), bad).rejects.toMatchObject({
        code: /items/.test(bad) ? 'source-loop' : 'source-link',
      });
      await expect(own.gather({ tries: 1 }), bad).rejects.toMatchObject({
        code: expect.stringMatching(/^source-/) as string,
      });
      good = true;
      await own.gather({ tries: 1 });
      expect((await own.rows('w')).map(({ id }) => id)).toEqual(['a', 'b', 'c']);
      expect(asked.at(-1)!.url).toContain('second');
    }
  });

  it('a bad page of an older ledger, answered “not modified”, is asked for anew', async () => {
    const { body } = await features((url) =>
      url.searchParams.has('second')
        ? { ids: ['c'] }
        : { ids: ['a', 'b'], next: '/collections/w/items?second=1' },
    );
    const own = study(body);
    await own.gather();
    const path = `${own.folder}/ledger.jsonl`;
    const text = readFileSync(path, 'utf8');
    for (const next of ['file:///x', '/collections/w/items']) {
      writeFileSync(path, text.replace(/"next":"[^"]*"/, `"next":${JSON.stringify(next)}`));
      await own.gather({ tries: 1 });
      expect(await own.rows('w')).toHaveLength(3);
    }
  });
});

describe('a service that', () => {
  it('gives hardly a byte a second is given up, with the number', async () => {
    const address = await service((_, response) => {
      response.writeHead(200, { 'content-length': '1000' });
      const drip = setInterval(() => response.write('x'), 40);
      response.on('close', () => clearInterval(drip));
    });
    const own = study('');
    const began = performance.now();
    await expect(
      transfer(
        { what: 's/t', datasets: ['t'], url: address, path: 'gathered/t' },
        transferContext(own.folder, record(), { patience: 600 }),
      ),
    ).rejects.toMatchObject({
      code: 'source-slow',
      message: expect.stringMatching(
        /only \d+ bytes came in 1 seconds, where 100 a second are the least/,
      ) as string,
    });
    expect(performance.now() - began).toBeLessThan(20_000);
  });

  it('asks to wait more often than there are tries is waited for; one that never stops asking is given up', async () => {
    let busy = 6;
    const address = await service((_, response) =>
      busy-- > 0 ? response.writeHead(503, { 'retry-after': '1' }).end() : response.end('a,b\n1,2\n'),
    );
    const own = study('');
    const waited = record();
    await transfer(
      { what: 's/t', datasets: ['t'], url: address, path: 'gathered/t' },
      transferContext(own.folder, waited, { tries: 2 }),
    );
    expect(waited.slept.filter((span) => span >= 900).length).toBeGreaterThanOrEqual(6);
    busy = Infinity;
    await expect(
      transfer(
        { what: 's/t', datasets: ['t'], url: address, path: 'gathered/u' },
        transferContext(own.folder, record(), { tries: 2 }),
      ),
    ).rejects.toThrow(/asks to come back later \(503\)\. It has asked 10 times for 10 seconds in all/);
  });

  it('sends a bomb is asked once', async () => {
    let asked = 0;
    const bomb = gzipSync(Buffer.alloc(80_000_000), { level: 9 });
    const address = await service((_, response) => {
      asked++;
      response.writeHead(200, { 'content-encoding': 'gzip' }).end(bomb);
    });
    const own = study('');
    await expect(
      transfer(
        { what: 's/t', datasets: ['t'], url: address, path: 'gathered/t' },
        transferContext(own.folder, record(), { tries: 4 }),
      ),
    ).rejects.toMatchObject({ code: 'source-bomb' });
    expect(asked).toBe(1);
  });
});

describe('a disk that is full', () => {
  it('is one clear sentence; the part goes, smaller datasets come, the next run goes on', async () => {
    const large = `code,n\n${'01,2\n'.repeat(60_000)}`;
    const address = await service((request, response) =>
      response.end(request.url === '/large.csv' ? large : 'code,n\n01,2\n'),
    );
    const own = study(
      `sources:\n  shop: { kind: files, at: "${address}/" }\ngather:\n  large: { from: shop, file: large.csv }\n  small: { from: shop, file: small.csv }\n`,
    );
    const small = await run(own.folder, ['--only', 'gather'], 100);
    expect(small.code).toBe(3);
    expect(small.told).toMatch(
      /^Stopped: .*large\.csv: The file cannot be written: files may not become so large here \(EFBIG\)\. Raise the limit of file sizes, or choose another place\.\n$/,
    );
    expect(small.out).toContain('Gather: small from shop; 1 file, 12 bytes, received.');
    expect(own.files('gathered')).toEqual(['gathered/shop/small.csv']);
    expect(own.files('incoming')).toEqual([]);
    await own.gather();
    expect(await own.rows('large')).toHaveLength(60_000);
    // Where not even the lock or the ledger can be written.
    const none = await run(own.folder, ['--only', 'gather'], 0);
    expect([none.code, none.told]).toEqual([
      3,
      expect.stringMatching(
        /^Stopped: .*The file cannot be written: files may not become so large here \(EFBIG\)/,
      ) as string,
    ]);
    expect((await run(own.folder, ['--only', 'gather'])).code).toBe(0);
  });

  it('while a GeoPackage is written is told as what it is', async () => {
    const own = study('gather: { t: { file: t.csv } }\nprepare: { t: [where: "n > 0"] }\n');
    writeFileSync(
      `${own.folder}/t.csv`,
      `code,n\n${Array.from({ length: 40_000 }, (_, k) => `c${k},${k}\n`).join('')}`,
    );
    const { code, told } = await run(own.folder, ['--only', 'prepare'], 200);
    expect([code, told]).toEqual([
      3,
      expect.stringMatching(
        /^Stopped: .*prepared\/layers\.gpkg: The file cannot be (read or )?written: .*disk is full/,
      ) as string,
    ]);
    expect(own.files('prepared')).toEqual([]);
  });

  it('a ledger that could not be written once is written whole later', async () => {
    const own = study('');
    const machine = nodeMachine(own.folder);
    let broken = true;
    const { Ledger } = await import('../../src/study/index.ts');
    const ledger = await Ledger.load(machine);
    const failing = {
      ...machine,
      append: (path: string, text: string) =>
        broken ? Promise.reject(new Error('full')) : machine.append(path, text),
    };
    const entry = (name: string) => ({
      kind: 'dataset' as const,
      name,
      source: 's',
      state: 'begun' as const,
      at: '2026-01-01T00:00:00.000Z',
      request: {},
      paths: [],
    });
    await expect(ledger.add(failing, entry('one'))).rejects.toThrow('full');
    broken = false;
    await ledger.add(failing, entry('two'));
    await ledger.add(failing, entry('three'));
    expect([...(await Ledger.load(machine)).datasets.keys()].sort()).toEqual(['one', 'three', 'two']);
  });
});

describe('one dataset that failed', () => {
  it('does not stop the preparation of what does not need it, and all failures are data', async () => {
    let there = false;
    const address = await service((request, response) => {
      if (!there && request.url !== '/good.csv')
        return response.writeHead(request.url === '/one.csv' ? 404 : 403).end('no');
      response.end('code,n\n01,2\n');
    });
    const own = study(
      `sources:\n  shop: { kind: files, at: "${address}/" }\ngather:\n  good: { from: shop, file: good.csv }\n  one: { from: shop, file: one.csv }\n  two: { from: shop, file: two.csv }\nprepare:\n  good: [where: "n > 0"]\n  one: [where: "n > 0"]\n`,
    );
    const failed = await run(own.folder, ['--only', 'gather', '--json']);
    expect(failed.code).toBe(3);
    const told = JSON.parse(failed.told) as {
      failures: { what: string[]; code: string; place: { file: string } }[];
    };
    expect(told.failures.map(({ what, code }) => [what, code])).toEqual([
      [['one'], 'source-missing'],
      [['two'], 'source-forbidden'],
    ]);
    expect(told.failures[1].place.file).toBe(`${address}/two.csv`);
    const prepared = await run(own.folder, ['--only', 'prepare']);
    expect(prepared.code).toBe(3);
    expect(prepared.out).toContain('Write: 1 rows of good written to the GeoPackage.');
    expect(prepared.told).toContain('1 layer was prepared; one was not: one has not been gathered yet.');
    there = true;
    expect((await run(own.folder, [])).code).toBe(0);
  });
});

describe('progress in a pipe', () => {
  it('is a line now and then, without anything that repaints', async () => {
    let text = '';
    const stream = new Writable({
      write(chunk, _, done) {
        text += String(chunk);
        done();
      },
    }) as unknown as NodeJS.WriteStream;
    const lines = new ProgressLines(stream, 15);
    const meter: Meter = { bytes: 1500, totalBytes: 3000, features: 0 };
    lines.show('wards', meter);
    lines.show('waits', { bytes: 0, features: 0, state: 'waiting' });
    while (text.split('\n').length < 4) await new Promise((resolve) => setTimeout(resolve, 5));
    meter.bytes = 2500;
    lines.show('wards', null);
    lines.show('waits', null);
    const before = text;
    await new Promise((resolve) => setTimeout(resolve, 60));
    expect(text).toBe(before);
    expect(text.split('\n')[0]).toBe('  wards: 1.5 kB of 3.0 kB');
    expect(text).not.toContain('waits');
    // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what must not be there
    expect(text).not.toMatch(/[\u0000-\u0009\u000b-\u001f]/);
    // What nobody took back ends with the command.
    lines.show('roads', meter);
    lines.end();
    const last = text;
    await new Promise((resolve) => setTimeout(resolve, 60));
    expect(text).toBe(last);
  });
});
