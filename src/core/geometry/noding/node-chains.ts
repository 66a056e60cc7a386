import { orientation } from '../predicates.ts';
import { BoxTree } from './box-tree.ts';
import { type Chains, roomFor } from './chains.ts';
import { crossingPoint } from './crossing.ts';

/** Up to this many chains are held against each other one by one; above, a tree finds those that may meet. */
const treeFrom = 24;

/** Boxes of all chains, least x, least y, greatest x, greatest y. */
export function chainBoxes(chains: Chains): Float64Array {
  const { x, y, start, node, count } = chains;
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
 * Cuts chains at every point where they meet, until their pieces meet in nodes only.
 *
 * Meetings are found exactly (adaptive predicates), crossings are rounded to the nearest double (or to whole numbers,
 * when the coordinates are those of a grid), and what rounding moved is looked at again. Vertices never move.
 *
 * That ends: rounding is monotone, so that a crossing lies in the boxes of both segments, and a segment that is cut
 * stays a chain along which neither x nor y turns back, with one vertex more, each at another position of the
 * finitely many in its box. Each round but the last adds such a vertex. Two or three rounds are the rule.
 */
export class ChainNoding {
  private readonly chains: Chains;
  private readonly whole: boolean;
  /** First of the splits of the piece that begins at a position, or −1. */
  private head = new Int32Array(64);
  private next = new Int32Array(64);
  private splitNode = new Uint32Array(64);
  private splits = 0;
  private readonly point = new Float64Array(2);
  private readonly passed: number[] = [];
  /** The boxes of chains in a tree: they stay as they are, since a chain stays in its box. */
  private tree: BoxTree | null = null;

  /** @param whole crossings are rounded to whole numbers; then all coordinates are whole */
  constructor(chains: Chains, whole = false) {
    this.chains = chains;
    this.whole = whole;
  }

  /** Nodes all chains. Returns the number of crossings that were made nodes. */
  run(): number {
    const { chains } = this;
    const before = chains.nodes;
    const { count } = chains;
    this.tree = count > treeFrom ? new BoxTree(chainBoxes(chains)) : null;
    this.clearSplits();
    if (this.tree !== null) this.tree.pairs((c, d) => this.meetChains(c, d));
    else for (let c = 0; c < count; c++) for (let d = c + 1; d < count; d++) this.meetChains(c, d);
    const changed = new Uint8Array(count);
    while (this.splits > 0) {
      changed.fill(0);
      this.applySplits(changed);
      this.clearSplits();
      this.again(changed);
    }
    return chains.nodes - before;
  }

  /** The tree of the boxes of all chains, where there are so many that one was made. */
  get boxTree(): BoxTree | null {
    return this.tree;
  }

  private clearSplits(): void {
    const { positions } = this.chains;
    this.head = roomFor(this.head, positions);
    this.head.fill(-1, 0, positions);
    this.splits = 0;
  }

  /** Holds chains that were changed against all others. */
  private again(changed: Uint8Array): void {
    const { chains, tree } = this;
    const { x, y, start, node, count } = chains;
    for (let c = 0; c < count; c++) {
      if (changed[c] === 0) continue;
      const visit = (d: number): void => {
        if (d !== c && (changed[d] === 0 || d > c)) this.meetChains(c, d);
      };
      if (tree === null) for (let d = 0; d < count; d++) visit(d);
      else {
        const u = node[start[c]];
        const v = node[start[c + 1] - 1];
        tree.search(
          Math.min(x[u], x[v]),
          Math.min(y[u], y[v]),
          Math.max(x[u], x[v]),
          Math.max(y[u], y[v]),
          visit,
        );
      }
    }
  }

  private meetChains(c: number, d: number): void {
    const { start } = this.chains;
    this.meetRuns(start[c], start[c + 1] - 1, start[d], start[d + 1] - 1);
  }

  /** Pieces between positions i0 … i1 of one chain and j0 … j1 of another: halved until single ones are left. */
  private meetRuns(i0: number, i1: number, j0: number, j1: number): void {
    const { x, y, node } = this.chains;
    const a = node[i0];
    const b = node[i1];
    const c = node[j0];
    const d = node[j1];
    const ax = x[a];
    const bx = x[b];
    const cx = x[c];
    const dx = x[d];
    if (Math.max(ax, bx) < Math.min(cx, dx) || Math.max(cx, dx) < Math.min(ax, bx)) return;
    const ay = y[a];
    const by = y[b];
    const cy = y[c];
    const dy = y[d];
    if (Math.max(ay, by) < Math.min(cy, dy) || Math.max(cy, dy) < Math.min(ay, by)) return;
    if (i1 - i0 === 1 && j1 - j0 === 1) this.meet(i0, j0);
    else if (i1 - i0 >= j1 - j0) {
      const middle = (i0 + i1) >> 1;
      this.meetRuns(i0, middle, j0, j1);
      this.meetRuns(middle, i1, j0, j1);
    } else {
      const middle = (j0 + j1) >> 1;
      this.meetRuns(i0, i1, j0, middle);
      this.meetRuns(i0, i1, middle, j1);
    }
  }

  /** Records where the pieces that begin at positions i and j, whose boxes meet, meet themselves. */
  private meet(i: number, j: number): void {
    const { x, y, node } = this.chains;
    const a = node[i];
    const b = node[i + 1];
    const c = node[j];
    const d = node[j + 1];
    const oc = c === a || c === b ? 0 : orientation(x[a], y[a], x[b], y[b], x[c], y[c]);
    const od = d === a || d === b ? 0 : orientation(x[a], y[a], x[b], y[b], x[d], y[d]);
    if ((oc > 0 && od > 0) || (oc < 0 && od < 0)) return;
    const shared = c === a || c === b || d === a || d === b;
    // Pieces that share a node meet elsewhere only when they lie on one line.
    if (shared && (oc !== 0 || od !== 0)) return;
    const oa = a === c || a === d ? 0 : orientation(x[c], y[c], x[d], y[d], x[a], y[a]);
    const ob = b === c || b === d ? 0 : orientation(x[c], y[c], x[d], y[d], x[b], y[b]);
    if ((oa > 0 && ob > 0) || (oa < 0 && ob < 0)) return;
    if (oa !== 0 && ob !== 0 && oc !== 0 && od !== 0) {
      crossingPoint(x[a], y[a], x[b], y[b], x[c], y[c], x[d], y[d], this.point);
      const n = this.whole
        ? this.chains.nodeAt(Math.round(this.point[0]), Math.round(this.point[1]))
        : this.chains.nodeAt(this.point[0], this.point[1]);
      if (n !== a && n !== b) this.split(i, n);
      if (n !== c && n !== d) this.split(j, n);
      return;
    }
    if (oc === 0 && c !== a && c !== b && this.within(c, a, b)) this.split(i, c);
    if (od === 0 && d !== a && d !== b && this.within(d, a, b)) this.split(i, d);
    if (oa === 0 && a !== c && a !== d && this.within(a, c, d)) this.split(j, a);
    if (ob === 0 && b !== c && b !== d && this.within(b, c, d)) this.split(j, b);
  }

  private within(n: number, u: number, v: number): boolean {
    const { x, y } = this.chains;
    return (
      x[n] >= Math.min(x[u], x[v]) &&
      x[n] <= Math.max(x[u], x[v]) &&
      y[n] >= Math.min(y[u], y[v]) &&
      y[n] <= Math.max(y[u], y[v])
    );
  }

  private split(position: number, n: number): void {
    const s = this.splits++;
    if (s >= this.next.length) {
      this.next = roomFor(this.next, s + 1);
      this.splitNode = roomFor(this.splitNode, s + 1);
    }
    this.next[s] = this.head[position];
    this.splitNode[s] = n;
    this.head[position] = s;
  }

  /** Makes the chains pass through the nodes found; marks those that changed. */
  private applySplits(changed: Uint8Array): void {
    const { chains, head, next, splitNode, passed } = this;
    const { start, node, count, x, y } = chains;
    const newStart = new Uint32Array(count + 1);
    const newNode = new Uint32Array(chains.positions + this.splits);
    let at = 0;
    for (let c = 0; c < count; c++) {
      newStart[c] = at;
      const end = start[c + 1] - 1;
      for (let p = start[c]; p < end; p++) {
        const u = node[p];
        newNode[at++] = u;
        if (head[p] < 0) continue;
        changed[c] = 1;
        passed.length = 0;
        for (let s = head[p]; s >= 0; s = next[s]) passed.push(splitNode[s]);
        if (passed.length > 1) {
          const v = node[p + 1];
          const right = x[v] >= x[u] ? 1 : -1;
          const up = y[v] >= y[u] ? 1 : -1;
          passed.sort((m, n) => right * (x[m] - x[n]) || up * (y[m] - y[n]));
        }
        let last = u;
        for (const n of passed) {
          if (n !== last) newNode[at++] = n;
          last = n;
        }
      }
      newNode[at++] = node[end];
    }
    newStart[count] = at;
    chains.replace(newStart, newNode);
  }
}
