import { z } from 'zod';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import type { ByteSource } from '../../formats/byte-source.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import type { Receipt } from '../receipt.ts';
import { fetchJson, type TransferContext, transfer } from '../transfer.ts';

const link = z.object({
  rel: z.string(),
  href: z.string(),
  type: z.string().optional(),
  title: z.string().optional(),
});
const landing = z.object({ links: z.array(link) });
const conformance = z.object({ conformsTo: z.array(z.string()) });
const collections = z.object({ collections: z.array(z.object({ id: z.string() })) });
const collection = z.object({
  id: z.string(),
  title: z.string().optional(),
  attribution: z.string().optional(),
  links: z.array(link).default([]),
});

/** Most pages of one collection; a service that goes on beyond that is taken to run in circles. */
const mostPages = 100_000;

function parsed<T>(schema: z.ZodType<T>, value: unknown, what: string, url: string): T {
  const result = schema.safeParse(value);
  if (result.success) return result.data;
  throw new IsomericError(
    'source-garbled',
    `${what}: the answer is not what OGC API – Features prescribes (${z.prettifyError(result.error).split('\n')[0]}).`,
    { place: { file: url }, advice: 'Is the address that of the landing page?' },
  );
}

/** The `next` link of a page of features, read from its bytes without reading the features into objects twice. */
async function nextLink(source: ByteSource): Promise<string | undefined> {
  const text = new TextDecoder().decode(await source.bytes(0, source.size));
  let page: unknown;
  try {
    page = JSON.parse(text);
  } catch (error) {
    throw new IsomericError('source-garbled', 'A page of features is no JSON.', {
      place: { file: source.name },
      advice: 'Run again; if it stays so, ask the makers of the service.',
      cause: error,
    });
  }
  const result = z
    .object({ type: z.literal('FeatureCollection'), links: z.array(link).optional() })
    .safeParse(page);
  if (!result.success)
    throw new IsomericError('source-garbled', 'A page of features is no FeatureCollection.', {
      place: { file: source.name },
    });
  return result.data.links?.find((each) => each.rel === 'next')?.href;
}

/** OGC API – Features, part 1 (OGC 17-069r4): landing page → collections → items, along opaque `next` links. */
export const featuresProtocol: Protocol = {
  kind: 'features',
  async gather(order: Order, context: TransferContext): Promise<Gathered> {
    const what = `${order.source}/${order.collection ?? order.name}`;
    const address = order.address.endsWith('/') ? order.address : `${order.address}/`;
    const home = parsed(landing, await fetchJson(order.source, address, context), what, address);
    const follow = (rel: string, fallback: string) =>
      new URL(
        home.links.find((each) => each.rel === rel || each.rel.endsWith(`/${rel}`))?.href ?? fallback,
        address,
      ).toString();
    const classes = parsed(
      conformance,
      await fetchJson(order.source, follow('conformance', 'conformance'), context),
      what,
      address,
    );
    if (!classes.conformsTo.some((each) => each.endsWith('/conf/core'))) {
      throw new IsomericError(
        'source-unsupported',
        `${order.source}: the service does not conform to OGC API – Features, part 1.`,
        { place: { file: address } },
      );
    }
    const list = follow('data', 'collections');
    const known = parsed(collections, await fetchJson(order.source, list, context), what, list);
    const wanted = order.collection ?? order.name;
    const dated = order.vintage === undefined ? [wanted] : [`${wanted}-${order.vintage}`, wanted];
    const ids = known.collections.map((each) => each.id);
    const id = dated.find((name) => ids.includes(name));
    if (id === undefined) {
      throw new IsomericError('collection-unknown', `${order.source} has no collection “${wanted}”.`, {
        place: { file: list },
        advice: suggest(wanted, ids),
        blame: 'usage',
      });
    }
    const own = `${list.replace(/[?#].*$/, '').replace(/\/$/, '')}/${encodeURIComponent(id)}`;
    const told = parsed(collection, await fetchJson(what, own, context), what, own);
    const licence =
      order.licence ??
      told.links.find((each) => each.rel === 'license')?.title ??
      told.links.find((each) => each.rel === 'license')?.href;
    const items = new URL(told.links.find((each) => each.rel === 'items')?.href ?? `${own}/items`, own);
    if (order.box !== undefined)
      items.searchParams.set('bbox', order.box.map((v) => Number(v.toFixed(6))).join(','));
    if (order.pageSize !== undefined) items.searchParams.set('limit', String(order.pageSize));
    const folder = `gathered/${order.source}/${order.name}${order.vintage === undefined ? '' : `-${order.vintage}`}`;
    const receipts: Receipt[] = [];
    const seen = new Set<string>();
    let unchanged = 0;
    let url: string | undefined = items.toString();
    for (let page = 1; url !== undefined; page++) {
      if (seen.has(url) || page > mostPages) {
        throw new IsomericError(
          'source-loop',
          `${what}: the pages lead in a circle (page ${page} is one that came before).`,
          { place: { file: url }, advice: 'The service is broken: ask its makers.' },
        );
      }
      seen.add(url);
      const path = `${folder}/page-${String(page).padStart(4, '0')}.geojson`;
      const got = await transfer(
        {
          what,
          url,
          path,
          accept: 'application/geo+json',
          licence,
          citation: order.citation ?? told.attribution,
          notHtml: true,
        },
        context,
      );
      if (got.unchanged) unchanged++;
      const stored = await context.store.open(path);
      const next: string | undefined =
        got.unchanged && got.receipt.next !== undefined ? got.receipt.next : await nextLink(stored!);
      receipts.push({ ...got.receipt, next });
      url = next === undefined || next === '' ? undefined : new URL(next, url).toString();
    }
    // Pages of an earlier, longer answer would be read as if they still belonged to it.
    for (let page = receipts.length + 1; ; page++) {
      const path = `${folder}/page-${String(page).padStart(4, '0')}.geojson`;
      if ((await context.store.open(path)) === null) break;
      await context.store.remove(path);
    }
    return { receipts, unchanged };
  },
};
