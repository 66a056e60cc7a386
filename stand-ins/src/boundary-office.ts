import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fastify, { type FastifyInstance } from 'fastify';
import { type Mood, withMood } from './moods.ts';

interface Feature {
  id: string;
  geometry: { coordinates: unknown };
  properties: Record<string, unknown>;
}

export interface BoundaryOfficeOptions {
  /** Folder with `<level>-<vintage>.geojson`. */
  folder: string;
  mood?: () => Mood;
  /** Told the address of every request. */
  onRequest?: (url: string) => void;
  /** Features on a page when the client does not say. */
  pageSize?: number;
}

const levels = { provinces: [2024], districts: [2024], wards: [2024, 2019] } as const;

function boxOf(coordinates: unknown, box = [Infinity, Infinity, -Infinity, -Infinity]): number[] {
  if (!Array.isArray(coordinates)) return box;
  if (typeof coordinates[0] === 'number') {
    box[0] = Math.min(box[0], coordinates[0]);
    box[1] = Math.min(box[1], coordinates[1]);
    box[2] = Math.max(box[2], coordinates[0]);
    box[3] = Math.max(box[3], coordinates[1]);
  } else for (const inner of coordinates) boxOf(inner, box);
  return box;
}

/** A simulated feature service after OGC API – Features, part 1: boundaries by level, vintages as collections of their own. */
export function boundaryOffice(options: BoundaryOfficeOptions): FastifyInstance {
  const server = fastify({ forceCloseConnections: true });
  withMood(server, options.mood ?? (() => 'well'));
  if (options.onRequest) server.addHook('onRequest', async (request) => options.onRequest?.(request.url));
  const loaded = new Map<string, Feature[]>();
  const names = Object.entries(levels).flatMap(([level, vintages]) =>
    vintages.map((vintage, k) => ({
      id: k === 0 ? level : `${level}-${vintage}`,
      file: `${level}-${vintage}.geojson`,
      vintage,
      level,
    })),
  );
  const features = (id: string): Feature[] | undefined => {
    const entry = names.find((name) => name.id === id);
    if (entry === undefined) return undefined;
    let list = loaded.get(id);
    if (list === undefined) {
      list = (JSON.parse(readFileSync(join(options.folder, entry.file), 'utf8')) as { features: Feature[] })
        .features;
      loaded.set(id, list);
    }
    return list;
  };
  const describe = (base: string, { id, vintage, level }: (typeof names)[number]) => ({
    id,
    title: `${level[0].toUpperCase()}${level.slice(1)} of Teskaria, ${vintage}`,
    description: `Administrative boundaries, state of 1 January ${vintage}.`,
    itemType: 'feature',
    crs: ['http://www.opengis.net/def/crs/OGC/1.3/CRS84'],
    extent: { spatial: { bbox: [[-30.7, 45.2, -29.2, 46]] } },
    attribution: `Boundary Office of Teskaria (${vintage}): ${level}.`,
    links: [
      { rel: 'items', type: 'application/geo+json', href: `${base}/collections/${id}/items` },
      {
        rel: 'license',
        type: 'text/html',
        title: 'Teskaria Open Boundaries Licence 2.0',
        href: `${base}/licence`,
      },
    ],
  });
  const base = (request: { protocol: string; host: string }) => `${request.protocol}://${request.host}`;

  server.get('/', async (request) => ({
    title: 'Boundary Office of Teskaria (simulated)',
    links: [
      { rel: 'self', type: 'application/json', href: `${base(request)}/` },
      { rel: 'conformance', type: 'application/json', href: `${base(request)}/conformance` },
      { rel: 'data', type: 'application/json', href: `${base(request)}/collections` },
    ],
  }));
  server.get('/conformance', async () => ({
    conformsTo: [
      'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core',
      'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/geojson',
    ],
  }));
  server.get('/licence', async (_, reply) =>
    reply
      .type('text/html')
      .send(
        '<h1>Teskaria Open Boundaries Licence 2.0</h1><p>Free for any use; name the Boundary Office.</p>',
      ),
  );
  server.get('/collections', async (request) => ({
    links: [],
    collections: names.map((name) => describe(base(request), name)),
  }));
  server.get<{ Params: { id: string } }>('/collections/:id', async (request, reply) => {
    const entry = names.find((name) => name.id === request.params.id);
    if (entry === undefined)
      return reply.code(404).send({ code: 'NotFound', description: `No collection ${request.params.id}.` });
    return describe(base(request), entry);
  });
  server.get<{ Params: { id: string }; Querystring: Record<string, string> }>(
    '/collections/:id/items',
    async (request, reply) => {
      const list = features(request.params.id);
      if (list === undefined)
        return reply.code(404).send({ code: 'NotFound', description: `No collection ${request.params.id}.` });
      const { bbox, limit, token } = request.query;
      const box = bbox?.split(',').map(Number);
      if (box !== undefined && (box.length !== 4 || box.some(Number.isNaN)))
        return reply
          .code(400)
          .send({ code: 'InvalidParameterValue', description: 'bbox needs four numbers.' });
      const matched =
        box === undefined
          ? list
          : list.filter(({ geometry }) => {
              const own = boxOf(geometry.coordinates);
              return own[0] <= box[2] && box[0] <= own[2] && own[1] <= box[3] && box[1] <= own[3];
            });
      // The token says where to go on; clients must not look into it.
      const from = token === undefined ? 0 : Number(Buffer.from(token, 'base64url').toString().split(':')[1]);
      const size = Math.max(1, Math.min(1000, Number(limit ?? options.pageSize ?? 100)));
      const page = matched.slice(from, from + size);
      const query = new URLSearchParams();
      if (bbox !== undefined) query.set('bbox', bbox);
      if (limit !== undefined) query.set('limit', limit);
      const next = options.mood?.() === 'loop' ? 0 : from + size;
      if (next < matched.length) query.set('token', Buffer.from(`at:${next}`).toString('base64url'));
      const links =
        next < matched.length
          ? [
              {
                rel: 'next',
                type: 'application/geo+json',
                href: `${base(request)}/collections/${request.params.id}/items?${query}`,
              },
            ]
          : [];
      const text = JSON.stringify({
        type: 'FeatureCollection',
        numberMatched: matched.length,
        numberReturned: page.length,
        features: page,
        links,
      });
      const etag = `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`;
      reply.header('etag', etag);
      if (request.headers['if-none-match'] === etag) return reply.code(304).send();
      return reply.type('application/geo+json').send(text);
    },
  );
  return server;
}
