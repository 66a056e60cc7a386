import { type IncomingMessage, Agent as PlainAgent, request as plainRequest } from 'node:http';
import { Agent as SecureAgent, request as secureRequest } from 'node:https';
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

/** Bytes of an answer that wait for their reader at most. */
const ahead = 1 << 18;

/**
 * The body of an answer. What has arrived is handed over before the end of the connection is told: a stream that is in
 * error drops what waits in it, and a download that is cut again and again would never get further.
 */
function streamOf(message: IncomingMessage): ReadableStream<Uint8Array> {
  const waiting: Uint8Array[] = [];
  let bytes = 0;
  let ended = false;
  let trouble: unknown = null;
  let wake: (() => void) | null = null;
  const stir = () => {
    wake?.();
    wake = null;
  };
  message.on('data', (chunk: Uint8Array) => {
    waiting.push(chunk);
    bytes += chunk.length;
    if (bytes > ahead) message.pause();
    stir();
  });
  message.on('end', () => {
    ended = true;
    stir();
  });
  message.on('error', (error) => {
    trouble = error;
    stir();
  });
  message.on('close', () => {
    if (!ended) trouble ??= new Error('The connection was closed.');
    stir();
  });
  return new ReadableStream<Uint8Array>(
    {
      async pull(controller) {
        while (waiting.length === 0 && !ended && trouble === null)
          await new Promise<void>((resolve) => {
            wake = resolve;
          });
        const chunk = waiting.shift();
        if (chunk !== undefined) {
          bytes -= chunk.length;
          if (bytes <= ahead) message.resume();
          controller.enqueue(chunk);
        } else if (trouble !== null) controller.error(trouble);
        else controller.close();
      },
      cancel() {
        message.destroy();
        stir();
      },
    },
    { highWaterMark: 0 },
  );
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
    return new Response(empty ? null : streamOf(message), {
      status,
      statusText: message.statusMessage,
      headers: headersOf(message),
    });
  },
  { rawBodies: true },
);
