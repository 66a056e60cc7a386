import { counted, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Order } from '../../sources/order.ts';
import type { Receipt } from '../../sources/receipt.ts';
import { isStream } from '../../sources/receiver/stream.ts';
import { stillCurrent } from '../../sources/transfer/current.ts';
import {
  type Extent,
  groupOrders,
  type OrderGroup,
  requestOf,
  sameRequest,
  sheetsOf,
} from '../gathering/orders.ts';
import { contextFor, type Gathering } from '../gathering/source-context.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { Machine } from '../machine.ts';

/** What a run would find of the datasets of one order. */
export interface ChangeLine {
  datasets: string[];
  source: string;
  state: 'new' | 'changed' | 'unchanged' | 'kept' | 'unknown' | 'trouble';
  /** A sentence. */
  why: string;
}

const isAddress = (text: string) => /^https?:\/\//i.test(text);

/** Asks each source whether what was gathered of it is still current; nothing is fetched. */
export async function askChanges(
  names: readonly string[],
  extent: Extent | undefined,
  gathering: Gathering,
): Promise<ChangeLine[]> {
  const { study, machine, options, ledger } = gathering;
  const asked = names.filter((name) => study.gather[name].from !== undefined);
  const groups = groupOrders(study, asked, extent, machine, options, await sheetsOf(study, asked, extent));
  const lines = await Promise.all(groups.map((group) => lineFor(group, gathering)));
  for (const line of lines) machine.reporter.progress(line.datasets[0], null);
  for (const name of names) {
    const { from, file, 'same as': same } = study.gather[name];
    if (from === undefined && same === undefined && file !== undefined)
      lines.push(await ownLine(name, ledger, machine));
  }
  return lines;
}

/** A file of the study folder itself, by its checksum. */
async function ownLine(name: string, ledger: Ledger, machine: Machine): Promise<ChangeLine> {
  const line = { datasets: [name], source: 'the study folder' };
  const entry = ledger.datasets.get(name);
  if (entry === undefined) return { ...line, state: 'new', why: 'It was not looked at before.' };
  for (const path of entry.paths) {
    const receipt = ledger.receipts.get(path);
    if (receipt === undefined || (await machine.store.checksum(path)) !== receipt.sha256)
      return { ...line, state: 'changed', why: `${path} has another checksum.` };
  }
  return { ...line, state: 'unchanged', why: 'Its files have the same checksums.' };
}

async function lineFor(group: OrderGroup, gathering: Gathering): Promise<ChangeLine> {
  const { study, ledger, machine } = gathering;
  const line = { datasets: group.orders.map(({ name }) => name), source: group.source };
  const receipts: Receipt[] = [];
  for (const order of group.orders) {
    const entry = ledger.datasets.get(order.name);
    if (entry?.state !== 'done' || entry.source !== order.source)
      return { ...line, state: 'new', why: 'It was not gathered before.' };
    if (!sameRequest(entry.request, requestOf(order, study)))
      return { ...line, state: 'changed', why: 'The study asks for something else than before.' };
    for (const path of entry.paths) {
      const receipt = ledger.receipts.get(path);
      if (receipt === undefined || (await machine.store.checksum(path)) !== receipt.sha256)
        return { ...line, state: 'changed', why: `${path} is not as it was received.` };
      if (!receipts.includes(receipt)) receipts.push(receipt);
    }
  }
  if (group.orders.every((order) => group.protocol.keeps?.(order) === true))
    return { ...line, state: 'kept', why: 'What was received is kept; --again takes it anew.' };
  try {
    return { ...line, ...(await currency(group, receipts, gathering)) };
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    return { ...line, state: 'trouble', why: error.sentence };
  }
}

async function currency(
  group: OrderGroup,
  receipts: readonly Receipt[],
  gathering: Gathering,
): Promise<Pick<ChangeLine, 'state' | 'why'>> {
  const [order] = group.orders;
  const context = contextFor(gathering, group.source, [order.name], []);
  const release = await group.protocol.newer?.(group.orders, receipts, context);
  if (release != null) return { state: 'changed', why: release };
  if (!isAddress(order.address) && !isStream(order.address))
    return localCurrency(order, receipts, gathering.machine);
  let unsure: string | null = null;
  for (const receipt of receipts) {
    const { current, why } = await stillCurrent(receipt, context);
    if (current === false) return { state: 'changed', why: `Of ${receipt.what}, ${why}.` };
    if (current === null) unsure ??= why;
  }
  if (unsure !== null) {
    const counted = await otherCount(group, receipts, gathering);
    return counted === null
      ? { state: 'unknown', why: `Not to be told: ${unsure}.` }
      : { state: 'changed', why: counted };
  }
  return {
    state: 'unchanged',
    why:
      receipts.length === 1
        ? 'The service says that it is current.'
        : `The service says that all ${grouped(receipts.length)} files are current.`,
  };
}

/** Another number of features is a change, whatever else a service does not tell; the same number is none and proves nothing. */
async function otherCount(
  group: OrderGroup,
  receipts: readonly Receipt[],
  gathering: Gathering,
): Promise<string | null> {
  const had = receipts.reduce((sum, { features }) => sum + (features ?? Number.NaN), 0);
  if (Number.isNaN(had)) return null;
  const context = contextFor(gathering, group.source, [group.orders[0].name], []);
  const { features } = await group.protocol.estimate(group.orders, context);
  return features === undefined || features === had
    ? null
    : `It had ${counted(had, 'feature', 'features')} and has ${grouped(features)} now.`;
}

/** Files of this machine, by size and then by their bytes. */
async function localCurrency(
  order: Order,
  receipts: readonly Receipt[],
  machine: Machine,
): Promise<Pick<ChangeLine, 'state' | 'why'>> {
  for (const receipt of receipts) {
    const path = receipt.url.replace(/^file: /, '');
    const source = (await order.local?.(path)) ?? null;
    if (source === null) return { state: 'changed', why: `${path} is not there any more.` };
    if (source.size !== receipt.bytes) return { state: 'changed', why: `${path} has another size.` };
    if ((await machine.localChecksum(path)) !== receipt.sha256)
      return { state: 'changed', why: `${path} has another checksum.` };
  }
  return { state: 'unchanged', why: 'Its files have the same checksums.' };
}
