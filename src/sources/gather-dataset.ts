import { IsomericError } from '../core/errors.ts';
import type { Box } from '../core/geometry/geometry-array.ts';
import type { ByteSource } from '../formats/bytes/byte-source.ts';
import type { ProtocolKind } from './kinds.ts';
import { memoryStore } from './memory-store.ts';
import type { Order, SourceTraits, Wanted } from './order.ts';
import type { Receipt } from './receipt.ts';
import { protocolOf } from './register.ts';
import type { Store } from './store.ts';
import type { Fetch, Meter, TransferContext } from './transfer/context.ts';
import { Credentials, type SecretParts } from './transfer/credentials.ts';
import { HostGate } from './transfer/hosts.ts';

/** One dataset of one source. */
export interface DatasetRequest extends Wanted, SourceTraits {
  kind: ProtocolKind;
  address: string;
  /** Names of the dataset and of its source, for paths and words. */
  name?: string;
  source?: string;
  vintage?: string;
  /** Only what meets this box: west, south, east, north in degrees on WGS 84. */
  box?: Box;
  /** True: the terms of use that the service names were agreed to. */
  agreed?: boolean;
}

/** What gathering one dataset may use, and whom it tells. */
export interface DatasetSettings {
  /** Where files are kept; in memory when left out. */
  store?: Store;
  /** `nodeFetch` of `isomeric/node` checks packed bodies to their last byte; the platform's own when left out. */
  fetch?: Fetch;
  /** Keys, sent to the origin of the address alone. */
  keys?: SecretParts;
  /** Receipts of an earlier gathering: what is still current is not fetched again. */
  earlier?: readonly Receipt[];
  patience?: number;
  tries?: number;
  /** Told what is worth knowing on the way. */
  note?(words: string): void;
  /** Told how far each file has come. */
  progress?(meter: Meter): void;
}

/** The files of a dataset, and a receipt for each. */
export interface GatheredDataset {
  /** Its files, in the order in which they are read. */
  files: ByteSource[];
  /** All that was received, what explains the data too. */
  receipts: Receipt[];
}

const sleep = (milliseconds: number) => new Promise<void>((resolve) => setTimeout(resolve, milliseconds));

/** What transfers need where there is no study: nothing is known of earlier runs, and nothing is kept. */
export function contextOf(address: string, settings: DatasetSettings): TransferContext {
  const store = settings.store ?? memoryStore();
  const meter: Meter = { bytes: 0, features: 0 };
  const note = (words: string) => settings.note?.(words);
  return {
    store,
    fetch: settings.fetch ?? ((input, init) => fetch(input, init)),
    now: () => new Date().toISOString(),
    sleep,
    earlier: new Map((settings.earlier ?? []).map((receipt) => [receipt.path, receipt])),
    continuing: new Set(),
    claims: new Map(),
    keep: async () => {},
    credentials: new Credentials(address, settings.keys),
    hosts: new HostGate(sleep),
    meter,
    progress: () => settings.progress?.(meter),
    note,
    aside: note,
    documents: new Map(),
    patience: settings.patience ?? 60_000,
    tries: settings.tries ?? 4,
    longestWait: 300_000,
    longestOrder: 3_600_000,
  };
}

/**
 * Gathers one dataset without a study, in Node or in a browser.
 * @throws IsomericError with the codes of `docs/gather.md`; `terms-not-agreed` when a service asks for agreement
 */
export async function gatherDataset(
  request: DatasetRequest,
  settings: DatasetSettings = {},
): Promise<GatheredDataset> {
  const protocol = protocolOf(request.kind);
  if (protocol === undefined)
    throw new IsomericError('kind-unknown', `There is no kind of source “${request.kind}”.`, {
      blame: 'usage',
    });
  const { kind: _, address, name = 'data', source = 'source', vintage, box, agreed, ...wanted } = request;
  const { agency, answers, parameters, keyColumns, mostColumns, mostArea } = request;
  const order: Order = {
    name,
    source,
    address,
    vintage,
    box,
    wanted,
    traits: { agency, answers, parameters, keyColumns, mostColumns, mostArea },
  };
  const context = contextOf(address, settings);
  const { store } = context;
  const terms = agreed === true ? null : ((await protocol.terms?.(order, context)) ?? null);
  if (terms !== null)
    throw new IsomericError('terms-not-agreed', `${source} asks for agreement to its terms of use.`, {
      place: { file: context.credentials.shown(terms.url) },
      advice: 'Read them there; then ask with “agreed: true”.',
      blame: 'usage',
    });
  const { receipts, files } = await protocol.gather([order], context).finally(() => store.tidy?.());
  const sources = await Promise.all((files.get(name) ?? []).map((path) => store.open(path)));
  return { receipts, files: sources.filter((file) => file !== null) };
}
