import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { percentEncoded } from '../../core/percent-encoding.ts';
import { sourceFromBytes } from '../../formats/bytes/byte-source.ts';
import { Arrivals, gapFindings, isShort } from '../completeness.ts';
import { type PageIds, xmlPageIds } from '../feature-ids.ts';
import { gatheredIn, type KeptFile, keepBytes } from '../gathered.ts';
import type { Landing } from '../ogc-api.ts';
import { termsIn } from '../ogc-api.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { folderOf, pathPart } from '../places.ts';
import type { Receipt } from '../receipt.ts';
import { ask, askFor, jsonOf } from '../transfer/ask.ts';
import type { Request, TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { headerLinks, linkAddress, linkTo } from '../transfer/links.ts';
import { type FileRequest, type Transfer, transfer } from '../transfer/transfer.ts';
import { readPage } from './page.ts';
import { givesGeoJson, givesGml, itemsQuery } from './query.ts';
import { type Collection, openCollection, openService } from './service.ts';

/** Most pages of one collection; a service that goes on beyond that is taken to run in circles. */
const mostPages = 100_000;

type Encoding = 'geojson' | 'gml';
const accepts: Record<Encoding, string> = {
  geojson: 'application/geo+json',
  gml: 'application/gml+xml;version=3.2, application/gml+xml',
};

const whatOf = (order: Order) => `${order.source}/${order.wanted.collection ?? order.name}`;

function licenceOf(order: Order, collection: Collection): string | undefined {
  const link = linkTo(collection.links, 'license');
  return order.licence ?? link?.title ?? link?.href;
}

/** `<http://…>` of a Content-Crs header, without its brackets. */
const contentCrs = (headers: Headers) => /^<(.*)>$/.exec(headers.get('content-crs')?.trim() ?? '')?.[1];

interface Walk {
  /** True when a page of an earlier run was part of a walk that led nowhere. */
  reused: boolean;
  /** Addresses of the pages that came, in this walk. */
  seen: Set<string>;
  arrivals: Arrivals;
  order: Order;
  encoding: Encoding;
  crs: string | undefined;
  licence: string | undefined;
  citation: string | undefined;
}

function pageRequest(walk: Walk, url: string, file: string, context: TransferContext): FileRequest {
  const { order, encoding } = walk;
  const what = whatOf(order);
  return {
    what,
    datasets: [order.name],
    url,
    path: `${folderOf(order)}/${file}.${encoding}`,
    accept: accepts[encoding],
    licence: walk.licence,
    citation: walk.citation,
    async check(stored, headers): Promise<Partial<Receipt>> {
      const fromHeader = linkTo(headerLinks(headers.get('link')), 'next')?.href;
      const crs = contentCrs(headers) ?? walk.crs;
      const sent = { what, url };
      if (encoding === 'gml') {
        const page = xmlPageIds(await stored.bytes(0, stored.size));
        walk.arrivals.know(stored.name, { ...page, next: fromHeader });
        judgeNext(fromHeader, walk, sent, context);
        const matched = Number(headers.get('ogc-numbermatched') ?? Number.NaN);
        return {
          next: fromHeader,
          features: page.features,
          matched: Number.isInteger(matched) ? matched : undefined,
          crs,
        };
      }
      const page = await readPage(stored, sent, context);
      const { meter } = context;
      meter.features += page.features;
      if (page.matched !== undefined) meter.totalFeatures = Math.max(page.matched, meter.features);
      context.progress();
      const next = page.next ?? fromHeader;
      walk.arrivals.know(stored.name, { features: page.features, ids: page.ids, next });
      judgeNext(next, walk, sent, context);
      return { next, features: page.features, matched: page.matched, crs };
    },
  };
}

function circle(words: string, sent: Pick<Request, 'what' | 'url'>, context: TransferContext): IsomericError {
  return failure(
    'source-loop',
    sent,
    context,
    `the pages lead in a circle (${words}).`,
    'The service is broken: ask its makers.',
  );
}

/** A page whose link leads back or nowhere does not count as received: it would stop every later run. */
function judgeNext(
  next: string | undefined,
  { seen }: Walk,
  sent: Pick<Request, 'what' | 'url'>,
  context: TransferContext,
): string | undefined {
  if (next === undefined) return undefined;
  const url = linkAddress(next, sent.url, sent.what, context);
  if (seen.has(url)) throw circle(`page ${grouped(seen.size + 1)} is one that came before`, sent, context);
  return url;
}

/** Follows the opaque `next` links from the first page to the end. */
async function pages(walk: Walk, first: string, context: TransferContext): Promise<Transfer[]> {
  const got: Transfer[] = [];
  const contents = new Set<string>();
  const what = whatOf(walk.order);
  walk.seen = new Set();
  let url: string | undefined = first;
  try {
    for (let page = 1; url !== undefined; page++) {
      const sent = { what, url };
      if (page > mostPages) throw circle(`page ${grouped(page)} is one too many`, sent, context);
      walk.seen.add(url);
      const file = `page-${String(page).padStart(4, '0')}`;
      const one: Transfer = await transfer(
        { ...pageRequest(walk, url, file, context), linked: page > 1 },
        context,
      );
      const { receipt } = one;
      got.push(one);
      // A circle of addresses that look new each time shows in what they bring.
      if (receipt.features !== 0 && contents.has(receipt.sha256))
        throw circle(`page ${grouped(page)} brings what came before`, sent, context);
      contents.add(receipt.sha256);
      if (!walk.arrivals.add(await arrived(walk, receipt, context)))
        throw circle(`every feature of page ${grouped(page)} came before`, sent, context);
      url = judgeNext(walk.arrivals.known(receipt.path)?.next ?? receipt.next, walk, sent, context);
    }
  } catch (error) {
    if (isWrongWay(error)) {
      walk.reused = got.some((one) => one.unchanged);
      for (const { receipt } of got) await context.store.remove(receipt.path);
    }
    throw error;
  }
  return got;
}

/** The service led in a circle or nowhere: what it sent on the way is of no use to a later run. */
const isWrongWay = (error: unknown) =>
  error instanceof IsomericError && ['source-loop', 'source-link'].includes(error.code);

/** The features of a page that is in the store, from its check or by reading it again. */
async function arrived(walk: Walk, { path }: Receipt, context: TransferContext): Promise<PageIds> {
  const known = walk.arrivals.known(path);
  if (known !== undefined) return known;
  const file = (await context.store.open(path))!;
  if (walk.encoding === 'gml') return xmlPageIds(await file.bytes(0, file.size));
  return readPage(file, { what: whatOf(walk.order), url: path }, context);
}

/** Features by their ids, a file each. */
async function byIds(
  walk: Walk,
  items: string,
  crs: string | undefined,
  context: TransferContext,
): Promise<Transfer[]> {
  const got: Transfer[] = [];
  for (const id of walk.order.wanted.ids!) {
    const url = new URL(items);
    url.pathname = `${url.pathname.replace(/\/$/, '')}/${percentEncoded(id)}`;
    if (crs !== undefined) url.searchParams.set('crs', crs);
    const request = pageRequest(walk, url.toString(), `feature-${pathPart(id)}`, context);
    got.push(await transfer({ ...request, missing: `There is no feature with the id “${id}”.` }, context));
  }
  return got;
}

async function gather(order: Order, context: TransferContext): Promise<Gathered> {
  const service = await openService(order, context);
  const found = await openCollection(order, service, context);
  const query = await itemsQuery(order, service, found, context);
  const encoding: Encoding = !givesGeoJson(service) && givesGml(service) ? 'gml' : 'geojson';
  const walk: Walk = {
    arrivals: new Arrivals(),
    seen: new Set(),
    reused: false,
    order,
    encoding,
    crs: query.crs,
    licence: licenceOf(order, found.collection),
    citation: order.citation ?? found.collection.attribution,
  };
  if (query.filter !== undefined)
    context.note(`${order.name}: the service is asked for features where ${query.filter}.`);
  if (query.here !== undefined)
    context.note(`${order.name}: ${query.here}; the condition is applied here, to all that comes.`);
  const walkAll = () =>
    order.wanted.ids === undefined
      ? pages(walk, query.url, context)
      : byIds(walk, found.items, query.crs, context);
  const anew = () => {
    context.anew = true;
    context.continuing = new Set();
    context.meter.features = 0;
    walk.arrivals = new Arrivals();
    return walkAll();
  };
  let got: Transfer[];
  try {
    got = await walkAll();
  } catch (error) {
    // Addresses of pages live for a while only: where those of a broken-off run are dead, it begins at the first page.
    const dead = error instanceof IsomericError && ['source-missing', 'source-refused'].includes(error.code);
    const stale = isWrongWay(error) && walk.reused;
    if (!stale && (!dead || context.continuing.size === 0)) throw error;
    context.note(
      `${order.name}: the pages of ${stale ? 'an earlier run' : 'the run that was broken off'} are not valid any more; it begins anew.`,
    );
    got = await anew();
  }
  if (order.wanted.ids !== undefined) return gatheredIn(folderOf(order), order, got, context);
  const announced = () => got.findLast(({ receipt }) => receipt.matched !== undefined)?.receipt.matched;
  if (isShort(walk.arrivals, announced())) {
    context.note(
      `${order.name}: not all came that were announced, or some came twice; it is asked once more.`,
    );
    got = await anew();
  }
  const sent = { what: whatOf(order), url: query.url };
  const findings = gapFindings(order.name, walk.arrivals, announced(), sent, context);
  const beside =
    walk.arrivals.features === 0 ? await keepSchema(order, query.url, found, service, context) : [];
  return {
    ...(await gatheredIn(folderOf(order), order, got, context, beside)),
    findings: new Map([[order.name, findings]]),
  };
}

/**
 * What an answer without features would have held: the properties that the collection can be asked about, and a few
 * features of it from anywhere. They stand beside the answer, so that the steps of a study find their fields.
 */
async function keepSchema(
  order: Order,
  url: string,
  { collection, own }: Awaited<ReturnType<typeof openCollection>>,
  service: Landing,
  context: TransferContext,
): Promise<Transfer[]> {
  const kept: Transfer[] = [];
  const keep = async (name: string, address: string, accept: string) => {
    const request: Request = { what: whatOf(order), url: address, accept };
    try {
      const { bytes } = await ask(request, context);
      const file: KeptFile = {
        what: `${whatOf(order)}, schema`,
        datasets: [order.name],
        role: 'structure',
        path: `${folderOf(order)}/${name}`,
        from: context.credentials.shown(address),
      };
      kept.push(await keepBytes(file, sourceFromBytes(bytes).stream(), context));
    } catch (error) {
      // It is asked for as a help only.
      if (!(error instanceof IsomericError)) throw error;
    }
  };
  const anywhere = new URL(url);
  for (const name of ['bbox', 'bbox-crs', 'filter', 'filter-lang', 'crs']) anywhere.searchParams.delete(name);
  anywhere.searchParams.set('limit', '10');
  if (givesGeoJson(service)) await keep('sample.geojson', anywhere.toString(), accepts.geojson);
  const queryables = linkTo(collection.links, 'queryables')?.href;
  if (queryables !== undefined)
    await keep(
      'schema.json',
      linkAddress(queryables, own, whatOf(order), context),
      'application/schema+json',
    );
  return kept;
}

/** One small page, for what it says of the whole. */
async function sample(url: string, order: Order, context: TransferContext) {
  const address = new URL(url);
  address.searchParams.set('limit', '10');
  const request: Request = { what: whatOf(order), url: address.toString(), accept: accepts.geojson };
  const { length, page } = await askFor(request, context, (answer) => ({
    length: answer.bytes.length,
    page: jsonOf(answer, request, context) as { numberMatched?: unknown; features?: unknown },
  }));
  return {
    matched: typeof page.numberMatched === 'number' ? page.numberMatched : undefined,
    features: Array.isArray(page.features) ? page.features.length : 0,
    bytes: length,
  };
}

/** OGC API – Features, parts 1, 2 and 3 (OGC 17-069r4, 18-058r1, 19-079r2): landing page → collections → items. */
export const featuresProtocol: Protocol = {
  kind: 'features',
  together: (order) => order.name,
  gather: ([order], context) => gather(order, context),
  terms: async (order, context) => termsIn(await openService(order, context), order, context),
  async estimate([order], context) {
    const service = await openService(order, context);
    const found = await openCollection(order, service, context);
    const query = await itemsQuery(order, service, found, context);
    const notes: string[] = [];
    if (query.here !== undefined) notes.push(`${query.here}: its condition is applied after the download.`);
    if (!givesGeoJson(service)) {
      notes.push('The service gives GML only, which does not tell sizes beforehand.');
      return { notes };
    }
    const { ids } = order.wanted;
    const one = await sample(query.url, order, context);
    const features = ids?.length ?? one.matched;
    if (features === undefined) notes.push('The service does not say how many features there are.');
    let featuresInAll: number | undefined;
    if (order.box !== undefined && ids === undefined) {
      const all = new URL(query.url);
      for (const name of ['bbox', 'bbox-crs', 'filter', 'filter-lang']) all.searchParams.delete(name);
      featuresInAll = (await sample(all.toString(), order, context)).matched;
    }
    return {
      features,
      featuresInAll,
      bytes:
        features === undefined || one.features === 0
          ? undefined
          : Math.round((one.bytes / one.features) * features),
      notes,
    };
  },
};
