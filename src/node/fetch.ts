import { type IncomingMessage, Agent as PlainAgent, request as plainRequest } from 'node:http';
import { Agent as SecureAgent, request as secureRequest } from 'node:https';
import { Readable } from 'node:stream';
import type { Fetch } from '../sources/transfer/context.ts';

/** Connections stay open between requests, and do not keep the program from ending. */
const plainAgent = new PlainAgent({ keepAlive: true });
const secureAgent = new SecureAgent({ keepAlive: true });
/** Statuses whose answers have no body. */
const bodiless = new Set([101, 204, 205, 304]);

function headersOf(message: IncomingMessage): Headers {
  const headers = new Headers();
  for (let k = 0; k + 1 < message.rawHeaders.length; k += 2) {
    try {
      headers.append(message.rawHeaders[k], message.rawHeaders[k + 1]);
    } catch {
      // A header that no standard allows says nothing that is asked for here.
    }
  }
  return headers;
}

/**
 * A fetch upon node:http that hands over bodies as they were sent. The one that Node 20 brings undoes content encodings
 * itself, and then neither ends on a damaged body nor notices a shortened one. Redirects are never followed: that is done
 * by our own rule.
 */
export const nodeFetch: Fetch = Object.assign(
  async (input: string | URL | globalThis.Request, init: RequestInit = {}): Promise<Response> => {
    const url = new URL(input instanceof Request ? input.url : input);
    if (url.protocol !== 'http:' && url.protocol !== 'https:')
      throw new TypeError(`Addresses begin with http: or https:, not ${url.protocol}`);
    const secure = url.protocol === 'https:';
    const method = init.method ?? 'GET';
    const agent = secure ? secureAgent : plainAgent;
    const headers: Record<string, string> = Object.fromEntries(new Headers(init.headers));
    const body = typeof init.body === 'string' ? Buffer.from(init.body, 'utf8') : null;
    if (body !== null) headers['content-length'] = String(body.length);
    const send = (again: boolean) =>
      new Promise<IncomingMessage>((resolve, reject) => {
        const sent = (secure ? secureRequest : plainRequest)(
          url,
          // What is posted goes over a connection of its own: one that dies while it is used again tells nothing.
          { method, headers, agent: body === null ? agent : false, signal: init.signal ?? undefined },
          resolve,
        );
        sent.on('error', (error: NodeJS.ErrnoException) => {
          // The server closed an idle connection at the very moment when it was used again.
          if (again && sent.reusedSocket && error.code === 'ECONNRESET') send(false).then(resolve, reject);
          else reject(error);
        });
        sent.end(body ?? undefined);
      });
    const message = await send(true);
    const status = message.statusCode ?? 0;
    const empty = bodiless.has(status) || method === 'HEAD';
    if (empty) message.resume();
    return new Response(empty ? null : (Readable.toWeb(message) as ReadableStream<Uint8Array>), {
      status,
      statusText: message.statusMessage,
      headers: headersOf(message),
    });
  },
  { rawBodies: true },
);
