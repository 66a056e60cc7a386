/** Serves pages of features and a large file, in a process of its own: what is measured does not share its time. */
import { createServer } from 'node:http';
import { seeded } from '../demo/country/random.ts';

const pages = 100;
const pageSize = 1000;
const own = seeded(77);

/** A page as services send it: small polygons with a few properties. */
function page(k: number): string {
  const features = Array.from({ length: pageSize }, (_, n) => {
    const x = -30.7 + 1.4 * own();
    const y = 45.2 + 0.8 * own();
    const ring = Array.from({ length: 9 }, (_, c) => {
      const angle = (2 * Math.PI * (c % 8)) / 8;
      return [
        Number((x + 0.0002 * Math.cos(angle)).toFixed(7)),
        Number((y + 0.0002 * Math.sin(angle)).toFixed(7)),
      ];
    });
    return {
      type: 'Feature',
      id: k * pageSize + n,
      properties: {
        code: String(k * pageSize + n).padStart(8, '0'),
        use: 'house',
        floors: 1 + (n % 4),
        name: `House ${n}`,
      },
      geometry: { type: 'Polygon', coordinates: [ring] },
    };
  });
  const links =
    k + 1 < pages ? [{ rel: 'next', href: `/collections/houses/items?limit=${pageSize}&page=${k + 1}` }] : [];
  return JSON.stringify({ type: 'FeatureCollection', numberMatched: pages * pageSize, features, links });
}

const bodies = Array.from({ length: pages }, (_, k) => Buffer.from(page(k)));
const chunk = Buffer.alloc(1 << 20, 'Teskaria ');
const large = 1_000_000_000;

const server = createServer((request, response) => {
  const url = new URL(request.url!, 'http://localhost');
  const send = (value: unknown) =>
    response.setHeader('content-type', 'application/json').end(JSON.stringify(value));
  switch (url.pathname) {
    case '/':
      return send({ links: [] });
    case '/conformance':
      return send({
        conformsTo: ['core', 'geojson'].map(
          (each) => `http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/${each}`,
        ),
      });
    case '/collections':
      return send({ collections: [{ id: 'houses' }] });
    case '/collections/houses':
      return send({ id: 'houses', links: [] });
    case '/collections/houses/items': {
      const body = bodies[Number(url.searchParams.get('page') ?? 0)];
      return response
        .setHeader('content-type', 'application/geo+json')
        .setHeader('content-length', body.length)
        .end(body);
    }
    case '/large.bin': {
      response.writeHead(200, { 'content-length': large, etag: '"large"' });
      let left = large;
      const pour = () => {
        while (left > 0) {
          const part = left >= chunk.length ? chunk : chunk.subarray(0, left);
          left -= part.length;
          if (!response.write(part)) {
            response.once('drain', pour);
            return;
          }
        }
        response.end();
      };
      return pour();
    }
    default:
      return response.writeHead(404).end();
  }
});
server.listen(0, '127.0.0.1', () => {
  process.stdout.write(`${(server.address() as { port: number }).port}\n`);
});
