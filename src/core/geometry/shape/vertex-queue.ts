/**
 * Numbers 0 … count − 1 by weight, the least first; equal weights in the order of their numbers. A heap in which weights may change
 * (J. W. J. Williams 1964), with four children a node (D. B. Johnson 1975): weights that are compared lie side by side.
 */
export class VertexQueue {
  /** The weight of the number that was taken last. */
  taken = Number.NaN;
  private readonly heap: Uint32Array;
  private readonly keys: Float64Array;
  private readonly place: Int32Array;
  private size = 0;

  constructor(count: number) {
    this.heap = new Uint32Array(count);
    this.keys = new Float64Array(count);
    this.place = new Int32Array(count).fill(-1);
  }

  /** Puts a number in that is not there; all of them must be in order before one is taken: see `order`. */
  fill(n: number, weight: number): void {
    this.place[n] = this.size;
    this.heap[this.size] = n;
    this.keys[this.size++] = weight;
  }

  /** Brings what was filled in into order, in linear time (R. W. Floyd 1964). */
  order(): void {
    for (let at = (this.size - 2) >> 2; at >= 0; at--) this.down(at, this.heap[at], this.keys[at]);
  }

  /** Is a number in it? */
  has(n: number): boolean {
    return this.place[n] >= 0;
  }

  /** Puts a number in, or gives it another weight. */
  put(n: number, weight: number): void {
    const known = this.place[n];
    if (known < 0) this.up(this.size++, n, weight);
    else if (weight < this.keys[known]) this.up(known, n, weight);
    else this.down(known, n, weight);
  }

  /** Takes the number of the least weight; −1 when there is none. */
  pop(): number {
    if (this.size === 0) return -1;
    const { heap, keys, place } = this;
    const n = heap[0];
    this.taken = keys[0];
    place[n] = -1;
    const last = --this.size;
    if (last > 0) this.down(0, heap[last], keys[last]);
    return n;
  }

  /** Moves a number up from a place that is free. */
  private up(at: number, n: number, weight: number): void {
    const { heap, keys, place } = this;
    while (at > 0) {
      const parent = (at - 1) >> 2;
      const key = keys[parent];
      if (key < weight || (key === weight && heap[parent] < n)) break;
      heap[at] = heap[parent];
      keys[at] = key;
      place[heap[at]] = at;
      at = parent;
    }
    heap[at] = n;
    keys[at] = weight;
    place[n] = at;
  }

  private down(at: number, n: number, weight: number): void {
    const { heap, keys, place, size } = this;
    for (;;) {
      const first = 4 * at + 1;
      if (first >= size) break;
      const end = Math.min(first + 4, size);
      let least = first;
      let key = keys[first];
      for (let child = first + 1; child < end; child++) {
        const own = keys[child];
        if (own < key || (own === key && heap[child] < heap[least])) {
          least = child;
          key = own;
        }
      }
      if (weight < key || (weight === key && n < heap[least])) break;
      heap[at] = heap[least];
      keys[at] = key;
      place[heap[at]] = at;
      at = least;
    }
    heap[at] = n;
    keys[at] = weight;
    place[n] = at;
  }
}
