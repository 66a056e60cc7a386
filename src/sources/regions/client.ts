import * as z from 'zod';
import { plainBoxes } from '../../core/crs/area-extent.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { suggest } from '../../core/nearest.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { extractPath } from '../places.ts';
import { wholeArchive } from '../transfer/archives.ts';
import { askedOnce, askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { lastPart, linkAddress } from '../transfer/links.ts';
import { transfer } from '../transfer/transfer.ts';

/** A region as a feature of a list. */
const listed = z.object({
  properties: z.object({
    id: z.string(),
    name: z.string(),
    parent: z.string().nullable().default(null),
    url: z.string().optional().describe('Address of the extract; none for a region that only holds others.'),
    bytes: z.number().optional(),
    date: z.string().optional(),
    sha256: z.string().optional(),
    licence: z.string().optional(),
  }),
  bbox: z.array(z.number()).length(4).optional(),
});
const list = z.object({ type: z.literal('FeatureCollection'), features: z.array(listed) });

/** A region as a document of its own, with links to those within it (`child`) and to its extract (`enclosure`; RFC 4287). */
const level = z.object({
  id: z.string().optional(),
  title: z.string().optional(),
  name: z.string().optional(),
  licence: z.string().optional(),
  license: z.string().optional(),
  bbox: z.array(z.number()).length(4).optional(),
  links: z.array(
    z.object({
      rel: z.string(),
      href: z.string(),
      title: z.string().optional(),
      length: z.number().optional(),
      updated: z.string().optional(),
      sha256: z.string().optional(),
    }),
  ),
});

/** A region of extracts, with its extract where it has one. */
export type Region = z.output<typeof listed>;

/** What a document is called by its address: `north/` and `north/index.json` are both north. */
function nameOf(url: string): string {
  const last = lastPart(url).replace(/\.json$/, '');
  return last === 'index' ? lastPart(url.slice(0, url.lastIndexOf('/'))) : last;
}

/** Most documents of a tree that are asked for. */
const mostLevels = 400;

/** The regions below a document, level by level. Where a path is wanted, only the levels on the way are asked for. */
async function regionsByLinks(
  order: Order,
  first: unknown,
  context: TransferContext,
): Promise<Region[] | null> {
  const all: Region[] = [];
  const steps = order.wanted.region?.includes('/') === true ? order.wanted.region.split('/') : null;
  const seen = new Set([order.address]);
  const visit = async (
    document: unknown,
    url: string,
    parent: string | null,
    depth: number,
  ): Promise<boolean> => {
    const told = level.safeParse(document);
    if (!told.success) return false;
    const { links, title, name, bbox, licence, license } = told.data;
    const own = told.data.id ?? nameOf(url);
    // The document at the address is the top of the tree, and no region itself unless it has an extract.
    const extract = links.find(({ rel }) => ['enclosure', 'data'].includes(rel));
    // Two regions of one name are told apart by what is above them.
    const id = depth === 0 && extract === undefined ? null : parent === null ? own : `${parent}/${own}`;
    if (id !== null)
      all.push({
        properties: {
          id,
          name: title ?? name ?? own,
          parent: null,
          url: extract === undefined ? undefined : linkAddress(extract.href, url, order.source, context),
          bytes: extract?.length,
          date: extract?.updated,
          sha256: extract?.sha256,
          licence: licence ?? license,
        },
        bbox,
      });
    for (const { rel, href, title: called } of links) {
      if (!['child', 'item'].includes(rel)) continue;
      const next = linkAddress(href, url, order.source, context);
      const step = steps?.[depth];
      const names = [nameOf(next), called];
      if (step !== undefined && !names.includes(step)) continue;
      if (seen.has(next)) continue;
      if (seen.size >= mostLevels)
        throw failure(
          'source-too-large',
          { what: order.source, url: next },
          context,
          `its tree of regions has more than ${mostLevels} levels and branches.`,
          'Say the region by its whole path, or give the address of a branch.',
        );
      seen.add(next);
      const below = await askJson(order.source, next, context);
      if (!(await visit(below, next, id, depth + 1))) throw garbled(order, next, context);
    }
    return true;
  };
  return (await visit(first, order.address, null, 0)) ? all : null;
}

function garbled(order: Order, url: string, context: TransferContext): IsomericError {
  return failure(
    'source-garbled',
    { what: order.source, url },
    context,
    'the answer is no list of regions.',
    'The address must be that of the list itself, a FeatureCollection, or of the top of a tree of links.',
  );
}

/** All regions of a source. */
export function regions(order: Order, context: TransferContext): Promise<Region[]> {
  const wanted = order.wanted.region?.includes('/') === true ? order.wanted.region : '';
  return askedOnce(`regions ${order.address} ${wanted}`, context, async () => {
    const document = await askJson(
      order.source,
      order.address,
      context,
      'application/geo+json, application/json',
    );
    const answer = list.safeParse(document);
    if (answer.success) return answer.data.features;
    const found = await regionsByLinks(order, document, context);
    if (found === null) throw garbled(order, order.address, context);
    return found;
  });
}

/** Path of a region from the top: `teskaria/ombrey`. */
export const pathOf = (one: Region, all: readonly Region[]) => partsOf(one, all).join('/');

function partsOf(one: Region, all: readonly Region[]): string[] {
  const parts = [one.properties.id];
  for (let at = one; at.properties.parent !== null && parts.length < 20; ) {
    const up = all.find((each) => each.properties.id === at.properties.parent);
    if (up === undefined) break;
    parts.unshift(up.properties.id);
    at = up;
  }
  return parts.flatMap((part) => part.split('/'));
}

/** Does a box hold another one? Both may cross the antimeridian. */
const contains = (outer: Box, inner: Box) =>
  plainBoxes(inner).every((part) =>
    plainBoxes(outer).some(
      (whole) => whole[0] <= part[0] && whole[1] <= part[1] && whole[2] >= part[2] && whole[3] >= part[3],
    ),
  );

/** The region that is named by path, id or name; without one, the smallest that holds the whole area. */
async function find(
  order: Order,
  context: TransferContext,
): Promise<{ found: Region; path: string; parts: string[]; chosen: boolean }> {
  const all = await regions(order, context);
  const wanted = order.wanted.region;
  if (wanted === undefined) {
    const holding = all.filter(
      ({ bbox, properties }) =>
        properties.url !== undefined &&
        bbox !== undefined &&
        order.box !== undefined &&
        contains(bbox as Box, order.box),
    );
    const size = ({ bbox }: Region) =>
      plainBoxes(bbox as Box).reduce((sum, each) => sum + (each[2] - each[0]) * (each[3] - each[1]), 0);
    const [found] = holding.sort((a, b) => size(a) - size(b));
    if (found !== undefined)
      return { found, path: pathOf(found, all), parts: partsOf(found, all), chosen: true };
    throw new IsomericError('region-unknown', `${order.source} has no region that holds the whole area.`, {
      advice: `Say which with “region:”: ${all
        .map((each) => pathOf(each, all))
        .slice(0, 8)
        .join(', ')}.`,
      blame: 'usage',
    });
  }
  const found =
    all.find((each) => pathOf(each, all) === wanted) ??
    all.find((each) => each.properties.id === wanted) ??
    all.find((each) => each.properties.id.endsWith(`/${wanted}`)) ??
    all.find((each) => each.properties.name.toLowerCase() === wanted.toLowerCase());
  if (found !== undefined)
    return { found, path: pathOf(found, all), parts: partsOf(found, all), chosen: false };
  throw new IsomericError('region-unknown', `${order.source} has no region “${wanted}”.`, {
    place: { file: context.credentials.shown(order.address) },
    wrong: wanted,
    advice: suggest(
      wanted,
      all.map((each) => pathOf(each, all)),
    ),
    blame: 'usage',
  });
}

/** Files of extracts in a tree of regions: GeoJSON with id, parent, name, url, bytes, date and SHA-256 of each. */
export const regionsProtocol: Protocol = {
  kind: 'regions',
  together: ({ wanted }) => wanted.region ?? '',
  async gather(orders, context): Promise<Gathered> {
    const [order] = orders;
    const { found, path, parts, chosen } = await find(order, context);
    const { url, name, date, sha256, licence } = found.properties;
    if (url === undefined)
      throw new IsomericError('region-unknown', `${order.source} has no extract of ${name} itself.`, {
        advice: 'It only holds other regions: name one of them.',
        blame: 'usage',
      });
    const address = linkAddress(url, order.address, order.source, context);
    const file = lastPart(address) || 'extract';
    const vintage = order.vintage ?? date?.slice(0, 10);
    if (chosen) context.note(`${order.name}: ${name} is the smallest region that holds the whole area.`);
    const datasets = orders.map((each) => each.name);
    const got = await transfer(
      {
        what: `${order.source}/${path}`,
        datasets,
        url: address,
        // Named for the region and its date: extracts of all dates are called alike.
        path: extractPath({ ...order, vintage: undefined }, parts, file, vintage),
        plain: true,
        sha256,
        async check(stored) {
          await wholeArchive(stored, { what: `${order.source}/${path}`, url: address }, context);
          return {};
        },
        licence: order.licence ?? licence,
        citation: order.citation ?? `${name}${date === undefined ? '' : `, state of ${date.slice(0, 10)}`}.`,
      },
      context,
    );
    return {
      receipts: [got.receipt],
      files: new Map(datasets.map((each) => [each, [got.receipt.path]])),
      unchanged: got.unchanged ? 1 : 0,
    };
  },
  async newer([order], receipts, context) {
    const { found } = await find(order, context);
    const { url, name, date, sha256 } = found.properties;
    const [receipt] = receipts;
    if (url === undefined || receipt === undefined) return null;
    if (sha256 !== undefined && sha256 !== receipt.sha256)
      return `The list of ${order.source} has another ${name}${date === undefined ? '' : `, state of ${date.slice(0, 10)}`}.`;
    const address = context.credentials.shown(linkAddress(url, order.address, order.source, context));
    return address === receipt.url ? null : `The list of ${order.source} leads to another file for ${name}.`;
  },
  async estimate([order], context) {
    const { found } = await find(order, context);
    const { name, bytes, date } = found.properties;
    return {
      bytes,
      requests: 1,
      notes: [
        `${name}${date === undefined ? '' : `, state of ${date.slice(0, 10)}`}: the extract comes whole, what lies outside the area too.`,
      ],
    };
  },
};
