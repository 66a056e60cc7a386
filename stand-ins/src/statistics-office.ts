import { createHash } from 'node:crypto';
import { readdirSync } from 'node:fs';
import { sendFile } from './files.ts';
import { type Mood, withMood } from './moods.ts';
import { addSdmx } from './sdmx.ts';
import { type Answer, type Asking, Service } from './service.ts';
import { type Cube, carsColumns, carsTable, householdsCube, residentsCube } from './statistics-data.ts';

export interface StatisticsOfficeOptions {
  /** Folder with the tables. */
  folder: string;
  mood?: () => Mood;
  setMood?: (mood: Mood) => void;
  onRequest?: (url: string) => void;
  /** Key that the rows want as their parameter `key`. */
  key?: string;
  /** Account that the packs want. */
  account?: { user: string; password: string };
  /** Answers that the SDMX service gives. */
  sdmxForms?: readonly ('csv' | 'json' | 'xml')[];
}

/** Most columns of one request for rows. */
const mostColumns = 5;

function send(reply: Answer, request: Asking, body: unknown) {
  const text = JSON.stringify(body);
  const etag = `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`;
  reply.header('etag', etag);
  if (request.headers['if-none-match'] === etag) return reply.code(304).send();
  return reply.type('application/json').send(text);
}

function jsonStat(cube: Cube, chosen: Record<string, string>): unknown {
  const used = cube.dimensions.map(({ id, values }) => {
    const wanted = chosen[id]?.split(',');
    return [...values.keys()].filter((code) => wanted === undefined || wanted.includes(code));
  });
  const sizes = used.map((codes) => codes.length);
  const value: Record<string, number> = {};
  for (const { codes, value: figure } of cube.observations) {
    const places = codes.map((code, d) => used[d].indexOf(code));
    if (places.includes(-1) || figure === '') continue;
    value[places.reduce((index, place, d) => index * sizes[d] + place, 0)] = Number(figure);
  }
  return {
    version: '2.0',
    class: 'dataset',
    label: cube.title,
    source: 'Statistics Office of Teskaria',
    updated: '2024-09-12T00:00:00Z',
    id: cube.dimensions.map(({ id }) => id),
    size: sizes,
    role: { time: [cube.dimensions[cube.dimensions.length - 1].id], geo: [cube.dimensions[0].id] },
    dimension: Object.fromEntries(
      cube.dimensions.map(({ id, name, values }, d) => [
        id,
        {
          label: name,
          category: {
            index: used[d],
            label: Object.fromEntries(used[d].map((code) => [code, values.get(code)])),
          },
        },
      ]),
    ),
    value,
  };
}

/** A simulated statistics office: files, packs behind an account, SDMX, JSON-stat, and rows with a key. */
export function statisticsOffice(options: StatisticsOfficeOptions): Service {
  const server = new Service();
  withMood(server, options.mood ?? (() => 'well'), options.setMood);
  if (options.onRequest) server.beforeRoutes(async (request) => options.onRequest?.(request.url));
  const { folder } = options;
  server.get('/', async () => ({
    title: 'Statistics Office of Teskaria (simulated)',
    files: readdirSync(folder).map((name) => `/files/${name}`),
    sdmx: ['/sdmx/', '/sdmx-2.1/'],
    'json-stat': '/json-stat/',
    rows: '/rows/',
  }));
  server.get<{ Params: { name: string } }>('/files/:name', async (request, reply) =>
    sendFile(folder, request.params.name, request, reply),
  );
  server.get<{ Params: { name: string } }>('/packs/:name', async (request, reply) => {
    const { account } = options;
    const wanted =
      account === undefined
        ? undefined
        : `Basic ${Buffer.from(`${account.user}:${account.password}`).toString('base64')}`;
    if (wanted !== undefined && request.headers.authorization !== wanted)
      return reply
        .code(401)
        .header('www-authenticate', 'Basic realm="packs"')
        .type('application/problem+json')
        .send({ title: 'An account is needed', detail: 'Packs are for registered users.' });
    return sendFile(folder, request.params.name, request, reply);
  });

  addSdmx(server, residentsCube(folder), options.sdmxForms);

  const cubes = [householdsCube(folder), residentsCube(folder)];
  server.get('/json-stat/', async (request, reply) =>
    send(reply, request, {
      version: '2.0',
      class: 'collection',
      label: 'Tables of the Statistics Office of Teskaria',
      link: {
        item: cubes.map((cube) => {
          const { id, dimension, role, source } = jsonStat(cube, {}) as Record<string, unknown>;
          return {
            class: 'dataset',
            href: cube.id,
            label: cube.title,
            id,
            dimension,
            role,
            source,
          };
        }),
      },
    }),
  );
  server.get<{ Params: { id: string }; Querystring: Record<string, string> }>(
    '/json-stat/:id',
    async (request, reply) => {
      const cube = cubes.find(({ id }) => id === request.params.id);
      if (cube === undefined) return reply.code(404).send({ title: 'No such table' });
      const unknown = Object.keys(request.query).find(
        (name) => !cube.dimensions.some(({ id }) => id === name),
      );
      if (unknown !== undefined) return reply.code(400).send({ title: `No dimension ${unknown}` });
      return send(reply, request, jsonStat(cube, request.query));
    },
  );

  const cars = carsTable(folder);
  server.get<{ Querystring: Record<string, string> }>('/rows/CARS', async (request, reply) => {
    const { key, columns, level } = request.query;
    if (options.key !== undefined && key !== options.key)
      return reply
        .code(401)
        .type('application/problem+json')
        .send({ title: 'A key is needed', detail: 'Ask the office for one.' });
    const names = (columns ?? '').split(',').filter((name) => name !== '');
    const unknown = names.find((name) => name !== 'AREA' && name !== 'NAME' && !carsColumns.includes(name));
    if (unknown !== undefined)
      return reply
        .code(400)
        .type('application/problem+json')
        .send({ title: 'No such column', detail: unknown });
    if (names.length > mostColumns)
      return reply
        .code(400)
        .type('application/problem+json')
        .send({ title: 'Too many columns', detail: `At most ${mostColumns} in one request.` });
    const rows = cars.filter((row) => level === undefined || row.level === level);
    return send(reply, request, [
      names,
      ...rows.map((row) =>
        names.map((name) =>
          name === 'AREA'
            ? row.code
            : name === 'NAME'
              ? row.name
              : String(row.values[carsColumns.indexOf(name)]),
        ),
      ),
    ]);
  });
  return server;
}
