import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import fastify, { type FastifyInstance } from 'fastify';
import { type Mood, withMood } from './moods.ts';

export interface FileOfficeOptions {
  /** Folder whose files are served under `/files/`. */
  folder: string;
  title: string;
  mood?: () => Mood;
  onRequest?: (url: string) => void;
  /** Header that must be there for an answer: a simulated key. */
  key?: { header: string; value: string };
}

/** A simulated office that hands out files over HTTP: ETag, Last-Modified, conditional requests, a catalogue. */
export function fileOffice(options: FileOfficeOptions): FastifyInstance {
  const server = fastify({ forceCloseConnections: true });
  withMood(server, options.mood ?? (() => 'well'));
  if (options.onRequest) server.addHook('onRequest', async (request) => options.onRequest?.(request.url));
  server.get('/', async () => ({
    title: `${options.title} (simulated)`,
    files: readdirSync(options.folder).map((name) => `/files/${name}`),
  }));
  server.get<{ Params: { name: string } }>('/files/:name', async (request, reply) => {
    if (options.key !== undefined && request.headers[options.key.header] !== options.key.value) {
      return reply.code(401).send({ error: 'A key is needed.' });
    }
    const path = join(options.folder, request.params.name);
    if (request.params.name.includes('/') || request.params.name.includes('..') || !existsSync(path)) {
      return reply.code(404).type('text/plain').send('No such file.');
    }
    const content = readFileSync(path);
    const etag = `"${createHash('sha256').update(content).digest('hex').slice(0, 16)}"`;
    const modified = new Date(Math.floor(statSync(path).mtimeMs / 1000) * 1000).toUTCString();
    reply.header('etag', etag).header('last-modified', modified);
    if (request.headers['if-none-match'] === etag) return reply.code(304).send();
    const type = path.endsWith('.csv')
      ? 'text/csv'
      : path.endsWith('.zip')
        ? 'application/zip'
        : /\.(pbf|tif)$/.test(path)
          ? 'application/octet-stream'
          : 'application/json';
    return reply.type(type).send(/^text|json/.test(type) ? content.toString('utf8') : content);
  });
  return server;
}
