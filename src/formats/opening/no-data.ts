import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { markupText } from '../xml/markup.ts';

/** Longest words of an answer that are repeated. */
const mostWords = 200;

const plain = (text: string) => text.replace(/\s+/g, ' ').trim().slice(0, mostWords);

/** The text of the first element of this name; blank when there is none. */
function elementText(text: string, name: string): string {
  const small = text.toLowerCase();
  const from = small.indexOf(`<${name}`);
  const begin = from < 0 ? -1 : small.indexOf('>', from) + 1;
  const end = begin <= 0 ? -1 : small.indexOf('</', begin);
  return end < 0 ? '' : plain(markupText(text.slice(begin, end), () => ' '));
}

/** All texts in a value, the first ones: what an error says of itself. */
function wordsIn(value: unknown, depth = 0): string[] {
  if (typeof value === 'string' || typeof value === 'number') return [String(value)];
  if (typeof value !== 'object' || value === null || depth > 3) return [];
  return Object.values(value)
    .slice(0, 8)
    .flatMap((each) => wordsIn(each, depth + 1));
}

/** Members of an answer that tell of an error; with rows beside them they are only part of it. */
const errorMembers = ['error', 'errors', 'fault', 'exception', 'exceptions'];

function errorAnswer(text: string): string | null {
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch {
    return null;
  }
  if (typeof parsed !== 'object' || parsed === null || Array.isArray(parsed)) return null;
  const members = parsed as Record<string, unknown>;
  const name = errorMembers.find(
    (each) => Object.hasOwn(members, each) && members[each] !== null && members[each] !== false,
  );
  if (name === undefined || (Array.isArray(members[name]) && members[name].length === 0)) return null;
  const rows = Object.entries(members).some(
    ([key, value]) => key !== name && Array.isArray(value) && value.length > 0,
  );
  return rows ? null : plain(wordsIn(members[name]).join(' ')) || name;
}

/**
 * Refuses what came in place of data: a web page (of a login, of an error), an answer of a service that tells of an
 * error. Read as tables they would be tables of nothing.
 *
 * @param head the first bytes; `complete` when they are all
 */
export function refuseNoData(source: ByteSource, head: Uint8Array, complete: boolean): void {
  const text = new TextDecoder()
    .decode(head)
    .replace(/^\ufeff/, '')
    .trimStart();
  if (/^(<!doctype\s+html|<html[\s>])/i.test(text)) {
    const title = elementText(text, 'title') || elementText(text, 'h1');
    throw new IsomericError(
      'web-page',
      `It is a web page${title === '' ? '' : ` (“${title}”)`} and no data.`,
      {
        place: { file: source.name },
        advice:
          'The address probably wants a login, or is that of a page about the data: get the file itself.',
      },
    );
  }
  if (
    /^(<\?xml[^>]*\?>\s*)?(<!--[^>]*-->\s*)?<([\w-]{1,20}:)?(ServiceException|Exception)Report\b/i.test(text)
  ) {
    const words = plain(markupText(text, () => ' '));
    throw new IsomericError('answer-error', `It is no data but a service’s answer: ${words || 'an error'}.`, {
      place: { file: source.name },
      advice: 'Ask the service again, and look at what was asked.',
    });
  }
  const words = complete && text.startsWith('{') ? errorAnswer(text) : null;
  if (words !== null)
    throw new IsomericError(
      'answer-error',
      `It is no data but a service’s answer that tells of an error: ${words}.`,
      {
        place: { file: source.name },
        advice: 'Ask the service again, and look at what was asked.',
      },
    );
}
