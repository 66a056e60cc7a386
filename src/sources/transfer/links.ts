import * as z from 'zod';
import { percentDecoded } from '../../core/percent-encoding.ts';
import type { TransferContext } from './context.ts';
import { failure } from './failures.ts';

/** What a link must look like. */
export const linkShape = z.object({
  rel: z.string(),
  href: z.string(),
  type: z.string().optional(),
  title: z.string().optional(),
});
/** A link of a document (RFC 8288). */
export type Link = z.output<typeof linkShape>;

/** An address without its query and fragment. */
export function bareAddress(address: string): string {
  let end = 0;
  while (end < address.length && address[end] !== '?' && address[end] !== '#') end++;
  return address.slice(0, end);
}

/** Links in a Link header (RFC 8288, section 3), read from its beginning to its end. */
export function headerLinks(header: string | null): Link[] {
  const links: Link[] = [];
  const text = header ?? '';
  let at = 0;
  const blanks = () => {
    while (at < text.length && text.charCodeAt(at) <= 32) at++;
  };
  /** What stands up to one of these signs. */
  const until = (signs: string) => {
    const from = at;
    while (at < text.length && !signs.includes(text[at])) at++;
    return text.slice(from, at);
  };
  const value = () => {
    if (text[at] !== '"') return until(';, ').trim();
    at++;
    const quoted = until('"');
    at++;
    return quoted;
  };
  while (at < text.length) {
    until('<');
    at++;
    const href = until('>');
    if (at >= text.length) break;
    at++;
    const found = Object.create(null) as Record<string, string>;
    for (blanks(); text[at] === ';'; blanks()) {
      at++;
      blanks();
      const name = until('=;, ').toLowerCase();
      blanks();
      if (text[at] !== '=') continue;
      at++;
      blanks();
      found[name] = value();
    }
    if (found.rel !== undefined)
      for (const rel of found.rel.split(/\s+/))
        links.push({ rel, href, type: found.type, title: found.title });
  }
  return links;
}

/** The link of a relation, whether it is named in short or by its address. */
export function linkTo(links: readonly Link[], rel: string): Link | undefined {
  return links.find((each) => each.rel === rel || each.rel.endsWith(`/${rel}`));
}

/**
 * The address behind a link of a service, relative ones from where they stand. What is no address, or one that is not
 * asked over HTTP, is the service's fault.
 */
export function linkAddress(href: string, from: string, what: string, context: TransferContext): string {
  const url = URL.canParse(href, from) ? new URL(href, from) : null;
  if (url !== null && /^https?:$/.test(url.protocol)) return url.toString();
  throw failure(
    'source-link',
    { what, url: from },
    context,
    `it holds a link that is no address that can be asked: “${href.slice(0, 80)}”.`,
    'The service is broken: ask its makers.',
  );
}

/** The last part of an address, as a name. */
export function lastPart(address: string): string {
  return percentDecoded(new URL(address).pathname.split('/').filter(Boolean).pop() ?? '');
}
