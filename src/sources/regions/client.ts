import { z } from 'zod';
import { plainBoxes } from '../../core/crs/area-extent.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { suggest } from '../../core/nearest.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { extractPath } from '../places.ts';
import { wholeArchive } from '../transfer/archives.ts';
import { askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { lastPart, linkAddress } from '../transfer/links.ts';
import { transfer } from '../transfer/transfer.ts';

const region = z.object({
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
const tree = z.object({ type: z.literal('FeatureCollection'), features: z.array(region) });

type Region = z.output<typeof region>;

async function regions(order: Order, context: TransferContext): Promise<Region[]> {
  const answer = tree.safeParse(
    await askJson(order.source, order.address, context, 'application/geo+json, application/json'),
  );
  if (answer.success) return answer.data.features;
  throw failure(
    'source-garbled',
    { what: order.source, url: order.address },
    context,
    'the answer is no list of regions.',
    'The address must be that of the list itself, a FeatureCollection.',
  );
}

/** Path of a region from the top: `teskaria/ombrey`. */
const pathOf = (one: Region, all: readonly Region[]) => partsOf(one, all).join('/');

function partsOf(one: Region, all: readonly Region[]): string[] {
  const parts = [one.properties.id];
  for (let at = one; at.properties.parent !== null && parts.length < 20; ) {
    const up = all.find((each) => each.properties.id === at.properties.parent);
    if (up === undefined) break;
    parts.unshift(up.properties.id);
    at = up;
  }
  return parts;
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
    all.find((each) => each.properties.name.toLowerCase() === wanted.toLowerCase());
  if (found !== undefined)
    return { found, path: pathOf(found, all), parts: partsOf(found, all), chosen: false };
  throw new IsomericError('region-unknown', `${order.source} has no region “${wanted}”.`, {
    place: { file: context.credentials.shown(order.address) },
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
