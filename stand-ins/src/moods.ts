import type { FastifyInstance } from 'fastify';

/** Ways in which a stand-in can be told to have a bad day. */
export type Mood =
  /** Behaves. */
  | 'well'
  /** Answers 503 to everything but the landing page. */
  | 'busy'
  /** Answers with a page of HTML and status 200 where data are asked for. */
  | 'html'
  /** Closes the connection in the middle of the answer. */
  | 'cut'
  /** Never answers. */
  | 'silent'
  /** The `next` link leads back to the first page. */
  | 'loop';

/** Makes a server behave as its mood says. The mood is asked at every request, so tests can change it. */
export function withMood(server: FastifyInstance, mood: () => Mood): void {
  server.addHook('onRequest', async (request, reply) => {
    if (request.url === '/') return;
    switch (mood()) {
      case 'busy':
        await reply.code(503).header('retry-after', '1').type('text/plain').send('Too many visitors today.');
        break;
      case 'html':
        await reply
          .type('text/html')
          .send('<!doctype html><title>Maintenance</title><p>We will be back soon.</p>');
        break;
      case 'silent':
        await new Promise(() => {});
    }
  });
  server.addHook('onSend', async (request, reply, payload) => {
    if (mood() !== 'cut' || request.url === '/') return payload;
    if (typeof payload !== 'string' && !(payload instanceof Uint8Array)) return payload;
    reply.raw.writeHead(200, {
      'content-type': String(reply.getHeader('content-type')),
      'content-length': Buffer.byteLength(payload),
    });
    reply.raw.write(payload.slice(0, Math.floor(payload.length / 2)));
    setTimeout(() => reply.raw.destroy(), 30);
    reply.hijack();
    return payload;
  });
}
