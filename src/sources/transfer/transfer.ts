import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { percentEncoded } from '../../core/percent-encoding.ts';
import type { ByteSource } from '../../formats/bytes/byte-source.ts';
import type { Receipt } from '../receipt.ts';
import type { Part, PartNote } from '../store.ts';
import { bodyOf } from './body.ts';
import { connect } from './connect.ts';
import type { Request, TransferContext } from './context.ts';
import { hidden } from './credentials.ts';
import { statedSha256 } from './digests.ts';
import { failure } from './failures.ts';
import { retrying } from './retrying.ts';

/** A file that was received. */
export interface Transfer {
  receipt: Receipt;
  /** True when the copy at hand was still current, or the new one is the same to the byte. */
  unchanged: boolean;
  /** Headers of the answer; null when the copy at hand was taken without asking. */
  headers: Headers | null;
}

/** One file that is wanted in the store. */
export interface FileRequest extends Request {
  datasets: readonly string[];
  role?: Receipt['role'];
  /** True when a service gave the address as that of the next page. */
  linked?: boolean;
  /** Where it goes in the store. */
  path: string;
  licence?: string;
  citation?: string;
  /** SHA-256 that it must have, hexadecimal. */
  sha256?: string;
  /**
   * Looks at the whole file before it counts as received: what it raises keeps it out. What it returns goes into the
   * receipt.
   */
  check?(file: ByteSource, headers: Headers): Promise<Partial<Receipt>>;
}

/** What says that the rest of a file belongs to what came before (RFC 9110, section 13.1.5): weak ETags do not. */
function validatorOf(headers: Headers): string | null {
  const etag = headers.get('etag');
  if (etag !== null && !etag.startsWith('W/')) return etag;
  return headers.get('last-modified');
}

/** First and last byte and length of the whole in a Content-Range. */
function contentRange(headers: Headers): { from: number; total: number | undefined } | null {
  const found = /^bytes (\d+)-\d+\/(\d+|\*)$/.exec(headers.get('content-range') ?? '');
  return found === null
    ? null
    : { from: Number(found[1]), total: found[2] === '*' ? undefined : Number(found[2]) };
}

/**
 * Fetches one address into the store, as received. What is there already is asked for with If-None-Match and
 * If-Modified-Since, and re-used when the service says so and the file still has its checksum. What was broken off goes
 * on where it stopped (Range with If-Range), or starts over when the file has changed meanwhile.
 */
export async function transfer(request: FileRequest, context: TransferContext): Promise<Transfer> {
  const shown = context.credentials.shown(request.url, request.linked);
  const { path, method } = request;
  const url = `${method ?? 'GET'} ${request.url} ${request.body?.text ?? ''}`;
  const claim = context.claims.get(path);
  if (claim !== undefined && claim.owner !== context && claim.url !== url)
    throw new IsomericError(
      'place-shared',
      `${request.what}: ${path} came from another address in this run, and would be overwritten.`,
      { place: { file: shown }, advice: 'Give one of the datasets another name, source or “vintage:”.' },
    );
  await claim?.done.catch(() => {});
  // One file may belong to several datasets that asked for it one by one.
  const datasets = new Set([...(claim?.datasets ?? []), ...request.datasets]);
  const done = fetched({ ...request, datasets: [...datasets] }, shown, context);
  context.claims.set(path, { owner: context, url, datasets, done });
  return done;
}

async function fetched(request: FileRequest, shown: string, context: TransferContext): Promise<Transfer> {
  const { store } = context;
  const earlier = context.earlier.get(request.path);
  const intact = earlier !== undefined && (await store.checksum(request.path)) === earlier.sha256;
  const known =
    context.anew !== true &&
    intact &&
    // A link out of which a secret was taken leads nowhere: the page is asked for again.
    earlier.next?.includes(percentEncoded(hidden)) !== true &&
    earlier.url === shown &&
    (request.sha256 === undefined || request.sha256 === earlier.sha256);
  if (known && context.continuing.has(request.path))
    return { receipt: earlier, unchanged: true, headers: null };
  const conditions: Record<string, string> = {};
  if (known && earlier.etag !== undefined) conditions['if-none-match'] = earlier.etag;
  if (known && earlier.lastModified !== undefined) conditions['if-modified-since'] = earlier.lastModified;
  // True where bytes came, be they the same as before: a provider counts them.
  let came = false;
  const result = await retrying(request, context, async (): Promise<Transfer> => {
    const abort = new AbortController();
    const before = context.meter.bytes;
    try {
      const part = known || context.anew === true ? null : await partOf(request, shown, context);
      const resumed: Record<string, string> =
        part === null ? {} : { range: `bytes=${part.bytes}-`, 'if-range': part.note.validator };
      const response = await connect(
        { ...request, allow: [416], plain: request.plain === true || part !== null },
        context,
        { ...conditions, ...resumed },
        abort,
      );
      const { headers } = response;
      if (response.status === 304 && known) {
        // What is kept is told in the words of now: a study may have been given a better citation.
        const receipt = { ...earlier, ...told(request) };
        return { receipt, unchanged: true, headers };
      }
      if (response.status === 304 || response.status === 416) {
        await store.dropPart(request.path);
        throw failure(
          'source-cut',
          request,
          context,
          'what came before does not fit any more.',
          'Run again.',
        );
      }
      const range = response.status === 206 ? contentRange(headers) : null;
      const from = part !== null && range !== null && range.from === part.bytes ? part.bytes : 0;
      if (response.status === 206 && (range === null || (from === 0 && range.from !== 0)))
        throw failure(
          'source-ranges',
          request,
          context,
          'the service sends a part of the file that was not asked for.',
          'Run again; if it stays so, ask its makers.',
        );
      const got = await received(request, shown, context, response, { from, total: range?.total, intact });
      came = true;
      return got;
    } catch (error) {
      abort.abort();
      context.meter.bytes = before;
      throw error;
    }
  });
  await context.keep(result.receipt, came);
  return result;
}

const told = (request: FileRequest) => ({
  datasets: [...request.datasets],
  licence: request.licence,
  citation: request.citation,
});

async function partOf(request: FileRequest, shown: string, context: TransferContext): Promise<Part | null> {
  if (request.method === 'POST') return null;
  const part = await context.store.part(request.path);
  return part !== null && part.bytes > 0 && part.note.url === shown ? part : null;
}

async function received(
  request: FileRequest,
  shown: string,
  context: TransferContext,
  response: Response,
  { from, total, intact }: { from: number; total: number | undefined; intact: boolean },
): Promise<Transfer> {
  const { headers } = response;
  const encoding = headers.get('content-encoding');
  const length = headers.get('content-length');
  const whole = total ?? (encoding === null && length !== null ? from + Number(length) : undefined);
  const validator = validatorOf(headers);
  const note: PartNote | null =
    validator === null || encoding !== null || request.method === 'POST'
      ? null
      : { url: shown, validator, total: whole };
  // Several files add up.
  if (whole !== undefined && request.plain === true) context.meter.totalBytes = context.meter.bytes + whole;
  context.meter.bytes += from;
  const stated = request.sha256 ?? statedSha256(headers, from === 0 && encoding === null);
  let more: Partial<Receipt> = {};
  const { bytes, sha256 } = await context.store.receive(request.path, bodyOf(response, request, context), {
    from,
    note,
    async verify(file, found) {
      if (whole !== undefined && found.bytes !== whole)
        throw failure(
          'source-cut',
          request,
          context,
          `${grouped(whole)} bytes were announced, ${grouped(found.bytes)} came.`,
          'Run again: what is missing is asked for again.',
        );
      if (stated !== null && stated !== found.sha256)
        throw failure(
          'source-damaged',
          request,
          context,
          `its SHA-256 ought to be ${stated.slice(0, 12)}… and is ${found.sha256.slice(0, 12)}….`,
          request.sha256 === undefined
            ? 'It was damaged on its way: run again.'
            : 'It is damaged, or it is another file than the study means.',
        );
      if (request.check !== undefined) more = await request.check(file, headers);
    },
  });
  const before = context.earlier.get(request.path);
  const unchanged = intact && before?.sha256 === sha256;
  const receipt: Receipt = {
    kind: 'file',
    what: request.what,
    role: request.role ?? 'data',
    path: request.path,
    url: shown,
    // The same bytes keep the date at which they came first.
    at: unchanged ? before.at : context.now(),
    bytes,
    sha256,
    etag: headers.get('etag') ?? undefined,
    lastModified: headers.get('last-modified') ?? undefined,
    ...more,
    ...(more.next === undefined ? {} : { next: context.credentials.shown(more.next, true) }),
    ...told(request),
  };
  return { receipt, unchanged, headers };
}
