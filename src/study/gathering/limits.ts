import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { OrderGroup } from './orders.ts';
import { contextFor, countsUsage, type Gathering } from './source-context.ts';

/** What was taken of a source in a month, as the ledger counts it. */
export function usedInMonth(
  ledger: Ledger,
  source: string,
  month: string,
): { features: number; bytes: number } {
  return ledger.usage.get(`${source} ${month}`) ?? { features: 0, bytes: 0 };
}

function broken(
  source: string,
  what: string,
  limit: number,
  used: number,
  planned: number,
): IsomericError | null {
  if (used + planned <= limit) return null;
  return new IsomericError(
    'limit-would-break',
    `${source} allows ${grouped(limit)} ${what} a month; ${grouped(used)} were taken this month, and this would take ${grouped(planned)} more.`,
    { advice: 'Ask for less, or wait for the next month; nothing was asked of it.', blame: 'usage' },
  );
}

/**
 * Holds what the orders would bring against what the providers allow in a month, before anything is asked of them.
 * Returns the sources that would go beyond, each with its error.
 */
export async function checkLimits(
  groups: readonly OrderGroup[],
  gathering: Gathering,
): Promise<Map<string, unknown>> {
  const { study, ledger, machine } = gathering;
  const month = machine.now().slice(0, 7);
  const troubles = new Map<string, unknown>();
  const sources = new Set(groups.map((group) => group.source).filter((source) => countsUsage(study, source)));
  for (const source of sources) {
    const { limits } = study.sources[source];
    let features = 0;
    let bytes = 0;
    const unsaid: string[] = [];
    try {
      for (const group of groups.filter((each) => each.source === source)) {
        const names = group.orders.map((order) => order.name);
        const estimate = await group.protocol.estimate(
          group.orders,
          contextFor(gathering, source, names, []),
        );
        features += estimate.features ?? 0;
        bytes += estimate.bytes ?? 0;
        if (limits['features a month'] !== undefined && estimate.features === undefined)
          unsaid.push(names[0]);
      }
    } catch (error) {
      troubles.set(source, error);
      continue;
    }
    if (unsaid.length > 0)
      machine.reporter.note(
        `${source} does not say how many features ${unsaid.join(', ')} would bring: the monthly limit cannot be held against it.`,
      );
    const used = usedInMonth(ledger, source, month);
    const error =
      broken(source, 'features', limits['features a month'] ?? Infinity, used.features, features) ??
      broken(source, 'bytes', limits['bytes a month'] ?? Infinity, used.bytes, bytes);
    if (error !== null) troubles.set(source, error);
  }
  return troubles;
}
