import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { folderStore, nodeFetch } from '../src/node/index.ts';
import { Credentials, HostGate, type Receipt, type TransferContext } from '../src/sources/index.ts';

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
    patience: 700,
    tries: 1,
    longestWait: 10_000,
    longestOrder: 10_000,
    ...more,
  };
}
