import { IsomericError } from '../../core/errors.ts';
import type { Request, TransferContext } from './context.ts';

/** The service asks to come back later, and may say when. */
export class LaterError extends IsomericError {
  /** Milliseconds; undefined where the service does not say. */
  readonly retryAfter: number | undefined;

  constructor(error: IsomericError, retryAfter: number | undefined) {
    super(error.code, error.message, { place: error.place, advice: error.advice });
    this.retryAfter = retryAfter;
  }
}

/** An error of a source: words and address without secrets. */
export function failure(
  code: string,
  request: Pick<Request, 'what' | 'url'>,
  context: TransferContext,
  words: string,
  advice: string,
  cause?: unknown,
): IsomericError {
  const { credentials } = context;
  return new IsomericError(code, `${request.what}: ${credentials.conceal(words)}`, {
    place: { file: credentials.shown(request.url) },
    advice,
    // A cause may quote the address with its key.
    ...(cause instanceof IsomericError ? { cause } : {}),
  });
}

/** Worth another try: the service said “later”, or the connection failed. */
export function isPassing(error: unknown): boolean {
  return (
    error instanceof IsomericError &&
    [
      'source-busy',
      'source-failing',
      'source-cut',
      'source-damaged',
      'source-unreachable',
      'source-silent',
      'source-slow',
      // Pages that say “one moment” pass like the moment.
      'source-html',
    ].includes(error.code)
  );
}

/** Retry-After in milliseconds (RFC 9110, section 10.2.3): seconds or a date. */
export function retryAfter(header: string | null, now: string): number | undefined {
  if (header === null) return undefined;
  const text = header.trim();
  if (/^\d+$/.test(text)) return Number(text) * 1000;
  const at = Date.parse(text);
  return Number.isNaN(at) ? undefined : Math.max(0, at - Date.parse(now));
}

/** Most of what a provider says of its reasons that is shown. */
const longestReason = 300;

/** Members that hold a reason, the title of it first; errors of JSON-stat 2.0 and others stand in lists. */
function reasonInJson(value: unknown, depth: number): string {
  if (typeof value === 'string') return value;
  if (value === null || typeof value !== 'object' || depth > 3) return '';
  if (Array.isArray(value))
    return value
      .slice(0, 3)
      .map((each) => reasonInJson(each, depth + 1))
      .filter((words) => words !== '')
      .join('; ');
  const problem = value as Record<string, unknown>;
  const title = typeof problem.title === 'string' ? problem.title : '';
  for (const name of ['detail', 'description', 'message', 'label', 'error', 'errors', 'reason']) {
    const words = reasonInJson(problem[name], depth + 1);
    if (words !== '') return title === '' ? words : `${title}: ${words}`;
  }
  return title;
}

const exceptionElements = new Set(['ExceptionText', 'ServiceException', 'Text']);

/** What stands directly in the elements of an exception report that hold its words; null where there are none of them. */
function exceptionTexts(text: string): string[] | null {
  let texts: string[] | null = null;
  for (let from = text.indexOf('<'); from >= 0; from = text.indexOf('<', from + 1)) {
    const name = /^<(?:[\w.-]{1,100}:)?(\w{1,40})[\s>]/.exec(text.slice(from, from + 150))?.[1];
    if (name === undefined || !exceptionElements.has(name)) continue;
    texts ??= [];
    const end = text.indexOf('>', from);
    const next = end < 0 ? -1 : text.indexOf('<', end);
    if (next < 0) break;
    texts.push(text.slice(end + 1, next));
    from = next - 1;
  }
  return texts;
}

/** The provider's own reason in an answer that refuses: problem details (RFC 9457), an exception report, or plain text. */
export function reasonIn(text: string, type: string | null): string {
  let reason = '';
  if (/json/.test(type ?? '') || /^\s*\{/.test(text)) {
    try {
      reason = reasonInJson(JSON.parse(text), 0);
    } catch {
      reason = '';
    }
  } else if (exceptionTexts(text) !== null) {
    reason = exceptionTexts(text)!
      .map((words) => words.trim())
      .filter((words) => words !== '')
      .join('; ');
  } else if (!/<\s*(!doctype|html)/i.test(text)) reason = text;
  // Control characters could repaint a terminal.
  // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is taken out
  reason = reason.replace(/[\s\u0000-\u001f\u007f-\u009f]+/g, ' ').trim();
  reason = reason.replace(/\.$/, '');
  return reason.length > longestReason ? `${reason.slice(0, longestReason)}…` : reason;
}

/** What a status means that is no success. */
export function refusal(
  status: number,
  reason: string,
  request: Request,
  context: TransferContext,
  later: number | undefined,
): IsomericError {
  const said = reason === '' ? '' : ` It says: “${reason}”.`;
  const told = (code: string, words: string, advice: string) =>
    failure(code, request, context, `${words}${said}`, advice);
  if (status === 401 || status === 403)
    return told(
      'source-forbidden',
      `the service does not let us in (${status}).`,
      'Is its key set in the environment, and is it right?',
    );
  if (status === 404 || status === 410)
    return told(
      'source-missing',
      `the service has no such thing (${status}).`,
      request.missing ?? 'Check the name of the collection or file.',
    );
  if (status === 406)
    return told(
      'source-unacceptable',
      'the service does not give such an answer (406).',
      'Ask for another form.',
    );
  if (status === 413)
    return told('source-too-much', `the service refuses an order of this size (413).`, 'Ask for less.');
  if (status === 429 || status === 503)
    return new LaterError(
      told(
        'source-busy',
        `the service asks to come back later (${status}).`,
        'Run again later: what is missing is asked for again.',
      ),
      later,
    );
  if ([408, 425, 500, 502, 504].includes(status))
    return new LaterError(
      told(
        'source-failing',
        `the service fails (${status}).`,
        'Run again later, or ask its makers: what is missing is asked for again.',
      ),
      later,
    );
  return told('source-refused', `the service answers ${status}.`, 'Check what is asked of it.');
}
