import { IsomericError } from '../../core/errors.ts';
import { type Answer, ask, askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { linkAddress } from '../transfer/links.ts';
import { listIn, recordIn, recordsIn, textIn } from './shapes.ts';

/** A service that was recognised: its kind, and the address that its lister begins at. */
export interface Recognised {
  kind: string;
  at: string;
}

/** Standards by their parts of the addresses of conformance classes. */
const standards: readonly (readonly [kind: string, core: RegExp])[] = [
  [
    'records',
    /ogcapi-records-1\/[\d.]+\/conf\/(core|record-(core|api|collection)|crawlable-catalog|searchable-catalog)/,
  ],
  ['features', /ogcapi-features-1\/[\d.]+\/conf\/core$/],
  ['orders', /ogcapi-processes-1\/[\d.]+\/conf\/core$/],
];

/** Longer answers are files. */
const longest = 20_000_000;

/**
 * What kind of service answers at an address; null where it is none that is known, but a file or something else. Only its description
 * is asked for.
 */
export async function recognise(address: string, context: TransferContext): Promise<Recognised | null> {
  const what = new URL(address).hostname;
  const head = await answered(
    { what, url: address, method: 'HEAD', allow: [400, 404, 405, 406, 500, 501] },
    context,
  );
  const type = head?.headers.get('content-type') ?? '';
  const length = Number(head?.headers.get('content-length') ?? 0);
  if (length > longest || (type !== '' && !/json|xml|html|text/i.test(type))) return null;
  const answer = await answered(
    {
      what,
      url: address,
      accept: 'application/json, application/ld+json;q=0.9, application/xml;q=0.5',
      allow: [400, 404, 406, 500, 501],
      page: true,
    },
    context,
  );
  // What refuses says nothing of what it is.
  const text = answer === null || answer.status >= 400 ? '' : new TextDecoder().decode(answer.bytes);
  const found = /^\s*[[{]/.test(text) ? await ofJson(text, address, context) : ofXml(text, address);
  return found ?? (await byAsking(address, text, context));
}

/** An answer, whatever it says; null where none comes. */
async function answered(
  request: Parameters<typeof ask>[0],
  context: TransferContext,
): Promise<Answer | null> {
  try {
    return await ask(request, context);
  } catch (error) {
    if (error instanceof IsomericError) return null;
    throw error;
  }
}

async function ofJson(text: string, address: string, context: TransferContext): Promise<Recognised | null> {
  let document: unknown;
  try {
    document = JSON.parse(text);
  } catch {
    return null;
  }
  const own = recordIn(document) ?? recordIn(listIn(document)[0]);
  if (own === undefined) return null;
  if (own['@context'] !== undefined || own['@graph'] !== undefined)
    return /dcat|ns\/dcat#|Catalog/.test(text.slice(0, 200_000)) ? { kind: 'dcat', at: address } : null;
  if (own.class === 'collection') return { kind: 'json-stat', at: address };
  if (own.type === 'FeatureCollection') return ofFeatures(recordsIn(own.features).slice(0, 5), address);
  const links = recordsIn(own.links);
  if (Array.isArray(own.collections)) {
    const record = recordsIn(own.collections).some(({ itemType }) =>
      /record|catalog/i.test(textIn(itemType) ?? ''),
    );
    return { kind: record ? 'records' : 'features', at: address.replace(/collections\/?([?#].*)?$/, '') };
  }
  const conformance = links.find(({ rel }) => /(^|\/)conformance$/.test(textIn(rel) ?? ''));
  const told =
    listIn(own.conformsTo).length > 0
      ? own
      : conformance === undefined
        ? undefined
        : await conformanceAt(textIn(conformance.href) ?? '', address, context);
  const classes = listIn(told?.conformsTo).flatMap((each) => textIn(each) ?? []);
  for (const [kind, core] of standards)
    if (classes.some((each) => core.test(each.slice(0, 300)))) return { kind, at: address };
  if (/record|catalog/i.test(textIn(own.itemType) ?? '')) return { kind: 'records', at: address };
  if (links.some(({ rel }) => rel === 'child' || rel === 'enclosure'))
    return { kind: 'regions', at: address };
  return null;
}

async function conformanceAt(
  href: string,
  address: string,
  context: TransferContext,
): Promise<Record<string, unknown> | undefined> {
  try {
    return recordIn(
      await askJson(new URL(address).hostname, linkAddress(href, address, 'service', context), context),
    );
  } catch (error) {
    if (error instanceof IsomericError) return undefined;
    throw error;
  }
}

function ofFeatures(features: Record<string, unknown>[], address: string): Recognised | null {
  const properties = features.map((feature) => recordIn(feature.properties) ?? {});
  if (features.length === 0) return null;
  if (properties.every((each) => 'id' in each && 'name' in each && ('parent' in each || 'url' in each)))
    return { kind: 'regions', at: address };
  const records = features.every(
    (feature, k) =>
      Array.isArray(feature.links) &&
      'title' in properties[k] &&
      ('type' in properties[k] || 'themes' in properties[k]),
  );
  return records ? { kind: 'records', at: address } : null;
}

function ofXml(text: string, address: string): Recognised | null {
  const head = text.slice(0, 4000).replace(/<\?[^>]*>|<!--[\s\S]*?-->|<![^>]*>/g, '');
  const root = /<(?:\w+:)?(\w+)[\s>]/.exec(head)?.[1] ?? '';
  if (root === 'WFS_Capabilities') return { kind: 'wfs', at: bareWfs(address) };
  if (/^(ServiceException|Exception)Report$/.test(root) && /wfs/i.test(address))
    return { kind: 'wfs', at: bareWfs(address) };
  if (root === 'Structure') return { kind: 'sdmx', at: address.replace(/(structure\/)?dataflow.*$/, '') };
  return null;
}

/** An address without what a request of its own adds. */
function bareWfs(address: string): string {
  const url = new URL(address);
  for (const name of [...url.searchParams.keys()])
    if (/^(service|request|version|acceptversions|outputformat)$/i.test(name)) url.searchParams.delete(name);
  return url.toString();
}

/** Services whose own address says nothing: their usual questions are asked. */
async function byAsking(address: string, text: string, context: TransferContext): Promise<Recognised | null> {
  const what = new URL(address).hostname;
  const base = address.endsWith('/') ? address : `${address}/`;
  const asked: readonly (readonly [kind: string, url: string, answer: RegExp])[] = [
    [
      'wfs',
      `${bareWfs(address)}${address.includes('?') ? '&' : '?'}SERVICE=WFS&REQUEST=GetCapabilities`,
      /WFS_Capabilities/,
    ],
    ['sdmx', `${base}structure/dataflow/*/*/~`, /dataflow/i],
    ['sdmx', `${base}dataflow/all/all/latest`, /dataflow/i],
  ];
  // A document that was read and is nothing of the kind is a file.
  if (/^\s*[[{]/.test(text)) return null;
  for (const [kind, url, right] of asked) {
    if (kind === 'wfs' && !/wfs|ows|map|geo/i.test(address)) continue;
    if (kind === 'sdmx' && !/sdmx|rest|\/ws|api/i.test(address)) continue;
    const answer = await answered({ what, url, allow: [400, 404, 406, 500, 501] }, context);
    if (
      answer !== null &&
      answer.status === 200 &&
      right.test(new TextDecoder().decode(answer.bytes.subarray(0, 100_000)))
    )
      return { kind, at: kind === 'wfs' ? bareWfs(address) : base };
  }
  return null;
}
