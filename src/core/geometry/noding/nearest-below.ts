import { orientation } from '../predicates.ts';
import type { BoxTree } from './box-tree.ts';

/** Chains whose pieces meet in nodes only: those of `Chains` after noding, or runs along rings. */
export interface Runs {
  x: Float64Array;
  y: Float64Array;
  count: number;
  start: Uint32Array;
  node: Uint32Array;
}

/** Boxes of all runs, least x, least y, greatest x, greatest y: those of their two ends, since no run turns back. */
export function runBoxes({ x, y, start, node, count }: Runs): Float64Array {
  const boxes = new Float64Array(4 * count);
  for (let c = 0; c < count; c++) {
    const u = node[start[c]];
    const v = node[start[c + 1] - 1];
    boxes[4 * c] = Math.min(x[u], x[v]);
    boxes[4 * c + 1] = Math.min(y[u], y[v]);
    boxes[4 * c + 2] = Math.max(x[u], x[v]);
    boxes[4 * c + 3] = Math.max(y[u], y[v]);
  }
  return boxes;
}

/**
 * Finds the piece that lies next below a point: the first that a ray downwards from it meets, the ray standing an
 * infinitesimal step to the right of the point. Exact.
 */
export class NearestBelow {
  private readonly runs: Runs;
  private readonly tree: BoxTree | null;
  private readonly skip: (position: number) => boolean;
  private best = -1;
  /** Left and right node of the best piece so far, and a height under which it nowhere lies at the point. */
  private left = 0;
  private right = 0;
  private floor = 0;
  private px = 0;
  private py = 0;

  /**
   * @param tree of the boxes of the runs; null to look at all of them
   * @param skip pieces, by the position of their first node, that do not count
   */
  constructor(runs: Runs, tree: BoxTree | null, skip: (position: number) => boolean = () => false) {
    this.runs = runs;
    this.tree = tree;
    this.skip = skip;
  }

  /** The position at which the piece begins; −1 when there is none. */
  find(px: number, py: number): number {
    this.best = -1;
    this.floor = -Infinity;
    this.px = px;
    this.py = py;
    const { tree, runs } = this;
    if (tree === null) for (let run = 0; run < runs.count; run++) this.tryRun(run);
    else if (tree.count > 0) this.descend(tree, tree.top, tree.levels[tree.top]);
    return this.best;
  }

  /** Is the piece that was found run through from left to right? */
  get forward(): boolean {
    return this.runs.node[this.best] === this.left;
  }

  private mayHold(tree: BoxTree, node: number): boolean {
    const { boxes } = tree;
    const k = 4 * node;
    return (
      boxes[k] <= this.px && boxes[k + 2] > this.px && boxes[k + 1] < this.py && boxes[k + 3] >= this.floor
    );
  }

  /** Highest boxes first: what is found there leaves the lower ones out. */
  private descend(tree: BoxTree, level: number, node: number): void {
    if (!this.mayHold(tree, node)) return;
    if (level === 0) {
      this.tryRun(tree.items[node]);
      return;
    }
    const first = tree.firstChild(level, node);
    const end = tree.endChild(level, node);
    let last = Infinity;
    let lastChild = -1;
    for (;;) {
      let next = -1;
      let height = -Infinity;
      for (let child = first; child < end; child++) {
        const top = tree.boxes[4 * child + 3];
        if (top > last || (top === last && child <= lastChild)) continue;
        if (next < 0 || top > height) {
          next = child;
          height = top;
        }
      }
      if (next < 0 || height < this.floor) return;
      this.descend(tree, level - 1, next);
      last = height;
      lastChild = next;
    }
  }

  /** Looks at the piece of a run that stands over the point's x, if there is one. */
  private tryRun(run: number): void {
    const { x, start, node } = this.runs;
    const first = start[run];
    const end = start[run + 1] - 1;
    const rising = x[node[end]] > x[node[first]];
    const low = rising ? x[node[first]] : x[node[end]];
    const high = rising ? x[node[end]] : x[node[first]];
    if (!(low <= this.px && this.px < high)) return;
    // The piece with left ≤ px < right: along the run, x never turns back.
    let a = first;
    let b = end;
    while (b - a > 1) {
      const middle = (a + b) >> 1;
      if (x[node[middle]] <= this.px === rising) a = middle;
      else b = middle;
    }
    this.tryPiece(a, rising);
  }

  private tryPiece(position: number, rising: boolean): void {
    if (this.skip(position)) return;
    const { x, y, node } = this.runs;
    const left = node[rising ? position : position + 1];
    const right = node[rising ? position + 1 : position];
    if (!(orientation(x[left], y[left], x[right], y[right], this.px, this.py) > 0)) return;
    if (this.best >= 0 && !this.isAbove(left, right)) return;
    this.best = position;
    this.left = left;
    this.right = right;
    const t = (this.px - x[left]) / (x[right] - x[left]);
    const height = y[left] + t * (y[right] - y[left]);
    this.floor = Math.max(
      Math.min(y[left], y[right]),
      height - 1e-12 * (Math.abs(y[left]) + Math.abs(y[right])),
    );
  }

  /** Does a piece stand above the best one, just right of the point? They do not cross. */
  private isAbove(left: number, right: number): boolean {
    const { x, y } = this.runs;
    const l = this.left;
    const r = this.right;
    if (left === l) return orientation(x[l], y[l], x[r], y[r], x[right], y[right]) > 0;
    if (x[left] >= x[l]) {
      const side = orientation(x[l], y[l], x[r], y[r], x[left], y[left]);
      return side !== 0 ? side > 0 : orientation(x[l], y[l], x[r], y[r], x[right], y[right]) > 0;
    }
    const side = orientation(x[left], y[left], x[right], y[right], x[l], y[l]);
    return side !== 0 ? side < 0 : orientation(x[left], y[left], x[right], y[right], x[r], y[r]) < 0;
  }
}
