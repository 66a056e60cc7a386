import { leastExponent, orientation, scaledInteger } from '../predicates.ts';
import { BoxTree } from './box-tree.ts';
import { type Chains, roomFor } from './chains.ts';
import { crossingPoint } from './crossing.ts';
import { runBoxes } from './nearest-below.ts';

/** Up to this many chains are held against each other one by one; above, a tree finds those that may meet. */
const treeFrom = 24;

const double = new Float64Array(1);
const words = new Uint32Array(double.buffer);

/** The pixel of a double: how far it reaches down and up from it. */
const pixel = { down: 0, up: 0 };

/** Writes the reach of the values that are rounded to a double into `pixel`. */
function pixelOf(value: number): void {
  double[0] = value;
  const exponent = (words[1] >>> 20) & 0x7ff;
  const half = exponent > 53 ? 2 ** (exponent - 1076) : 2 ** -1022;
  pixel.down = half;
  pixel.up = half;
  // Towards zero, doubles lie twice as close next to a power of two.
  if (words[0] !== 0 || (words[1] & 0xfffff) !== 0) return;
  if (value > 0) pixel.down = half / 2;
  else if (value < 0) pixel.up = half / 2;
}

/**
 * Does the line through a and b pass the pixel of n? Of its border, a pixel holds the left and the lower side. Exact;
 * `turn` is the orientation of n to the line. Cells of a grid have one size, those of doubles (0) their own.
 */
function passesPixel(
  [ax, ay, bx, by]: readonly [number, number, number, number],
  nx: number,
  ny: number,
  gridX: number,
  gridY: number,
  turn: number,
): boolean {
  pixelOf(nx);
  const left = gridX === 0 ? pixel.down : gridX / 2;
  const right = gridX === 0 ? pixel.up : gridX / 2;
  pixelOf(ny);
  const down = gridY === 0 ? pixel.down : gridY / 2;
  const up = gridY === 0 ? pixel.up : gridY / 2;
  const dx = bx - ax;
  const dy = by - ay;
  // How the orientation changes from n to the sides of its pixel; the corners have the sums.
  const least = turn + Math.min(-dx * down, dx * up) + Math.min(dy * left, -dy * right);
  const most = turn + Math.max(-dx * down, dx * up) + Math.max(dy * left, -dy * right);
  const size = Math.abs(dx * (ny - ay)) + Math.abs(dy * (nx - ax)) + Math.abs(turn) + most - least;
  if (least > 1e-15 * size || most < -1e-15 * size) return false;
  if (least < -1e-15 * size && most > 1e-15 * size) return true;
  const values = [ax, ay, bx, by, nx, ny, left, right, down, up];
  const shift = -Math.min(...values.map(leastExponent));
  const [Ax, Ay, Bx, By, Nx, Ny, L, R, D, U] = values.map((value) => scaledInteger(value, shift));
  const at = (ox: bigint, oy: bigint) => (Bx - Ax) * (Ny + oy - Ay) - (By - Ay) * (Nx + ox - Ax);
  const corners = [at(-L, -D), at(R, -D), at(-L, U), at(R, U)];
  return corners[0] === 0n || (corners.some((c) => c < 0n) && corners.some((c) => c > 0n));
}

/**
 * Cuts chains at every point where they meet, until their pieces meet in nodes only.
 *
 * Meetings are found exactly (adaptive predicates) and crossings rounded to the nearest double. Where rounding made
 * pieces meet anew, all is done again by snap rounding (Hobby 1999; Guibas and Marimont 1998) with the doubles as its
 * grid: every segment runs through all nodes whose pixel, the positions that are rounded to them, it passes. So far no
 * vertex moves. The doubles are no even grid, though, and lines that run within a few units in the last place of each
 * other across a power of two can still meet; then the vertices too are rounded to the unit in the last place of the
 * greatest coordinate, an even grid, on which snap rounding leaves no crossing.
 *
 * It ends in any case: rounding is monotone, so that a node lies in the box of each segment that runs through its
 * pixel, and a cut segment stays a chain along which neither x nor y turns back. Each round but the last makes a node
 * or cuts a piece at one, and there are finitely many positions in the boxes.
 */
export class ChainNoding {
  private readonly chains: Chains;
  /** First of the splits of the piece that begins at a position, or −1. */
  private head = new Int32Array(64);
  private next = new Int32Array(64);
  private splitNode = new Uint32Array(64);
  private splits = 0;
  private readonly point = new Float64Array(2);
  private readonly ends = new Float64Array(8);
  private readonly passed: number[] = [];
  private changed = new Uint8Array(64);
  /** The boxes of chains in a tree: they stay as they are, since a chain stays in its box. */
  private tree: BoxTree | null = null;
  /** Pieces run through the nodes whose pixels they pass, and crossings are not looked for. */
  private byPixels = false;
  /** A crossing was found. */
  private crossed = false;
  /** Width and height of the cells of the grid that nodes lie on; 0: all doubles. */
  private gridX = 0;
  private gridY = 0;
  private readonly visitPair = (c: number, d: number): void => this.meetChains(c, d);

  constructor(chains: Chains) {
    this.chains = chains;
  }

  /** The tree of the boxes of all chains, where there are so many that one was made. */
  get boxTree(): BoxTree | null {
    return this.tree;
  }

  /**
   * Nodes all chains. Returns the number of crossings that were made nodes.
   *
   * @param grid a power of two: nodes lie on its multiples, as the vertices already do. 0: wherever doubles are.
   */
  run(grid = 0): number {
    const { chains } = this;
    const vertices = chains.nodes;
    this.gridX = grid;
    this.gridY = grid;
    this.plantTree();
    this.meetAll();
    const { start, node } = chains;
    // On a grid, segments keep away from all nodes that they do not run through.
    if (grid === 0 ? this.settle() : this.snap(start, node, vertices)) return chains.nodes - vertices;
    if (grid === 0 && this.snap(start, node, vertices)) return chains.nodes - vertices;
    if (grid === 0) {
      chains.replace(start, node);
      this.roundVertices();
    }
    const rounded = { start: chains.start, node: chains.node };
    this.plantTree();
    this.meetAll();
    for (let before = -1; !this.snap(rounded.start, rounded.node, vertices); ) {
      // A crossing that was rounded twice may be rounded to the cell next to its own: then bit by bit.
      if (chains.nodes === before && this.settle(false, true)) break;
      before = chains.nodes;
    }
    return chains.nodes - vertices;
  }

  /** Cuts chains, before they are noded, at nodes that lie on them and belong to none. */
  passThrough(nodes: readonly number[]): void {
    if (nodes.length === 0) return;
    this.plantTree();
    this.gridX = 0;
    this.gridY = 0;
    this.byPixels = false;
    for (const n of nodes) this.meetNode(n);
    if (this.splits > 0) this.applySplits(this.changed);
  }

  private plantTree(): void {
    const { chains } = this;
    this.tree = chains.count > treeFrom ? new BoxTree(runBoxes(chains)) : null;
    this.changed = roomFor(this.changed, chains.count);
    this.clearSplits();
  }

  /**
   * Makes the splits found, and those that they entail; `all`: not only what is cut now may meet anew. False as soon as
   * pieces cross anew: rounding moved them. `whatever`: goes on all the same.
   */
  private settle(all = false, whatever = false): boolean {
    const { chains, changed } = this;
    for (let first = true; this.splits > 0 || (first && all); first = false) {
      changed.fill(0, 0, chains.count);
      this.applySplits(changed);
      if (first && all) changed.fill(1, 0, chains.count);
      this.clearSplits();
      this.crossed = false;
      this.again(changed);
      if (this.crossed && !whatever) return false;
    }
    return true;
  }

  /** Snap rounding of the chains as they were given, with all nodes found so far. False when pieces still cross. */
  private snap(start: Uint32Array<ArrayBuffer>, node: Uint32Array<ArrayBuffer>, vertices: number): boolean {
    const { chains } = this;
    chains.replace(start, node);
    this.clearSplits();
    this.byPixels = true;
    this.meetAll();
    for (let n = vertices; n < chains.nodes; n++) if (this.isOnGrid(n)) this.meetNode(n);
    this.byPixels = false;
    return this.settle(true);
  }

  /** Rounds all vertices to the unit in the last place of the greatest coordinate. */
  private roundVertices(): void {
    const { chains } = this;
    let x = 0;
    let y = 0;
    for (let n = 0; n < chains.nodes; n++) {
      x = Math.max(x, Math.abs(chains.x[n]));
      y = Math.max(y, Math.abs(chains.y[n]));
    }
    pixelOf(x);
    this.gridX = 2 * pixel.up;
    pixelOf(y);
    this.gridY = 2 * pixel.up;
    const { count, start, node } = chains;
    const newStart = new Uint32Array(count + 1);
    const newNode = new Uint32Array(chains.positions);
    let at = 0;
    for (let c = 0; c < count; c++) {
      newStart[c] = at;
      for (let p = start[c]; p < start[c + 1]; p++) {
        const n = this.nodeAt(chains.x[node[p]], chains.y[node[p]]);
        if (at === newStart[c] || newNode[at - 1] !== n) newNode[at++] = n;
      }
    }
    newStart[count] = at;
    chains.replace(newStart, newNode);
  }

  /** Nodes of an attempt before the vertices were rounded may lie elsewhere. */
  private isOnGrid(n: number): boolean {
    const { x, y } = this.chains;
    const { gridX, gridY } = this;
    return (
      gridX === 0 || (Math.round(x[n] / gridX) * gridX === x[n] && Math.round(y[n] / gridY) * gridY === y[n])
    );
  }

  private nodeAt(x: number, y: number): number {
    const { gridX, gridY } = this;
    if (gridX === 0) return this.chains.nodeAt(x, y);
    return this.chains.nodeAt(Math.round(x / gridX) * gridX + 0, Math.round(y / gridY) * gridY + 0);
  }

  private meetAll(): void {
    const { count } = this.chains;
    if (this.tree !== null) this.tree.pairs(this.visitPair);
    else for (let c = 0; c < count; c++) for (let d = c + 1; d < count; d++) this.meetChains(c, d);
  }

  /** Holds a node against all chains, by its pixel. */
  private meetNode(n: number): void {
    const { x, y, start, count } = this.chains;
    const visit = (c: number): void => this.meetNodeRun(n, start[c], start[c + 1] - 1);
    if (this.tree !== null) this.tree.search(x[n], y[n], x[n], y[n], visit);
    else for (let c = 0; c < count; c++) visit(c);
  }

  private meetNodeRun(n: number, from: number, to: number): void {
    const { x, y, node } = this.chains;
    const u = node[from];
    const v = node[to];
    if (n === u || n === v || !this.within(n, u, v)) return;
    if (to - from > 1) {
      const middle = (from + to) >> 1;
      this.meetNodeRun(n, from, middle);
      this.meetNodeRun(n, middle, to);
    } else if (this.isOn(n, u, v, orientation(x[u], y[u], x[v], y[v], x[n], y[n]))) this.split(from, n);
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
    // Rounding to a grid can leave a chain of a single node.
    if (i0 === i1 || j0 === j1) return;
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
    const { byPixels } = this;
    const { x, y, node } = this.chains;
    const a = node[i];
    const b = node[i + 1];
    const c = node[j];
    const d = node[j + 1];
    const oc = c === a || c === b ? 0 : orientation(x[a], y[a], x[b], y[b], x[c], y[c]);
    const od = d === a || d === b ? 0 : orientation(x[a], y[a], x[b], y[b], x[d], y[d]);
    if (!byPixels && ((oc > 0 && od > 0) || (oc < 0 && od < 0))) return;
    const shared = c === a || c === b || d === a || d === b;
    // Pieces that share a node meet elsewhere only when they lie on one line.
    if (!byPixels && shared && (oc !== 0 || od !== 0)) return;
    const oa = a === c || a === d ? 0 : orientation(x[c], y[c], x[d], y[d], x[a], y[a]);
    const ob = b === c || b === d ? 0 : orientation(x[c], y[c], x[d], y[d], x[b], y[b]);
    const apart = (oc > 0 && od > 0) || (oc < 0 && od < 0) || (oa > 0 && ob > 0) || (oa < 0 && ob < 0);
    if (apart && !byPixels) return;
    if (!byPixels && oa !== 0 && ob !== 0 && oc !== 0 && od !== 0) {
      this.cross(i, j, a, b, c, d);
      return;
    }
    if (c !== a && c !== b && this.isOn(c, a, b, oc)) this.split(i, c);
    if (d !== a && d !== b && this.isOn(d, a, b, od)) this.split(i, d);
    if (a !== c && a !== d && this.isOn(a, c, d, oa)) this.split(j, a);
    if (b !== c && b !== d && this.isOn(b, c, d, ob)) this.split(j, b);
  }

  private cross(i: number, j: number, a: number, b: number, c: number, d: number): void {
    const { x, y } = this.chains;
    const { point, ends } = this;
    this.crossed = true;
    [a, b, c, d].forEach((n, k) => {
      ends[2 * k] = x[n];
      ends[2 * k + 1] = y[n];
    });
    crossingPoint(ends, point);
    const n = this.nodeAt(point[0], point[1]);
    if (n !== a && n !== b) this.split(i, n);
    if (n !== c && n !== d) this.split(j, n);
  }

  /**
   * Does the piece u → v run through node n (by pixels: through its pixel)? The node's orientation to it is given.
   */
  private isOn(n: number, u: number, v: number, turn: number): boolean {
    if (turn !== 0) {
      if (!this.byPixels) return false;
      const { x, y } = this.chains;
      if (!passesPixel([x[u], y[u], x[v], y[v]], x[n], y[n], this.gridX, this.gridY, turn)) return false;
    }
    return this.within(n, u, v);
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
          // A pixel that is passed at its very corner may lie in no order with the next one.
          if (n === last || (y[n] - y[last]) * (y[node[p + 1]] - y[u]) < 0) continue;
          newNode[at++] = n;
          last = n;
        }
      }
      newNode[at++] = node[end];
    }
    newStart[count] = at;
    chains.replace(newStart, newNode);
  }
}
