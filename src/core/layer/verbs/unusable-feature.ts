import type { Finding } from '../../findings.ts';
import { unusableVertex } from '../../geometry/unusable.ts';
import type { Batch } from '../batch.ts';

/** Features that are told one by one; what is beyond is in the counts. */
export const mostTold = 100;

/** Tells of a feature with coordinates that geometry cannot be computed with, unless very many were told already. */
export function tellUnusable(
  batch: Batch,
  i: number,
  layer: string,
  findings: Finding[],
  leftOut = 'the feature was left out',
): void {
  if (findings.length >= mostTold) return;
  const { vertex, value, at } = unusableVertex(batch.geometry!, i)!;
  findings.push({
    code: 'coordinate-unusable',
    severity: 'error',
    layer,
    feature: batch.id(i),
    at,
    words: `Vertex ${vertex} has the coordinate ${value}, with which geometry cannot be computed; ${leftOut}.`,
  });
}
