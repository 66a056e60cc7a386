/** Children of a node of the tree. */
const fanOut = 8;

/** The place of a point on Hilbert's curve through 2^16 × 2^16 cells (Hilbert 1891; the turning as by Skilling 2004). */
function hilbert(x: number, y: number): number {
  let place = 0;
  for (let s = 0x8000; s > 0; s >>= 1) {
    const right = (x & s) > 0 ? 1 : 0;
    const up = (y & s) > 0 ? 1 : 0;
    place = place * 4 + ((3 * right) ^ up);
    if (up === 0) {
      if (right === 1) {
        x = 0xffff - x;
        y = 0xffff - y;
      }
      const t = x;
      x = y;
      y = t;
    }
  }
  return place >>> 0;
}

/** The order in which keys grow: a radix sort, 11 bits at a time. */
function orderOf(keys: Uint32Array): Uint32Array {
  const n = keys.length;
  let order = new Uint32Array(n);
  let other = new Uint32Array(n);
  for (let i = 0; i < n; i++) order[i] = i;
  const counts = new Uint32Array(2049);
  for (let shift = 0; shift < 32; shift += 11) {
    counts.fill(0);
    for (let i = 0; i < n; i++) counts[((keys[i] >>> shift) & 2047) + 1]++;
    for (let k = 0; k < 2048; k++) counts[k + 1] += counts[k];
    for (let i = 0; i < n; i++) {
      const item = order[i];
      other[counts[(keys[item] >>> shift) & 2047]++] = item;
    }
    [order, other] = [other, order];
  }
  return order;
}

/**
 * Boxes in a packed tree, in the order of Hilbert's curve (Kamel and Faloutsos 1993): built at once, never changed.
 * Boxes that share only a border meet. About 42 bytes an item.
 */
export class BoxTree {
  readonly count: number;
  /** Boxes of items in the order of the curve, then of each level of nodes: least x, least y, greatest x, greatest y. */
  readonly boxes: Float64Array;
  /** Numbers of the items in the order of the curve. */
  readonly items: Uint32Array;
  /** Where each level begins in `boxes` (divided by four); the last is their number. */
  readonly levels: number[] = [0];
  private readonly stack: number[] = [];

  /** @param given least x, least y, greatest x, greatest y of each item */
  constructor(given: Float64Array, count = given.length / 4) {
    this.count = count;
    let total = count;
    for (let n = count; n > 1; ) {
      this.levels.push(total);
      n = Math.ceil(n / fanOut);
      total += n;
    }
    this.levels.push(total);
    this.boxes = new Float64Array(4 * total);
    this.items = this.curveOrder(given);
    const { boxes, items, levels } = this;
    for (let i = 0; i < count; i++) {
      const k = 4 * items[i];
      boxes[4 * i] = given[k];
      boxes[4 * i + 1] = given[k + 1];
      boxes[4 * i + 2] = given[k + 2];
      boxes[4 * i + 3] = given[k + 3];
    }
    for (let level = 1; level + 1 < levels.length; level++)
      for (let node = levels[level]; node < levels[level + 1]; node++) this.enclose(level, node);
  }

  private curveOrder(given: Float64Array): Uint32Array {
    const { count } = this;
    let x0 = Infinity;
    let y0 = Infinity;
    let x1 = -Infinity;
    let y1 = -Infinity;
    for (let k = 0; k < 4 * count; k += 4) {
      if (given[k] < x0) x0 = given[k];
      if (given[k + 1] < y0) y0 = given[k + 1];
      if (given[k + 2] > x1) x1 = given[k + 2];
      if (given[k + 3] > y1) y1 = given[k + 3];
    }
    const scaleX = x1 > x0 ? 0xffff / (x1 - x0) : 0;
    const scaleY = y1 > y0 ? 0xffff / (y1 - y0) : 0;
    const keys = new Uint32Array(count);
    if (count > fanOut)
      for (let i = 0, k = 0; i < count; i++, k += 4)
        keys[i] = hilbert(
          ((given[k] + given[k + 2]) / 2 - x0) * scaleX,
          ((given[k + 1] + given[k + 3]) / 2 - y0) * scaleY,
        );
    return orderOf(keys);
  }

  private enclose(level: number, node: number): void {
    const { boxes, levels } = this;
    const first = levels[level - 1] + (node - levels[level]) * fanOut;
    const end = Math.min(first + fanOut, levels[level]);
    let x0 = Infinity;
    let y0 = Infinity;
    let x1 = -Infinity;
    let y1 = -Infinity;
    for (let k = 4 * first; k < 4 * end; k += 4) {
      if (boxes[k] < x0) x0 = boxes[k];
      if (boxes[k + 1] < y0) y0 = boxes[k + 1];
      if (boxes[k + 2] > x1) x1 = boxes[k + 2];
      if (boxes[k + 3] > y1) y1 = boxes[k + 3];
    }
    boxes[4 * node] = x0;
    boxes[4 * node + 1] = y0;
    boxes[4 * node + 2] = x1;
    boxes[4 * node + 3] = y1;
  }

  /** First child of a node of a level, in `boxes`. */
  firstChild(level: number, node: number): number {
    return this.levels[level - 1] + (node - this.levels[level]) * fanOut;
  }

  /** One past the last child. */
  endChild(level: number, node: number): number {
    return Math.min(this.firstChild(level, node) + fanOut, this.levels[level]);
  }

  /** The highest level; it has one node. */
  get top(): number {
    return this.levels.length - 2;
  }

  /** Visits the items whose boxes meet the given one, until a visit returns true. */
  search(x0: number, y0: number, x1: number, y1: number, visit: (item: number) => unknown): void {
    const { boxes, items, stack } = this;
    if (this.count === 0) return;
    const base = stack.length;
    stack.push(this.top, this.levels[this.top]);
    while (stack.length > base) {
      const node = stack.pop()!;
      const level = stack.pop()!;
      const k = 4 * node;
      if (boxes[k] > x1 || boxes[k + 2] < x0 || boxes[k + 1] > y1 || boxes[k + 3] < y0) continue;
      if (level === 0) {
        if (visit(items[node]) === true) {
          stack.length = base;
          return;
        }
        continue;
      }
      const first = this.firstChild(level, node);
      for (let child = this.endChild(level, node) - 1; child >= first; child--) stack.push(level - 1, child);
    }
  }

  /** Visits each two items whose boxes meet, once. */
  pairs(visit: (one: number, other: number) => void): void {
    if (this.count > 1) this.within(this.top, this.levels[this.top], visit);
  }

  private within(level: number, node: number, visit: (one: number, other: number) => void): void {
    if (level === 0) return;
    const first = this.firstChild(level, node);
    const end = this.endChild(level, node);
    for (let one = first; one < end; one++) {
      this.within(level - 1, one, visit);
      for (let other = one + 1; other < end; other++)
        if (this.meet(one, this, other)) this.between(level - 1, one, this, level - 1, other, visit);
    }
  }

  private meet(one: number, tree: BoxTree, other: number): boolean {
    const a = this.boxes;
    const b = tree.boxes;
    const k = 4 * one;
    const l = 4 * other;
    return a[k] <= b[l + 2] && b[l] <= a[k + 2] && a[k + 1] <= b[l + 3] && b[l + 1] <= a[k + 3];
  }

  /** Visits each item of this tree with each of another whose boxes meet. */
  pairsWith(tree: BoxTree, visit: (own: number, others: number) => void): void {
    if (this.count === 0 || tree.count === 0) return;
    const [own, others] = [this.levels[this.top], tree.levels[tree.top]];
    if (this.meet(own, tree, others)) this.between(this.top, own, tree, tree.top, others, visit);
  }

  private between(
    level: number,
    one: number,
    tree: BoxTree,
    otherLevel: number,
    other: number,
    visit: (own: number, others: number) => void,
  ): void {
    if (level === 0 && otherLevel === 0) {
      visit(this.items[one], tree.items[other]);
      return;
    }
    if (level >= otherLevel) {
      const end = this.endChild(level, one);
      for (let child = this.firstChild(level, one); child < end; child++)
        if (this.meet(child, tree, other)) this.between(level - 1, child, tree, otherLevel, other, visit);
    } else {
      const end = tree.endChild(otherLevel, other);
      for (let child = tree.firstChild(otherLevel, other); child < end; child++)
        if (this.meet(one, tree, child)) this.between(level, one, tree, otherLevel - 1, child, visit);
    }
  }
}
