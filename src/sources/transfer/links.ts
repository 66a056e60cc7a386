import { z } from 'zod';

export const link = z.object({
  rel: z.string(),
  href: z.string(),
  type: z.string().optional(),
  title: z.string().optional(),
});
export type Link = z.output<typeof link>;

/** Links in a Link header (RFC 8288, section 3). */
export function headerLinks(header: string | null): Link[] {
  if (header === null) return [];
  const links: Link[] = [];
  for (const [, href, parameters] of header.matchAll(
    /<([^>]*)>((?:\s*;\s*[^\s=;,]+=(?:"[^"]*"|[^\s;,"]*))*)/g,
  )) {
    const found: Record<string, string> = {};
    for (const [, name, quoted, bare] of parameters.matchAll(/;\s*([^\s=;,]+)=(?:"([^"]*)"|([^\s;,"]*))/g))
      found[name.toLowerCase()] = quoted ?? bare;
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
