import { crsFromText } from '../../core/crs/from-text.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { suggest } from '../../core/nearest.ts';
import { readSrsName } from '../../formats/gml/srs.ts';
import type { Landing } from '../ogc-api.ts';
import type { Order } from '../order.ts';
import { cql2Text, fieldsOf, sendablePart } from '../pushdown.ts';
import type { TransferContext } from '../transfer/context.ts';
import { askQueryables, type Collection } from './service.ts';

const has = (service: Landing, pattern: RegExp) => service.conformsTo.some((each) => pattern.test(each));

export const givesGeoJson = (service: Landing) => has(service, /ogcapi-features-1\/[\d.]+\/conf\/geojson$/);
export const givesGml = (service: Landing) =>
  has(service, /ogcapi-features-1\/[\d.]+\/conf\/gmlsf[02]$/) || has(service, /\/conf\/gml\d*$/);
const knowsCrs = (service: Landing) => has(service, /ogcapi-features-2\/[\d.]+\/conf\/crs$/);
const filters = (service: Landing) =>
  has(service, /ogcapi-features-3\/[\d.]+\/conf\/filter$/) &&
  has(service, /ogcapi-features-3\/[\d.]+\/conf\/features-filter$/) &&
  has(service, /cql2\/[\d.]+\/conf\/cql2-text$/);

/** `12.345` with at most nine digits after the point, never in powers of ten. */
export function ordinate(value: number): string {
  return Number(value.toFixed(9)).toString().includes('e')
    ? value.toFixed(9)
    : String(Number(value.toFixed(9)));
}

/** A box as parameter: in the axis order of its CRS, as part 2 asks (OGC 18-058r1, clause 6.3). */
export function boxText(box: Box, exchanged: boolean): string {
  const [west, south, east, north] = box;
  return (exchanged ? [south, west, north, east] : [west, south, east, north]).map(ordinate).join(',');
}

/** The address of the collection's own CRS list that stands for a code. */
function crsAddress(order: Order, service: Landing, collection: Collection): string {
  const wanted = order.wanted.inCrs!;
  const { code } = crsFromText(wanted);
  const known = knowsCrs(service) ? collection.crs : [];
  const found = known.find((each) => {
    try {
      const { crs } = readSrsName(each);
      return code !== undefined && crs?.code === code && !/CRS84h?$/.test(each);
    } catch {
      // A CRS that is not known here cannot be the one that is asked for.
      return false;
    }
  });
  if (found !== undefined) return found;
  throw new IsomericError('crs-not-offered', `${order.source} does not give ${order.name} in ${wanted}.`, {
    place: { file: collection.id },
    wrong: wanted,
    advice:
      known.length === 0
        ? 'It knows longitudes and latitudes on WGS 84 only: leave out “in crs:”, and reproject here.'
        : suggest(wanted, known),
    blame: 'usage',
  });
}

export interface ItemsQuery {
  url: string;
  /** CRS that the answer is to be in, as the service names it. */
  crs: string | undefined;
  /** The part of the condition that the service is asked. */
  filter: string | undefined;
  /** Why a condition is not, or not wholly, asked of the service. */
  here: string | undefined;
}

/** The address of the first page: box, CRS, the condition as far as the service can, the size of a page. */
export async function itemsQuery(
  order: Order,
  service: Landing,
  { collection, items, own }: { collection: Collection; items: string; own: string },
  context: TransferContext,
): Promise<ItemsQuery> {
  const url = new URL(items);
  const { wanted } = order;
  let crs: string | undefined;
  if (wanted.inCrs !== undefined) {
    crs = crsAddress(order, service, collection);
    url.searchParams.set('crs', crs);
  }
  if (order.box !== undefined) {
    const read = crs === undefined ? null : readSrsName(crs);
    const box = read?.crs == null ? undefined : order.boxIn?.(read.crs);
    if (crs !== undefined && box !== undefined) {
      url.searchParams.set('bbox', boxText(box, read!.exchanged));
      url.searchParams.set('bbox-crs', crs);
    } else url.searchParams.set('bbox', boxText(order.box, false));
  }
  let filter: string | undefined;
  let here: string | undefined;
  if (wanted.where !== undefined) {
    if (!filters(service)) here = 'the service cannot filter';
    else {
      const queryables = await askQueryables(order, own, collection.links, context);
      const advanced = has(service, /cql2\/[\d.]+\/conf\/advanced-comparison-operators$/);
      const part = sendablePart(wanted.where, queryables, { advanced });
      if (part !== null) {
        filter = cql2Text(part);
        url.searchParams.set('filter', filter);
        url.searchParams.set('filter-lang', 'cql2-text');
      }
      const unknown = fieldsOf(wanted.where).filter((name) => !queryables.has(name));
      if (unknown.length > 0) here = `the service cannot be asked about ${unknown.join(', ')}`;
      else if (part === null) here = 'the service does not know such a condition';
    }
  }
  if (wanted.pageSize !== undefined) url.searchParams.set('limit', String(wanted.pageSize));
  return { url: url.toString(), crs, filter, here };
}
