import { createHash } from 'node:crypto';
import {
  boxOf,
  type Collection,
  collectionsIn,
  type Feature,
  mapped,
  meets,
  mercator,
  unmercator,
} from './boundary-data.ts';
import { featureGml, gmlNamespaces } from './boundary-gml.ts';
import { addWfs } from './boundary-wfs.ts';
import { ConditionError, parseCondition } from './conditions.ts';
import { type Mood, nextStart, withMood } from './moods.ts';
import { type Answer, Service } from './service.ts';

export interface BoundaryOfficeOptions {
  /** Folder with `<level>-<vintage>.geojson`. */
  folder: string;
  mood?: () => Mood;
  setMood?: (mood: Mood) => void;
  /** Told the address of every request. */
  onRequest?: (url: string) => void;
  /** Features on a page when the client does not say. */
  pageSize?: number;
  /** Asks clients to agree to its terms of use. */
  terms?: boolean;
  /** What the service can be asked: all parts, part 1 alone, or GML in place of GeoJSON. */
  abilities?: 'all' | 'core' | 'gml';
}

const crs84 = 'http://www.opengis.net/def/crs/OGC/1.3/CRS84';
const epsg4326 = 'http://www.opengis.net/def/crs/EPSG/0/4326';
const epsg3857 = 'http://www.opengis.net/def/crs/EPSG/0/3857';

/** Positions as each CRS has them, in the order of its axes. */
const crsList: Record<string, { to: (p: number[]) => number[]; from: (p: number[]) => number[] }> = {
  [crs84]: { to: (p) => p, from: (p) => p },
  [epsg4326]: { to: ([lon, lat]) => [lat, lon], from: ([lat, lon]) => [lon, lat] },
  [epsg3857]: { to: mercator, from: unmercator },
};

const classes = {
  core: ['ogcapi-features-1/1.0/conf/core', 'ogcapi-features-1/1.0/conf/geojson'],
  gml: ['ogcapi-features-1/1.0/conf/core', 'ogcapi-features-1/1.0/conf/gmlsf0'],
  all: [
    'ogcapi-features-1/1.0/conf/core',
    'ogcapi-features-1/1.0/conf/geojson',
    'ogcapi-features-2/1.0/conf/crs',
    'ogcapi-features-3/1.0/conf/queryables',
    'ogcapi-features-3/1.0/conf/queryables-query-parameters',
    'ogcapi-features-3/1.0/conf/filter',
    'ogcapi-features-3/1.0/conf/features-filter',
    'cql2/1.0/conf/cql2-text',
    'cql2/1.0/conf/basic-cql2',
    'cql2/1.0/conf/advanced-comparison-operators',
  ],
};

const known = new Set(['bbox', 'bbox-crs', 'crs', 'limit', 'token', 'filter', 'filter-lang', 'f']);

class Refusal extends Error {}

/** A simulated feature service after OGC API – Features, parts 1, 2 and 3; the same boundaries as Web Feature Service at /wfs. */
export function boundaryOffice(options: BoundaryOfficeOptions): Service {
  const server = new Service();
  withMood(server, options.mood ?? (() => 'well'), options.setMood);
  if (options.onRequest) server.beforeRoutes(async (request) => options.onRequest?.(request.url));
  const collections = collectionsIn(options.folder);
  const office = new Office(options, collections);
  office.addPages(server);
  office.addCollections(server);
  office.addItems(server);
  addWfs(server, collections, { mood: options.mood, pageSize: options.pageSize });
  return server;
}

type Turn = (position: number[]) => number[];
interface Asked {
  protocol: string;
  host: string;
}
interface PageRequest extends Asked {
  query: Record<string, string>;
  headers: Record<string, unknown>;
}

const base = ({ protocol, host }: Asked) => `${protocol}://${host}`;
const missing = (id: string) => ({ code: 'NotFound', description: `No collection ${id}.` });

function inCrs(feature: Feature, to: Turn): Feature {
  return {
    ...feature,
    geometry: { ...feature.geometry, coordinates: mapped(feature.geometry.coordinates, to) },
  };
}

function boxIn(text: string, from: Turn) {
  const numbers = text.split(',').map(Number);
  if (numbers.length !== 4 || numbers.some(Number.isNaN)) throw new Refusal('bbox needs four numbers.');
  return boxOf([from(numbers.slice(0, 2)), from(numbers.slice(2))]);
}

class Office {
  private readonly options: BoundaryOfficeOptions;
  private readonly collections: Map<string, Collection>;
  private readonly abilities: NonNullable<BoundaryOfficeOptions['abilities']>;

  constructor(options: BoundaryOfficeOptions, collections: Map<string, Collection>) {
    this.options = options;
    this.collections = collections;
    this.abilities = options.abilities ?? 'all';
  }

  private get all(): boolean {
    return this.abilities === 'all';
  }

  /** The landing page, what the service conforms to, its licence and terms. */
  addPages(server: Service): void {
    server.get('/', async (request) => ({
      title: 'Boundary Office of Teskaria (simulated)',
      links: [
        { rel: 'self', type: 'application/json', href: `${base(request)}/` },
        { rel: 'conformance', type: 'application/json', href: `${base(request)}/conformance` },
        { rel: 'data', type: 'application/json', href: `${base(request)}/collections` },
        ...(this.options.terms
          ? [
              {
                rel: 'terms-of-service',
                type: 'text/html',
                title: 'Terms of the Boundary Office',
                href: `${base(request)}/terms`,
              },
            ]
          : []),
      ],
    }));
    server.get('/conformance', async () => ({
      conformsTo: classes[this.abilities].map((each) => `http://www.opengis.net/spec/${each}`),
    }));
    server.get('/licence', async (_, reply) =>
      reply
        .type('text/html')
        .send(
          '<h1>Teskaria Open Boundaries Licence 2.0</h1><p>Free for any use; name the Boundary Office.</p>',
        ),
    );
    server.get('/terms', async (_, reply) =>
      reply
        .type('text/html')
        .send(
          '<h1>Terms of the Boundary Office</h1><p>Boundaries are not to be shown as settled in court.</p>',
        ),
    );
  }

  addCollections(server: Service): void {
    server.get('/collections', async (request) => ({
      links: [],
      ...(this.all ? { crs: Object.keys(crsList) } : {}),
      collections: [...this.collections.values()].map((collection) =>
        this.describe(base(request), collection),
      ),
    }));
    server.get<{ Params: { id: string } }>('/collections/:id', async (request, reply) => {
      const collection = this.collections.get(request.params.id);
      return collection === undefined
        ? reply.code(404).send(missing(request.params.id))
        : this.describe(base(request), collection);
    });
    server.get<{ Params: { id: string } }>('/collections/:id/queryables', async (request, reply) => {
      const collection = this.collections.get(request.params.id);
      if (collection === undefined || !this.all) return reply.code(404).send(missing(request.params.id));
      const properties = Object.fromEntries(
        Object.entries(collection.features[0].properties).map(([name, value]) => [
          name,
          { title: name, type: typeof value === 'number' ? 'integer' : 'string' },
        ]),
      );
      return reply.type('application/schema+json').send({
        $schema: 'https://json-schema.org/draft/2020-12/schema',
        $id: `${base(request)}/collections/${collection.id}/queryables`,
        type: 'object',
        properties: { geometry: { format: 'geometry-multipolygon' }, ...properties },
        additionalProperties: false,
      });
    });
  }

  private describe(root: string, { id, title, vintage, level }: Collection) {
    const queryables = {
      rel: 'http://www.opengis.net/def/rel/ogc/1.0/queryables',
      type: 'application/schema+json',
      href: `${root}/collections/${id}/queryables`,
    };
    return {
      id,
      title,
      description: `Administrative boundaries, state of 1 January ${vintage}.`,
      itemType: 'feature',
      crs: this.all ? ['#/crs'] : [crs84],
      ...(this.all ? { storageCrs: crs84 } : {}),
      extent: { spatial: { bbox: [[-30.7, 45.2, -29.2, 46]] } },
      attribution: `Boundary Office of Teskaria (${vintage}): ${level}.`,
      links: [
        { rel: 'items', type: 'application/geo+json', href: `${root}/collections/${id}/items` },
        {
          rel: 'license',
          type: 'text/html',
          title: 'Teskaria Open Boundaries Licence 2.0',
          href: `${root}/licence`,
        },
        ...(this.all ? [queryables] : []),
      ],
    };
  }

  addItems(server: Service): void {
    server.get<{ Params: { id: string }; Querystring: Record<string, string> }>(
      '/collections/:id/items',
      async (request, reply) => {
        const collection = this.collections.get(request.params.id);
        if (collection === undefined) return reply.code(404).send(missing(request.params.id));
        try {
          const { matched, to } = this.matching(collection, request.query);
          return this.sendPage(request, reply, collection, matched, to);
        } catch (error) {
          if (error instanceof Refusal || error instanceof ConditionError)
            return reply.code(400).send({ code: 'InvalidParameterValue', description: error.message });
          throw error;
        }
      },
    );
    server.get<{ Params: { id: string; feature: string }; Querystring: { crs?: string } }>(
      '/collections/:id/items/:feature',
      async (request, reply) => {
        const collection = this.collections.get(request.params.id);
        const feature = collection?.features.find((each) => each.id === request.params.feature);
        if (feature === undefined)
          return reply
            .code(404)
            .send({ code: 'NotFound', description: `No feature ${request.params.feature}.` });
        const { to } = this.positionsOf(request.query.crs, 'crs');
        if (this.all) reply.header('content-crs', `<${request.query.crs ?? crs84}>`);
        return reply.type('application/geo+json').send(JSON.stringify(inCrs(feature, to)));
      },
    );
  }

  private positionsOf(name: string | undefined, what: string) {
    if (name === undefined) return crsList[crs84];
    const found = this.all ? crsList[name] : undefined;
    if (found === undefined) throw new Refusal(`${what} is no CRS of this collection: ${name}.`);
    return found;
  }

  /** The features that are asked for, and how their positions are to be given. */
  private matching(collection: Collection, query: Record<string, string>) {
    for (const name of Object.keys(query))
      if (!known.has(name) || (name.startsWith('filter') && !this.all))
        throw new Refusal(`There is no parameter ${name}.`);
    const { to } = this.positionsOf(query.crs, 'crs');
    const box =
      query.bbox === undefined
        ? null
        : boxIn(query.bbox, this.positionsOf(query['bbox-crs'], 'bbox-crs').from);
    const condition = query.filter === undefined ? null : parseCondition(query.filter);
    const matched = collection.features.filter(
      (feature) =>
        (box === null || meets(feature, box)) &&
        (condition === null || condition(feature.properties) === true),
    );
    return { matched, to };
  }

  private sendPage(
    request: PageRequest,
    reply: Answer,
    collection: Collection,
    matched: Feature[],
    to: Turn,
  ) {
    const { token, ...rest } = request.query;
    const mood = this.options.mood?.();
    // The token says where to go on; clients must not look into it.
    const from = token === undefined ? 0 : Number(Buffer.from(token, 'base64url').toString().split(':')[1]);
    const size = Math.max(1, Math.min(1000, Number(rest.limit ?? this.options.pageSize ?? 100)));
    const page = matched.slice(from, from + size);
    const next = nextStart(mood, from, size);
    const query = new URLSearchParams(rest);
    query.set('token', Buffer.from(`at:${next}`).toString('base64url'));
    const more = from + size < matched.length && mood !== 'no next';
    const href = `${base(request)}/collections/${collection.id}/items?${query}`;
    const gml = this.abilities === 'gml';
    const type = gml ? 'application/gml+xml;version=3.2' : 'application/geo+json';
    const text = gml
      ? gmlPage(collection, page)
      : JSON.stringify({
          type: 'FeatureCollection',
          numberMatched: matched.length,
          numberReturned: page.length,
          features: page.map((feature) => inCrs(feature, to)),
          links: more ? [{ rel: 'next', type, href }] : [],
        });
    if (gml && more) reply.header('link', `<${href}>; rel="next"; type="${type}"`);
    if (this.all) reply.header('content-crs', `<${request.query.crs ?? crs84}>`);
    const etag = `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`;
    reply.header('etag', etag);
    if (request.headers['if-none-match'] === etag) return reply.code(304).send();
    return reply.type(type).send(text);
  }
}

/** A page in GML 3.2, simple features level 0; links go in headers. */
function gmlPage(collection: Collection, page: Feature[]): string {
  return `<?xml version="1.0" encoding="UTF-8"?>
<sf:FeatureCollection xmlns:sf="http://www.opengis.net/ogcapi-features-1/1.0/sf" ${gmlNamespaces}>
${page.map((feature) => `<sf:featureMember>${featureGml(feature, collection.level, 'http://www.opengis.net/def/crs/OGC/1.3/CRS84', false)}</sf:featureMember>`).join('\n')}
</sf:FeatureCollection>
`;
}
