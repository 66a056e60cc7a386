import { createHash } from 'node:crypto';
import { existsSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { sendFile } from './files.ts';
import { type MapDatabase, type MapObject, readMapDatabase } from './map-objects.ts';
import { type Mood, withMood } from './moods.ts';
import { type Answer, type Asking, Service } from './service.ts';

export interface MapHostOptions {
  /** Folder with the extracts. */
  folder: string;
  /** The map database, OSM XML packed with gzip. */
  database: string;
  mood?: () => Mood;
  setMood?: (mood: Mood) => void;
  onRequest?: (url: string) => void;
  /** Most square degrees of a box. */
  mostArea?: number;
  /** Most nodes in a box. */
  mostNodes?: number;
}

const copyright = 'Open Map Data Teskaria';

/** The tree of regions: the country only holds others. */
const regions = [
  { id: 'teskaria', name: 'Teskaria', parent: null, file: null, bbox: [-30.7, 45.2, -29.2, 46] },
  {
    id: 'ombrey',
    name: 'Ombrey and the Flats',
    parent: 'teskaria',
    file: 'ombrey.osm.pbf',
    bbox: [-30.1427, 45.3935, -29.3861, 45.767],
  },
];

/** A simulated map host: a tree of regions, extracts with ranges, and the read interface of the map database (0.6). */
export function mapHost(options: MapHostOptions): Service {
  const server = new Service();
  withMood(server, options.mood ?? (() => 'well'), options.setMood);
  if (options.onRequest) server.beforeRoutes(async (request) => options.onRequest?.(request.url));
  const { folder } = options;
  const mostArea = options.mostArea ?? 0.1;
  const mostNodes = options.mostNodes ?? 50_000;
  let loaded: MapDatabase | undefined;
  const database = () => (loaded ??= readMapDatabase(options.database));

  server.get('/', async () => ({
    title: 'Map host of Teskaria (simulated)',
    regions: '/regions.json',
    api: '/api/capabilities',
  }));
  server.get('/regions.json', async () => ({
    type: 'FeatureCollection',
    features: regions.map(({ id, name, parent, file, bbox }) => {
      const path = file === null ? null : join(folder, file);
      return {
        type: 'Feature',
        bbox,
        properties: {
          id,
          name,
          parent,
          licence: 'Open Map Data Licence of Teskaria 1.0',
          ...(path === null || !existsSync(path)
            ? {}
            : {
                url: `files/${file}`,
                bytes: statSync(path).size,
                date: '2024-06-30',
                sha256: createHash('sha256').update(readFileSync(path)).digest('hex'),
              }),
        },
        geometry: null,
      };
    }),
  }));
  server.get<{ Params: { name: string } }>('/files/:name', async (request, reply) =>
    sendFile(folder, request.params.name, request, reply),
  );

  const document = (reply: Answer, request: Asking, inner: string) => {
    const text = `<?xml version="1.0" encoding="UTF-8"?>\n<osm version="0.6" generator="Map host of Teskaria" copyright="${copyright}" license="Open Map Data Licence of Teskaria 1.0">\n${inner}</osm>\n`;
    const etag = `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`;
    reply.header('etag', etag);
    if (request.headers['if-none-match'] === etag) return reply.code(304).send();
    return reply.type('application/xml').send(text);
  };
  const objects = (list: Iterable<MapObject>) => [...list].map(({ text }) => text).join('');
  const parts = (nodes: Set<number>, ways: Set<number>, relations: Set<number>) => {
    const db = database();
    for (const id of ways) for (const node of db.ways.get(id)!.nodes) if (db.nodes.has(node)) nodes.add(node);
    const sorted = (ids: Set<number>, from: Map<number, MapObject>) =>
      objects([...ids].sort((a, b) => a - b).map((id) => from.get(id)!));
    return `${sorted(nodes, db.nodes)}${sorted(ways, db.ways)}${sorted(relations, db.relations)}`;
  };

  server.get('/api/capabilities', async (request, reply) =>
    document(
      reply,
      request,
      `  <api>\n    <version minimum="0.6" maximum="0.6"/>\n    <area maximum="${mostArea}"/>\n    <waynodes maximum="2000"/>\n    <timeout seconds="300"/>\n    <status database="online" api="readonly"/>\n  </api>\n`,
    ),
  );
  server.get<{ Querystring: { bbox?: string } }>('/api/0.6/map', async (request, reply) => {
    const box = (request.query.bbox ?? '').split(',').map(Number);
    const refuse = (words: string) => reply.code(400).type('text/plain').send(words);
    if (box.length !== 4 || box.some(Number.isNaN))
      return refuse('The parameter bbox must have four numbers.');
    const [west, south, east, north] = box;
    if ((east - west) * (north - south) > mostArea)
      return refuse(`The maximum bbox size is ${mostArea}, and your request was too large.`);
    const db = database();
    const nodes = new Set<number>();
    for (const { id, lon, lat } of db.nodes.values())
      if (lon >= west && lon <= east && lat >= south && lat <= north) nodes.add(id);
    if (nodes.size > mostNodes)
      return refuse(
        `You requested too many nodes (limit is ${mostNodes}). Either request a smaller area, or use an extract.`,
      );
    const ways = new Set<number>();
    for (const way of db.ways.values()) if (way.nodes.some((id) => nodes.has(id))) ways.add(way.id);
    const relations = new Set<number>();
    for (const relation of db.relations.values())
      if (
        relation.members.some(
          ({ kind, id }) => (kind === 'node' && nodes.has(id)) || (kind === 'way' && ways.has(id)),
        )
      )
        relations.add(relation.id);
    return document(
      reply,
      request,
      `  <bounds minlat="${south}" minlon="${west}" maxlat="${north}" maxlon="${east}"/>\n${parts(nodes, ways, relations)}`,
    );
  });
  server.get<{ Params: { kind: string; id: string; full?: string } }>(
    '/api/0.6/:kind/:id/full',
    async (request, reply) => {
      const { kind, id } = request.params;
      const db = database();
      const found =
        kind === 'way'
          ? db.ways.get(Number(id))
          : kind === 'relation'
            ? db.relations.get(Number(id))
            : undefined;
      if (found === undefined) return reply.code(404).type('text/plain').send('');
      const of = (wanted: string) =>
        new Set(
          found.members.flatMap((m) => (m.kind === wanted && db[`${m.kind}s`].has(m.id) ? [m.id] : [])),
        );
      return document(
        reply,
        request,
        kind === 'way'
          ? parts(new Set(), new Set([found.id]), new Set())
          : parts(of('node'), of('way'), new Set([found.id])),
      );
    },
  );
  server.get<{ Params: { kind: string; id: string } }>('/api/0.6/:kind/:id', async (request, reply) => {
    const { kind, id } = request.params;
    const db = database();
    const from = kind === 'node' ? db.nodes : kind === 'way' ? db.ways : db.relations;
    const found = from.get(Number(id));
    return found === undefined
      ? reply.code(404).type('text/plain').send('')
      : document(reply, request, found.text);
  });
  return server;
}
