import * as z from 'zod';
import { IsomericError } from '../core/errors.ts';
import { type Order, type TermsLink, withSlash } from './order.ts';
import { askJson } from './transfer/ask.ts';
import type { TransferContext } from './transfer/context.ts';
import { failure } from './transfer/failures.ts';
import { type Link, linkAddress, linkShape, linkTo } from './transfer/links.ts';

/** What the services of the OGC API family have in common (OGC 19-072). */
const landing = z.object({ links: z.array(linkShape).default([]) });
const conformance = z.object({ conformsTo: z.array(z.string()) });

/** A standard of the family: `Features`, and its part of the addresses of conformance classes. */
export interface OgcStandard {
  name: string;
  core: RegExp;
}

export const ogcFeatures: OgcStandard = {
  name: 'OGC API – Features',
  core: /ogcapi-features-1\/[\d.]+\/conf\/core$/,
};
export const ogcProcesses: OgcStandard = {
  name: 'OGC API – Processes',
  core: /ogcapi-processes-1\/[\d.]+\/conf\/core$/,
};

/** Asks for a document that must have the shape that the standard prescribes. */
export async function askShaped<T>(
  shape: z.ZodType<T>,
  standard: OgcStandard,
  what: string,
  url: string,
  context: TransferContext,
  accept?: string,
): Promise<T> {
  const result = shape.safeParse(await askJson(what, url, context, accept));
  if (result.success) return result.data;
  throw failure(
    'source-garbled',
    { what, url },
    context,
    `the answer is not what ${standard.name} prescribes (${z.prettifyError(result.error).split('\n')[0]}).`,
    'Is the address that of the landing page?',
  );
}

export interface Landing {
  address: string;
  links: readonly Link[];
  conformsTo: readonly string[];
  /** Address that a relation leads to, or the usual one. */
  follow(rel: string, usual: string): string;
}

/** Landing page and conformance; a service that does not conform to the core of the standard is refused. */
export async function openLanding(
  order: Order,
  standard: OgcStandard,
  context: TransferContext,
): Promise<Landing> {
  const address = withSlash(order.address);
  const { source } = order;
  const { links } = await askShaped(landing, standard, source, address, context);
  const follow = (rel: string, usual: string) =>
    linkAddress(linkTo(links, rel)?.href ?? usual, address, source, context);
  const told = follow('conformance', 'conformance');
  const { conformsTo } = await askShaped(conformance, standard, source, told, context);
  if (!conformsTo.some((each) => standard.core.test(each)))
    throw new IsomericError(
      'source-unsupported',
      `${source}: the service does not conform to ${standard.name}, part 1.`,
      { place: { file: context.credentials.shown(address) } },
    );
  return { address, links, conformsTo, follow };
}

/** Terms of use that the landing page links to. */
export function termsIn(
  { links, address }: Landing,
  order: Order,
  context: TransferContext,
): TermsLink | null {
  const terms = linkTo(links, 'terms-of-service');
  if (terms === undefined) return null;
  return { url: linkAddress(terms.href, address, order.source, context), title: terms.title };
}
