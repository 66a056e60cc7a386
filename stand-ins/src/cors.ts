import type { Service } from './service.ts';

/** Lets pages of other origins ask, as public services do, and see the headers that they need. */
export function withCors(server: Service): void {
  server.beforeRoutes(async (request, reply) => {
    reply
      .header('access-control-allow-origin', '*')
      .header(
        'access-control-expose-headers',
        'etag, last-modified, link, location, content-crs, content-range, repr-digest, retry-after',
      );
    if (request.method === 'OPTIONS')
      return reply
        .header('access-control-allow-methods', 'GET, HEAD, POST')
        .header(
          'access-control-allow-headers',
          'accept, content-type, prefer, range, if-range, if-none-match, if-modified-since, authorization',
        )
        .code(204)
        .send();
  });
}
