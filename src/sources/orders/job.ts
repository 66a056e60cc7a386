import * as z from 'zod';
import { IsomericError } from '../../core/errors.ts';
import { ask, askFor, jsonOf } from '../transfer/ask.ts';
import type { Request, TransferContext } from '../transfer/context.ts';
import { failure, retryAfter } from '../transfer/failures.ts';
import { type Link, linkAddress, linkShape, linkTo } from '../transfer/links.ts';
import { spanWords } from '../transfer/retrying.ts';

/** Pauses between two questions how an order is getting on, unless the service says when to ask. */
const firstPause = 250;
const longestPause = 30_000;

const statusSchema = z.looseObject({
  status: z.enum(['accepted', 'running', 'successful', 'failed', 'dismissed']),
  progress: z.number().optional(),
  message: z.string().optional(),
  links: z.array(linkShape).default([]),
});

/** The order of an area was too large for the provider: smaller ones may do. */
export class TooLargeError extends IsomericError {}

/** What came of an order was thrown away at the provider before it was fetched. */
export class ExpiredError extends IsomericError {}

export interface Placed {
  url: string;
  /** Results that came at once, when the service does not let orders wait. */
  results: unknown;
}

const speaksOfSize = (text: string) =>
  /too[ -]?(large|big|many)|exceed|limit|maxim|size/i.test(text) &&
  /area|bbox|extent|region|size|large|many/i.test(text);

/** Places an order (OGC 18-062r2, clause 7.11): the address of its job, or its results when they come at once. */
export async function placeOrder(
  what: string,
  execution: string,
  inputs: Record<string, unknown>,
  asynchronous: boolean,
  context: TransferContext,
): Promise<Placed> {
  const request: Request = {
    what,
    url: execution,
    method: 'POST',
    once: true,
    body: { type: 'application/json', text: JSON.stringify({ inputs, response: 'document' }) },
    accept: 'application/json',
    headers: asynchronous ? { prefer: 'respond-async' } : {},
  };
  let answer: Awaited<ReturnType<typeof ask>>;
  try {
    answer = await ask(request, context);
  } catch (error) {
    if (
      error instanceof IsomericError &&
      (error.code === 'source-too-much' || (error.code === 'source-refused' && speaksOfSize(error.message)))
    )
      throw new TooLargeError('order-too-large', error.message, {
        place: error.place,
        advice: 'Ask for a smaller area.',
      });
    throw error;
  }
  const location = answer.headers.get('location');
  if (answer.status === 201 || answer.status === 202) {
    if (location === null)
      throw failure(
        'source-garbled',
        request,
        context,
        'the order was taken, but no address was given for it.',
        'Ask the makers of the service.',
      );
    return { url: linkAddress(location, execution, request.what, context), results: undefined };
  }
  return { url: execution, results: jsonOf(answer, request, context) };
}

interface Status {
  state: z.output<typeof statusSchema>['status'];
  progress: number | undefined;
  message: string | undefined;
  links: Link[];
  pause: number | undefined;
}

async function askStatus(what: string, url: string, context: TransferContext): Promise<Status> {
  const request: Request = {
    what,
    url,
    accept: 'application/json',
    missing: 'The provider does not know the order any more.',
  };
  const { headers, document } = await askFor(request, context, (answer) => ({
    headers: answer.headers,
    document: jsonOf(answer, request, context),
  }));
  const told = statusSchema.safeParse(document);
  if (!told.success)
    throw failure(
      'source-garbled',
      request,
      context,
      'the answer is not the state of an order.',
      'Ask the makers of the service.',
    );
  const { status, progress, message, links } = told.data;
  return {
    state: status,
    progress,
    message,
    links,
    pause: retryAfter(headers.get('retry-after'), context.now()),
  };
}

/** Why an order failed, in the provider's words. */
async function reasonOf(
  what: string,
  url: string,
  status: Status,
  context: TransferContext,
): Promise<string> {
  const results = linkTo(status.links, 'results')?.href ?? `${url.replace(/\/$/, '')}/results`;
  try {
    const request: Request = {
      what,
      url: linkAddress(results, url, what, context),
      accept: 'application/json',
    };
    // Results of a failed order are an exception (clause 7.13.4).
    await ask({ ...request, allow: [] }, { ...context, tries: 1 });
    return status.message ?? '';
  } catch (error) {
    const said = error instanceof IsomericError ? /It says: “(.*)”/.exec(error.message)?.[1] : undefined;
    const { message } = status;
    if (said === undefined || message === undefined) return said ?? message ?? '';
    const bare = message.replace(/\.$/, '');
    return said.includes(bare) ? said : `${bare}: ${said}`;
  }
}

/**
 * Follows an order until it has ended; returns the address of its results. It may take longer than this run is willing to
 * wait: then it is left at the provider, for a later run.
 *
 * @param longest milliseconds that are waited at most
 */
export async function followOrder(
  what: string,
  url: string,
  context: TransferContext,
  longest: number,
): Promise<string> {
  const began = Date.parse(context.now());
  let pause = firstPause;
  for (;;) {
    const status = await askStatus(what, url, context);
    const { state, progress, message } = status;
    if (state === 'successful') {
      context.meter.state = undefined;
      context.meter.share = undefined;
      return linkAddress(
        linkTo(status.links, 'results')?.href ?? `${url.replace(/\/$/, '')}/results`,
        url,
        what,
        context,
      );
    }
    if (state === 'failed' || state === 'dismissed') {
      const reason = await reasonOf(what, url, status, context);
      const words =
        state === 'failed' ? 'the order failed at the provider' : 'the order was given up at the provider';
      const told = failure(
        'order-failed',
        { what, url },
        context,
        `${words}${reason === '' ? '' : `: “${reason}”`}.`,
        'Change what is asked for, or ask the provider; the next run orders anew.',
      );
      if (speaksOfSize(reason))
        throw new TooLargeError('order-too-large', told.message, { place: told.place, advice: told.advice });
      throw told;
    }
    context.meter.share = progress === undefined ? undefined : progress / 100;
    context.meter.state =
      progress === undefined ? `order is ${state}` : `order is at ${Math.round(progress)} %`;
    context.progress();
    const waited = Date.parse(context.now()) - began;
    const next = status.pause ?? pause;
    if (waited + next > longest)
      throw failure(
        'order-pending',
        { what, url },
        context,
        `the order is ${state === 'accepted' ? 'waiting' : `being worked on${progress === undefined ? '' : `, at ${Math.round(progress)} %`}`} after ${spanWords(waited)}${message === undefined ? '' : ` (“${message}”)`}.`,
        'Run again later: it is fetched when it is ready, and not ordered anew.',
      );
    await context.sleep(next);
    pause = Math.min(longestPause, pause * 1.6);
  }
}

/** Results of an order: a value or an address each, by name (clause 7.13). */
export async function askResults(
  what: string,
  url: string,
  context: TransferContext,
): Promise<Record<string, unknown>> {
  const request: Request = { what, url, accept: 'application/json' };
  try {
    const answer = await askFor(request, context, (told) => jsonOf(told, request, context));
    if (answer !== null && typeof answer === 'object' && !Array.isArray(answer))
      return answer as Record<string, unknown>;
  } catch (error) {
    if (error instanceof IsomericError && error.code === 'source-missing')
      throw new ExpiredError('order-expired', `${what}: its results are not there any more.`, {
        place: error.place,
        advice: 'The next run orders it anew.',
      });
    throw error;
  }
  throw failure(
    'source-garbled',
    request,
    context,
    'its results are no document.',
    'Ask the makers of the service.',
  );
}
