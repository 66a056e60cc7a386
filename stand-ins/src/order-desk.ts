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

interface OrderBody {
  inputs?: { datasets?: string[]; area?: { bbox?: number[] } };
}

const base = ({ protocol, host }: { protocol: string; host: string }) => `${protocol}://${host}`;
const summary = {
  id: 'extract',
  title: 'Extract flood works',
  version: '1.0.0',
  jobControlOptions: ['async-execute'],
};
const noJob = {
  type: 'http://www.opengis.net/def/exceptions/ogcapi-processes-1/1.0/no-such-job',
  title: 'No such job',
};

/** A simulated desk for orders that take time (OGC API – Processes, part 1), with terms of use. */
export function orderDesk(options: OrderDeskOptions): Service {
  const server = new Service();
  withMood(server, options.mood ?? (() => 'well'), options.setMood);
  if (options.onRequest) server.beforeRoutes(async (request) => options.onRequest?.(request.url));
  const desk = new Desk(options);
  desk.addPages(server);
  desk.addProcesses(server);
  desk.addOrders(server);
  desk.addResults(server);
  return server;
}

class Desk {
  private readonly options: OrderDeskOptions;
  /** Names of the datasets that can be ordered. */
  private readonly known: string[];
  private readonly jobs = new Map<string, Job>();
  private readonly takes: number;
  private readonly mostArea: number;

  constructor(options: OrderDeskOptions) {
    this.options = options;
    this.takes = options.takes ?? 600;
    this.mostArea = options.mostArea ?? Infinity;
    this.known = readdirSync(options.folder)
      .filter((name) => name.endsWith('.geojson'))
      .map((name) => name.replace(/\.geojson$/, ''))
      .sort();
  }

  private now(): number {
    return (this.options.now ?? Date.now)();
  }

  addPages(server: Service): void {
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
  }

  addProcesses(server: Service): void {
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
            schema: { type: 'array', items: { type: 'string', enum: this.known } },
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
          this.known.map((name) => [
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
  }

  addOrders(server: Service): void {
    server.post<{ Body: OrderBody | null }>('/processes/extract/execution', async (request, reply) => {
      const inputs = request.body?.inputs ?? {};
      const refusal = this.refusalOf(inputs);
      if (refusal !== null) {
        if (refusal.code === 429) reply.header('retry-after', '1');
        return reply.code(refusal.code).type('application/problem+json').send(refusal.problem);
      }
      const job = this.begin(inputs);
      return reply
        .code(201)
        .header('location', `${base(request)}/jobs/${job.id}`)
        .header('preference-applied', 'respond-async')
        .send(this.stateOf(job, base(request)));
    });
    server.get<{ Params: { id: string } }>('/jobs/:id', async (request, reply) => {
      const job = this.jobs.get(request.params.id);
      return job === undefined
        ? reply.code(404).type('application/problem+json').send(noJob)
        : this.stateOf(job, base(request));
    });
  }

  /** Why an order is not taken; null when it is. */
  private refusalOf(inputs: NonNullable<OrderBody['inputs']>): { code: number; problem: object } | null {
    const datasets = inputs.datasets ?? [];
    const unknown = datasets.find((name) => !this.known.includes(name));
    if (datasets.length === 0 || unknown !== undefined)
      return {
        code: 400,
        problem: { title: 'Invalid input', detail: `No dataset ${unknown ?? 'is named'}.` },
      };
    const area = this.areaOf(inputs);
    if (area > this.mostArea && !this.options.tellsLate)
      return { code: 413, problem: { title: 'Too large', detail: this.tooLarge(area) } };
    const now = this.now();
    const working = [...this.jobs.values()].filter((job) => !job.gone && now - job.began < this.takes).length;
    return working >= (this.options.mostJobs ?? Infinity)
      ? { code: 429, problem: { title: 'Too many orders at once' } }
      : null;
  }

  private areaOf({ area }: NonNullable<OrderBody['inputs']>): number {
    return area?.bbox === undefined ? 0 : squareKilometres(area.bbox);
  }

  private tooLarge(area: number): string {
    return `The area is too large: ${Math.round(area)} square kilometres where the limit is ${this.mostArea}.`;
  }

  private begin(inputs: NonNullable<OrderBody['inputs']>): Job {
    const id = createHash('sha256')
      .update(JSON.stringify([inputs, this.jobs.size]))
      .digest('hex')
      .slice(0, 12);
    const area = this.areaOf(inputs);
    const locked =
      this.options.mood?.() === 'failing' ? 'The survey of this area is locked by another user.' : null;
    const job: Job = {
      id,
      began: this.now(),
      datasets: inputs.datasets ?? [],
      bbox: inputs.area?.bbox ?? null,
      reason: area > this.mostArea ? this.tooLarge(area) : locked,
      gone: false,
    };
    this.jobs.set(id, job);
    return job;
  }

  private stateOf(job: Job, root: string) {
    const share = this.takes === 0 ? 1 : Math.min(1, (this.now() - job.began) / this.takes);
    const status =
      share < 0.1 ? 'accepted' : share < 1 ? 'running' : job.reason === null ? 'successful' : 'failed';
    if (status === 'successful' && this.options.mood?.() === 'forgetful') job.gone = true;
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
  }

  addResults(server: Service): void {
    server.get<{ Params: { id: string } }>('/jobs/:id/results', async (request, reply) => {
      const job = this.jobs.get(request.params.id);
      if (job === undefined || job.gone)
        return reply
          .code(410)
          .type('application/problem+json')
          .send({ title: 'The results were thrown away' });
      if (job.reason !== null)
        return reply
          .code(500)
          .type('application/problem+json')
          .send({ title: 'The order failed', detail: job.reason });
      return Object.fromEntries(
        job.datasets
          .filter((name) => !this.options.lost?.includes(name))
          .map((name) => [
            name,
            this.options.form === 'shapefile'
              ? { href: `${base(request)}/jobs/${job.id}/files/${name}.zip`, type: 'application/zip' }
              : {
                  href: `${base(request)}/jobs/${job.id}/files/${name}.geojson`,
                  type: 'application/geo+json',
                },
          ]),
      );
    });
    server.get<{ Params: { id: string; name: string } }>('/jobs/:id/files/:name', async (request, reply) => {
      const job = this.jobs.get(request.params.id);
      const path = join(this.options.folder, request.params.name.replace(/\.zip$/, '.geojson'));
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
  }
}
