import { BoxTree } from '../geometry/noding/box-tree.ts';
import { locateInRing, orientation } from '../geometry/predicates.ts';

/** Rings of up to so many edges are gone through edge by edge. */
const scanUpTo = 48;

/** Says where points lie to a closed ring, again and again: exactly as `locateInRing`, by a look at the edges beside a point only. */
export class RingLocator {
  private readonly tree: BoxTree | null;

  /** @param xy x, y of each vertex; the last repeats the first */
  constructor(private readonly xy: Float64Array) {
    const edges = xy.length / 2 - 1;
    if (edges <= scanUpTo) {
      this.tree = null;
      return;
    }
    const boxes = new Float64Array(4 * edges);
    for (let e = 0; e < edges; e++) {
      boxes[4 * e] = Math.min(xy[2 * e], xy[2 * e + 2]);
      boxes[4 * e + 1] = Math.min(xy[2 * e + 1], xy[2 * e + 3]);
      boxes[4 * e + 2] = Math.max(xy[2 * e], xy[2 * e + 2]);
      boxes[4 * e + 3] = Math.max(xy[2 * e + 1], xy[2 * e + 3]);
    }
    this.tree = new BoxTree(boxes);
  }

  /** 1 inside, 0 on the ring, −1 outside. */
  locate(x: number, y: number): number {
    const { xy, tree } = this;
    if (tree === null) return locateInRing(x, y, xy, 0, xy.length / 2);
    let inside = false;
    let on = false;
    tree.search(x, y, Number.POSITIVE_INFINITY, y, (e) => {
      const [ax, ay, bx, by] = xy.subarray(2 * e, 2 * e + 4);
      if (ay <= y === by <= y) {
        const meets =
          (ax === x && ay === y) || (ay === y && by === y && x >= Math.min(ax, bx) && x <= Math.max(ax, bx));
        if (meets) on = true;
        return meets;
      }
      const turn = orientation(ax, ay, bx, by, x, y);
      if (turn === 0) on = true;
      else if (turn > 0 === by > ay) inside = !inside;
      return on;
    });
    return on ? 0 : inside ? 1 : -1;
  }
}
