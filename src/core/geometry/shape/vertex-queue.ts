/** Numbers 0 … count − 1 by weight, the least first: a binary heap in which weights may change (J. W. J. Williams 1964). */
export class VertexQueue {
  private readonly heap: Uint32Array;
  private readonly place: Int32Array;
  private readonly weights: Float64Array;
  private size = 0;

  constructor(count: number) {
    this.heap = new Uint32Array(count);
    this.place = new Int32Array(count).fill(-1);
    this.weights = new Float64Array(count);
  }

  /** The weight that a number has, or had when it was taken. */
  weightOf(n: number): number {
    return this.weights[n];
  }

  /** Puts a number in, or gives it another weight. Equal weights come in the order of their numbers. */
  put(n: number, weight: number): void {
    const { place, heap, weights } = this;
    const known = place[n];
    const before = weights[n];
    weights[n] = weight;
    if (known < 0) {
      heap[this.size] = n;
      place[n] = this.size;
      this.up(this.size++);
    } else if (weight < before) this.up(known);
    else this.down(known);
  }

  /** Takes the number of the least weight; −1 when there is none. */
  pop(): number {
    if (this.size === 0) return -1;
    const { heap, place } = this;
    const n = heap[0];
    place[n] = -1;
    const last = heap[--this.size];
    if (this.size > 0) {
      heap[0] = last;
      place[last] = 0;
      this.down(0);
    }
    return n;
  }

  private less(a: number, b: number): boolean {
    const { weights } = this;
    return weights[a] < weights[b] || (weights[a] === weights[b] && a < b);
  }

  private up(at: number): void {
    const { heap, place } = this;
    const n = heap[at];
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if (!this.less(n, heap[parent])) break;
      heap[at] = heap[parent];
      place[heap[at]] = at;
      at = parent;
    }
    heap[at] = n;
    place[n] = at;
  }

  private down(at: number): void {
    const { heap, place, size } = this;
    const n = heap[at];
    for (;;) {
      let child = 2 * at + 1;
      if (child >= size) break;
      if (child + 1 < size && this.less(heap[child + 1], heap[child])) child++;
      if (!this.less(heap[child], n)) break;
      heap[at] = heap[child];
      place[heap[at]] = at;
      at = child;
    }
    heap[at] = n;
    place[n] = at;
  }
}
