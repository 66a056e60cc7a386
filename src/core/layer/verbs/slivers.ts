import { type Account, grouped } from '../../account.ts';
import type { GeometryArray } from '../../geometry/geometry-array.ts';
import { planarArea, planarLength } from '../../geometry/measures.ts';

/** What keeps less of its area than this is hardly meant: its border runs otherwise than that of the area. */
export const sliver = 0.02;

/** Pieces of neighbours whose border comes from another generalisation than that of the area. */
export function tellSlivers(account: Account, layer: string, slivers: number, cut: number): void {
  const words = `Of ${grouped(cut)} cut, ${grouped(slivers)} kept less than 2 % of ${slivers === 1 ? 'itself' : 'themselves'}`;
  account.counts.slivers = slivers;
  account.notes.push(`${words}: “least: 2” (--least 2) drops such slivers.`);
  // A few are as it happens; many are another border.
  if (slivers < 3 || slivers * 5 < cut) return;
  account.findings.push({
    code: 'clip-slivers',
    severity: 'warning',
    layer,
    words: `${words}: the border of the area runs otherwise than theirs, so that neighbours came in.`,
    repair: 'clip with “least: 2” (--least 2), which drops them',
  });
}

/** The part of a feature that is left, by its area, or its length where it has none; 1 where it has neither. */
export function shareLeft(left: GeometryArray, geometry: GeometryArray, i: number): number {
  for (const measure of [planarArea, planarLength]) {
    const before = measure(geometry, i);
    if (before > 0) return left.length === 0 ? 0 : measure(left, 0) / before;
  }
  return 1;
}

export const hasArea = (geometry: GeometryArray, i: number) => planarArea(geometry, i) > 0;
