import type { Batch } from '../../core/layer/batch.ts';

/** The ids of a layer cannot be its primary key. */
export class KeyUnfit extends Error {}

/** The id of feature i as the key of its row. */
export function keyOf(batch: Batch, i: number): number {
  if (batch.ids === null || batch.ids.isNull(i)) throw new KeyUnfit('A feature has no id.');
  return batch.ids.number(i);
}
