import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import type { CatalogueEntry } from '../../src/core/catalogue/entry.ts';
import { IsomericError } from '../../src/core/errors.ts';
import { LdGraph } from '../../src/sources/catalogue/json-ld.ts';
import type { ListedSource } from '../../src/sources/catalogue/lister.ts';
import { recognise } from '../../src/sources/catalogue/recognise.ts';
import { listerOf, listers } from '../../src/sources/catalogue/register.ts';
import { wayTo } from '../../src/sources/catalogue/ways.ts';
import { contextOf } from '../../src/sources/gather-dataset.ts';
import { closeServices, service } from '../support/http-service.ts';

afterAll(closeServices);

/** A service that answers documents by their paths; `HERE` in them is its own address. */
async function documents(answers: Record<string, unknown>): Promise<string> {
  let own = '';
  own = await service((request, response) => {
    const found = answers[request.url!];
    if (found === undefined) response.writeHead(404).end();
    else
      response
        .writeHead(200, { 'content-type': 'application/json' })
        .end((typeof found === 'string' ? found : JSON.stringify(found)).replaceAll('HERE', own));
  });
  return own;
}

async function listed(kind: string, at: string): Promise<CatalogueEntry[]> {
  const source: ListedSource = { name: 'it', kind, at, traits: {} };
  const entries: CatalogueEntry[] = [];
  for await (const entry of listerOf(kind)!.list(source, contextOf(at, { tries: 1, patience: 5000 })))
    entries.push(entry);
  return entries;
}

const dataset = {
  '@id': 'https://data.example/dataset/x-1',
  '@type': 'dcat:Dataset',
  'dct:title': 'Households by ward 2024',
  'dcat:keyword': ['housing'],
  'dcat:distribution': {
    '@id': 'https://data.example/d/1',
    '@type': 'dcat:Distribution',
    'dcat:downloadURL': { '@id': 'https://data.example/files/h.csv' },
    'dcat:mediaType': 'text/csv',
  },
};

describe('DCAT', () => {
  it.each([
    ['prefixes without a context', { '@graph': [dataset] }],
    [
      'a single dataset, nested in its catalogue',
      { '@type': 'dcat:Catalog', '@id': 'c', 'dcat:dataset': dataset },
    ],
    [
      'whole names',
      [
        {
          '@id': 'https://data.example/dataset/x-1',
          '@type': ['http://www.w3.org/ns/dcat#Dataset'],
          'http://purl.org/dc/terms/title': [{ '@value': 'Households by ward 2024' }],
          'http://www.w3.org/ns/dcat#keyword': [{ '@value': 'housing' }],
          'http://www.w3.org/ns/dcat#distribution': [{ '@id': 'https://data.example/d/1' }],
        },
        {
          '@id': 'https://data.example/d/1',
          '@type': ['http://www.w3.org/ns/dcat#Distribution'],
          'http://www.w3.org/ns/dcat#downloadURL': [{ '@id': 'https://data.example/files/h.csv' }],
          'http://www.w3.org/ns/dcat#mediaType': [{ '@value': 'text/csv' }],
        },
      ],
    ],
    [
      'bare words with a context elsewhere, and texts by language',
      {
        '@context': 'https://standards.example/dcat.jsonld',
        '@id': 'c',
        '@type': 'Catalog',
        dataset: [
          {
            '@id': 'https://data.example/dataset/x-1',
            '@type': 'Dataset',
            title: { fr: 'Ménages', en: 'Households by ward 2024' },
            keyword: { en: ['housing'], fr: ['logement'] },
            distribution: [
              {
                '@type': 'Distribution',
                downloadURL: 'https://data.example/files/h.csv',
                mediaType: 'text/csv',
              },
            ],
          },
        ],
      },
    ],
    [
      'words of its own context',
      {
        '@context': [
          {
            d: 'http://www.w3.org/ns/dcat#',
            name: 'http://purl.org/dc/terms/title',
            words: { '@id': 'd:keyword' },
            from: { '@id': 'd:distribution', '@type': '@id' },
          },
        ],
        '@graph': [
          {
            '@id': 'https://data.example/dataset/x-1',
            '@type': 'd:Dataset',
            name: 'Households by ward 2024',
            words: 'housing',
            from: ['https://data.example/d/1'],
          },
          {
            '@id': 'https://data.example/d/1',
            '@type': 'd:Distribution',
            'd:downloadURL': 'https://data.example/files/h.csv',
            'd:mediaType': { '@id': 'http://www.iana.org/assignments/media-types/text/csv' },
          },
        ],
      },
    ],
  ])('%s', async (_, document) => {
    const [entry] = await listed('dcat', `${await documents({ '/c': document })}/c`);
    expect(entry).toMatchObject({
      id: 'x-1',
      title: 'Households by ward 2024',
      holds: 'table',
      keywords: ['housing'],
      levels: ['ward'],
      years: ['2024'],
      ways: [
        {
          format: 'csv',
          source: { kind: 'files', at: 'https://data.example/files/' },
          dataset: { file: 'h.csv' },
        },
      ],
    });
    expect(entry.dead).toBeUndefined();
  });

  it('on pages: each is asked for once, and one that leads back is told', async () => {
    const page = (next: string | null, id: string) => ({
      '@graph': [
        { ...dataset, '@id': `https://data.example/${id}` },
        ...(next === null ? [] : [{ '@id': 'p', '@type': 'hydra:PagedCollection', 'hydra:nextPage': next }]),
      ],
    });
    const at = await documents({
      '/1': page('HERE/2', 'a'),
      '/2': page('HERE/3', 'b'),
      '/3': page(null, 'c'),
    });
    expect((await listed('dcat', `${at}/1`)).map(({ id }) => id)).toEqual(['a', 'b', 'c']);
    const loop = await documents({ '/1': page('HERE/2', 'a'), '/2': page('HERE/1', 'b') });
    await expect(listed('dcat', `${loop}/1`)).rejects.toMatchObject({ code: 'source-loop' });
  });

  it('nested without end is no danger', () => {
    let deep: unknown = { '@id': 'end' };
    for (let k = 0; k < 3000; k++) deep = { '@id': `n${k}`, 'dcat:dataset': deep };
    expect(new LdGraph(deep).nodes.size).toBeGreaterThan(10);
  });
});

describe('records', () => {
  const record = (more: object = {}) => ({
    type: 'Feature',
    id: 'r1',
    geometry: {
      type: 'Polygon',
      coordinates: [
        [
          [-30, 45],
          [-29, 45],
          [-29, 46],
          [-30, 46],
          [-30, 45],
        ],
      ],
    },
    properties: { title: 'Wards', type: 'dataset', keywords: ['boundary'], ...more },
    links: [{ rel: 'item', href: 'wards.gpkg', type: 'application/geopackage+sqlite3', length: 1234 }],
  });

  it('are found from the landing page, the catalogue and the records, with links that are relative', async () => {
    const at = await documents({
      '/': { links: [{ rel: 'data', href: 'collections' }] },
      '/collections': {
        collections: [
          { id: 'roads', itemType: 'feature' },
          { id: 'cat', itemType: 'record' },
        ],
      },
      '/collections/cat/items': { type: 'FeatureCollection', features: [record()], links: [] },
      '/collections/cat': { id: 'cat', links: [{ rel: 'items', href: 'HERE/collections/cat/items' }] },
    });
    for (const path of ['/', '/collections/cat', '/collections/cat/items']) {
      const [entry, ...more] = await listed('records', at + path);
      expect(more).toEqual([]);
      expect(entry).toMatchObject({
        id: 'r1',
        holds: 'layer',
        box: [-30, 45, -29, 46],
        ways: [{ format: 'geopackage', bytes: 1234, dataset: { file: 'wards.gpkg' } }],
      });
    }
  });

  it.each([
    ['a year as time', { time: '2019' }, { years: ['2019'] }],
    [
      'themes by concepts',
      { themes: [{ concepts: [{ id: 'env' }, { id: 'x', title: 'Water' }] }] },
      { themes: ['env', 'Water'] },
    ],
    ['titles by language', { title: { de: 'Bezirke', en: 'Wards' } }, { title: 'Wards' }],
    [
      'contacts',
      { contacts: [{ name: 'Somebody' }, { organization: 'Office', roles: ['publisher'] }] },
      { provider: 'Office' },
    ],
    [
      'a licence by its address',
      { license: 'https://creativecommons.org/licenses/by/4.0/' },
      { licence: 'CC BY 4.0' },
    ],
  ])('%s', async (_, more, wanted) => {
    const at = await documents({ '/items': { type: 'FeatureCollection', features: [record(more)] } });
    expect((await listed('records', `${at}/items`))[0]).toMatchObject(wanted);
  });

  it('whose pages lead back are told', async () => {
    const at = await documents({
      '/items': {
        type: 'FeatureCollection',
        features: [record()],
        links: [{ rel: 'next', href: 'HERE/items' }],
      },
    });
    await expect(listed('records', `${at}/items`)).rejects.toMatchObject({ code: 'source-loop' });
  });
});

describe('ways', () => {
  it.each([
    [
      {
        address: 'https://a.example/collections/wards/items?f=json',
        rel: 'items',
        mediaType: 'application/geo+json',
      },
      'features',
      { collection: 'wards' },
    ],
    [
      {
        address: 'https://a.example/api/collections/my%20wards',
        conformsTo: ['http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core'],
      },
      'features',
      { collection: 'my wards' },
    ],
    [
      { address: 'https://a.example/ows?service=WFS&request=GetFeature&typeNames=b:wards&outputFormat=json' },
      'wfs',
      { collection: 'b:wards' },
    ],
    [
      { address: 'https://a.example/rest/data/TSO,RESIDENTS,1.0/all', format: 'SDMX' },
      'sdmx',
      { table: 'RESIDENTS' },
    ],
    [
      { address: 'https://a.example/rest/structure/dataflow/TSO/RESIDENTS/1.0', format: 'SDMX' },
      'sdmx',
      { table: 'RESIDENTS' },
    ],
    [
      { address: 'https://a.example/json/T1', mediaType: 'application/json-stat+json' },
      'json-stat',
      { table: 'T1' },
    ],
    [
      { address: 'https://a.example/x/wards.shp.zip', format: 'Shapefile', download: true },
      'files',
      { file: 'wards.shp.zip' },
    ],
    [{ address: 'https://a.example/get?id=7', mediaType: 'text/csv' }, 'files', { file: 'get?id=7' }],
  ])('%j', (told, kind, dataset_) => {
    const way = wayTo(told);
    expect([way.source?.kind, way.dataset]).toEqual([kind, dataset_]);
    expect(way.dead).toBeUndefined();
  });

  it.each([
    [{ address: 'https://a.example/about', mediaType: 'text/html' }, /web page/],
    [{ address: 'https://a.example/map?service=WMS', format: 'OGC:WMS' }, /pictures/],
    [{ address: 'ftp://a.example/x.csv' }, /none that can be asked/],
    [{ address: 'https://a.example/x.pdf', mediaType: 'application/pdf' }, /document/],
    [{ address: 'https://a.example/thing' }, /nothing says what it is/],
    [{ address: 'https://a.example/folder/', format: 'CSV' }, /folder/],
  ])('%j leads nowhere', (told, why) => {
    expect(wayTo(told).dead).toMatch(why);
  });
});

describe('whatever a service answers', () => {
  it('is a list or an error of ours, never a mistake in Isomeric itself', async () => {
    let answer = '';
    const at = await service((_, response) =>
      response.writeHead(200, { 'content-type': 'application/json' }).end(answer),
    );
    const value = fc.jsonValue({ maxDepth: 4 });
    const near = fc.record(
      {
        type: fc.constantFrom('FeatureCollection', 'Feature', 'x'),
        features: fc.array(
          fc.record(
            {
              id: value,
              properties: fc.oneof(
                value,
                fc.record(
                  {
                    title: value,
                    keywords: value,
                    themes: value,
                    contacts: value,
                    time: value,
                    formats: value,
                    id: value,
                    name: value,
                    parent: value,
                    url: value,
                  },
                  { requiredKeys: [] },
                ),
              ),
              links: value,
              geometry: value,
              bbox: value,
            },
            { requiredKeys: [] },
          ),
        ),
        links: fc.array(
          fc.record({ rel: fc.constantFrom('items', 'data', 'child', 'x'), href: fc.string() }),
        ),
        collections: value,
        class: fc.constantFrom('collection', 'dataset'),
        link: fc.record({ item: value }),
        '@graph': fc.array(
          fc.record(
            {
              '@id': value,
              '@type': fc.constantFrom('dcat:Dataset', 'dcat:Catalog'),
              'dct:title': value,
              'dcat:distribution': value,
              'dct:spatial': value,
              'dct:temporal': value,
            },
            { requiredKeys: [] },
          ),
        ),
      },
      { requiredKeys: [] },
    );
    const kinds = listers.map(({ kind }) => kind).filter((kind) => kind !== 'files' && kind !== 'folder');
    await fc.assert(
      fc.asyncProperty(fc.oneof(value, near), fc.constantFrom(...kinds), async (document, kind) => {
        answer = JSON.stringify(document);
        try {
          for (const entry of await listed(kind, `${at}/`)) {
            expect(typeof entry.title).toBe('string');
            expect(Array.isArray(entry.ways)).toBe(true);
          }
        } catch (error) {
          if (!(error instanceof IsomericError)) throw error;
        }
      }),
      { numRuns: 300 },
    );
    await fc.assert(
      fc.asyncProperty(fc.oneof(value, near), async (document) => {
        answer = JSON.stringify(document);
        const found = await recognise(`${at}/`, contextOf(`${at}/`, { tries: 1, patience: 5000 }));
        expect(found === null || listers.some(({ kind }) => kind === found.kind)).toBe(true);
      }),
      { numRuns: 100 },
    );
  });
});
