import type { GeometryArray } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { Faces } from './faces.ts';
import { addAreas, type FillRule, isInside } from './fill-rule.ts';
import { withWorkbench } from './overlay.ts';
import type { PlanarGraph } from './planar-graph.ts';

/** The pieces that areas cut each other into. */
export interface CoverSets {
  /** One feature for each set of areas that cover something together. */
  geometry: GeometryArray;
  /** The numbers of the areas that cover each, in order. */
  sets: readonly (readonly number[])[];
}

/**
 * Parts the plane by which of many areas cover it. Each feature's winding numbers are followed from face to face over the edges
 * that are its own, so that areas may overlap as they like.
 */
export function coverSets(array: GeometryArray, rule: FillRule = 'non-zero'): CoverSets {
  return withWorkbench((bench) => {
    const { chains } = bench;
    chains.expect(array.vertexCount);
    const firstChain = new Uint32Array(array.length + 1);
    for (let i = 0; i < array.length; i++) {
      chains.end();
      firstChain[i] = chains.count;
      addAreas(chains, array, i, 1, 0, rule);
    }
    chains.end();
    firstChain[array.length] = chains.count;
    const graph = bench.graph(true);
    const faces = new Faces(graph, bench.noding.boxTree);
    const { classes, sets } = classesOf(graph, faces, firstChain, rule);
    faces.merge(classes);
    faces.absorbThin((face) => classes[face] !== 0);
    const own: number[][] = sets.map(() => []);
    const seen = new Uint8Array(faces.count);
    for (let h = 0; h < 2 * graph.pieces; h++) {
      const face = faces.of[h];
      if (face === 0 || seen[face] === 1) continue;
      seen[face] = 1;
      own[classes[face]].push(face);
    }
    const builder = new GeometryMaker(array.vertexCount);
    const kept: (readonly number[])[] = [];
    sets.forEach((set, k) => {
      if (set.length === 0 || faces.write(own[k], builder) === 0) return;
      kept.push(set);
    });
    return { geometry: builder.finish(), sets: kept };
  });
}

/** The class of each face by the set of areas that cover it; class 0 is covered by none. */
function classesOf(
  graph: PlanarGraph,
  faces: Faces,
  firstChain: Uint32Array,
  rule: FillRule,
): { classes: Int32Array; sets: number[][] } {
  const borders = new Borders(graph, firstChain);
  const { of, count } = faces;
  const start = new Uint32Array(count + 1);
  for (let h = 0; h < 2 * graph.pieces; h++) start[of[h] + 1]++;
  for (let f = 0; f < count; f++) start[f + 1] += start[f];
  const filled = start.slice(0, count);
  const sides = new Uint32Array(2 * graph.pieces);
  for (let h = 0; h < 2 * graph.pieces; h++) sides[filled[of[h]]++] = h;
  const classes = new Int32Array(count).fill(-1);
  const known = new Map<string, number>([['', 0]]);
  const sets: number[][] = [[]];
  classes[0] = 0;
  const stack: { face: number; windings: ReadonlyMap<number, number> }[] = [{ face: 0, windings: new Map() }];
  while (stack.length > 0) {
    const { face, windings } = stack.pop()!;
    for (let s = start[face]; s < start[face + 1]; s++) {
      const h = sides[s];
      const beyond = of[h ^ 1];
      if (classes[beyond] >= 0) continue;
      const next = borders.cross(windings, h);
      const set = [...next]
        .filter(([, winding]) => isInside(winding, rule))
        .map(([i]) => i)
        .sort((a, b) => a - b);
      const key = set.join(' ');
      let own = known.get(key);
      if (own === undefined) {
        own = sets.length;
        known.set(key, own);
        sets.push(set);
      }
      classes[beyond] = own;
      stack.push({ face: beyond, windings: next });
    }
  }
  return { classes, sets };
}

/** Of which features each piece is a border, and how much the winding number is greater on the left of its direction. */
class Borders {
  private readonly head: Int32Array;
  private readonly next: Int32Array;
  private readonly feature: Uint32Array;
  private readonly weight: Int32Array;

  constructor({ chains, halfEdgeAt, pieces }: PlanarGraph, firstChain: Uint32Array) {
    const { positions } = chains;
    this.head = new Int32Array(pieces).fill(-1);
    this.next = new Int32Array(positions);
    this.feature = new Uint32Array(positions);
    this.weight = new Int32Array(positions);
    for (let i = 0; i + 1 < firstChain.length; i++)
      for (let c = firstChain[i]; c < firstChain[i + 1]; c++)
        for (let p = chains.start[c]; p < chains.start[c + 1] - 1; p++) {
          const h = halfEdgeAt[p];
          if (h < 0) continue;
          this.feature[p] = i;
          this.weight[p] = (h & 1) === 0 ? chains.windA[c] : -chains.windA[c];
          this.next[p] = this.head[h >> 1];
          this.head[h >> 1] = p;
        }
  }

  /** The winding numbers right of a half-edge, from those on its left. */
  cross(windings: ReadonlyMap<number, number>, h: number): ReadonlyMap<number, number> {
    const after = new Map(windings);
    const sign = (h & 1) === 0 ? -1 : 1;
    for (let p = this.head[h >> 1]; p >= 0; p = this.next[p]) {
      const winding = (after.get(this.feature[p]) ?? 0) + sign * this.weight[p];
      if (winding === 0) after.delete(this.feature[p]);
      else after.set(this.feature[p], winding);
    }
    return after;
  }
}
