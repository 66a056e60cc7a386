import type { GeometryArray } from '../geometry-array.ts';
import { Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { EdgeTree } from '../measure/edge-tree.ts';
import type { Ruler } from '../ruler.ts';

/** What snapping moved and added. */
export interface Snapped {
  moved: number;
  added: number;
}

/**
 * Draws geometries onto others: a vertex within `metres` of a vertex of the reference goes there, else to the nearest place on one
 * of its edges that near; then vertices of the reference within `metres` of an edge are taken into it. Borders that ran beside each
 * other are then the same, vertex for vertex.
 */
export class Snapper {
  private readonly vertices: EdgeTree;
  private readonly edges: EdgeTree;
  private readonly scale = new Float64Array(2);

  constructor(
    reference: GeometryArray,
    private readonly ruler: Ruler,
    private readonly metres: number,
  ) {
    this.edges = EdgeTree.ofAll(reference);
    this.vertices = EdgeTree.ofAll(verticesOf(reference));
  }

  /** Appends feature i, drawn to the reference. */
  snap(array: GeometryArray, i: number, builder: GeometryMaker): Snapped {
    const counts: Snapped = { moved: 0, added: 0 };
    builder.feature(array.kind[i]);
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      const kind = array.kindOfPart(i, p);
      builder.part(array.kind[i] === Kind.Collection ? kind : undefined);
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        builder.ring();
        const path = this.moved(array, r, counts);
        this.write(path, kind !== Kind.Point, builder, counts);
      }
    }
    return counts;
  }

  private moved(array: GeometryArray, r: number, counts: Snapped): Float64Array {
    const { scale, ruler, metres, vertices, edges } = this;
    const first = array.vertexStart[r];
    const path = array.xy.slice(2 * first, 2 * array.vertexStart[r + 1]);
    for (let k = 0; k < path.length; k += 2) {
      const [x, y] = [path[k], path[k + 1]];
      ruler.metresPerUnit(x, y, scale);
      const target = vertices.nearest(x, y, scale[0], scale[1], metres)
        ? vertices.found
        : edges.nearest(x, y, scale[0], scale[1], metres)
          ? edges.found
          : null;
      if (target === null || (target.x === x && target.y === y)) continue;
      path[k] = target.x;
      path[k + 1] = target.y;
      counts.moved++;
    }
    return path;
  }

  private write(path: Float64Array, isPath: boolean, builder: GeometryMaker, counts: Snapped): void {
    const { scale, ruler, metres, vertices } = this;
    for (let k = 0; k < path.length; k += 2) {
      const repeats =
        k > 0 && isPath && path[k] === path[k - 2] && path[k + 1] === path[k - 1] && path.length > 4;
      if (!repeats) builder.vertex(path[k], path[k + 1]);
      if (!isPath || k + 3 >= path.length) continue;
      const [ax, ay, bx, by] = path.subarray(k, k + 4);
      ruler.metresPerUnit(ax, ay, scale);
      const reachX = metres / scale[0];
      const reachY = metres / scale[1];
      const dx = (bx - ax) * scale[0];
      const dy = (by - ay) * scale[1];
      const length = dx * dx + dy * dy;
      const found: { along: number; x: number; y: number }[] = [];
      vertices.search(
        Math.min(ax, bx) - reachX,
        Math.min(ay, by) - reachY,
        Math.max(ax, bx) + reachX,
        Math.max(ay, by) + reachY,
        (vertex) => {
          const [x, y] = [vertices.ends[4 * vertex], vertices.ends[4 * vertex + 1]];
          const px = (x - ax) * scale[0];
          const py = (y - ay) * scale[1];
          const along = (px * dx + py * dy) / length;
          if (!(along > 0 && along < 1)) return;
          if (Math.abs(px * dy - py * dx) > metres * Math.sqrt(length)) return;
          if ((x === ax && y === ay) || (x === bx && y === by)) return;
          found.push({ along, x, y });
        },
      );
      found.sort((one, other) => one.along - other.along);
      for (const { x, y } of found) {
        const last = 2 * (builder.vertices - 1);
        if (builder.coordinate(last) === x && builder.coordinate(last + 1) === y) continue;
        builder.vertex(x, y);
        counts.added++;
      }
    }
  }
}

/** The vertices of geometries as points. */
function verticesOf(array: GeometryArray): GeometryArray {
  const builder = new GeometryMaker(array.vertexCount);
  for (let v = array.firstVertex(0); v < array.vertexCount; v++) {
    builder.feature(Kind.Point);
    builder.part();
    builder.ring();
    builder.run(array.xy, v, 1);
  }
  return builder.finish();
}
