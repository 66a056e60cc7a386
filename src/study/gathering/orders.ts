import type { Crs } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import type { Order, Protocol } from '../../sources/order.ts';
import { refuseSharedPlaces } from '../../sources/places.ts';
import { protocolOf } from '../../sources/register.ts';
import { withoutSecrets, withoutSecretsIn } from '../../sources/secrets.ts';
import type { Study } from '../file/schema.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { Machine } from '../machine.ts';
import { addressOf, type GatherOptions } from './source-context.ts';

/** The study area as services are asked for it. */
export interface Extent {
  /** Longitudes and latitudes on WGS 84; undefined when there is no way there. */
  degrees: Box | undefined;
  in(crs: Crs): Box | undefined;
  /** Codes of the map sheets that it lies on. */
  sheets(scheme: string, level: string): Promise<string[]>;
}

/** Codes of the sheets of each dataset whose files are named by sheet. */
export async function sheetsOf(
  study: Study,
  names: readonly string[],
  extent: Extent | undefined,
): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  for (const name of names) {
    const told = study.gather[name]['by sheet'];
    if (told === undefined) continue;
    if (extent === undefined)
      throw study.written.told(
        new IsomericError(
          'sheets-before-area',
          `${name} makes the area, so its sheets cannot be those of the area.`,
          {
            advice: 'Make the area of another layer, or of sheets.',
            blame: 'usage',
          },
        ),
        ['gather', name, 'by sheet'],
      );
    found.set(
      name,
      await study.written.within(['gather', name, 'by sheet'], () => extent.sheets(told.of, told.level)),
    );
  }
  return found;
}

/** Orders that are gathered in one go. */
export interface OrderGroup {
  source: string;
  protocol: Protocol;
  orders: Order[];
  /** What tells this group from others, for the ledger. */
  key: string;
}

function orderOf(
  study: Study,
  name: string,
  extent: Extent | undefined,
  machine: Machine,
  options: GatherOptions,
  sheets: readonly string[] | undefined,
): Order {
  const dataset = study.gather[name];
  const source = dataset.from!;
  const told = study.sources[source];
  return {
    name,
    source,
    address: addressOf(study, source, options),
    vintage: dataset.vintage,
    box: extent?.degrees,
    boxIn: extent === undefined ? undefined : (crs) => extent.in(crs),
    wanted: {
      collection: dataset.collection,
      file: dataset.file,
      sheets,
      sha256: dataset.sha256,
      where: dataset.where,
      ids: dataset.ids,
      inCrs: dataset['in crs'],
      pageSize: dataset['page size'],
      table: dataset.table,
      choose: dataset.choose,
      period: dataset.period,
      columns: dataset.columns,
      process: dataset.process,
      inputs: dataset.inputs,
      region: dataset.region,
      object: dataset.object,
      waypoints: dataset.waypoints,
      tracks: dataset.tracks,
      routes: dataset.routes,
      photos: dataset.photos,
      days: dataset.days,
      zone: dataset.zone,
    },
    traits: {
      agency: told.agency,
      answers: told.answers,
      parameters: told.parameters,
      keyColumns: told['key columns'],
      keysUnasked: told['keys come unasked'],
      lists: told.lists,
      mostColumns: told.limits.columns,
      mostArea: told.limits['square kilometres'],
      quietAfter: told['quiet after'],
      listenFor: told['listen for'],
    },
    licence: dataset.licence ?? told.licence,
    citation: dataset.citation ?? told.citation,
    local: (path) => machine.local(path),
    localNames: (folder) => machine.localNames(folder),
    listen: (address) => machine.listen(address),
  };
}

/** Puts orders together that are gathered in one go, in the order of the study. */
export function groupOrders(
  study: Study,
  names: readonly string[],
  extent: Extent | undefined,
  machine: Machine,
  options: GatherOptions,
  sheets: ReadonlyMap<string, readonly string[]> = new Map(),
): OrderGroup[] {
  const groups = new Map<string, OrderGroup>();
  for (const name of names) {
    const source = study.gather[name].from!;
    const protocol = protocolOf(study.sources[source].kind)!;
    const order = orderOf(study, name, extent, machine, options, sheets.get(name));
    const key = `${source} ${protocol.together(order)}`;
    const group = groups.get(key);
    if (group === undefined) groups.set(key, { source, protocol, orders: [order], key });
    else group.orders.push(order);
  }
  const all = [...groups.values()];
  refuseSharedPlaces(
    all.flatMap(({ protocol, orders: [first] }) =>
      protocol.place === undefined ? [] : [{ name: first.name, place: protocol.place(first) }],
    ),
  );
  return all;
}

/**
 * What was asked for, as the ledger keeps it: when it changes, what came before is not gone on with. The address is that
 * of the study, wherever a run may ask in its place.
 */
export function requestOf(order: Order, study: Study): Record<string, unknown> {
  const { vintage, box, wanted, traits } = order;
  const address = withoutSecrets(study.sources[order.source].at);
  const file = wanted.file === undefined ? undefined : withoutSecretsIn(wanted.file);
  return JSON.parse(JSON.stringify({ address, vintage, box, ...wanted, file, ...traits })) as Record<
    string,
    unknown
  >;
}

export function sameRequest(a: Record<string, unknown>, b: Record<string, unknown>): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

/** Sets an order up so that what it places at the provider is remembered, and what was placed before is known. */
export function withPlacing(group: OrderGroup, study: Study, ledger: Ledger, machine: Machine): OrderGroup {
  const request = JSON.stringify(group.orders.map((order) => requestOf(order, study)));
  const key = `${group.key} ${request}`;
  const placed = ledger.orders.get(key);
  const orders = group.orders.map((order) => ({
    ...order,
    placed: placed === undefined ? undefined : { jobs: placed.jobs },
    place: (now: Order['placed'] | null) =>
      ledger.add(machine, {
        kind: 'order',
        key,
        source: group.source,
        at: machine.now(),
        jobs: now?.jobs ?? [],
      }),
  }));
  return { ...group, orders };
}
