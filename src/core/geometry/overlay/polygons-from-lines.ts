import { type GeometryArray, Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { Faces } from './faces.ts';
import { addAreas, type FillRule, isInside } from './fill-rule.ts';
import { withWorkbench } from './overlay.ts';

/** The paths of a geometry, of areas the rings, added as lines that enclose nothing by themselves. */
function addLines(
  bench: Parameters<Parameters<typeof withWorkbench>[0]>[0],
  array: GeometryArray,
  i: number,
): void {
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    if (array.kindOfPart(i, p) === Kind.Point) continue;
    for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++)
      bench.chains.addPath(array.xy, array.vertexStart[r], array.vertexStart[r + 1], 0, 0);
  }
}

/**
 * All areas that lines enclose together, wherever they meet or cross: one feature for each, without overlaps. What ends
 * in the open encloses nothing.
 */
export function polygonsFromLines(array: GeometryArray): GeometryArray {
  return withWorkbench((bench) => {
    for (let i = 0; i < array.length; i++) addLines(bench, array, i);
    bench.chains.end();
    const graph = bench.graph(true);
    const faces = new Faces(graph, bench.noding.boxTree);
    faces.absorbThin();
    const builder = new GeometryMaker();
    for (let face = 1; face < faces.count; face++) faces.write([face], builder);
    return builder.finish();
  });
}

/**
 * Cuts the areas of feature i along lines: one feature for each piece. Lines that end within the area cut nothing. Where
 * nothing is cut, one feature.
 *
 * @param lines numbers of the features of `by` that may pass
 */
export function splitArea(
  array: GeometryArray,
  i: number,
  by: GeometryArray,
  lines: readonly number[],
  builder: GeometryMaker,
  rule: FillRule = 'non-zero',
): number {
  return withWorkbench((bench) => {
    addAreas(bench.chains, array, i, 1, 0, rule);
    for (const j of lines) addLines(bench, by, j);
    const { graph, labels } = bench.solve(true);
    const faces = new Faces(graph, bench.noding.boxTree);
    const inside = new Uint8Array(faces.count);
    for (let h = 0; h < 2 * graph.pieces; h++) if (isInside(labels.a[h], rule)) inside[faces.of[h]] = 1;
    // What lies outside is one, however many lines pass through it.
    const classes = Int32Array.from(inside, (is, face) => (is === 1 ? face : 0));
    faces.merge(classes);
    faces.absorbThin((face) => inside[face] === 1);
    let made = 0;
    for (let face = 1; face < faces.count; face++)
      if (inside[face] === 1) made += faces.write([face], builder);
    return made;
  });
}
