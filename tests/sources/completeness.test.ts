import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, afterEach, describe, expect, it } from 'vitest';
import { countRows, type Layer } from '../../src/core/index.ts';
import { Arrivals, gapFindings, isShort } from '../../src/sources/completeness.ts';
import { xmlPageIds } from '../../src/sources/feature-ids.ts';
import { outerMembers } from '../../src/sources/features/page.ts';
import { boundaryOffice, type Mood, orderDesk } from '../../stand-ins/src/index.ts';
import { demoFolder } from '../support/demo-study.ts';
import { closeServices, service, transferContext } from '../support/http-service.ts';
import { idsOf, StudyFolder } from '../support/study-folder.ts';

const closing: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const close of closing.splice(0)) await close();
});
afterAll(closeServices);
const study = (body: string, area = 'area: { box: { west: -31, south: 45, east: -29, north: 46.5 } }') => {
  const own = new StudyFolder().write(body, area);
  closing.push(async () => own.end());
  return own;
};

async function office(pageSize: number) {
  const asked: string[] = [];
  const state = { mood: 'well' as Mood };
  const server = boundaryOffice({
    folder: join(demoFolder, 'data/boundary-office'),
    pageSize,
    mood: () => state.mood,
    onRequest: (url) => asked.push(decodeURIComponent(url)),
  });
  closing.push(() => server.close());
  return { address: await server.listen({ host: '127.0.0.1', port: 0 }), asked, state };
}
const from = (kind: string, at: string) =>
  `sources:\n  office: { kind: ${kind}, at: "${at}" }\ngather:\n  wards: { from: office }\n`;

describe('fewer features than announced', () => {
  it('without a link to the rest: asked twice, then an error, and nothing is taken for whole', async () => {
    const { address, asked, state } = await office(100);
    state.mood = 'no next';
    const own = study(from('features', `${address}/`));
    await expect(own.gather()).rejects.toMatchObject({
      code: 'source-incomplete',
      message: expect.stringMatching(
        /296 features were announced, and 100 came; the service leads to no more, asked twice/,
      ) as string,
    });
    expect(asked.filter((url) => url.includes('/items'))).toHaveLength(2);
    state.mood = 'well';
    await own.gather();
    expect(await countRows(await own.open('wards'))).toBe(296);
  });

  it('pages that move on while they are read: what is lost is an error, or a finding when it is little', async () => {
    const { address, state } = await office(30);
    state.mood = 'restless';
    for (const [kind, path] of [
      ['features', '/'],
      ['wfs', '/wfs'],
    ]) {
      await expect(study(from(kind, address + path)).gather()).rejects.toMatchObject({
        code: 'source-incomplete',
      });
    }
    const large = await office(200);
    large.state.mood = 'restless';
    const own = study(from('features', `${large.address}/`));
    await own.gather();
    const layer = await own.open('wards');
    expect(await countRows(layer)).toBe(295);
    expect(layer.findings).toEqual([
      expect.objectContaining({
        code: 'features-missing',
        severity: 'warning',
        words: 'wards: 296 features were announced, and 295 different ones came; 1 is missing.',
      }),
    ]);
    // It is told by every later run too, until it is gathered anew.
    large.state.mood = 'well';
    await own.gather({ again: ['wards'] });
    expect((await own.open('wards')).findings).toEqual([]);
  });

  it('features that come twice are counted once', async () => {
    const { address, state } = await office(40);
    state.mood = 'shifting';
    const own = study(from('features', `${address}/`));
    await own.gather();
    expect(new Set(await idsOf((await own.open('wards')) as Layer)).size).toBe(296);
    expect(await countRows(await own.open('wards'))).toBe(296);
  });

  it('a Web Feature Service that says neither how many there are nor where the next page is, is asked on', async () => {
    const feature = (n: number) => `<wfs:member><t:w gml:id="w.${n}"><t:n>${n}</t:n></t:w></wfs:member>`;
    const head =
      'xmlns:wfs="http://www.opengis.net/wfs/2.0" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:t="urn:t"';
    const state = { all: 7, ignoresStart: false, hits: 'numberMatched="7"' };
    const asked: string[] = [];
    const address = await service((request, response) => {
      const query = new URL(request.url!, 'http://x').searchParams;
      response.setHeader('content-type', 'text/xml');
      const what = query.get('REQUEST');
      if (what === 'GetCapabilities')
        return response.end(
          `<wfs:WFS_Capabilities version="2.0.0" ${head} xmlns:ows="http://www.opengis.net/ows/1.1"><wfs:FeatureTypeList><wfs:FeatureType><wfs:Name xmlns:t="urn:t">t:w</wfs:Name></wfs:FeatureType></wfs:FeatureTypeList></wfs:WFS_Capabilities>`,
        );
      if (what === 'DescribeFeatureType')
        return response.end(
          '<xsd:schema xmlns:xsd="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:t"><xsd:element name="w" type="t:wT"/><xsd:complexType name="wT"><xsd:sequence><xsd:element name="n" type="xsd:string"/></xsd:sequence></xsd:complexType></xsd:schema>',
        );
      asked.push(request.url!);
      if (query.get('RESULTTYPE') === 'hits')
        return response.end(`<wfs:FeatureCollection ${head} ${state.hits}/>`);
      const start = state.ignoresStart ? 0 : Number(query.get('STARTINDEX') ?? 0);
      const size = Number(query.get('COUNT') ?? 100);
      const features = Array.from({ length: Math.max(0, Math.min(size, state.all - start)) }, (_, k) =>
        feature(start + k),
      );
      // Each answer has a time of its own: no two are the same to the byte.
      response.end(
        `<wfs:FeatureCollection ${head} timeStamp="${asked.length}">${features.join('')}</wfs:FeatureCollection>`,
      );
    });
    const body = `sources:\n  office: { kind: wfs, at: "${address}" }\ngather:\n  w: { from: office, page size: 3 }\n`;
    const own = study(body);
    await own.gather();
    // Codes stay text, as the schema says.
    expect((await own.rows('w')).map(({ n }) => n)).toEqual(['0', '1', '2', '3', '4', '5', '6']);
    // As many as fit exactly: the last page is empty, and no trouble.
    state.all = 6;
    state.hits = 'numberMatched="6"';
    const exact = study(body);
    await exact.gather();
    expect(await exact.rows('w')).toHaveLength(6);
    state.ignoresStart = true;
    const circle = study(body);
    await expect(circle.gather()).rejects.toMatchObject({
      code: 'source-incomplete',
      message: expect.stringMatching(/6 features were announced, and 3 came/) as string,
    });
  });
});

describe('what came of a page', () => {
  it('ids are found in JSON wherever they stand, and only those of features', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            id: fc.oneof(fc.string(), fc.integer()),
            properties: fc.dictionary(fc.constantFrom('id', 'a'), fc.jsonValue()),
          }),
        ),
        fc.boolean(),
        (features, spaced) => {
          const text = JSON.stringify(
            {
              id: 'page',
              links: [{ id: 1 }],
              features: features.map((each) => ({ geometry: { id: 'g' }, ...each })),
            },
            null,
            spaced ? 2 : 0,
          );
          const ids: number[] = [];
          outerMembers(new TextEncoder().encode(text), ids);
          expect(ids).toHaveLength(features.length);
          // The number 7 and the text "7" name the same feature; texts with escapes are compared as they are written.
          const written = features.map(({ id }) =>
            typeof id === 'string' ? JSON.stringify(id).slice(1, -1) : String(id),
          );
          expect(new Set(ids).size).toBe(new Set(written).size);
        },
      ),
      { numRuns: 200 },
    );
  });

  it('features are found in XML through comments, texts of any kind and elements within them', () => {
    const page = `<?xml version="1.0"?><!-- <wfs:member><x gml:id="no"/></wfs:member> --><w:FeatureCollection><w:boundedBy><g:Envelope gml:id="no"/></w:boundedBy><w:member><t:a gml:id="one" b='>'><t:n><![CDATA[</t:a><t:a gml:id="no">]]></t:n><t:g><g:Point gml:id="no"/></t:g></t:a></w:member><w:member><t:a b="gml:id='x'" gml:id='two'/></w:member><g:featureMembers><t:a fid="three"/><t:a/></g:featureMembers></w:FeatureCollection>`;
    const { features, ids } = xmlPageIds(new TextEncoder().encode(page));
    expect(features).toBe(4);
    expect(new Set(ids).size).toBe(3);
  });

  it('is held against the announcement', () => {
    const context = transferContext('/tmp', { said: [], slept: [], kept: [] });
    const sent = { what: 's/w', url: 'http://x/' };
    const arrivals = (features: number, ids: number[]) => {
      const all = new Arrivals();
      all.add({ features, ids });
      return all;
    };
    expect(isShort(arrivals(3, [1, 2, 3]), 3)).toBe(false);
    expect(isShort(arrivals(3, [1, 2, 2]), 3)).toBe(true);
    expect(isShort(arrivals(3, [1, 2, 2]), undefined)).toBe(true);
    expect(isShort(arrivals(3, []), undefined)).toBe(false);
    expect(gapFindings('w', arrivals(3, []), 3, sent, context)).toEqual([]);
    expect(gapFindings('w', arrivals(199, []), 200, sent, context)[0].code).toBe('features-missing');
    expect(() => gapFindings('w', arrivals(100, []), 199, sent, context)).toThrow(
      /199 features were announced, and 100 came/,
    );
    expect(gapFindings('w', arrivals(5, [1, 2, 2, 3, 4]), undefined, sent, context)[0].code).toBe(
      'features-repeated',
    );
    expect(gapFindings('w', arrivals(5, []), 4, sent, context)[0].code).toBe('features-more');
  });
});

describe('orders in pieces', () => {
  const boundaries = join(demoFolder, 'data/boundary-office');
  const all = (
    JSON.parse(readFileSync(join(boundaries, 'wards-2024.geojson'), 'utf8')) as { features: unknown[] }
  ).features.length;

  it('that come as shapefiles hold what lies across their borders once, and say what cannot be told', async () => {
    const server = orderDesk({
      folder: boundaries,
      takes: 5,
      form: 'shapefile',
      mostArea: 2000,
      now: Date.now,
    });
    closing.push(() => server.close());
    const address = await server.listen({ host: '127.0.0.1', port: 0 });
    const own = study(
      `sources:\n  desk: { kind: orders, at: "${address}/", agreed: 2026-01-01, limits: { square kilometres: 1500 } }\ngather:\n  wards: { from: desk, collection: wards-2024 }\nprepare:\n  wards: [where: "name IS NOT NULL"]\n`,
    );
    const { findings } = await own.gather({ only: undefined });
    const pieces = own.files('gathered/desk/wards').length;
    expect(pieces).toBeGreaterThan(3);
    const once = own.said.find((line) => line.startsWith('Once:'))!;
    expect(once).toMatch(
      new RegExp(
        `^Once: [\\d,]+ wards in; ${all} kept, \\d+ left out that came in another piece with the same geometry and fields\\.$`,
      ),
    );
    expect(own.said.find((line) => line.startsWith('Filter:'))).toContain(`Filter: ${all} wards in`);
    expect(findings.find(({ code }) => code === 'pieces-without-ids')?.words).toMatch(
      /^wards came in \d+ pieces without ids: features with the same geometry and fields were taken for one/,
    );
  });
});

describe('answers without features', () => {
  it('go on as empty layers with their fields and CRS, from either protocol', async () => {
    const { address } = await office(50);
    const far = 'area: { box: { west: 10, south: 10, east: 11, north: 11 } }';
    for (const [kind, path] of [
      ['features', '/'],
      ['wfs', '/wfs'],
      ['wfs', '/wfs-1.1'],
    ]) {
      const own = study(
        `${from(kind, address + path)}prepare:\n  wards:\n    - where: "district = 'T204' AND code LIKE '02%'"\n    - select: [code, name]\n    - clip: area\n`,
        far,
      );
      await own.gather({ only: 'gather' });
      await own.gather({ only: 'prepare' });
      expect(own.said, kind).toContain('Clip: 0 wards in; 0 kept whole, 0 cut, 0 outside.');
      const layer = (await own.open('wards')) as Layer;
      expect(layer.count).toBe(0);
      expect(layer.crs?.code).toBe('EPSG:4326');
      expect(layer.schema.map(({ name }) => name)).toEqual(
        expect.arrayContaining(['code', 'name', 'district']),
      );
    }
  });
});
