import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

/** What a route expects: names in its path, in the query, and what its body holds. */
export interface Expected {
  Params?: unknown;
  Querystring?: unknown;
  Body?: unknown;
}

/** The type of a part of a request, or what it is when a route says nothing of it. */
type Part<E, Name extends keyof Expected, Otherwise> =
  E extends Record<Name, infer Given> ? Given : Otherwise;

/** One request. */
export interface Asking<E extends Expected = Expected> {
  method: string;
  /** Path and query as they were sent. */
  url: string;
  protocol: 'http';
  host: string;
  headers: IncomingMessage['headers'];
  params: Part<E, 'Params', Record<string, string>>;
  query: Part<E, 'Querystring', Record<string, string | string[]>>;
  body: Part<E, 'Body', unknown>;
}

export type Payload = string | Uint8Array | undefined;

/** The answer to a request, as far as it has been given. */
export class Answer {
  statusCode = 200;
  /** The answer was given: nobody is asked further. */
  given = false;
  /** Somebody writes to the connection on their own. */
  taken = false;
  payload: Payload;
  readonly request: Asking;
  readonly raw: ServerResponse;
  private readonly headers = new Map<string, string>();

  constructor(request: Asking, raw: ServerResponse) {
    this.request = request;
    this.raw = raw;
  }

  code(status: number): this {
    this.statusCode = status;
    return this;
  }

  header(name: string, value: string): this {
    this.headers.set(name.toLowerCase(), value);
    return this;
  }

  type(type: string): this {
    return this.header('content-type', type);
  }

  removeHeader(name: string): void {
    this.headers.delete(name.toLowerCase());
  }

  getHeaders(): Record<string, string> {
    return Object.fromEntries(this.headers);
  }

  /** Gives the answer: bytes and text as they are, anything else as JSON. */
  send(body?: unknown): this {
    this.given = true;
    if (body === undefined || typeof body === 'string' || body instanceof Uint8Array) this.payload = body;
    else this.payload = JSON.stringify(body);
    if (body !== undefined && !this.headers.has('content-type'))
      this.type(
        typeof body === 'string'
          ? 'text/plain'
          : body instanceof Uint8Array
            ? 'application/octet-stream'
            : 'application/json',
      );
    const type = this.headers.get('content-type');
    if (typeof this.payload === 'string' && /^(text\/[^;]+|application\/json)$/.test(type ?? ''))
      this.type(`${type}; charset=utf-8`);
    return this;
  }

  /** Leaves the connection to who called. */
  hijack(): void {
    this.taken = true;
  }
}

type Handler<E extends Expected> = (request: Asking<E>, reply: Answer) => unknown;
/** Asked before any route; it ends the matter by sending. */
type BeforeHook = (request: Asking, reply: Answer) => unknown;
/** Asked before an answer leaves; what it gives back leaves in its place. */
type SendHook = (request: Asking, reply: Answer, payload: Payload) => Promise<Payload> | Payload;

interface Route {
  method: string;
  parts: readonly string[];
  /** Fixed parts come before named ones, from the left. */
  order: string;
  handler: Handler<Expected>;
}

class Unreadable extends Error {
  readonly status: number;
  constructor(status: number, words: string) {
    super(words);
    this.status = status;
  }
}

const mostBody = 1 << 20;

async function bodyOf(message: IncomingMessage): Promise<unknown> {
  if (message.method !== 'POST') return undefined;
  const type = (message.headers['content-type'] ?? '').split(';')[0].trim();
  const pieces: Buffer[] = [];
  let length = 0;
  for await (const piece of message as AsyncIterable<Buffer>) {
    length += piece.length;
    if (length > mostBody) throw new Unreadable(413, 'The request is too large.');
    pieces.push(piece);
  }
  const text = Buffer.concat(pieces).toString('utf8');
  if (/^(application|text)\/xml$|^text\/plain$/.test(type)) return text;
  if (type !== 'application/json') throw new Unreadable(415, `Nothing is read as ${type || 'no type'}.`);
  try {
    return JSON.parse(text);
  } catch {
    throw new Unreadable(400, 'The request is no JSON.');
  }
}

/** A small HTTP service on this machine: routes with names in their paths, and hooks before and after them. */
export class Service {
  private readonly routes: Route[] = [];
  private readonly before: BeforeHook[] = [];
  private readonly after: SendHook[] = [];
  private readonly server: Server;

  constructor() {
    this.server = createServer((message, response) => {
      this.answer(message, response).catch((error) => response.destroy(error as Error));
    });
    // A connection that waits for the next request is not closed under a client that is just about to ask.
    this.server.keepAliveTimeout = 72_000;
  }

  /** @param path `/collections/:id/items`: a part with a colon takes any one part of an address */
  get<E extends Expected = Expected>(path: string, handler: Handler<E>): void {
    this.route('GET', path, handler as Handler<Expected>);
  }

  post<E extends Expected = Expected>(path: string, handler: Handler<E>): void {
    this.route('POST', path, handler as Handler<Expected>);
  }

  beforeRoutes(hook: BeforeHook): void {
    this.before.push(hook);
  }

  beforeSending(hook: SendHook): void {
    this.after.push(hook);
  }

  /** Address without a slash at its end. */
  listen({ host = '127.0.0.1', port = 0 }: { host?: string; port?: number }): Promise<string> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(port, host, () => {
        this.server.off('error', reject);
        resolve(`http://${host}:${(this.server.address() as AddressInfo).port}`);
      });
    });
  }

  /** Ends all connections, also those that still wait for an answer. */
  close(): Promise<void> {
    return new Promise((resolve) => {
      this.server.close(() => resolve());
      this.server.closeAllConnections();
    });
  }

  private route(method: string, path: string, handler: Handler<Expected>): void {
    const parts = path.split('/').slice(1);
    const order = parts.map((part) => (part.startsWith(':') ? '1' : '0')).join('');
    this.routes.push({ method, parts, order, handler });
    this.routes.sort((a, b) => (a.order < b.order ? -1 : a.order > b.order ? 1 : 0));
  }

  private find(
    method: string,
    path: string,
  ): { handler: Handler<Expected>; names: Record<string, string> } | null {
    const parts = path.split('/').slice(1);
    for (const route of this.routes) {
      if (route.method !== (method === 'HEAD' ? 'GET' : method) || route.parts.length !== parts.length)
        continue;
      const names: Record<string, string> = {};
      const met = route.parts.every((part, k) => {
        if (!part.startsWith(':')) return part === parts[k];
        try {
          names[part.slice(1)] = decodeURIComponent(parts[k]);
        } catch {
          return false;
        }
        return parts[k] !== '';
      });
      if (met) return { handler: route.handler, names };
    }
    return null;
  }

  private async handle(
    message: IncomingMessage,
    request: Asking,
    reply: Answer,
    path: string,
  ): Promise<void> {
    for (const hook of this.before) {
      await hook(request, reply);
      if (reply.given || reply.taken) return;
    }
    const found = this.find(request.method, path);
    if (found === null) {
      reply.code(404).send({ title: 'Not found', detail: `Nothing is at ${path}.` });
      return;
    }
    request.params = found.names;
    request.body = await bodyOf(message);
    const result = await found.handler(request, reply);
    if (!reply.given && !reply.taken) reply.send(result);
  }

  private async answer(message: IncomingMessage, response: ServerResponse): Promise<void> {
    const url = message.url ?? '/';
    const [path, ...query] = url.split('?');
    const asked: Record<string, string | string[]> = {};
    for (const [name, value] of new URLSearchParams(query.join('?'))) {
      const before = asked[name];
      asked[name] = before === undefined ? value : [before, value].flat();
    }
    const request: Asking = {
      method: message.method ?? 'GET',
      url,
      protocol: 'http',
      host: message.headers.host ?? '',
      headers: message.headers,
      params: {},
      query: asked,
      body: undefined,
    };
    const reply = new Answer(request, response);
    try {
      await this.handle(message, request, reply, path);
    } catch (error) {
      const status = error instanceof Unreadable ? error.status : 500;
      reply.code(status).send({ title: (error as Error).message });
    }
    let { payload } = reply;
    for (const hook of this.after) {
      if (reply.taken) return;
      payload = await hook(request, reply, payload);
    }
    if (reply.taken || response.destroyed) return;
    const empty = reply.statusCode === 204 || reply.statusCode === 304;
    const bytes = payload === undefined || empty ? null : Buffer.from(payload as string);
    const headers = reply.getHeaders();
    if (!empty) headers['content-length'] = String(bytes?.length ?? 0);
    response.writeHead(reply.statusCode, headers);
    response.end(request.method === 'HEAD' ? undefined : (bytes ?? undefined));
  }
}
