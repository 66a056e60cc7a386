import { counted, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Estimate } from '../../sources/order.ts';
import { linkAddress } from '../../sources/transfer/links.ts';
import { usedInMonth } from './limits.ts';
import type { Extent, OrderGroup } from './orders.ts';
import { groupOrders, sheetsOf } from './orders.ts';
import { contextFor, type Gathering } from './source-context.ts';

/** What gathering one dataset (or several in one order) would take. */
export interface EstimateLine {
  datasets: string[];
  source: string;
  features?: number;
  /** Features of the collection that lie outside the area's box. */
  outside?: number;
  bytes?: number;
  requests?: number;
  seconds?: number;
  /** What must be known besides: sentences. */
  notes: string[];
  /** Why nothing can be said. */
  trouble?: string;
}

/** Bytes a second of a source, as earlier runs had it, else as the questions of the estimate had it. */
function speedOf(group: OrderGroup, { ledger }: Gathering): number | null {
  let bytes = 0;
  let seconds = 0;
  for (const entry of ledger.datasets.values()) {
    if (entry.source !== group.source || entry.state !== 'done' || (entry.seconds ?? 0) < 0.1) continue;
    seconds += entry.seconds!;
    for (const path of entry.paths) bytes += ledger.receipts.get(path)?.bytes ?? 0;
  }
  return bytes > 0 && seconds > 0 ? bytes / seconds : null;
}

/** Terms and limits of a source, in sentences. */
async function conditions(group: OrderGroup, gathering: Gathering, estimate: Estimate): Promise<string[]> {
  const { study, ledger, machine } = gathering;
  const { source, protocol } = group;
  const told = study.sources[source];
  const notes: string[] = [];
  const context = contextFor(gathering, source, [group.orders[0].name], []);
  const terms = told.terms ?? (await protocol.terms?.(group.orders[0], context))?.url;
  if (terms !== undefined)
    notes.push(
      told.agreed === undefined
        ? `Its terms of use want agreement first: ${context.credentials.shown(linkAddress(terms, group.orders[0].address, group.source, context))}.`
        : `Its terms of use were agreed to on ${told.agreed}.`,
    );
  const used = usedInMonth(ledger, source, machine.now().slice(0, 7));
  const features = told.limits['features a month'];
  const bytes = told.limits['bytes a month'];
  if (features !== undefined)
    notes.push(
      `It allows ${grouped(features)} features a month; ${grouped(used.features)} were taken${(estimate.features ?? 0) + used.features > features ? ', so this would go beyond' : ''}.`,
    );
  if (bytes !== undefined)
    notes.push(
      `It allows ${grouped(bytes)} bytes a month; ${grouped(used.bytes)} were taken${(estimate.bytes ?? 0) + used.bytes > bytes ? ', so this would go beyond' : ''}.`,
    );
  const square = told.limits['square kilometres'];
  if (square !== undefined && protocol.kind !== 'orders')
    notes.push(`It allows ${grouped(square)} km² at a time.`);
  return notes;
}

async function lineFor(group: OrderGroup, gathering: Gathering): Promise<EstimateLine> {
  const datasets = group.orders.map((order) => order.name);
  const { source } = group;
  try {
    const said: string[] = [];
    const context = contextFor(gathering, source, datasets, said);
    const began = performance.now();
    const estimate = await group.protocol.estimate(group.orders, context);
    const seconds = (performance.now() - began) / 1000;
    const notes = [...estimate.notes, ...(await conditions(group, gathering, estimate))];
    const speed =
      speedOf(group, gathering) ?? ((context.meter.asked ?? 0) > 0 ? context.meter.asked! / seconds : null);
    const { features, featuresInAll, bytes, requests } = estimate;
    return {
      datasets,
      source,
      features,
      outside:
        features !== undefined && featuresInAll !== undefined && featuresInAll >= features
          ? featuresInAll - features
          : undefined,
      bytes,
      requests,
      seconds: bytes === undefined || speed === null ? undefined : Math.max(1, Math.round(bytes / speed)),
      notes,
    };
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    return { datasets, source, notes: [], trouble: error.sentence };
  }
}

/** Asks all sources what they would bring, without fetching it. A source that does not answer is told, not raised. */
export async function estimateAll(
  names: readonly string[],
  extent: Extent | undefined,
  gathering: Gathering,
): Promise<EstimateLine[]> {
  const { study, machine, options } = gathering;
  const asked = names.filter((name) => study.gather[name].from !== undefined);
  const groups = groupOrders(study, asked, extent, machine, options, await sheetsOf(study, asked, extent));
  const lines = await Promise.all(groups.map((group) => lineFor(group, gathering)));
  for (const line of lines) machine.reporter.progress(line.datasets[0], null);
  return lines;
}

/** All of it in one sentence. */
export function estimateSentence(lines: readonly EstimateLine[]): string {
  const known = lines.filter((line) => line.trouble === undefined);
  const features = known.reduce((sum, line) => sum + (line.features ?? 0), 0);
  const bytes = known.reduce((sum, line) => sum + (line.bytes ?? 0), 0);
  const unsaid = known.filter((line) => line.bytes === undefined).length;
  const silent = lines.length - known.length;
  return (
    `Estimate: ${counted(lines.length, 'order', 'orders')}; ${grouped(features)} features and ${grouped(bytes)} bytes as far as the services say` +
    `${unsaid > 0 ? `, ${counted(unsaid, 'order', 'orders')} of unknown size` : ''}` +
    `${silent > 0 ? `, ${counted(silent, 'order', 'orders')} of which nothing can be said` : ''}.`
  );
}
