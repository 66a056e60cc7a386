import { type GeometryArray, Kind } from '../geometry-array.ts';
import { addAreas } from './fill-rule.ts';
import type { Workbench } from './overlay.ts';
import type { PlanarGraph } from './planar-graph.ts';

export const interior = 0;
export const boundary = 1;
export const exterior = 2;

/** What one operand put on the bench. */
export class Operand {
  readonly array: GeometryArray;
  readonly feature: number;
  /** First and one past the last chain of each path, in turn. */
  readonly paths: number[] = [];
  readonly points: number[] = [];
  /** Nodes at which paths begin or end; closed paths count twice at theirs (the mod-2 rule). */
  readonly ends: number[] = [];

  constructor(array: GeometryArray, feature: number) {
    this.array = array;
    this.feature = feature;
  }

  add({ chains }: Workbench, a: number, b: number): void {
    const { array, feature } = this;
    addAreas(chains, array, feature, a, b, 'non-zero');
    for (let p = array.partStart[feature]; p < array.partStart[feature + 1]; p++) {
      const kind = array.kindOfPart(feature, p);
      if (kind === Kind.Polygon) continue;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        const [first, end] = [array.vertexStart[r], array.vertexStart[r + 1]];
        if (first === end) continue;
        const at = (v: number) => chains.nodeAt(array.xy[2 * v], array.xy[2 * v + 1]);
        const before = chains.count;
        if (kind === Kind.LineString) chains.addPath(array.xy, first, end, 0, 0);
        // A path without length is a point.
        if (chains.count === before) this.points.push(at(first));
        else {
          this.paths.push(before, chains.count);
          this.ends.push(at(first), at(end - 1));
        }
      }
    }
  }
}

/** Where the pieces and nodes of a graph lie to an operand. */
export class Locations {
  private readonly graph: PlanarGraph;
  private readonly windings: Int32Array;
  private readonly onPath: Uint8Array;
  private readonly endCount: Map<number, number> = new Map();
  private readonly points: Set<number>;

  constructor(graph: PlanarGraph, windings: Int32Array, operand: Operand) {
    this.graph = graph;
    this.windings = windings;
    this.onPath = new Uint8Array(graph.pieces);
    const { start } = graph.chains;
    for (let k = 0; k < operand.paths.length; k += 2)
      for (let c = operand.paths[k]; c < operand.paths[k + 1]; c++)
        for (let p = start[c]; p < start[c + 1] - 1; p++) this.onPath[graph.halfEdgeAt[p] >> 1] = 1;
    for (const n of operand.ends) this.endCount.set(n, (this.endCount.get(n) ?? 0) + 1);
    this.points = new Set(operand.points);
  }

  face(h: number): number {
    return this.windings[h] !== 0 ? interior : exterior;
  }

  piece(p: number): number {
    const left = this.windings[2 * p] !== 0;
    if (left !== (this.windings[2 * p + 1] !== 0)) return boundary;
    return left || this.onPath[p] === 1 ? interior : exterior;
  }

  /** @param around winding number of what lies around a node that no piece meets */
  node(n: number, around: (windings: Int32Array) => number): number {
    const { graph } = this;
    let onPath = false;
    let inside = false;
    const [first, end] = [graph.start[n], graph.start[n + 1]];
    for (let s = first; s < end; s++) {
      const h = graph.around[s];
      const left = this.windings[h] !== 0;
      if (left !== (this.windings[h ^ 1] !== 0)) return boundary;
      if (left) inside = true;
      if (this.onPath[h >> 1] === 1) onPath = true;
    }
    if (first === end && around(this.windings) !== 0) inside = true;
    if (inside) return interior;
    if (((this.endCount.get(n) ?? 0) & 1) === 1) return boundary;
    return onPath || this.points.has(n) ? interior : exterior;
  }
}
