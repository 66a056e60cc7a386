import type { GeometryArray } from '../geometry-array.ts';
import { NearestBelow } from '../noding/nearest-below.ts';
import type { FaceLabels } from './face-labels.ts';
import { Locations, Operand } from './operand.ts';
import { type Workbench, withWorkbench } from './overlay.ts';
import type { PlanarGraph } from './planar-graph.ts';

/**
 * How feature i of `a` and feature j of `b` lie to each other: the nine dimensions of what their interiors, boundaries
 * and exteriors have in common, row by row (`F` nothing, `0` points, `1` lines, `2` areas; OGC 06-103r4, clause 6.1.15.2).
 * Areas by the non-zero fill rule, boundaries of lines by the mod-2 rule.
 */
export function relate(a: GeometryArray, i: number, b: GeometryArray, j: number): string {
  return withWorkbench((bench) => {
    const one = new Operand(a, i);
    const other = new Operand(b, j);
    one.add(bench, 1, 0);
    other.add(bench, 0, 1);
    bench.noding.passThrough([...one.points, ...other.points]);
    const { graph, labels } = bench.solve(true);
    return matrixOf(bench, graph, labels, one, other);
  });
}

function matrixOf(
  { chains, noding }: Workbench,
  graph: PlanarGraph,
  labels: FaceLabels,
  one: Operand,
  other: Operand,
): string {
  const matrix = new Int8Array(9).fill(-1);
  matrix[8] = 2;
  const raise = (row: number, column: number, dimension: number) => {
    const cell = 3 * row + column;
    if (matrix[cell] < dimension) matrix[cell] = dimension;
  };
  const inA = new Locations(graph, labels.a, one);
  const inB = new Locations(graph, labels.b, other);
  for (let h = 0; h < 2 * graph.pieces; h++) raise(inA.face(h), inB.face(h), 2);
  for (let p = 0; p < graph.pieces; p++) raise(inA.piece(p), inB.piece(p), 1);
  const below = new NearestBelow(chains, noding.boxTree, (position) => graph.halfEdgeAt[position] < 0);
  const lone = new Set([...one.points, ...other.points]);
  for (let n = 0; n < chains.nodes; n++) {
    const met = graph.start[n] < graph.start[n + 1];
    if (!met && !lone.has(n)) continue;
    const around = (windings: Int32Array): number => {
      const position = below.find(chains.x[n], chains.y[n]);
      return position < 0 ? 0 : windings[graph.halfEdgeAt[position] ^ (below.forward ? 0 : 1)];
    };
    raise(inA.node(n, around), inB.node(n, around), 0);
  }
  return Array.from(matrix, (dimension) => (dimension < 0 ? 'F' : String(dimension))).join('');
}

/** Does a matrix match a pattern of `T` (something), `F` (nothing), `*` (whatever), `0`, `1`, `2`? */
export function matches(matrix: string, pattern: string): boolean {
  for (let k = 0; k < 9; k++) {
    const wanted = pattern[k];
    if (wanted === '*') continue;
    if (wanted === 'T' ? matrix[k] === 'F' : matrix[k] !== wanted) return false;
  }
  return true;
}

/** The named relations (OGC 06-103r4, clause 6.1.15.3), of features of dimensions `a` and `b` with this matrix. */
export const relations: Readonly<Record<string, (matrix: string, a: number, b: number) => boolean>> = {
  equals: (m) => matches(m, 'T*F**FFF*'),
  disjoint: (m) => matches(m, 'FF*FF****'),
  intersects: (m) => !matches(m, 'FF*FF****'),
  touches: (m, a, b) =>
    (a > 0 || b > 0) && ['FT*******', 'F**T*****', 'F***T****'].some((pattern) => matches(m, pattern)),
  within: (m) => matches(m, 'T*F**F***'),
  contains: (m) => matches(m, 'T*****FF*'),
  overlaps: (m, a, b) => a === b && matches(m, a === 1 ? '1*T***T**' : 'T*T***T**'),
  crosses: (m, a, b) =>
    a === 1 && b === 1 ? m[0] === '0' : a < b ? matches(m, 'T*T******') : a > b && matches(m, 'T*****T**'),
};

/** The greatest dimension of the parts of a feature: 0 points, 1 lines, 2 areas; −1 for none. */
export function greatestDimension(array: GeometryArray, i: number): number {
  let most = -1;
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
    most = Math.max(most, array.kindOfPart(i, p) - 1);
  return most;
}
