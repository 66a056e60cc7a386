import { IsomericError } from '../../core/errors.ts';
import { withPatience } from '../patience.ts';
import type { Request, TransferContext } from './context.ts';
import { failure, reasonIn, refusal, retryAfter } from './failures.ts';

/** A service that redirects more often is taken to run in circles. */
const mostRedirects = 8;
/** Most bytes of a refusal that are read for its reason. */
const mostReason = 65_536;

/** Waits for work, but not longer than the source's patience. */
export function inTime<T>(work: Promise<T>, request: Request, context: TransferContext): Promise<T> {
  return withPatience(work, context.patience, () =>
    failure(
      'source-silent',
      request,
      context,
      `no answer for ${Math.round(context.patience / 1000)} seconds.`,
      'The service may be down: try again later.',
    ),
  );
}

/** Why a connection failed, in the machine's words; never with an address, which may hold a key. */
function machineReason(error: unknown): string {
  const inner = error instanceof Error && error.cause instanceof Error ? error.cause : error;
  if (!(inner instanceof Error)) return 'the connection failed';
  const { code } = inner as { code?: unknown };
  return typeof code === 'string' ? code : inner.message;
}

/**
 * Asks one address, once. Redirects are followed by our own rule: at most some, none twice, keys only to the origin they
 * are for (RFC 9110, section 15.4). Statuses other than 2xx, 304 and those allowed are raised with the provider's reason.
 */
export async function connect(
  request: Request,
  context: TransferContext,
  headers: Readonly<Record<string, string>>,
  abort: AbortController,
): Promise<Response> {
  const { credentials } = context;
  let url = request.url;
  let method = request.method ?? 'GET';
  let sent = request.body;
  const seen = new Set<string>();
  for (;;) {
    seen.add(`${method} ${url}`);
    let response: Response;
    const address = credentials.addressFor(url);
    const secret = { ...credentials.headersFor(url) };
    const send = (redirect: RequestRedirect) =>
      inTime(
        context.fetch(address, {
          method,
          headers: {
            'accept-encoding': request.plain === true ? 'identity' : 'gzip',
            ...(request.accept === undefined ? {} : { accept: request.accept }),
            ...request.headers,
            ...headers,
            ...(sent === undefined ? {} : { 'content-type': sent.type }),
            ...secret,
          },
          body: sent?.text,
          redirect,
          signal: abort.signal,
        }),
        request,
        context,
      );
    try {
      response = await send('manual');
      if (response.type === 'opaqueredirect') {
        // A browser does not say where a redirect leads: it may follow by itself where no key could follow along.
        if (Object.keys(secret).length > 0 || address !== url)
          throw failure(
            'source-redirects',
            request,
            context,
            'the service redirects, and a browser does not say where to; the key must not follow.',
            'Give the address that it redirects to, or run it outside the browser.',
          );
        response = await send('follow');
      }
    } catch (error) {
      if (error instanceof IsomericError) throw error;
      throw failure(
        'source-unreachable',
        request,
        context,
        `the service cannot be reached (${machineReason(error)}).`,
        // Where the made-up offices of the demo are at home.
        /^https?:\/\/127\.0\.0\.1:4781\d\//.test(url)
          ? 'The services of the demo are not running: “isomeric demo FOLDER” starts them and runs the study.'
          : 'Is it running, and is its address right?',
      );
    }
    const { status } = response;
    const location = response.headers.get('location');
    if (status >= 300 && status <= 399 && status !== 304 && location !== null) {
      response.body?.cancel().catch(() => {});
      url = URL.canParse(location, url) ? new URL(location, url).toString() : '';
      if (status === 303 || ((status === 301 || status === 302) && method === 'POST')) {
        method = 'GET';
        sent = undefined;
      }
      const nowhere = !/^https?:/.test(url);
      if (nowhere || seen.has(`${method} ${url}`) || seen.size > mostRedirects)
        throw failure(
          'source-redirects',
          request,
          context,
          'the service redirects in a circle, or to nowhere.',
          'Check its address.',
        );
      continue;
    }
    if (status === 204 && request.allow?.includes(204) !== true)
      throw failure(
        'source-nothing',
        request,
        context,
        'the service has nothing for what is asked (204).',
        'Check the area, the choices and the period.',
      );
    if ((status >= 200 && status <= 299) || status === 304 || request.allow?.includes(status))
      return response;
    const reason = reasonIn(await opening(response, request, context), response.headers.get('content-type'));
    throw refusal(
      status,
      reason,
      request,
      context,
      retryAfter(response.headers.get('retry-after'), context.now()),
    );
  }
}

/** The first bytes of a refusal as text; blank when they do not come. */
async function opening(response: Response, request: Request, context: TransferContext): Promise<string> {
  const reader = response.body?.getReader();
  if (reader === undefined) return '';
  const decoder = new TextDecoder();
  let text = '';
  try {
    while (text.length < mostReason) {
      const next = await inTime(reader.read(), request, context);
      if (next.done) break;
      text += decoder.decode(next.value, { stream: true });
    }
    return text;
  } catch {
    // That it refuses is known; why, it did not manage to say.
    return text;
  } finally {
    reader.cancel().catch(() => {});
  }
}
