import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../../formats/bytes/byte-source.ts';
import { withPatience } from '../patience.ts';
import { withoutSecrets } from '../secrets.ts';
import { lastPart } from '../transfer/links.ts';

/** What is fetched at first: enough to tell formats apart and to hold most headers. */
const headLength = 65_536;
/** A server that gives no ranges sends all at once: up to so many bytes are held. */
const mostHeld = 512 * 2 ** 20;

/** What went over the wire so far. */
export interface Traffic {
  requests: number;
  bytes: number;
}

/** How a file at an address is fetched. */
export interface RemoteOptions {
  /** The fetch to use; the built-in one when left out. */
  fetch?: typeof fetch;
  /** Milliseconds without an answer or a byte after which a connection counts as dead. */
  patience?: number;
}

/**
 * A file at an address, read by range (RFC 9110, section 14): only what is asked for is fetched. A file that changes
 * meanwhile (another ETag) is an error. Where a server gives no ranges, the file is fetched whole, once.
 */
export async function remoteSource(
  address: string,
  options: RemoteOptions = {},
): Promise<ByteSource & { traffic: Traffic }> {
  const ask = options.fetch ?? fetch;
  const patience = options.patience ?? 30_000;
  const shown = withoutSecrets(address);
  const traffic: Traffic = { requests: 0, bytes: 0 };
  const fail = (code: string, words: string, advice: string, cause?: unknown) =>
    new IsomericError(code, words, { place: { file: shown }, advice, cause });

  const inTime = <T>(work: Promise<T>) =>
    withPatience(work, patience, () =>
      fail('source-silent', `No answer for ${Math.round(patience / 1000)} seconds.`, 'Try again later.'),
    );

  const request = async (range: string | null): Promise<Response> => {
    traffic.requests++;
    let answer: Response;
    try {
      answer = await inTime(
        ask(address, { headers: { 'accept-encoding': 'identity', ...(range === null ? {} : { range }) } }),
      );
    } catch (error) {
      if (error instanceof IsomericError) throw error;
      throw fail('source-unreachable', 'The server cannot be reached.', 'Check the address.', error);
    }
    if (answer.status >= 400 && answer.status !== 416)
      throw fail('source-refused', `The server answered ${answer.status}.`, 'Check the address.');
    return answer;
  };

  const body = async function* (answer: Response): AsyncGenerator<Uint8Array> {
    const reader = answer.body?.getReader();
    if (reader === undefined) return;
    try {
      for (;;) {
        const next = await inTime(reader.read());
        if (next.done) return;
        traffic.bytes += next.value.length;
        yield next.value;
      }
    } catch (error) {
      if (error instanceof IsomericError) throw error;
      throw fail('source-cut', 'The connection broke off.', 'Try again.', error);
    } finally {
      reader.cancel().catch(() => {});
    }
  };

  const whole = async (answer: Response, most: number): Promise<Uint8Array> => {
    const parts: Uint8Array[] = [];
    let total = 0;
    for await (const chunk of body(answer)) {
      total += chunk.length;
      if (total > most)
        throw fail(
          'source-too-large',
          `The server gives no ranges, and the file has more than ${grouped(most)} bytes.`,
          'Fetch it to disk first.',
        );
      parts.push(chunk);
    }
    const bytes = new Uint8Array(total);
    let used = 0;
    for (const part of parts) {
      bytes.set(part, used);
      used += part.length;
    }
    return bytes;
  };

  const first = await request(`bytes=0-${headLength - 1}`);
  const name = lastPart(address) || 'file';
  const total = /^bytes \d+-\d+\/(\d+)$/.exec(first.headers.get('content-range') ?? '');
  if (first.status !== 206 || total === null) {
    const bytes = first.status === 416 ? new Uint8Array(0) : await whole(first, mostHeld);
    return {
      name,
      size: bytes.length,
      traffic,
      bytes: async (start, end) => bytes.subarray(start, end),
      async *stream() {
        yield bytes;
      },
    };
  }
  const size = Number(total[1]);
  const etag = first.headers.get('etag');
  const head = await whole(first, headLength);
  const unchanged = (answer: Response) => {
    if (etag !== null && answer.headers.get('etag') !== etag)
      throw fail('source-changed', 'The file changed on the server while it was read.', 'Read it again.');
  };
  return {
    name,
    size,
    traffic,
    async bytes(start, end) {
      const upTo = Math.min(end, size);
      if (start >= upTo) return new Uint8Array(0);
      if (upTo <= head.length) return head.subarray(start, upTo);
      const answer = await request(`bytes=${start}-${upTo - 1}`);
      unchanged(answer);
      if (answer.status !== 206)
        throw fail(
          'source-ranges',
          `The server answered ${answer.status} where a part was asked for.`,
          'Fetch the file to disk first.',
        );
      const bytes = await whole(answer, upTo - start);
      if (bytes.length < upTo - start)
        throw fail(
          'source-cut',
          `${grouped(bytes.length)} bytes came where ${grouped(upTo - start)} were asked for.`,
          'Try again.',
        );
      return bytes;
    },
    async *stream() {
      const answer = await request(null);
      unchanged(answer);
      let got = 0;
      for await (const chunk of body(answer)) {
        got += chunk.length;
        yield chunk;
      }
      if (got < size)
        throw fail('source-cut', `Only ${grouped(got)} of ${grouped(size)} bytes came.`, 'Try again.');
    },
  };
}
