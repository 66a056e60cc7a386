import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Feature, meets } from './boundary-data.ts';
import { type Mood, withMood } from './moods.ts';
import { Service } from './service.ts';
import { shapefileArchive } from './shapefile.ts';

export interface OrderDeskOptions {
  /** Folder with `<dataset>.geojson`. */
  folder: string;
  mood?: () => Mood;
  setMood?: (mood: Mood) => void;
  onRequest?: (url: string) => void;
  /** Milliseconds that an order takes. */
  takes?: number;
  /** Largest box in square kilometres, roughly. */
  mostArea?: number;
  /** Says only after the order was taken that its area is too large. */
  tellsLate?: boolean;
  /** Datasets that are left out of what comes of an order. */
  lost?: readonly string[];
  /** Orders that are worked on at the same time. */
  mostJobs?: number;
  /** What orders come as: features with ids, or areas as shapefiles, which have none. */
  form?: 'geojson' | 'shapefile';
  now?: () => number;
}

interface Job {
  id: string;
  began: number;
  datasets: string[];
  bbox: number[] | null;
  /** Failed for this reason. */
  reason: string | null;
  gone: boolean;
}

const results = 'http://www.opengis.net/def/rel/ogc/1.0/results';

function squareKilometres([west, south, east, north]: number[]): number {
  const degree = 111.2;
  return (
    (east - west) * degree * Math.cos((((south + north) / 2) * Math.PI) / 180) * (north - south) * degree
  );
}

/** A simulated desk for orders that take time (OGC API – Processes, part 1), with terms of use. */
export function orderDesk(options: OrderDeskOptions): Service {
  const server = new Service();
  const mood = options.mood ?? (() => 'well' as const);
  withMood(server, mood, options.setMood);
  if (options.onRequest) server.beforeRoutes(async (request) => options.onRequest?.(request.url));
  const now = options.now ?? Date.now;
  const takes = options.takes ?? 600;
  const mostArea = options.mostArea ?? Infinity;
  const known = readdirSync(options.folder)
    .filter((name) => name.endsWith('.geojson'))
    .map((name) => name.replace(/\.geojson$/, ''))
    .sort();
  const jobs = new Map<string, Job>();
  const base = (request: { protocol: string; host: string }) => `${request.protocol}://${request.host}`;
  const tooLarge = (area: number) =>
    `The area is too large: ${Math.round(area)} square kilometres where the limit is ${mostArea}.`;

  server.get('/', async (request) => ({
    title: 'Order desk of Teskaria (simulated)',
    links: [
      { rel: 'self', type: 'application/json', href: `${base(request)}/` },
      {
        rel: 'http://www.opengis.net/def/rel/ogc/1.0/conformance',
        type: 'application/json',
        href: `${base(request)}/conformance`,
      },
      {
        rel: 'http://www.opengis.net/def/rel/ogc/1.0/processes',
        type: 'application/json',
        href: `${base(request)}/processes`,
      },
      {
        rel: 'terms-of-service',
        type: 'text/html',
        title: 'Terms of the order desk',
        href: `${base(request)}/terms`,
      },
    ],
  }));
  server.get('/terms', async (_, reply) =>
    reply
      .type('text/html')
      .send(
        '<h1>Terms of the order desk</h1><p>Flood works are shown as of the last survey. Nothing here replaces a look at the site.</p>',
      ),
  );
  server.get('/conformance', async () => ({
    conformsTo: [
      'http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/core',
      'http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/ogc-process-description',
      'http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/job-list',
    ],
  }));
  const summary = {
    id: 'extract',
    title: 'Extract flood works',
    version: '1.0.0',
    jobControlOptions: ['async-execute'],
  };
  server.get('/processes', async () => ({ processes: [summary], links: [] }));
  server.get<{ Params: { id: string } }>('/processes/:id', async (request, reply) => {
    if (request.params.id !== 'extract')
      return reply.code(404).send({
        type: 'http://www.opengis.net/def/exceptions/ogcapi-processes-1/1.0/no-such-process',
        title: 'No such process',
      });
    return {
      ...summary,
      inputs: {
        datasets: {
          title: 'Datasets',
          minOccurs: 1,
          schema: { type: 'array', items: { type: 'string', enum: known } },
        },
        area: {
          title: 'Area',
          schema: {
            allOf: [
              { format: 'ogc-bbox' },
              { $ref: 'http://schemas.opengis.net/ogcapi/processes/part1/1.0/openapi/schemas/bbox.yaml' },
            ],
          },
        },
      },
      outputs: Object.fromEntries(
        known.map((name) => [
          name,
          { title: name, schema: { type: 'object', contentMediaType: 'application/geo+json' } },
        ]),
      ),
      links: [
        {
          rel: 'http://www.opengis.net/def/rel/ogc/1.0/execute',
          href: `${base(request)}/processes/extract/execution`,
        },
      ],
    };
  });
  server.post<{ Body: { inputs?: { datasets?: string[]; area?: { bbox?: number[] } } } }>(
    '/processes/extract/execution',
    async (request, reply) => {
      const inputs = request.body.inputs ?? {};
      const datasets = inputs.datasets ?? [];
      const unknown = datasets.find((name) => !known.includes(name));
      if (datasets.length === 0 || unknown !== undefined)
        return reply
          .code(400)
          .type('application/problem+json')
          .send({ title: 'Invalid input', detail: `No dataset ${unknown ?? 'is named'}.` });
      const bbox = inputs.area?.bbox ?? null;
      const area = bbox === null ? 0 : squareKilometres(bbox);
      if (area > mostArea && !options.tellsLate)
        return reply
          .code(413)
          .type('application/problem+json')
          .send({ title: 'Too large', detail: tooLarge(area) });
      const working = [...jobs.values()].filter((job) => !job.gone && now() - job.began < takes).length;
      if (working >= (options.mostJobs ?? Infinity))
        return reply
          .code(429)
          .header('retry-after', '1')
          .type('application/problem+json')
          .send({ title: 'Too many orders at once' });
      const id = createHash('sha256')
        .update(JSON.stringify([inputs, jobs.size]))
        .digest('hex')
        .slice(0, 12);
      const reason =
        area > mostArea
          ? tooLarge(area)
          : mood() === 'failing'
            ? 'The survey of this area is locked by another user.'
            : null;
      jobs.set(id, { id, began: now(), datasets, bbox, reason, gone: false });
      return reply
        .code(201)
        .header('location', `${base(request)}/jobs/${id}`)
        .header('preference-applied', 'respond-async')
        .send(stateOf(jobs.get(id)!, base(request)));
    },
  );
  const stateOf = (job: Job, root: string) => {
    const share = takes === 0 ? 1 : Math.min(1, (now() - job.began) / takes);
    const status =
      share < 0.1 ? 'accepted' : share < 1 ? 'running' : job.reason === null ? 'successful' : 'failed';
    if (status === 'successful' && mood() === 'forgetful') job.gone = true;
    return {
      jobID: job.id,
      type: 'process',
      processID: 'extract',
      status,
      progress: Math.floor(100 * share),
      message: status === 'failed' ? job.reason : status === 'running' ? 'Clerks are at work.' : undefined,
      links:
        status === 'successful'
          ? [{ rel: results, type: 'application/json', href: `${root}/jobs/${job.id}/results` }]
          : [],
    };
  };
  const noJob = {
    type: 'http://www.opengis.net/def/exceptions/ogcapi-processes-1/1.0/no-such-job',
    title: 'No such job',
  };
  server.get<{ Params: { id: string } }>('/jobs/:id', async (request, reply) => {
    const job = jobs.get(request.params.id);
    return job === undefined
      ? reply.code(404).type('application/problem+json').send(noJob)
      : stateOf(job, base(request));
  });
  server.get<{ Params: { id: string } }>('/jobs/:id/results', async (request, reply) => {
    const job = jobs.get(request.params.id);
    if (job === undefined || job.gone)
      return reply.code(410).type('application/problem+json').send({ title: 'The results were thrown away' });
    if (job.reason !== null)
      return reply
        .code(500)
        .type('application/problem+json')
        .send({ title: 'The order failed', detail: job.reason });
    return Object.fromEntries(
      job.datasets
        .filter((name) => !options.lost?.includes(name))
        .map((name) => [
          name,
          options.form === 'shapefile'
            ? { href: `${base(request)}/jobs/${job.id}/files/${name}.zip`, type: 'application/zip' }
            : { href: `${base(request)}/jobs/${job.id}/files/${name}.geojson`, type: 'application/geo+json' },
        ]),
    );
  });
  server.get<{ Params: { id: string; name: string } }>('/jobs/:id/files/:name', async (request, reply) => {
    const job = jobs.get(request.params.id);
    const path = join(options.folder, request.params.name.replace(/\.zip$/, '.geojson'));
    if (job === undefined || job.gone || request.params.name.includes('..') || !existsSync(path))
      return reply.code(410).type('application/problem+json').send({ title: 'The file was thrown away' });
    const { features } = JSON.parse(readFileSync(path, 'utf8')) as { features: Feature[] };
    const chosen = features.filter((feature) => job.bbox === null || meets(feature, job.bbox));
    if (request.params.name.endsWith('.zip'))
      return reply
        .type('application/zip')
        .send(shapefileArchive(request.params.name.replace('.zip', ''), chosen));
    const text = JSON.stringify({ type: 'FeatureCollection', features: chosen });
    return reply
      .type('application/geo+json')
      .header('etag', `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`)
      .send(text);
  });
  return server;
}
