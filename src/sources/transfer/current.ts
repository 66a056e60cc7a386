import { percentEncoded } from '../../core/percent-encoding.ts';
import type { Receipt } from '../receipt.ts';
import { connect } from './connect.ts';
import type { TransferContext } from './context.ts';
import { hidden } from './credentials.ts';

/** Whether a file is still what a service has, and by what that is known. */
export interface Currency {
  /** Null: the service does not tell without sending all of it. */
  current: boolean | null;
  /** A clause: `its ETag is another one`. */
  why: string;
}

const weak = (etag: string) => etag.replace(/^W\//, '');

/**
 * Asks a service whether a file that was received is still current, without fetching it: with the validators that it came with
 * (RFC 9110, section 13). What comes of a changed one is broken off.
 */
export async function stillCurrent(receipt: Receipt, context: TransferContext): Promise<Currency> {
  const { etag, lastModified, url } = receipt;
  if (etag === undefined && lastModified === undefined)
    return {
      current: null,
      why: 'the service names no state of it: it is fetched, and compared by its checksum',
    };
  if (url.includes(hidden) || url.includes(percentEncoded(hidden)))
    return {
      current: null,
      why: 'a secret was taken out of its address: it is fetched, and compared by its checksum',
    };
  const abort = new AbortController();
  const conditions: Record<string, string> = {};
  if (etag !== undefined) conditions['if-none-match'] = etag;
  if (lastModified !== undefined) conditions['if-modified-since'] = lastModified;
  const response = await connect({ what: receipt.what, url }, context, conditions, abort);
  const { headers, status } = response;
  response.body?.cancel().catch(() => {});
  abort.abort();
  if (status === 304) return { current: true, why: 'the service says that it is current' };
  const now = headers.get('etag');
  if (etag !== undefined && now !== null)
    return weak(etag) === weak(now)
      ? { current: true, why: 'its ETag is the same' }
      : { current: false, why: 'its ETag is another one' };
  const changed = headers.get('last-modified');
  if (lastModified !== undefined && changed !== null)
    return changed === lastModified
      ? { current: true, why: 'its date is the same' }
      : { current: false, why: `it was changed on ${changed}` };
  return { current: null, why: 'the service names no state of it any more' };
}
