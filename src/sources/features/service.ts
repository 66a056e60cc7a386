import * as z from 'zod';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { percentEncoded } from '../../core/percent-encoding.ts';
import { askShaped, type Landing, ogcFeatures, openLanding } from '../ogc-api.ts';
import type { Order } from '../order.ts';
import type { Queryables } from '../pushdown.ts';
import type { TransferContext } from '../transfer/context.ts';
import { type Link, linkAddress, linkShape, linkTo } from '../transfer/links.ts';

const collection = z.object({
  id: z.string(),
  title: z.string().optional(),
  attribution: z.string().optional(),
  links: z.array(linkShape).default([]),
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

/** A service of OGC API – Features as it describes itself. */
export const openService = (order: Order, context: TransferContext): Promise<Landing> =>
  openLanding(order, ogcFeatures, context);

/** The collection that an order means: that of its vintage where there is one, else the one of its name. */
export async function openCollection(
  order: Order,
  service: Landing,
  context: TransferContext,
): Promise<{ collection: Collection; items: string; own: string }> {
  const what = `${order.source}/${order.wanted.collection ?? order.name}`;
  const list = service.follow('data', 'collections');
  const known = await askShaped(collections, ogcFeatures, what, list, context);
  const wanted = order.wanted.collection ?? order.name;
  const dated = order.vintage === undefined ? [wanted] : [`${wanted}-${order.vintage}`, wanted];
  const ids = known.collections.map((each) => each.id);
  const id = dated.find((name) => ids.includes(name));
  if (id === undefined) {
    throw new IsomericError('collection-unknown', `${order.source} has no collection “${wanted}”.`, {
      place: { file: context.credentials.shown(list) },
      wrong: wanted,
      advice: suggest(wanted, ids),
      blame: 'usage',
    });
  }
  const own = `${list.replace(/[?#].*$/, '').replace(/\/$/, '')}/${percentEncoded(id)}`;
  const described = await askShaped(collection, ogcFeatures, what, own, context);
  // “#/crs” stands for the list that all collections share (OGC 18-058r1, clause 6.2).
  const crs = described.crs.flatMap((each) => (each === '#/crs' ? known.crs : [each]));
  const items = linkAddress(linkTo(described.links, 'items')?.href ?? `${own}/items`, own, what, context);
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
  const url = linkAddress(linkTo(links, 'queryables')?.href ?? `${own}/queryables`, own, what, context);
  const accept = 'application/schema+json';
  const { properties } = await askShaped(queryablesSchema, ogcFeatures, what, url, context, accept);
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
