import { closeAccount } from '../../account.ts';
import type { Batch } from '../batch.ts';
import type { Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Ids of a batch as texts; null where a feature has none of its own. */
function idOf(batch: Batch, i: number): string | null {
  return batch.ids === null || batch.ids.isNull(i) ? null : String(batch.ids.value(i));
}

/**
 * Keeps each feature once, by its id: pages of a service shift while they are fetched, and pieces of an area share what
 * lies across their borders. Features without an id of their own all stay. The first one counts.
 */
export function onceById<T extends Table>(table: T): T {
  return applyVerb('Once', table, {
    handOn: (options) => options,
    async *run(account, source) {
      const seen = new Set<string>();
      let all = 0;
      let twice = 0;
      for await (const batch of source) {
        const kept: number[] = [];
        for (let i = 0; i < batch.length; i++) {
          const id = idOf(batch, i);
          if (id !== null && seen.has(id)) {
            twice++;
            continue;
          }
          if (id !== null) seen.add(id);
          kept.push(i);
        }
        all += batch.length;
        if (kept.length === batch.length) yield batch;
        else if (kept.length > 0) yield batch.take(kept);
      }
      account.counts = { in: all, kept: all - twice, twice };
      closeAccount(
        account,
        [all, `${table.name} in`],
        [all - twice, 'kept'],
        [twice, 'left out that came before with the same id'],
      );
    },
  });
}
