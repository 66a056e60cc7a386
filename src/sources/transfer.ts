import { IsomericError } from '../core/errors.ts';
import { withPatience } from './patience.ts';
import { type Receipt, withoutSecrets } from './receipt.ts';
import type { Store } from './store.ts';

/** What transfers need of the machine and of the study. */
export interface TransferContext {
  store: Store;
  fetch: typeof fetch;
  /** ISO 8601. */
  now(): string;
  /** Receipts of earlier runs, by path. */
  earlier: ReadonlyMap<string, Receipt>;
  /** Headers for a source, with keys from the environment. */
  headers: Record<string, string>;
  /** Told while bytes arrive. */
  progress(what: string, bytes: number): void;
  /** Milliseconds without a byte after which a connection counts as dead. */
  patience: number;
  /** How often a request is tried before giving up. */
  tries: number;
}

export interface Transfer {
  receipt: Receipt;
  /** True when the copy at hand was still current. */
  unchanged: boolean;
}

interface Request {
  what: string;
  url: string;
  /** Where it goes in the store. */
  path: string;
  /** What is asked for: `application/geo+json`. */
  accept?: string;
  licence?: string;
  citation?: string;
  /** What the answer must not be, told apart by its first bytes. */
  notHtml?: boolean;
}

function failure(
  code: string,
  request: Request,
  words: string,
  advice: string,
  cause?: unknown,
): IsomericError {
  return new IsomericError(code, words, { place: { file: withoutSecrets(request.url) }, advice, cause });
}

/** Waits for work, but not longer than the source's patience. */
function inTime<T>(work: Promise<T>, patience: number, request: Request): Promise<T> {
  return withPatience(work, patience, () =>
    failure(
      'source-silent',
      request,
      `${request.what}: no answer for ${Math.round(patience / 1000)} seconds.`,
      'The service may be down: try again later.',
    ),
  );
}

async function connect(
  request: Request,
  context: TransferContext,
  headers: Record<string, string>,
  abort: AbortController,
): Promise<Response> {
  const { patience } = context;
  const ask = (url: string, own: Record<string, string>) =>
    context.fetch(url, { headers: own, redirect: 'manual', signal: abort.signal });
  let url = request.url;
  let sent = headers;
  for (let hop = 0; hop < 6; hop++) {
    let response: Response;
    try {
      response = await inTime(ask(url, sent), patience, request);
    } catch (error) {
      if (error instanceof IsomericError) throw error;
      const reason =
        error instanceof Error && error.cause instanceof Error
          ? error.cause.message || (error.cause as NodeJS.ErrnoException).code
          : String(error);
      throw failure(
        'source-unreachable',
        request,
        `${request.what}: the service cannot be reached (${reason}).`,
        'Is it running, and is its address right?',
        error,
      );
    }
    const location = response.headers.get('location');
    if (response.status < 300 || response.status > 399 || response.status === 304 || location === null)
      return response;
    const target = new URL(location, url);
    // Keys go to the host they were meant for, and to no other.
    if (target.origin !== new URL(url).origin)
      sent = Object.fromEntries(Object.entries(sent).filter(([name]) => !(name in context.headers)));
    url = target.toString();
    await response.body?.cancel();
  }
  throw failure(
    'source-redirects',
    request,
    `${request.what}: the service redirects in a circle.`,
    'Check its address.',
  );
}

/** The body in chunks, each in time, its length checked against what was announced. */
async function* body(
  response: Response,
  request: Request,
  context: TransferContext,
): AsyncGenerator<Uint8Array> {
  if (response.body === null) return;
  const reader = response.body.getReader();
  const encoded = response.headers.get('content-encoding');
  const announced =
    encoded === null ? Number(response.headers.get('content-length') ?? Number.NaN) : Number.NaN;
  let bytes = 0;
  let first = true;
  try {
    for (;;) {
      let next: Awaited<ReturnType<typeof reader.read>>;
      try {
        next = await inTime(reader.read(), context.patience, request);
      } catch (error) {
        if (error instanceof IsomericError) throw error;
        throw failure(
          'source-cut',
          request,
          `${request.what}: the connection was cut after ${bytes} bytes.`,
          'Run again: what is missing is asked for again.',
          error,
        );
      }
      if (next.done) break;
      if (
        first &&
        request.notHtml &&
        /^\s*<(!doctype\s+html|html)/i.test(new TextDecoder().decode(next.value.subarray(0, 200)))
      ) {
        throw failure(
          'source-html',
          request,
          `${request.what}: the service answered with a web page instead of data.`,
          'It may be under maintenance, or want a log-in.',
        );
      }
      first = false;
      bytes += next.value.length;
      context.progress(request.what, bytes);
      yield next.value;
    }
  } finally {
    reader.cancel().catch(() => {});
  }
  if (!Number.isNaN(announced) && announced !== bytes) {
    throw failure(
      'source-cut',
      request,
      `${request.what}: ${announced} bytes were announced, ${bytes} came.`,
      'Run again: what is missing is asked for again.',
    );
  }
}

/** Worth another try: the service said “later”, or the connection failed. */
function isPassing(error: unknown): boolean {
  return (
    error instanceof IsomericError &&
    ['source-busy', 'source-cut', 'source-unreachable', 'source-silent'].includes(error.code)
  );
}

const wait = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds));

/**
 * Fetches one address into the store, as received. What is there already is asked for with If-None-Match and
 * If-Modified-Since, and re-used when the service says so and the file still has its checksum.
 */
export async function transfer(request: Request, context: TransferContext): Promise<Transfer> {
  const earlier = context.earlier.get(request.path);
  const headers: Record<string, string> = { ...context.headers };
  if (request.accept !== undefined) headers.accept = request.accept;
  const known =
    earlier !== undefined &&
    earlier.url === withoutSecrets(request.url) &&
    (await context.store.checksum(request.path)) === earlier.sha256;
  if (known && earlier.etag !== undefined) headers['if-none-match'] = earlier.etag;
  if (known && earlier.lastModified !== undefined) headers['if-modified-since'] = earlier.lastModified;
  for (let attempt = 1; ; attempt++) {
    const abort = new AbortController();
    try {
      const response = await connect(request, context, headers, abort);
      if (response.status === 304 && known) return { receipt: earlier, unchanged: true };
      if (response.status !== 200) throw await refused(response, request);
      const { bytes, sha256 } = await context.store.write(request.path, body(response, request, context));
      const receipt: Receipt = {
        kind: 'file',
        what: request.what,
        path: request.path,
        url: withoutSecrets(request.url),
        at: context.now(),
        bytes,
        sha256,
        etag: response.headers.get('etag') ?? undefined,
        lastModified: response.headers.get('last-modified') ?? undefined,
        licence: request.licence,
        citation: request.citation,
      };
      return { receipt, unchanged: known && earlier.sha256 === sha256 };
    } catch (error) {
      abort.abort();
      if (!isPassing(error) || attempt >= context.tries) throw error;
      // Growing pauses with some chance in them, so that many clients do not come back at once.
      await wait(200 * 2 ** attempt * (0.5 + Math.random()));
    }
  }
}

async function refused(response: Response, request: Request): Promise<IsomericError> {
  const { status } = response;
  await response.body?.cancel();
  if (status === 401 || status === 403)
    return failure(
      'source-forbidden',
      request,
      `${request.what}: the service does not let us in (${status}).`,
      'Is its key set in the environment?',
    );
  if (status === 404 || status === 410)
    return failure(
      'source-missing',
      request,
      `${request.what}: the service has no such thing (${status}).`,
      'Check the name of the collection or file.',
    );
  if (status === 429 || status === 503)
    return failure(
      'source-busy',
      request,
      `${request.what}: the service asks to come back later (${status}).`,
      'Run again later: what is missing is asked for again.',
    );
  return failure(
    'source-refused',
    request,
    `${request.what}: the service answers ${status}.`,
    'Run again later, or ask its makers.',
  );
}

/** Fetches a small JSON document without keeping it. */
export async function fetchJson(what: string, url: string, context: TransferContext): Promise<unknown> {
  const request: Request = { what, url, path: '', notHtml: true };
  for (let attempt = 1; ; attempt++) {
    try {
      const response = await connect(
        request,
        context,
        { ...context.headers, accept: 'application/json' },
        new AbortController(),
      );
      if (response.status !== 200) throw await refused(response, request);
      const parts: Uint8Array[] = [];
      for await (const chunk of body(response, request, context)) parts.push(chunk);
      const text = await new Blob(parts as BlobPart[]).text();
      try {
        return JSON.parse(text);
      } catch (error) {
        throw failure(
          'source-garbled',
          request,
          `${what}: the answer is no JSON.`,
          'Is the address that of the service itself?',
          error,
        );
      }
    } catch (error) {
      if (!isPassing(error) || attempt >= context.tries) throw error;
      await wait(200 * 2 ** attempt * (0.5 + Math.random()));
    }
  }
}
