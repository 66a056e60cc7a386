import { createHash } from 'node:crypto';
import {
  type CatalogueRecord,
  catalogueRecords,
  catalogueTable,
  countryBox,
  type OfficeAddresses,
} from './catalogue-data.ts';
import { withCors } from './cors.ts';
import { type Mood, withMood } from './moods.ts';
import { type Answer, type Asking, Service } from './service.ts';

export interface CatalogueOfficeOptions {
  /** Folder of the statistics office: its tables are what those of the catalogue are made like. */
  statistics: string;
  /** Where the offices are that the catalogue tells of. */
  addresses(): OfficeAddresses;
  mood?: () => Mood;
  setMood?: (mood: Mood) => void;
  onRequest?: (url: string) => void;
  /** Records on a page. */
  pageSize?: number;
  /** Seconds for which an answer says that it is fresh. */
  fresh?: number;
}

const conformance = [
  'http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/core',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/core',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/record-api',
];

/** A token that says nothing to who gets it. */
const tokenOf = (at: number) => createHash('sha256').update(`page ${at}`).digest('base64url').slice(0, 20);

function addressOf(link: CatalogueRecord['links'][number], addresses: OfficeAddresses): string {
  return link.office === 'none' ? link.path : `${addresses[link.office]}/${link.path}`;
}

function asFeature(record: CatalogueRecord, addresses: OfficeAddresses): unknown {
  const [west, south, east, north] = countryBox;
  return {
    type: 'Feature',
    id: record.id,
    conformsTo: ['http://www.opengis.net/spec/ogcapi-records-1/1.0/req/record-core'],
    time: { interval: [`${record.year}-01-01`, `${record.year}-12-31`] },
    geometry: {
      type: 'Polygon',
      coordinates: [
        [
          [west, south],
          [east, south],
          [east, north],
          [west, north],
          [west, south],
        ],
      ],
    },
    properties: {
      type: 'dataset',
      title: record.title,
      description: record.description,
      keywords: record.keywords,
      themes: [
        { concepts: [{ id: record.theme, title: record.theme }], scheme: 'https://catalogue.example/themes' },
      ],
      levels: [record.level],
      breakdowns: record.breakdowns,
      ...(record.universe === undefined ? {} : { universe: record.universe }),
      ...(record.series === undefined ? {} : { series: record.series }),
      columns: record.columns,
      contacts: [{ organization: record.provider, roles: ['publisher'] }],
      license: record.licence,
      updated: `${record.updated}T00:00:00Z`,
    },
    links: record.links.map((link) => ({
      rel: link.rel,
      href: addressOf(link, addresses),
      ...(link.type === undefined ? {} : { type: link.type }),
      ...(link.format === undefined ? {} : { format: link.format }),
      ...(link.bytes === undefined ? {} : { length: link.bytes }),
    })),
  };
}

const context = {
  dcat: 'http://www.w3.org/ns/dcat#',
  dct: 'http://purl.org/dc/terms/',
  foaf: 'http://xmlns.com/foaf/0.1/',
  hydra: 'http://www.w3.org/ns/hydra/core#',
  skos: 'http://www.w3.org/2004/02/skos/core#',
};

function distributions(record: CatalogueRecord, addresses: OfficeAddresses, base: string) {
  return record.links.map((link, k) => ({
    '@id': `${base}#${record.id}-${k}`,
    '@type': 'dcat:Distribution',
    [link.rel === 'enclosure' ? 'dcat:downloadURL' : 'dcat:accessURL']: { '@id': addressOf(link, addresses) },
    ...(link.type === undefined
      ? {}
      : { 'dcat:mediaType': { '@id': `http://www.iana.org/assignments/media-types/${link.type}` } }),
    'dct:license': { '@id': `https://licences.example/${record.licence.replace(/[ .]+/g, '-')}` },
    ...(link.bytes === undefined ? {} : { 'dcat:byteSize': link.bytes }),
  }));
}

function asDataset(
  record: CatalogueRecord,
  addresses: OfficeAddresses,
  base: string,
  flat: boolean,
): Record<string, unknown>[] {
  const made = distributions(record, addresses, base);
  const publisher = {
    '@id': `https://offices.example/${record.provider.replace(/ /g, '-')}`,
    '@type': 'foaf:Agent',
    'foaf:name': record.provider,
  };
  const period = {
    '@id': `${base}#${record.id}-time`,
    '@type': 'dct:PeriodOfTime',
    'dcat:startDate': `${record.year}-01-01`,
    'dcat:endDate': `${record.year}-12-31`,
  };
  const place = {
    '@id': `${base}#country`,
    '@type': 'dct:Location',
    'dcat:bbox': `POLYGON ((${countryBox[0]} ${countryBox[1]}, ${countryBox[2]} ${countryBox[1]}, ${countryBox[2]} ${countryBox[3]}, ${countryBox[0]} ${countryBox[3]}, ${countryBox[0]} ${countryBox[1]}))`,
  };
  const refer = (node: Record<string, unknown>) => (flat ? { '@id': node['@id'] } : node);
  const dataset = {
    '@id': `${base}#${record.id}`,
    '@type': 'dcat:Dataset',
    'dct:identifier': record.id,
    'dct:title': [
      { '@value': record.title, '@language': 'en' },
      { '@value': `(${record.id})`, '@language': 'tk' },
    ],
    'dct:description': record.description,
    'dcat:keyword': record.keywords,
    'dcat:theme': { '@id': `https://catalogue.example/themes/${record.theme}` },
    'dct:publisher': refer(publisher),
    'dct:temporal': refer(period),
    'dct:spatial': refer(place),
    'dct:modified': record.updated,
    // One distribution stands by itself, several in a list.
    'dcat:distribution': made.length === 1 ? refer(made[0]) : made.map(refer),
  };
  return flat ? [dataset, publisher, period, place, ...made] : [dataset];
}

type Send = (reply: Answer, request: Asking, body: unknown, type?: string) => Answer;

/** The national catalogue: DCAT-AP as JSON-LD on pages, nested and flat. */
function addDcat(
  server: Service,
  records: readonly CatalogueRecord[],
  { addresses, pageSize = 60 }: CatalogueOfficeOptions,
  send: Send,
): void {
  const dcat =
    (flat: boolean) => async (request: Asking<{ Querystring: { page?: string } }>, reply: Answer) => {
      const page = Math.max(1, Number(request.query.page ?? 1) || 1);
      // The national catalogue knows what is of the year before last and later.
      const recent = records.filter(({ year }) => year >= 2023);
      const part = recent.slice((page - 1) * pageSize, page * pageSize);
      const base = `${addresses().catalogue}/dcat/${flat ? 'flat' : 'nested'}`;
      const datasets = part.map((record) => asDataset(record, addresses(), base, flat));
      const more = page * pageSize < recent.length;
      const pages = more
        ? [
            {
              '@id': `${base}?page=${page}`,
              '@type': 'hydra:PartialCollectionView',
              'hydra:next': { '@id': `${base}?page=${page + 1}` },
            },
          ]
        : [];
      const catalogue = {
        '@id': `${base}#catalogue`,
        '@type': 'dcat:Catalog',
        'dct:title': 'National catalogue of Teskaria',
        'dcat:dataset': flat
          ? datasets.map(([dataset]) => ({ '@id': dataset['@id'] }))
          : datasets.map(([dataset]) => dataset),
      };
      const nodes = flat
        ? [catalogue, ...new Map(datasets.flat().map((node) => [node['@id'], node])).values()]
        : [catalogue];
      return send(
        reply,
        request,
        { '@context': context, '@graph': [...nodes, ...pages] },
        'application/ld+json',
      );
    };
  server.get<{ Querystring: { page?: string } }>('/dcat/nested', dcat(false));
  server.get<{ Querystring: { page?: string } }>('/dcat/flat', dcat(true));
}

/** The simulated catalogue of Teskaria: OGC API – Records with opaque tokens, DCAT-AP nested and flat, and the tables that it tells of. */
export function catalogueOffice(options: CatalogueOfficeOptions): Service {
  const server = new Service();
  withCors(server);
  withMood(server, options.mood ?? (() => 'well'), options.setMood);
  if (options.onRequest) server.beforeRoutes(async (request) => options.onRequest?.(request.url));
  const { pageSize = 60, addresses } = options;
  const records = catalogueRecords();
  const send: Send = (reply, request, body, type = 'application/json') => {
    const text = JSON.stringify(body);
    const etag = `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`;
    reply.header('etag', etag);
    if (options.fresh !== undefined) reply.header('cache-control', `max-age=${options.fresh}`);
    if (request.headers['if-none-match'] === etag) return reply.code(304).send();
    return reply.type(type).send(text);
  };
  const own = () => addresses().catalogue;

  server.get('/', async (request, reply) =>
    send(reply, request, {
      title: 'Catalogue of Teskaria (simulated)',
      links: [
        { rel: 'self', href: `${own()}/`, type: 'application/json' },
        { rel: 'conformance', href: `${own()}/conformance` },
        { rel: 'data', href: `${own()}/collections` },
      ],
    }),
  );
  server.get('/conformance', async (request, reply) => send(reply, request, { conformsTo: conformance }));
  server.get('/collections', async (request, reply) =>
    send(reply, request, {
      collections: [
        {
          id: 'open-data',
          title: 'Open data of Teskaria',
          itemType: 'record',
          links: [
            { rel: 'items', href: `${own()}/collections/open-data/items`, type: 'application/geo+json' },
          ],
        },
      ],
    }),
  );
  server.get<{ Querystring: { token?: string } }>('/collections/open-data/items', async (request, reply) => {
    const { token } = request.query;
    let at = 0;
    if (token !== undefined) {
      at = -1;
      for (let k = pageSize; k < records.length; k += pageSize) if (tokenOf(k) === token) at = k;
      if (at < 0)
        return reply
          .code(400)
          .type('application/problem+json')
          .send({ title: 'The token is not known', detail: 'Begin again.' });
    }
    const page = records.slice(at, at + pageSize);
    const next = at + pageSize < records.length ? tokenOf(at + pageSize) : null;
    return send(
      reply,
      request,
      {
        type: 'FeatureCollection',
        numberMatched: records.length,
        numberReturned: page.length,
        features: page.map((record) => asFeature(record, addresses())),
        links:
          next === null
            ? []
            : [
                {
                  rel: 'next',
                  href: `${own()}/collections/open-data/items?token=${next}`,
                  type: 'application/geo+json',
                },
              ],
      },
      'application/geo+json',
    );
  });

  addDcat(server, records, options, send);

  server.get<{ Params: { name: string } }>('/files/:name', async (request, reply) => {
    const record = records.find(({ links }) =>
      links.some(({ office, path }) => office === 'catalogue' && path === `files/${request.params.name}`),
    );
    if (record === undefined) return reply.code(404).send({ title: 'No such file' });
    return reply.type('text/csv').send(catalogueTable(record, options.statistics));
  });
  return server;
}
