import { grouped } from '../../core/account.ts';
import { plainBoxes } from '../../core/crs/area-extent.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { suggest } from '../../core/nearest.ts';
import { sourceFromBytes } from '../../formats/bytes/byte-source.ts';
import { readSrsName } from '../../formats/gml/srs.ts';
import { localName } from '../../formats/xml/read-xml.ts';
import { xmlText } from '../../formats/xml/write-xml.ts';
import { Arrivals, gapFindings, isShort } from '../completeness.ts';
import { type PageIds, xmlPageIds } from '../feature-ids.ts';
import { boxText } from '../features/query.ts';
import { gatheredIn, type KeptFile, keepBytes } from '../gathered.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { folderOf } from '../places.ts';
import { fieldsOf, sendablePart } from '../pushdown.ts';
import type { Receipt } from '../receipt.ts';
import { ask } from '../transfer/ask.ts';
import type { Request, TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { linkAddress } from '../transfer/links.ts';
import { type FileRequest, type Transfer, transfer } from '../transfer/transfer.ts';
import { readCollectionHead } from './answer.ts';
import { filterXml } from './fes.ts';
import {
  describeType,
  type FeatureProperties,
  type FeatureType,
  featureTypeOf,
  namespaceParameter,
  openWfs,
  type WfsService,
  withParameters,
} from './service.ts';

const mostPages = 100_000;
/** Longest address that every server takes; what is longer is sent by POST. */
const longestAddress = 1800;

/** The question as it is asked, page by page. */
interface Query {
  service: WfsService;
  type: FeatureType;
  srsName: string | undefined;
  /** One box, or two where the area crosses the antimeridian. */
  box: { boxes: readonly Box[]; exchanged: boolean; srsName: string } | undefined;
  filter: string | null;
  /** Property that holds the geometry. */
  geometry: string | undefined;
  pageSize: number | undefined;
}

function srsNameOf(order: Order, type: FeatureType): string | undefined {
  const wanted = order.wanted.inCrs;
  if (wanted === undefined) return type.defaultCrs;
  const { code } = crsFromText(wanted);
  const known = [type.defaultCrs, ...type.otherCrs].filter((each) => each !== undefined);
  const found = known.find((each) => code !== undefined && safeCode(each) === code);
  if (found !== undefined) return found;
  throw new IsomericError('crs-not-offered', `${order.source} does not give ${order.name} in ${wanted}.`, {
    wrong: wanted,
    advice: suggest(
      wanted,
      known.map((each) => safeCode(each) ?? each),
    ),
    blame: 'usage',
  });
}

/** EPSG code behind a srsName; undefined for what is not known here. */
function safeCode(srsName: string): string | undefined {
  try {
    return readSrsName(srsName).crs?.code;
  } catch {
    return undefined;
  }
}

/** The area's box in the CRS of the answer where there is a way to it, else in latitudes and longitudes. */
function boxOf(order: Order, srsName: string | undefined): Query['box'] {
  if (order.box === undefined) return undefined;
  if (srsName !== undefined && safeCode(srsName) !== undefined) {
    const { crs, exchanged } = readSrsName(srsName);
    const box = crs === null ? undefined : order.boxIn?.(crs);
    if (box !== undefined) return { boxes: [box], exchanged, srsName };
  }
  const degrees = 'urn:ogc:def:crs:EPSG::4326';
  return { boxes: plainBoxes(order.box), exchanged: true, srsName: degrees };
}

async function queryOf(
  order: Order,
  service: WfsService,
  type: FeatureType,
  properties: FeatureProperties,
  context: TransferContext,
): Promise<Query> {
  const { wanted } = order;
  const srsName = srsNameOf(order, type);
  let box = wanted.ids === undefined ? boxOf(order, srsName) : undefined;
  let condition = null;
  if (wanted.where !== undefined && wanted.ids === undefined) {
    condition = sendablePart(wanted.where, properties.queryables, { advanced: true });
    const unknown = fieldsOf(wanted.where).filter((name) => !properties.queryables.has(name));
    if (condition !== null)
      context.note(
        `${order.name}: the service is asked with the condition “${wanted.where}”${unknown.length > 0 ? ', as far as it can' : ''}.`,
      );
    else
      context.note(
        `${order.name}: ${unknown.length > 0 ? `the service has no ${unknown.join(', ')}` : 'the service does not know such a condition'}; it is applied here, to all that comes.`,
      );
  }
  let filter: string | null = null;
  if (wanted.ids !== undefined) filter = filterXml(service.version, { ids: wanted.ids });
  else if (condition !== null || (box !== undefined && box.boxes.length > 1)) {
    // BBOX and FILTER exclude each other as parameters: the box goes into the filter.
    if (box !== undefined && (properties.geometry !== undefined || service.version === '2.0.0')) {
      filter = filterXml(service.version, { condition, box: { ...box, property: properties.geometry } });
      box = undefined;
    } else filter = filterXml(service.version, { condition });
  }
  return {
    service,
    type,
    srsName,
    box,
    filter,
    geometry: properties.geometry,
    pageSize: wanted.pageSize ?? service.countDefault,
  };
}

function parametersOf(query: Query, start: number, hits: boolean): Record<string, string> {
  const { service, type } = query;
  const two = service.version === '2.0.0';
  const parameters: Record<string, string> = {
    SERVICE: 'WFS',
    VERSION: service.version,
    REQUEST: 'GetFeature',
    [two ? 'TYPENAMES' : 'TYPENAME']: type.name,
    ...namespaceParameter(service.version, type),
  };
  if (query.srsName !== undefined) parameters.SRSNAME = query.srsName;
  if (query.filter !== null) parameters.FILTER = query.filter;
  else if (query.box !== undefined)
    parameters.BBOX = `${boxText(query.box.boxes[0], query.box.exchanged)},${query.box.srsName}`;
  if (hits) parameters.RESULTTYPE = 'hits';
  else if (two && service.pages && query.pageSize !== undefined) {
    parameters.COUNT = String(query.pageSize);
    parameters.STARTINDEX = String(start);
  }
  return parameters;
}

/** GetFeature as a document, for services without GET and for questions that are too long for an address. */
function documentOf(query: Query, start: number, hits: boolean): string {
  const { service, type } = query;
  const two = service.version === '2.0.0';
  const prefix = type.name.includes(':') ? type.name.slice(0, type.name.indexOf(':')) : '';
  const own =
    type.namespace === undefined || prefix === '' ? '' : ` xmlns:${prefix}="${xmlText(type.namespace)}"`;
  const paging =
    !hits && two && service.pages && query.pageSize !== undefined
      ? ` count="${query.pageSize}" startIndex="${start}"`
      : '';
  const srs = query.srsName === undefined ? '' : ` srsName="${xmlText(query.srsName)}"`;
  const namespace = two ? 'http://www.opengis.net/wfs/2.0' : 'http://www.opengis.net/wfs';
  // A document has no BBOX beside its filter.
  const { box, geometry } = query;
  const filter =
    query.filter ??
    (box === undefined ? null : filterXml(service.version, { box: { ...box, property: geometry } }));
  return `<?xml version="1.0" encoding="UTF-8"?>
<wfs:GetFeature service="WFS" version="${service.version}" xmlns:wfs="${namespace}"${own}${hits ? ' resultType="hits"' : ''}${paging}>
  <wfs:Query ${two ? 'typeNames' : 'typeName'}="${xmlText(type.name)}"${srs}>${filter ?? ''}</wfs:Query>
</wfs:GetFeature>
`;
}

function askFor(
  query: Query,
  order: Order,
  start: number,
  hits: boolean,
): Pick<Request, 'url' | 'method' | 'body' | 'what'> {
  const what = `${order.source}/${localName(query.type.name)}`;
  const { get, post } = query.service.getFeature;
  const url = withParameters(get ?? order.address, parametersOf(query, start, hits));
  if (post === undefined || (get !== undefined && url.length <= longestAddress)) return { what, url };
  return {
    what,
    url: post,
    method: 'POST',
    body: { type: 'application/xml', text: documentOf(query, start, hits) },
  };
}

async function gather(order: Order, context: TransferContext): Promise<Gathered> {
  const service = await openWfs(order, context);
  const type = featureTypeOf(order, service, context.credentials.shown(order.address));
  const properties = await describeType(order, service, type, context);
  const query = await queryOf(order, service, type, properties, context);
  const folder = folderOf(order);
  const { wanted } = order;
  const licence = order.licence ?? service.licence;
  const citation =
    order.citation ??
    (service.provider === undefined ? undefined : `${service.provider}: ${type.title ?? type.name}.`);
  let arrivals = new Arrivals();
  const request = (page: number, sent: ReturnType<typeof askFor>): FileRequest => ({
    ...sent,
    datasets: [order.name],
    path: `${folder}/page-${String(page).padStart(4, '0')}.gml`,
    accept: service.version === '2.0.0' ? 'application/gml+xml; version=3.2, text/xml' : 'text/xml',
    licence,
    citation,
    async check(file): Promise<Partial<Receipt>> {
      const head = await readCollectionHead(file, sent, context);
      const found = xmlPageIds(await file.bytes(0, file.size));
      arrivals.know(file.name, { ...found, next: head.next });
      const { meter } = context;
      meter.features += found.features;
      if (head.matched !== undefined) meter.totalFeatures = Math.max(head.matched, meter.features);
      context.progress();
      if (head.next !== undefined) linkAddress(head.next, sent.url, sent.what, context);
      // Without features, no coordinates say which CRS they would be in.
      const crs = found.features === 0 ? query.srsName : undefined;
      return { next: head.next, features: found.features, matched: head.matched, crs };
    },
  });
  const beside = await keepSchema(order, properties, folder, context);
  const first = askFor(query, order, 0, false);
  const walk = async (): Promise<Transfer[]> => {
    const got: Transfer[] = [];
    const seen = new Set<string>();
    let start = 0;
    let ownWay = false;
    let sent: ReturnType<typeof askFor> | undefined = first;
    for (let page = 1; sent !== undefined; page++) {
      const asked: ReturnType<typeof askFor> = sent;
      const circle = (words: string): IsomericError =>
        failure(
          'source-loop',
          asked,
          context,
          `the pages lead in a circle (page ${grouped(page)} ${words}).`,
          'The service is broken: ask its makers.',
        );
      const mark = `${asked.url} ${asked.body?.text ?? ''}`;
      if (seen.has(mark) || page > mostPages) throw circle('is one that came before');
      seen.add(mark);
      const one: Transfer = await transfer({ ...request(page, asked), linked: page > 1 && !ownWay }, context);
      const { receipt } = one;
      const fresh = arrivals.add(arrivals.known(receipt.path) ?? (await idsIn(receipt, context)));
      if (!fresh && ownWay) {
        // Asked on without being told where: whether something is missing is seen by the numbers.
        arrivals.take(receipt.features ?? 0);
        await context.store.remove(receipt.path);
        break;
      }
      if (!fresh) throw circle('brings what came before');
      got.push(one);
      const features = receipt.features ?? 0;
      start += features;
      const next = arrivals.known(receipt.path)?.next ?? receipt.next;
      if (next !== undefined)
        [sent, ownWay] = [
          { what: asked.what, url: linkAddress(next, asked.url, asked.what, context) },
          false,
        ];
      else if (asksOn(query, features, start, receipt.matched)) {
        // A service that has a largest page of its own shows it by its first.
        [sent, ownWay] = [
          askFor({ ...query, pageSize: query.pageSize ?? features }, order, start, false),
          true,
        ];
      } else sent = undefined;
    }
    return got;
  };
  const walkAll = async () => {
    try {
      return await walk();
    } catch (error) {
      // What a service that led in a circle or nowhere sent on the way is of no use to a later run.
      if (error instanceof IsomericError && ['source-loop', 'source-link'].includes(error.code))
        for (const path of await context.store.list(folder))
          if (path !== beside.receipt.path) await context.store.remove(path);
      throw error;
    }
  };
  let got = await walkAll();
  if (wanted.ids !== undefined) return gatheredIn(folder, order, got, context, [beside]);
  // Without a number in the pages, the service is asked for it; one that does not know it, does not.
  const counted = got.some(({ receipt }) => receipt.matched !== undefined)
    ? undefined
    : await hits(query, order, context).catch(() => undefined);
  const announced = () =>
    got.findLast(({ receipt }) => receipt.matched !== undefined)?.receipt.matched ?? counted;
  if (isShort(arrivals, announced())) {
    context.note(
      `${order.name}: not all came that were announced, or some came twice; it is asked once more.`,
    );
    context.anew = true;
    context.continuing = new Set();
    context.meter.features = 0;
    arrivals = new Arrivals();
    got = await walkAll();
  }
  const findings = gapFindings(order.name, arrivals, announced(), first, context);
  const gathered = await gatheredIn(folder, order, got, context, [beside]);
  return { ...gathered, findings: new Map([[order.name, findings]]) };
}

/** The features of a page that is in the store. */
async function idsIn({ path }: Receipt, context: TransferContext): Promise<PageIds> {
  const file = (await context.store.open(path))!;
  return xmlPageIds(await file.bytes(0, file.size));
}

/** Some services page without saying where the next page is: then a full page, or one short of all, means ask on. */
function asksOn({ service, pageSize }: Query, features: number, start: number, matched?: number): boolean {
  if (!service.pages || features === 0) return false;
  return matched === undefined ? pageSize !== undefined && features >= pageSize : start < matched;
}

/** The schema of the feature type stands beside the pages: codes stay text, and fields have their types. */
function keepSchema(
  order: Order,
  properties: FeatureProperties,
  folder: string,
  context: TransferContext,
): Promise<Transfer> {
  const file: KeptFile = {
    what: `${order.source}/${order.wanted.collection ?? order.name}, schema`,
    datasets: [order.name],
    role: 'structure',
    path: `${folder}/schema.xsd`,
    from: context.credentials.shown(properties.url),
  };
  return keepBytes(file, sourceFromBytes(properties.schema).stream(), context);
}

async function hits(query: Query, order: Order, context: TransferContext): Promise<number | undefined> {
  const sent = { ...askFor(query, order, 0, true), accept: 'text/xml' };
  const answer = await ask(sent, context);
  const head = await readCollectionHead(sourceFromBytes(answer.bytes), sent, context);
  return query.service.version === '2.0.0' ? head.matched : head.returned;
}

/** Web Feature Service 2.0 (OGC 09-025r2), and 1.1 (OGC 04-094) where that is all there is. */
export const wfsProtocol: Protocol = {
  kind: 'wfs',
  together: (order) => order.name,
  gather: ([order], context) => gather(order, context),
  async estimate([order], context) {
    const service = await openWfs(order, context);
    const type = featureTypeOf(order, service, context.credentials.shown(order.address));
    const properties = await describeType(order, service, type, context);
    const query = await queryOf(order, service, type, properties, context);
    const features = order.wanted.ids?.length ?? (await hits(query, order, context));
    const featuresInAll =
      order.box === undefined || order.wanted.ids !== undefined
        ? undefined
        : await hits({ ...query, box: undefined, filter: null }, order, context);
    const requests =
      features === undefined || query.pageSize === undefined
        ? 1
        : Math.max(1, Math.ceil(features / query.pageSize));
    return {
      features,
      featuresInAll,
      requests,
      notes: features === undefined ? ['The service does not say how many features there are.'] : [],
    };
  },
};
