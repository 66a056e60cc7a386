import { z } from 'zod';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { type Order, withSlash } from '../order.ts';
import type { Queryables } from '../pushdown.ts';
import { askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { type Link, link, linkTo } from '../transfer/links.ts';

const landing = z.object({ links: z.array(link) });
const conformance = z.object({ conformsTo: z.array(z.string()) });
const collection = z.object({
  id: z.string(),
  title: z.string().optional(),
  attribution: z.string().optional(),
  links: z.array(link).default([]),
  crs: z.array(z.string()).default([]),
  storageCrs: z.string().optional(),
});
const collections = z.object({
  collections: z.array(z.object({ id: z.string() })),
  crs: z.array(z.string()).default([]),
});
const queryable = z.object({
  type: z.union([z.string(), z.array(z.string())]).optional(),
  format: z.string().optional(),
  $ref: z.string().optional(),
});
const queryablesSchema = z.object({ properties: z.record(z.string(), queryable).default({}) });

export type Collection = z.output<typeof collection>;

function parsed<T>(
  schema: z.ZodType<T>,
  value: unknown,
  what: string,
  url: string,
  context: TransferContext,
): T {
  const result = schema.safeParse(value);
  if (result.success) return result.data;
  throw failure(
    'source-garbled',
    { what, url },
    context,
    `the answer is not what OGC API – Features prescribes (${z.prettifyError(result.error).split('\n')[0]}).`,
    'Is the address that of the landing page?',
  );
}

/** A service of OGC API – Features as it describes itself. */
export interface FeatureService {
  address: string;
  links: readonly Link[];
  conformsTo: readonly string[];
  /** Address of the list of collections. */
  list: string;
}

/** Landing page and conformance; a service that does not conform to part 1 is refused. */
export async function openService(order: Order, context: TransferContext): Promise<FeatureService> {
  const address = withSlash(order.address);
  const { source } = order;
  const home = parsed(landing, await askJson(source, address, context), source, address, context);
  const follow = (rel: string, fallback: string) =>
    new URL(linkTo(home.links, rel)?.href ?? fallback, address).toString();
  const told = follow('conformance', 'conformance');
  const { conformsTo } = parsed(conformance, await askJson(source, told, context), source, told, context);
  if (!conformsTo.some((each) => /ogcapi-features-1\/[\d.]+\/conf\/core$/.test(each))) {
    throw new IsomericError(
      'source-unsupported',
      `${source}: the service does not conform to OGC API – Features, part 1.`,
      { place: { file: context.credentials.shown(address) } },
    );
  }
  return { address, links: home.links, conformsTo, list: follow('data', 'collections') };
}

/** The collection that an order means: that of its vintage where there is one, else the one of its name. */
export async function openCollection(
  order: Order,
  service: FeatureService,
  context: TransferContext,
): Promise<{ collection: Collection; items: string; own: string }> {
  const what = `${order.source}/${order.wanted.collection ?? order.name}`;
  const { list } = service;
  const known = parsed(collections, await askJson(order.source, list, context), what, list, context);
  const wanted = order.wanted.collection ?? order.name;
  const dated = order.vintage === undefined ? [wanted] : [`${wanted}-${order.vintage}`, wanted];
  const ids = known.collections.map((each) => each.id);
  const id = dated.find((name) => ids.includes(name));
  if (id === undefined) {
    throw new IsomericError('collection-unknown', `${order.source} has no collection “${wanted}”.`, {
      place: { file: context.credentials.shown(list) },
      advice: suggest(wanted, ids),
      blame: 'usage',
    });
  }
  const own = `${list.replace(/[?#].*$/, '').replace(/\/$/, '')}/${encodeURIComponent(id)}`;
  const described = parsed(collection, await askJson(what, own, context), what, own, context);
  // “#/crs” stands for the list that all collections share (OGC 18-058r1, clause 6.2).
  const crs = described.crs.flatMap((each) => (each === '#/crs' ? known.crs : [each]));
  const items = new URL(linkTo(described.links, 'items')?.href ?? `${own}/items`, own).toString();
  return { collection: { ...described, crs }, items, own };
}

/** Properties that the collection can be asked about (OGC 19-079r2, clause 6.2). */
export async function askQueryables(
  order: Order,
  own: string,
  links: readonly Link[],
  context: TransferContext,
): Promise<Queryables> {
  const what = `${order.source}/${order.wanted.collection ?? order.name}`;
  const url = new URL(linkTo(links, 'queryables')?.href ?? `${own}/queryables`, own).toString();
  const answer = await askJson(what, url, context, 'application/schema+json');
  const { properties } = parsed(queryablesSchema, answer, what, url, context);
  const kinds = new Map<string, 'text' | 'number' | 'boolean' | 'date' | 'other'>();
  for (const [name, told] of Object.entries(properties)) {
    const types = [told.type ?? []].flat().filter((type) => type !== 'null');
    const [type] = types;
    kinds.set(
      name,
      types.length !== 1
        ? 'other'
        : type === 'integer' || type === 'number'
          ? 'number'
          : type === 'boolean'
            ? 'boolean'
            : type === 'string'
              ? /^date/.test(told.format ?? '')
                ? 'date'
                : 'text'
              : 'other',
    );
  }
  return kinds;
}
