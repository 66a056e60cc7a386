import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { zipSync } from 'fflate';
import { afterAll, describe, expect, it } from 'vitest';
import {
  extractPath,
  filePath,
  folderOf,
  pathPart,
  refuseSharedPlaces,
  termsPath,
} from '../../src/sources/places.ts';
import { isSecretName, secretsIn, withoutSecrets, withoutSecretsIn } from '../../src/sources/secrets.ts';
import { closeServices, featureService, service } from '../support/http-service.ts';
import { studiesOfTests } from '../support/study-folder.ts';

afterAll(closeServices);
const study = studiesOfTests();

/** Anything that a provider may call a thing, with the signs that matter often. */
const anyName = fc.string({
  unit: fc.oneof(
    fc.constantFrom(...'aA~@-_.%/\\ :?é\u0301\u0000'),
    fc.string({ unit: 'binary', minLength: 1, maxLength: 1 }),
  ),
  maxLength: 12,
});

describe('paths of what is gathered', () => {
  it('are one-to-one, and hold nothing that a file system stumbles over', () => {
    fc.assert(
      fc.property(anyName, anyName, (a, b) => {
        expect(pathPart(a) === pathPart(b)).toBe(a === b);
        expect(pathPart(a)).toMatch(/^[\p{L}\p{N}~_-][\p{L}\p{N}~._-]*$/u);
        expect(pathPart(a).normalize('NFC')).toBe(pathPart(a));
      }),
      { numRuns: 2000 },
    );
    expect(pathPart('wards-2024.csv')).toBe('wards-2024.csv');
    expect([pathPart('a b'), pathPart('a-b'), pathPart('a~20b'), pathPart('..'), pathPart('')]).toEqual([
      'a~20b',
      'a-b',
      'a~7E20b',
      '~2E.',
      '~',
    ]);
    const long = ['x'.repeat(400), `${'x'.repeat(399)}y`].map(pathPart);
    expect(long[0]).not.toBe(long[1]);
    expect(Math.max(...long.map((part) => Buffer.byteLength(part)))).toBeLessThanOrEqual(140);
  });

  it('tell datasets, vintages, queries and terms apart', () => {
    const places = [
      folderOf({ source: 's', name: 'wards', vintage: '2024' }),
      folderOf({ source: 's', name: 'wards-2024' }),
      folderOf({ source: 's', name: 'wards@2024' }),
      filePath({ source: 's' }, 'export?layer=one'),
      filePath({ source: 's' }, 'export?layer=two'),
      filePath({ source: 's' }, 'a b.csv'),
      filePath({ source: 's' }, 'a-b.csv'),
      filePath({ source: 's' }, '2024/x.csv'),
      filePath({ source: 's', vintage: '2024' }, 'x.csv'),
      filePath({ source: 's' }, 'terms.html'),
      termsPath('s', true),
      extractPath({ source: 's' }, ['a', 'b'], 'x.pbf', '2024-01-01'),
      extractPath({ source: 's' }, ['a/b'], 'x.pbf', '2024-01-01'),
    ];
    expect(new Set(places).size).toBe(places.length);
    for (const place of places) expect(place).not.toMatch(/(^|\/)\.\.?(\/|$)/);
    fc.assert(
      fc.property(
        anyName,
        anyName,
        fc.option(anyName, { nil: undefined }),
        fc.option(anyName, { nil: undefined }),
        (a, b, u, v) => {
          const same = a === b && u === v;
          expect(
            folderOf({ source: 's', name: a, vintage: u }) === folderOf({ source: 's', name: b, vintage: v }),
          ).toBe(same);
        },
      ),
    );
    expect(() =>
      refuseSharedPlaces([
        { name: 'a', place: 'x/y' },
        { name: 'b', place: 'x' },
      ]),
    ).toThrow(/a|b/);
  });

  it('two downloads that differ in their query only are two files', async () => {
    const address = await service((request, response) => {
      const layer = new URL(request.url!, 'http://x').searchParams.get('layer');
      response.end(`code,layer\n01,${layer}\n`);
    });
    const own = study(
      `sources:\n  shop: { kind: files, at: "${address}/" }\ngather:\n  one: { from: shop, file: "export?layer=one" }\n  two: { from: shop, file: "export?layer=two" }\n  spaced: { from: shop, file: "a b.csv?layer=3" }\n  dashed: { from: shop, file: "a-b.csv?layer=4" }\n`,
    );
    await own.gather();
    expect(await own.rows('one')).toEqual([{ code: '01', layer: 'one' }]);
    expect(await own.rows('two')).toEqual([{ code: '01', layer: 'two' }]);
    expect(own.files('gathered')).toHaveLength(4);
  });

  it('two orders for one place are refused before anything is fetched', async () => {
    let asked = 0;
    const address = await service((_, response) => {
      asked++;
      response.end('a,b\n1,2\n');
    });
    for (const [one, two] of [
      ['x.csv?key=first', 'x.csv?key=second'],
      ['x.csv', './x.csv'],
      ['x', 'x/y.csv'],
    ]) {
      const own = study(
        `sources:\n  shop: { kind: files, at: "${address}/" }\ngather:\n  one: { from: shop, file: "${one}" }\n  two: { from: shop, file: "${two}" }\n`,
      );
      await expect(own.gather()).rejects.toMatchObject({ code: 'place-shared', blame: 'usage' });
      expect(own.files('gathered')).toEqual([]);
    }
    expect(asked).toBe(0);
  });

  it('archives are opened before they count as received, and a bad one is not kept', async () => {
    const good = zipSync(
      { 'a.csv': new TextEncoder().encode(`code,n\n${'01,2\n'.repeat(500)}`) },
      { level: 6 },
    );
    const damaged = good.slice();
    damaged[60] ^= 0x55;
    const climbing = Buffer.from(
      Buffer.from(zipSync({ 'xx/evil.csv': new TextEncoder().encode('a,b\n1,2\n') }, { level: 0 }))
        .toString('latin1')
        .replaceAll('xx/evil.csv', '../evil.csv'),
      'latin1',
    );
    const inside = zipSync({ 'inner.zip': damaged }, { level: 0 });
    const bombed = zipSync({ 'zeros.csv': new Uint8Array(100_000_000) }, { level: 9 });
    const answers: Record<string, { body: Uint8Array; words: RegExp }> = {
      'damaged.zip': { body: damaged, words: /is damaged inside/ },
      'cut.zip': { body: good.slice(0, 100), words: /is damaged inside/ },
      'climbing.zip': { body: climbing, words: /climb out of the archive/ },
      'nested.zip': { body: inside, words: /is damaged inside/ },
      'bomb.zip': { body: bombed, words: /is not taken: The entry zeros\.csv claims to unpack/ },
      'cut.csv.gz': { body: Buffer.from('1f8b0800000000000003abcafc', 'hex'), words: /is damaged inside/ },
    };
    let better = false;
    const address = await service((request, response) => {
      const name = request.url!.slice(1);
      response.setHeader('etag', `"${better ? 'good' : 'bad'}"`).end(better ? good : answers[name].body);
    });
    for (const [name, { words }] of Object.entries(answers)) {
      better = false;
      const own = study(
        `sources:\n  shop: { kind: files, at: "${address}/" }\ngather:\n  table: { from: shop, file: ${name} }\n`,
      );
      await expect(own.gather({ tries: 1 }), name).rejects.toThrow(words);
      expect(own.files('gathered'), name).toEqual([]);
      better = true;
      await own.gather({ tries: 1 });
      expect(await own.rows('table')).toHaveLength(500);
    }
  });
});

describe('what opens a source', () => {
  it('is known by its name', () => {
    for (const name of 'key api_key apiKey X-Amz-Signature X-Amz-Security-Token access_token token sig Password auth client_secret sid subscription-key'.split(
      ' ',
    ))
      expect(isSecretName(name), name).toBe(true);
    for (const name of 'keyword monkey layer author tokens_per_page signal passage page designation bbox'.split(
      ' ',
    ))
      expect(isSecretName(name), name).toBe(false);
    expect(withoutSecrets('https://u:p@h/x?a=1&sig=abc&token=def#f')).toBe(
      'https://h/x?a=1&sig=%E2%80%A6&token=%E2%80%A6#f',
    );
    expect(withoutSecretsIn('x.csv?a=1&key=abc')).toBe('x.csv?a=1&key=%E2%80%A6');
    expect(withoutSecretsIn('plain.csv')).toBe('plain.csv');
    expect(secretsIn('https://u:p%40ss@h/x?token=t0k&a=1')).toEqual(['t0k', 'p@ss']);
  });

  it('reaches no ledger, no path and no message: not from “at:”, not from “file:”; tokens of pages are kept', async () => {
    const address = await featureService(
      'wards',
      (url, request, response) => {
        const second = url.searchParams.get('token') === 'page-two';
        // The service hands back what it was opened with.
        const next = `http://${request.headers.host}/collections/wards/items?sig=PASTED-SIGNATURE&token=page-two`;
        response.end(
          JSON.stringify({
            type: 'FeatureCollection',
            numberMatched: 2,
            features: [{ type: 'Feature', id: second ? 'b' : 'a', properties: {}, geometry: null }],
            links: second ? [] : [{ rel: 'next', href: next }],
          }),
        );
      },
      (url, response) => {
        if (url.pathname === '/missing.csv') response.writeHead(404).end();
        else if (url.pathname.endsWith('.csv')) response.end('a,b\n1,2\n');
        else return false;
        return true;
      },
    );
    const own = study(
      `sources:\n  shop: { kind: files, at: "${address}/" }\n  office: { kind: features, at: "${address}/?sig=PASTED-SIGNATURE" }\ngather:\n  one: { from: shop, file: "x.csv?key=PASTED-KEY&part=1" }\n  wards: { from: office }\n`,
    );
    await own.gather();
    await own.gather();
    own.write(
      `sources:\n  shop: { kind: files, at: "${address}/" }\ngather:\n  one: { from: shop, file: "x.csv?key=PASTED-KEY&part=1" }\n  gone: { from: shop, file: "missing.csv?password=PASTED-WORD" }\n`,
    );
    const error = await own.gather().catch((each: unknown) => each as Error);
    const ledger = readFileSync(`${own.folder}/ledger.jsonl`, 'utf8');
    const told = JSON.stringify([
      own.said,
      error,
      (error as Error).message,
      own.files('.').filter((name) => name !== 'study.yaml'),
      ledger,
    ]);
    expect(told).not.toMatch(/PASTED/);
    expect(ledger).toContain('part=1');
    const paged = study(
      `sources:\n  office: { kind: features, at: "${address}/?sig=PASTED-SIGNATURE" }\ngather:\n  wards: { from: office }\n`,
    );
    await paged.gather();
    expect(await paged.rows('wards')).toHaveLength(2);
    const pages = [...(await paged.ledger()).receipts.values()];
    expect(pages.map(({ url }) => url).join()).toContain('token=page-two');
    expect(JSON.stringify(pages)).not.toMatch(/PASTED/);
    // A page whose link was concealed is asked for again, and leads on as before.
    await paged.gather();
    expect(await paged.rows('wards')).toHaveLength(2);
  });
});
