import { usable } from '../predicates.ts';

/** Makes room for at least `needed` entries; what was there stays. */
export function roomFor<T extends Int32Array | Uint32Array | Float64Array | Uint8Array>(
  array: T,
  needed: number,
): T {
  if (needed <= array.length) return array;
  let capacity = Math.max(64, array.length + (array.length >> 1));
  if (capacity < needed) capacity = needed;
  const larger = new (array.constructor as new (length: number) => T)(capacity);
  larger.set(array as never);
  return larger;
}

const double = new Float64Array(2);
const words = new Uint32Array(double.buffer);

function hashOf(x: number, y: number): number {
  double[0] = x;
  double[1] = y;
  let hash = Math.imul(words[0] ^ Math.imul(words[1], 0x85ebca6b), 0x9e3779b1);
  hash = Math.imul(hash ^ (hash >>> 15) ^ words[2], 0xc2b2ae35);
  hash = Math.imul(hash ^ (hash >>> 13) ^ words[3], 0x27d4eb2f);
  return hash ^ (hash >>> 16);
}

/**
 * Lines and borders as chains of nodes. Each position (a pair of doubles) is one node; a chain is a run of nodes along
 * which neither x nor y ever turns back, so that its box is that of its two ends and it never meets itself.
 *
 * Each chain carries two winding contributions: how much the winding number of operand A (B) is greater on the left of
 * its direction than on the right. Lines that enclose nothing carry (0, 0).
 *
 * All is kept in flat buffers that are used again after `clear`: about 40 bytes a vertex.
 */
export class Chains {
  /** Number of nodes; node n lies at (x[n], y[n]). */
  nodes = 0;
  x = new Float64Array(64);
  y = new Float64Array(64);
  /** Number of chains; chain c runs through `node[start[c] … start[c + 1]]`. */
  count = 0;
  start = new Uint32Array(64);
  node = new Uint32Array(64);
  /** Contributions of each chain. */
  windA = new Int32Array(64);
  windB = new Int32Array(64);
  /** Nodes by their positions: open addressing. Entries up to `base` are from before the last `clear`. */
  private table = new Uint32Array(256);
  private base = 0;
  private directionX = 0;
  private directionY = 0;
  private last = -1;
  private open = false;
  private a = 0;
  private b = 0;

  /** Positions in all chains; each chain has one more than it has pieces. */
  get positions(): number {
    return this.start[this.count];
  }

  /** Forgets everything but the room. */
  clear(): void {
    this.base += this.nodes;
    if (this.base > 0xf0000000) {
      this.table.fill(0);
      this.base = 0;
    }
    this.nodes = 0;
    this.count = 0;
    this.start[0] = 0;
    this.last = -1;
    this.open = false;
  }

  /** Makes room for a number of vertices that is known beforehand. */
  expect(vertices: number): void {
    const needed = this.nodes + vertices;
    this.x = roomFor(this.x, needed);
    this.y = roomFor(this.y, needed);
    this.node = roomFor(this.node, this.positions + vertices + (vertices >> 2));
    if (needed * 1.5 > this.table.length) this.enlargeTable(needed);
  }

  /** The node at a position, made when there is none. */
  nodeAt(x: number, y: number): number {
    x = usable(x);
    y = usable(y);
    const { table, base } = this;
    const mask = table.length - 1;
    let slot = hashOf(x, y) & mask;
    for (;;) {
      const known = table[slot];
      if (known <= base) break;
      const n = known - base - 1;
      if (this.x[n] === x && this.y[n] === y) return n;
      slot = (slot + 1) & mask;
    }
    const n = this.nodes++;
    table[slot] = base + n + 1;
    if (n >= this.x.length) {
      this.x = roomFor(this.x, n + 1);
      this.y = roomFor(this.y, n + 1);
    }
    this.x[n] = x;
    this.y[n] = y;
    if (this.nodes * 1.5 > table.length) this.enlargeTable(this.nodes);
    return n;
  }

  private enlargeTable(nodes: number): void {
    let size = this.table.length;
    while (size < nodes * 1.5) size *= 2;
    if (size === this.table.length) size *= 2;
    const table = new Uint32Array(size);
    const mask = size - 1;
    for (let n = 0; n < this.nodes; n++) {
      let slot = hashOf(this.x[n], this.y[n]) & mask;
      while (table[slot] !== 0) slot = (slot + 1) & mask;
      table[slot] = n + 1;
    }
    this.table = table;
    this.base = 0;
  }

  /** Begins a path with the winding contributions of its own direction. */
  begin(a: number, b: number): void {
    this.end();
    this.a = a;
    this.b = b;
  }

  /** Leads the path on to a position; positions that repeat the last one are passed over. */
  to(x: number, y: number): void {
    this.toNode(this.nodeAt(x, y));
  }

  /** Leads the path on to a node. */
  toNode(n: number): void {
    const { last } = this;
    if (last < 0) {
      this.last = n;
      return;
    }
    if (n === last) return;
    const dx = this.x[n] - this.x[last];
    const dy = this.y[n] - this.y[last];
    if (!this.open || dx * this.directionX < 0 || dy * this.directionY < 0) {
      this.close();
      this.openChain(last);
    }
    if (dx !== 0) this.directionX = dx > 0 ? 1 : -1;
    if (dy !== 0) this.directionY = dy > 0 ? 1 : -1;
    const at = this.start[this.count + 1]++;
    if (at >= this.node.length) this.node = roomFor(this.node, at + 1);
    this.node[at] = n;
    this.last = n;
  }

  private openChain(first: number): void {
    const c = this.count;
    if (c + 1 >= this.start.length) this.start = roomFor(this.start, c + 2);
    if (c >= this.windA.length) {
      this.windA = roomFor(this.windA, c + 1);
      this.windB = roomFor(this.windB, c + 1);
    }
    this.windA[c] = this.a;
    this.windB[c] = this.b;
    const at = this.start[c];
    if (at >= this.node.length) this.node = roomFor(this.node, at + 1);
    this.node[at] = first;
    this.start[c + 1] = at + 1;
    this.directionX = 0;
    this.directionY = 0;
    this.open = true;
  }

  private close(): void {
    if (!this.open) return;
    this.count++;
    this.open = false;
  }

  /** Ends the path. */
  end(): void {
    this.close();
    this.last = -1;
  }

  /** Adds a path of vertices `from … end` of interleaved coordinates; a ring is closed where it is not. */
  addPath(xy: Float64Array, from: number, end: number, a: number, b: number, ring = false): void {
    this.begin(a, b);
    for (let k = 2 * from; k < 2 * end; k += 2) this.to(xy[k], xy[k + 1]);
    if (ring && end > from) this.to(xy[2 * from], xy[2 * from + 1]);
    this.end();
  }

  /** Puts other runs of nodes in the place of those that the chains had. */
  replace(start: Uint32Array<ArrayBuffer>, node: Uint32Array<ArrayBuffer>): void {
    this.start = start;
    this.node = node;
  }
}
