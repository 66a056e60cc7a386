import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { type XmlElement, xmlTree } from '../../formats/xml/tree.ts';
import { bodyOf } from './body.ts';
import { connect } from './connect.ts';
import type { Request, TransferContext } from './context.ts';
import { failure } from './failures.ts';
import { retrying } from './retrying.ts';

/** Most bytes of a document that is asked for without being kept: descriptions, not data. */
const mostBytes = 64 * 2 ** 20;

/** An answer that was read whole. */
export interface Answer {
  status: number;
  headers: Headers;
  bytes: Uint8Array;
}

/** Asks for a small document without keeping it. */
export function ask(request: Request, context: TransferContext): Promise<Answer> {
  return askFor(request, context, async (answer) => answer);
}

/** The same, read at once: what is cut short or is something else is asked for again, like data. */
export function askFor<T>(
  request: Request,
  context: TransferContext,
  read: (answer: Answer) => Promise<T> | T,
): Promise<T> {
  return retrying(request, context, async () => {
    const abort = new AbortController();
    try {
      const response = await connect(request, context, {}, abort);
      const parts: Uint8Array[] = [];
      let total = 0;
      for await (const chunk of bodyOf(response, { ...request, description: true }, context)) {
        parts.push(chunk);
        total += chunk.length;
        if (total > mostBytes)
          throw failure(
            'source-too-large',
            request,
            context,
            `the description is longer than ${grouped(mostBytes)} bytes.`,
            'Is the address that of the service itself?',
          );
      }
      const bytes = new Uint8Array(total);
      let used = 0;
      for (const part of parts) {
        bytes.set(part, used);
        used += part.length;
      }
      return await read({ status: response.status, headers: response.headers, bytes });
    } catch (error) {
      abort.abort();
      throw error;
    }
  });
}

/** The same document is asked for once in a run. */
export function askedOnce<T>(key: string, context: TransferContext, work: () => Promise<T>): Promise<T> {
  let known = context.documents.get(key) as Promise<T> | undefined;
  if (known === undefined) {
    known = work();
    context.documents.set(key, known);
    // A failure is not remembered: who asks next may have more luck.
    known.catch(() => context.documents.delete(key));
  }
  return known;
}

/** Why a description cannot be read: it ends in the middle, or it is something else. */
function unreadable(
  answer: Answer,
  begins: RegExp,
  kind: string,
  request: Request,
  context: TransferContext,
): IsomericError {
  const head = new TextDecoder().decode(answer.bytes.subarray(0, 200));
  return begins.test(head)
    ? failure(
        'source-cut',
        request,
        context,
        `the answer ends in the middle, or is damaged ${kind}.`,
        'Run again; if it stays so, ask the makers of the service.',
      )
    : failure(
        'source-garbled',
        request,
        context,
        `the answer is no ${kind}.`,
        'Is the address that of the service itself?',
      );
}

/** The JSON of an answer, checked against a schema. */
export function jsonOf(answer: Answer, request: Request, context: TransferContext): unknown {
  try {
    return JSON.parse(new TextDecoder().decode(answer.bytes));
  } catch {
    throw unreadable(answer, /^[\s\ufeff]*[[{]/, 'JSON', request, context);
  }
}

/** A small XML document as a tree. */
export async function xmlOf(answer: Answer, request: Request, context: TransferContext): Promise<XmlElement> {
  try {
    return await xmlTree(answer.bytes, context.credentials.shown(request.url));
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    throw unreadable(answer, /^[\s\ufeff]*</, 'XML', request, context);
  }
}

/** A JSON document, asked for once in a run. */
export function askJson(
  what: string,
  url: string,
  context: TransferContext,
  accept = 'application/json',
): Promise<unknown> {
  const request: Request = { what, url, accept };
  return askedOnce(`json ${url}`, context, () =>
    askFor(request, context, (answer) => jsonOf(answer, request, context)),
  );
}

/** The length that a service announces for a file, without fetching it; null when it does not say. */
export async function announcedLength(
  what: string,
  url: string,
  context: TransferContext,
): Promise<number | null> {
  const request: Request = { what, url, method: 'HEAD', plain: true, allow: [405, 501] };
  const length = await retrying(request, context, async () => {
    const abort = new AbortController();
    const response = await connect(request, context, {}, abort);
    response.body?.cancel().catch(() => {});
    return response.status === 200 ? response.headers.get('content-length') : null;
  });
  return length === null ? null : Number(length);
}
