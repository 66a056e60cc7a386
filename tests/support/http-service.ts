import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { folderStore, nodeFetch } from '../../src/node/index.ts';
import { Credentials, HostGate, type Receipt, type TransferContext } from '../../src/sources/index.ts';

/** Milliseconds that are waited for a service that is well: a busy machine may be slow. Silence is tested with less. */
export const patient = 30_000;

export type Handler = (request: IncomingMessage, response: ServerResponse) => void;

const servers: Server[] = [];

/** A server on a free port of this machine that answers as it is told. */
export async function service(handler: Handler): Promise<string> {
  const server = createServer(handler);
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return `http://127.0.0.1:${(server.address() as { port: number }).port}`;
}

export async function closeServices(): Promise<void> {
  await Promise.all(
    servers.splice(0).map(
      (server) =>
        new Promise((resolve) => {
          server.closeAllConnections();
          server.close(resolve);
        }),
    ),
  );
}

/**
 * A service of features (OGC API – Features, part 1) with one collection, whose pages are what `items` answers; all else
 * is answered by `other`, or with a landing page.
 */
export function featureService(
  collection: string,
  items: (url: URL, request: IncomingMessage, response: ServerResponse) => void,
  other: (url: URL, response: ServerResponse) => boolean = () => false,
): Promise<string> {
  const conformance = ['core', 'geojson'].map(
    (part) => `http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/${part}`,
  );
  return service((request, response) => {
    const url = new URL(request.url!, `http://${request.headers.host}`);
    response.setHeader('content-type', 'application/json');
    if (url.pathname === `/collections/${collection}/items`) items(url, request, response);
    else if (other(url, response)) return;
    else if (url.pathname === '/conformance') response.end(JSON.stringify({ conformsTo: conformance }));
    else if (url.pathname === '/collections')
      response.end(JSON.stringify({ collections: [{ id: collection, links: [] }] }));
    else if (url.pathname === `/collections/${collection}`)
      response.end(JSON.stringify({ id: collection, links: [] }));
    else response.end('{"links":[]}');
  });
}

/** What was said, slept and kept in a transfer of a test. */
export interface Record {
  said: string[];
  slept: number[];
  kept: Receipt[];
}

/** A transfer into a folder that does not wait for real, on the first of January 2026. */
export function transferContext(
  folder: string,
  record: Record,
  more: Partial<TransferContext> = {},
): TransferContext {
  const sleep = async (milliseconds: number) => {
    record.slept.push(milliseconds);
  };
  return {
    store: folderStore(folder),
    fetch: nodeFetch,
    now: () => '2026-01-01T00:00:00.000Z',
    sleep,
    earlier: new Map(),
    continuing: new Set(),
    claims: new Map(),
    keep: async (receipt) => {
      record.kept.push(receipt);
    },
    credentials: new Credentials('http://127.0.0.1/'),
    hosts: new HostGate(sleep, new Map(), () => 0),
    meter: { bytes: 0, features: 0 },
    progress: () => {},
    note: (words) => record.said.push(words),
    aside: (words) => record.said.push(words),
    documents: new Map(),
    patience: patient,
    tries: 1,
    longestWait: 10_000,
    longestOrder: 10_000,
    ...more,
  };
}
