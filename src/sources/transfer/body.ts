import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { gunzipChunks } from '../../formats/compressed/gunzip.ts';
import { inTime } from './connect.ts';
import type { Request, TransferContext } from './context.ts';
import { failure, reasonIn } from './failures.ts';

/** So much is looked at to tell a web page from data. */
const looked = 2048;
/** Most times its packed size that an answer may expand to, from a size on where that says anything. */
const largestRatio = 1000;
const ratioFrom = 64 * 2 ** 20;

/** Bytes a second that must come on average, over as long as a silent service is waited for. */
const leastSpeed = 100;

export function isHtml(head: Uint8Array): boolean {
  const text = new TextDecoder().decode(head.subarray(0, looked));
  return /^[\s\ufeff]*(<\?xml[^>]*>\s*)?(<!--[^>]*-->\s*)*<(!doctype\s+html|html)[\s>]/i.test(text);
}

/** An exception report that comes with a status of success, as services of the older kind send it. */
function isException(head: Uint8Array): boolean {
  const text = new TextDecoder().decode(head.subarray(0, looked));
  return /^[\s\ufeff]*(<\?xml[^>]*>\s*)?(<!--[^>]*-->\s*)*<([\w.-]+:)?(Exception|ServiceException)Report[\s>]/.test(
    text,
  );
}

/** The bytes as they come over the wire, each in time, counted, their number held against what was announced. */
async function* wire(
  response: Response,
  request: Request,
  context: TransferContext,
): AsyncGenerator<Uint8Array> {
  const reader = response.body?.getReader();
  if (reader === undefined) return;
  const encoded = response.headers.get('content-encoding');
  const length = response.headers.get('content-length');
  // Where the platform has unpacked already, the length that was announced is that of the packed bytes.
  const announced =
    length !== null && (encoded === null || context.fetch.rawBodies === true) ? Number(length) : null;
  let bytes = 0;
  // Only the time that is spent waiting for the service counts: who takes its bytes may be slow as well.
  let waited = 0;
  let ofWindow = 0;
  try {
    for (;;) {
      let next: Awaited<ReturnType<typeof reader.read>>;
      const began = performance.now();
      try {
        next = await inTime(reader.read(), request, context);
      } catch (error) {
        if (error instanceof IsomericError) throw error;
        throw failure(
          'source-cut',
          request,
          context,
          `the connection was cut after ${grouped(bytes)}${announced === null ? '' : ` of ${grouped(announced)}`} bytes.`,
          'Run again: it goes on from there where the service can, and else asks again.',
        );
      }
      if (next.done) break;
      bytes += next.value.length;
      ofWindow += next.value.length;
      waited += performance.now() - began;
      if (waited >= context.patience) {
        if (ofWindow < (leastSpeed * waited) / 1000)
          throw failure(
            'source-slow',
            request,
            context,
            `only ${grouped(ofWindow)} bytes came in ${grouped(Math.round(waited / 1000))} seconds, where ${leastSpeed} a second are the least.`,
            'The service or the connection hardly works: try again later.',
          );
        waited = 0;
        ofWindow = 0;
      }
      yield next.value;
    }
  } finally {
    reader.cancel().catch(() => {});
  }
  if (announced !== null && announced !== bytes)
    throw failure(
      'source-cut',
      request,
      context,
      `${grouped(announced)} bytes were announced, ${grouped(bytes)} came.`,
      'Run again: what is missing is asked for again.',
    );
}

/** Undoes gzip; a damaged or shortened stream is an error, whatever the platform would make of it. */
async function* unpacked(
  packed: AsyncGenerator<Uint8Array>,
  request: Request,
  context: TransferContext,
): AsyncGenerator<Uint8Array> {
  let raw = 0;
  let out = 0;
  const damaged = (words: string) =>
    failure(
      'source-damaged',
      request,
      context,
      `the packed answer is damaged or cut short. ${words}`,
      'Run again; if it stays so, ask its makers.',
    );
  const counted = (async function* () {
    for await (const chunk of packed) {
      raw += chunk.length;
      yield chunk;
    }
  })();
  for await (const chunk of gunzipChunks(counted, damaged)) {
    out += chunk.length;
    if (out > ratioFrom && out > raw * largestRatio)
      throw failure(
        'source-bomb',
        request,
        context,
        'the packed answer expands to more than a thousand times its size.',
        'Such answers are not taken; ask its makers.',
      );
    yield chunk;
  }
}

/** A stream whose first bytes show that it is no web page and no exception where data were asked for. */
async function* onlyData(
  chunks: AsyncGenerator<Uint8Array>,
  request: Request,
  context: TransferContext,
): AsyncGenerator<Uint8Array> {
  let head: Uint8Array | null = new Uint8Array(0);
  const look = (bytes: Uint8Array) => {
    if (isHtml(bytes))
      throw failure(
        'source-html',
        request,
        context,
        'the service answered with a web page instead of data.',
        'It may be under maintenance, or want a log-in.',
      );
    if (isException(bytes)) {
      const reason = reasonIn(new TextDecoder().decode(bytes), 'text/xml');
      throw failure(
        'source-refused',
        request,
        context,
        `the service answered with an exception instead of data${reason === '' ? '' : `: “${reason}”`}.`,
        'Check what is asked of it.',
      );
    }
  };
  for await (const chunk of chunks) {
    if (head === null) {
      yield chunk;
      continue;
    }
    const joined: Uint8Array = new Uint8Array(head.length + chunk.length);
    joined.set(head);
    joined.set(chunk, head.length);
    head = joined;
    if (head.length < looked) continue;
    look(head);
    yield head;
    head = null;
  }
  if (head === null || head.length === 0) return;
  look(head);
  yield head;
}

/** Bytes of an answer: unpacked, checked against what was announced, told to the meter; a web page is an error. */
export async function* bodyOf(
  response: Response,
  request: Request,
  context: TransferContext,
): AsyncGenerator<Uint8Array> {
  const encoding = (response.headers.get('content-encoding') ?? 'identity').toLowerCase().trim();
  let chunks = wire(response, request, context);
  if (context.fetch.rawBodies === true && encoding !== 'identity' && encoding !== '') {
    if (encoding === 'gzip' || encoding === 'x-gzip') chunks = unpacked(chunks, request, context);
    else
      throw failure(
        'source-encoding',
        request,
        context,
        `the answer is packed with “${encoding}”, which nobody asked for.`,
        'Ask the makers of the service.',
      );
  }
  if (request.page !== true) chunks = onlyData(chunks, request, context);
  for await (const chunk of chunks) {
    const { meter } = context;
    if (request.description === true) meter.asked = (meter.asked ?? 0) + chunk.length;
    else meter.bytes += chunk.length;
    context.progress();
    yield chunk;
  }
}
