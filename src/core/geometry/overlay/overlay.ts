import type { GeometryArray } from '../geometry-array.ts';
import type { GeometryMaker } from '../geometry-maker.ts';
import { Chains } from '../noding/chains.ts';
import { ChainNoding } from '../noding/node-chains.ts';
import { traceAreas } from './area-tracing.ts';
import { type FaceLabels, labelFaces } from './face-labels.ts';
import { addAreas, type FillRule, isInside, ruleMatters } from './fill-rule.ts';
import { PlanarGraph } from './planar-graph.ts';

/** What is kept of two geometries. */
export type OverlayOperation = 'intersection' | 'union' | 'difference' | 'symmetric-difference';

/** Does a point of the result lie in A, in B? */
export const operations: Record<OverlayOperation, (a: boolean, b: boolean) => boolean> = {
  intersection: (a, b) => a && b,
  union: (a, b) => a || b,
  difference: (a, b) => a && !b,
  'symmetric-difference': (a, b) => a !== b,
};

/** Room for the overlay of two geometries, used again and again. */
export class Workbench {
  readonly chains = new Chains();
  readonly noding = new ChainNoding(this.chains);

  /** Nodes what was added. `lines` keeps pieces that enclose nothing. */
  graph(lines = false): PlanarGraph {
    this.noding.run();
    return new PlanarGraph(this.chains, lines);
  }

  /** Nodes what was added and labels its faces. `lines` keeps pieces that enclose nothing. */
  solve(lines = false): { graph: PlanarGraph; labels: FaceLabels } {
    const graph = this.graph(lines);
    return { graph, labels: labelFaces(graph, this.noding.boxTree) };
  }
}

/** Vertices up to which room is kept for the next overlay. */
const keptUpTo = 1 << 16;
let spare: Workbench | null = null;

/** Lends a workbench, empty. */
export function withWorkbench<T>(work: (bench: Workbench) => T): T {
  const bench = spare ?? new Workbench();
  spare = null;
  bench.chains.clear();
  try {
    return work(bench);
  } finally {
    if (bench.chains.x.length <= keptUpTo) spare = bench;
  }
}

/** How `overlayAreas` reads its operands, and what it tells. */
export interface OverlayOptions {
  /** What the rings of each operand enclose; `non-zero` where nothing is said. */
  rules?: { a?: FillRule; b?: FillRule };
  /** Called when the operand's area depends on the rule: it is invalid. */
  onRule?(operand: 'a' | 'b'): void;
}

/**
 * Areas of feature i of `a` combined with those of feature j of `b`, appended to `builder` as one feature.
 *
 * Works for every input, valid or not; what rings enclose is said by the fill rules. The result is always valid (OGC
 * 06-103r4): shells counter-clockwise, holes clockwise. Original vertices are kept to the last digit, crossings are
 * those of the exact segments rounded to the nearest double.
 *
 * @returns the number of polygons; 0 when nothing is left, and then no feature is appended
 * @throws IsomericError `coordinate-unusable` for coordinates that are no numbers or beyond 10^120
 */
export function overlayAreas(
  operation: OverlayOperation,
  a: GeometryArray,
  i: number,
  b: GeometryArray,
  j: number,
  builder: GeometryMaker,
  { rules = {}, onRule }: OverlayOptions = {},
): number {
  const { a: ruleA = 'non-zero', b: ruleB = 'non-zero' } = rules;
  return withWorkbench((bench) => {
    bench.chains.expect(a.endVertex(i) - a.firstVertex(i) + b.endVertex(j) - b.firstVertex(j));
    addAreas(bench.chains, a, i, 1, 0, ruleA);
    addAreas(bench.chains, b, j, 0, 1, ruleB);
    const { graph, labels } = bench.solve();
    if (onRule !== undefined) {
      if (ruleMatters(labels.a)) onRule('a');
      if (ruleMatters(labels.b)) onRule('b');
    }
    const combine = operations[operation];
    return traceAreas(graph, labels, (wa, wb) => combine(isInside(wa, ruleA), isInside(wb, ruleB)), builder);
  });
}
