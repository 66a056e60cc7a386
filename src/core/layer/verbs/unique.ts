import { closeAccount, counted } from '../../account.ts';
import type { Batch } from '../batch.ts';
import type { Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** A number that differs, as good as surely, where the vertices of two features differ (FNV-1a over their bits). */
function shapeOf(batch: Batch, i: number): number {
  const { geometry } = batch;
  if (geometry === null) return 0;
  const { partStart, ringStart, vertexStart, xy } = geometry;
  const first = vertexStart[ringStart[partStart[i]]];
  const last = vertexStart[ringStart[partStart[i + 1]]];
  const bits = new Uint32Array(xy.buffer, xy.byteOffset + first * 16, (last - first) * 4);
  let hash = 0x811c9dc5;
  for (let k = 0; k < bits.length; k++) hash = Math.imul(hash ^ bits[k], 0x01000193);
  return hash;
}

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
      const seen = new Map<string, number>();
      let all = 0;
      let twice = 0;
      const unlike: string[] = [];
      for await (const batch of source) {
        const kept: number[] = [];
        for (let i = 0; i < batch.length; i++) {
          const id = idOf(batch, i);
          if (id !== null) {
            const before = seen.get(id);
            const shape = shapeOf(batch, i);
            if (before !== undefined) {
              twice++;
              if (before !== shape) unlike.push(id);
              continue;
            }
            seen.set(id, shape);
          }
          kept.push(i);
        }
        all += batch.length;
        if (kept.length === batch.length) yield batch;
        else if (kept.length > 0) yield batch.take(kept);
      }
      account.counts = { in: all, kept: all - twice, twice };
      if (unlike.length > 0)
        account.findings.push({
          code: 'feature-unlike',
          severity: 'warning',
          layer: table.name,
          feature: unlike[0],
          words: `${counted(unlike.length, 'feature came', 'features came')} twice with the same id and other vertices${unlike.length > 1 ? ' each time' : ''}; the first counts.`,
          repair: 'gather again: the service changed meanwhile, or it cuts features at the borders of pieces',
        });
      account.closed = true;
      // Where nothing came twice there is nothing to tell.
      if (twice === 0) return;
      closeAccount(
        account,
        [all, `${table.name} in`],
        [all - twice, 'kept'],
        [twice, 'left out that came before with the same id'],
      );
    },
  });
}
