import { counted } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Request, TransferContext } from './context.ts';
import { isPassing, LaterError } from './failures.ts';

/** Pauses grow from the first to the last. */
const firstPause = 400;
const longestPause = 30_000;

/** Words for a span: `40 seconds`, `12 minutes`, `3 hours`. */
export function spanWords(milliseconds: number): string {
  const seconds = Math.ceil(milliseconds / 1000);
  if (seconds < 120) return counted(seconds, 'second', 'seconds');
  const minutes = Math.round(seconds / 60);
  return minutes < 120
    ? counted(minutes, 'minute', 'minutes')
    : counted(Math.round(minutes / 60), 'hour', 'hours');
}

/** The pause before another try: twice as long each time, with some chance, so that not all come back at once. */
export function pauseBefore(attempt: number, random: () => number = Math.random): number {
  return Math.min(longestPause, firstPause * 2 ** (attempt - 1)) * (0.5 + random() / 2);
}

/** A service that asks to wait more often for one request is taken to be out of order. */
const mostWaits = 10;
/** Times the longest wait that is taken at once. */
const mostWaited = 4;

/**
 * Does `work` until it succeeds, fails for good, or has been tried often enough. What a service asks for with
 * Retry-After is honoured, for all who ask that host, and counts as no try; when it is too long, or all such waits
 * together are, the source is left for a later run.
 */
export async function retrying<T>(
  { url, once }: Pick<Request, 'url' | 'once'>,
  context: TransferContext,
  work: () => Promise<T>,
): Promise<T> {
  let waits = 0;
  let waited = 0;
  for (let attempt = 1; ; ) {
    try {
      return await context.hosts.pass(url, work);
    } catch (error) {
      // What must not be done twice is tried again only when the service says that it did not do it.
      const again =
        once === true ? error instanceof LaterError && error.code === 'source-busy' : isPassing(error);
      if (!again) throw error;
      const asked = error instanceof LaterError ? error.retryAfter : undefined;
      if (asked === undefined) {
        if (attempt >= context.tries) throw error;
        await context.sleep(pauseBefore(attempt++));
        continue;
      }
      const { code, message, place } = error as LaterError;
      // “At once” asked for again and again would be a storm of requests.
      const pause = asked > 0 || waits === 0 ? asked : pauseBefore(waits);
      if (asked > context.longestWait)
        throw new IsomericError(code, `${message} It will not answer for another ${spanWords(asked)}.`, {
          place,
          advice: 'Run again then: what is missing is asked for again.',
          cause: error,
        });
      if (waits >= mostWaits || waited + pause > mostWaited * context.longestWait)
        throw new IsomericError(
          code,
          `${message} It has asked ${counted(waits, 'time', 'times')} for ${spanWords(waited)} in all.`,
          { place, advice: 'Run again later: what is missing is asked for again.', cause: error },
        );
      waits++;
      waited += pause;
      context.hosts.rest(url, pause);
      if (pause >= 1000) context.aside(`${message} Waiting ${spanWords(pause)}, as it asks.`);
      await context.sleep(pause);
    }
  }
}
