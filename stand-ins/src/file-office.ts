import { readdirSync } from 'node:fs';
import { sendFile } from './files.ts';
import { type Mood, withMood } from './moods.ts';
import { Service } from './service.ts';

export interface FileOfficeOptions {
  /** Folder whose files are served under `/files/`. */
  folder: string;
  title: string;
  mood?: () => Mood;
  setMood?: (mood: Mood) => void;
  onRequest?: (url: string) => void;
  /** Header that must be there for an answer: a simulated key. */
  key?: { header: string; value: string };
}

/** A simulated office that hands out files over HTTP: ETag, Last-Modified, ranges, checksums, a catalogue. */
export function fileOffice(options: FileOfficeOptions): Service {
  const server = new Service();
  withMood(server, options.mood ?? (() => 'well'), options.setMood);
  if (options.onRequest) server.beforeRoutes(async (request) => options.onRequest?.(request.url));
  server.get('/', async () => ({
    title: `${options.title} (simulated)`,
    files: readdirSync(options.folder).map((name) => `/files/${name}`),
  }));
  server.get<{ Params: { name: string } }>('/files/:name', async (request, reply) => {
    if (options.key !== undefined && request.headers[options.key.header] !== options.key.value) {
      return reply.code(401).send({ error: 'A key is needed.' });
    }
    return sendFile(options.folder, request.params.name, request, reply);
  });
  return server;
}
