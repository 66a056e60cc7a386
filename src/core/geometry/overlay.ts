import { addAreaEdges, traceAreas } from './area-tracing.ts';
import { Arrangement } from './arrangement.ts';
import type { GeometryArray } from './geometry-array.ts';
import { GeometryMaker } from './geometry-maker.ts';
import { label, locateByScan } from './labelling.ts';

/** What is kept of two areas. */
export type OverlayOperation = 'intersection' | 'union' | 'difference' | 'symmetric-difference';

/** Which points rings enclose: an odd number of times, or any number but zero. */
export type FillRule = 'even-odd' | 'non-zero';

export function isInside(winding: number, rule: FillRule): boolean {
  return rule === 'even-odd' ? (winding & 1) !== 0 : winding !== 0;
}

const operations: Record<OverlayOperation, (a: boolean, b: boolean) => boolean> = {
  intersection: (a, b) => a && b,
  union: (a, b) => a || b,
  difference: (a, b) => a && !b,
  'symmetric-difference': (a, b) => a !== b,
};

/**
 * Areas of feature i of `a` combined with those of feature j of `b`, appended to `builder` as one feature.
 * Works for every input, valid or not; what rings enclose is said by the fill rules. Crossings are rounded to the
 * nearest double; original vertices are kept to the last digit.
 *
 * @returns the number of polygons; 0 when nothing is left, and then no feature is appended
 */
export function overlayAreas(
  operation: OverlayOperation,
  a: GeometryArray,
  i: number,
  b: GeometryArray,
  j: number,
  builder: GeometryMaker,
  rules: { a?: FillRule; b?: FillRule } = {},
): number {
  const arrangement = new Arrangement();
  addAreaEdges(arrangement, a, i, 1, 0);
  addAreaEdges(arrangement, b, j, 0, 1);
  arrangement.cut();
  const labels = label(arrangement, locateByScan(arrangement), () => true);
  const ruleA = rules.a ?? 'even-odd';
  const ruleB = rules.b ?? 'even-odd';
  const combine = operations[operation];
  return traceAreas(
    arrangement,
    labels,
    (wa, wb) => combine(isInside(wa, ruleA), isInside(wb, ruleB)),
    builder,
  );
}

/** The areas of all the given features as one, without inner borders. */
export function uniteAreas(
  array: GeometryArray,
  features: readonly number[],
  builder: GeometryMaker,
): number {
  // First each feature by itself, so that all shells run one way: then what any of them covers has a winding above zero.
  const single = new GeometryMaker();
  for (const i of features) {
    const own = new Arrangement();
    addAreaEdges(own, array, i, 1, 0, true);
    own.cut();
    traceAreas(
      own,
      label(own, locateByScan(own), () => true),
      (winding) => winding !== 0,
      single,
    );
  }
  const normal = single.finish();
  if (normal.length === 0) return 0;
  if (normal.length === 1) {
    builder.copy(normal, 0);
    return normal.partStart[1];
  }
  const arrangement = new Arrangement();
  for (let i = 0; i < normal.length; i++) addAreaEdges(arrangement, normal, i, 1, 0);
  arrangement.cut();
  const labels = label(arrangement, locateByScan(arrangement), () => true);
  return traceAreas(arrangement, labels, (winding) => winding > 0, builder);
}
