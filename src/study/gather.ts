import { grouped } from '../core/account.ts';
import { IsomericError } from '../core/errors.ts';
import type { Box } from '../core/geometry/geometry-array.ts';
import type { Order } from '../sources/order.ts';
import type { Receipt } from '../sources/receipt.ts';
import { protocolOf } from '../sources/register.ts';
import type { TransferContext } from '../sources/transfer.ts';
import type { Ledger } from './ledger.ts';
import type { Machine } from './machine.ts';
import type { Study } from './schema.ts';

/** Where the files of each dataset lie in the study folder. */
export type GatheredFiles = Map<string, string[]>;

export interface GatherOptions {
  /** Milliseconds without a byte before a service counts as dead. */
  patience?: number;
  tries?: number;
  /** Other addresses for sources, by name. */
  addresses?: Record<string, string>;
}

function context(
  study: Study,
  source: string,
  machine: Machine,
  ledger: Ledger,
  options: GatherOptions,
): TransferContext {
  const { key } = study.sources[source];
  const headers: Record<string, string> = {};
  if (key !== undefined) {
    const value = machine.environment(key.variable);
    if (value === undefined || value === '') {
      throw new IsomericError(
        'key-missing',
        `${source} wants a key, but the environment variable ${key.variable} is not set.`,
        { advice: `Set ${key.variable} and run again.`, blame: 'usage' },
      );
    }
    headers[key.header.toLowerCase()] = value;
  }
  return {
    store: machine.store,
    fetch: machine.fetch,
    now: () => machine.now(),
    earlier: ledger.receipts,
    headers,
    progress: (what, bytes) => machine.reporter.progress(what, bytes),
    patience: options.patience ?? 30_000,
    tries: options.tries ?? 3,
  };
}

function orderOf(study: Study, name: string, box: Box | undefined, options: GatherOptions): Order {
  const dataset = study.gather[name];
  const source = dataset.from!;
  const told = study.sources[source];
  return {
    name,
    source,
    address: options.addresses?.[source] ?? told.at,
    collection: dataset.collection,
    file: dataset.file,
    vintage: dataset.vintage,
    box,
    pageSize: dataset['page size'],
    licence: dataset.licence ?? told.licence,
    citation: dataset.citation ?? told.citation,
  };
}

/**
 * Gathers the named datasets. One that fails does not lose the others: all are tried, then the first failure is raised
 * with the names of all. `box` limits feature services to what meets the area.
 */
export async function gather(
  study: Study,
  names: readonly string[],
  box: Box | undefined,
  machine: Machine,
  ledger: Ledger,
  options: GatherOptions,
  files: GatheredFiles,
): Promise<void> {
  const failures: { name: string; error: unknown }[] = [];
  const done = new Map<string, { receipts: Receipt[]; words: string }>();
  for (const name of names) {
    const dataset = study.gather[name];
    if (dataset.from === undefined) {
      files.set(name, [dataset.file!]);
      continue;
    }
    const { kind } = study.sources[dataset.from];
    const order = orderOf(study, name, box, options);
    // Several layers may come out of one archive, which is fetched once.
    const same = kind === 'files' ? `${order.source} ${order.file} ${order.vintage}` : `${name}`;
    try {
      let got = done.get(same);
      if (got === undefined) {
        const result = await protocolOf(kind)!.gather(
          order,
          context(study, order.source, machine, ledger, options),
        );
        for (const receipt of result.receipts) ledger.receipts.set(receipt.path, receipt);
        const bytes = result.receipts.reduce((sum, receipt) => sum + receipt.bytes, 0);
        const count = result.receipts.length;
        const fresh = count - result.unchanged;
        const state =
          fresh === 0
            ? 'unchanged since the last run'
            : result.unchanged === 0
              ? 'received'
              : `${grouped(fresh)} received, ${grouped(result.unchanged)} unchanged`;
        got = {
          receipts: result.receipts,
          words: `Gather: ${name} from ${order.source}; ${grouped(count)} ${count === 1 ? 'file' : 'files'}, ${grouped(bytes)} bytes, ${state}.`,
        };
        done.set(same, got);
        machine.reporter.say(got.words);
        await ledger.save(machine);
      }
      files.set(
        name,
        got.receipts.map((receipt) => receipt.path),
      );
    } catch (error) {
      failures.push({ name, error });
      machine.reporter.note(
        `${name} could not be gathered: ${error instanceof IsomericError ? error.sentence : String(error)}`,
      );
    }
  }
  if (failures.length === 0) return;
  const [{ error }] = failures;
  if (failures.length === 1 || !(error instanceof IsomericError)) throw error;
  throw new IsomericError(
    error.code,
    `${failures.length} of ${names.length} datasets could not be gathered (${failures.map((each) => each.name).join(', ')}). The first: ${error.message}`,
    { place: error.place, advice: error.advice, cause: error },
  );
}

/** Datasets as they lie in the study folder after an earlier run, without asking any service. */
export function filesFromLedger(study: Study, ledger: Ledger): GatheredFiles {
  const files: GatheredFiles = new Map();
  for (const [name, dataset] of Object.entries(study.gather)) {
    if (dataset.from === undefined) {
      files.set(name, [dataset.file!]);
      continue;
    }
    const wanted =
      dataset.file === undefined
        ? `gathered/${dataset.from}/${name}${dataset.vintage === undefined ? '' : `-${dataset.vintage}`}/`
        : undefined;
    const paths = [...ledger.receipts.values()]
      .filter((receipt) =>
        wanted === undefined
          ? receipt.what === `${dataset.from}/${dataset.file!.slice(dataset.file!.lastIndexOf('/') + 1)}`
          : receipt.path.startsWith(wanted),
      )
      .map((receipt) => receipt.path)
      .sort();
    if (paths.length === 0) {
      throw new IsomericError('not-gathered', `${name} has not been gathered yet.`, {
        advice: 'Run the study without --only, or with --only gather first.',
        blame: 'usage',
      });
    }
    files.set(name, paths);
  }
  return files;
}
