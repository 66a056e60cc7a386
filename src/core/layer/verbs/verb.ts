import { type Account, openAccount, resetAccount } from '../../account.ts';
import type { Batch } from '../batch.ts';
import { isLayer, type Layer, type ReadOptions, type Table } from '../layer.ts';

/** What a verb makes of a layer: changed parts of it, and a stream that turns batches into batches. */
export interface Plan {
  schema?: Layer['schema'];
  crs?: Layer['crs'];
  kinds?: Layer['kinds'];
  extent?: Layer['extent'];
  /** Known number of rows afterwards; left out when it is not known before reading. */
  count?: number;
  /** Turns the stream; called at every reading, after the account has been reset. Closes the account at its end. */
  run(account: Account, source: AsyncIterable<Batch>, signal?: AbortSignal): AsyncIterable<Batch>;
  /** What of the reading options may be handed on to the source. */
  handOn?(options: ReadOptions | undefined): ReadOptions | undefined;
}

/**
 * Applies a planned verb to a layer or table. Nothing is read here; mistakes in the plan have already been told. The
 * result has the accounts of its source and, last, its own.
 */
export function applyVerb<T extends Table>(verb: string, source: T, plan: Plan): T {
  const account = openAccount(verb, source.name);
  const changed = isLayer(source)
    ? {
        crs: plan.crs === undefined ? source.crs : plan.crs,
        kinds: 'kinds' in plan ? plan.kinds : source.kinds,
        readsByBox: false,
        // What a verb makes of cells is no grid any more.
        grid: undefined,
        extent: plan.extent,
      }
    : {};
  return {
    ...source,
    ...changed,
    schema: plan.schema ?? source.schema,
    count: plan.count,
    accounts: [...source.accounts, account],
    async *batches(options?: ReadOptions) {
      // When reading begins, not when it is asked for: a verb may read its source once before it reads it for good.
      resetAccount(account);
      const signal = options?.signal;
      const handed = plan.handOn?.(options);
      const given = source.batches(signal === undefined ? handed : { ...handed, signal });
      yield* plan.run(account, signal === undefined ? given : until(signal, given), signal);
    },
  };
}

/** The same batches, until the signal ends them: what a verb holds before it gives its first one is ended too. */
async function* until(signal: AbortSignal, source: AsyncIterable<Batch>): AsyncGenerator<Batch> {
  for await (const batch of source) {
    // The reason itself, whatever it is: nobody stands between here and who asked.
    signal.throwIfAborted();
    yield batch;
  }
}
