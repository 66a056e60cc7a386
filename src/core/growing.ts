type Numbers = Float64Array | Uint32Array | Int32Array | Uint8Array;

/** A typed array that grows: its room doubles when it is full. */
export class Growing<T extends Numbers> {
  length = 0;
  private room: T;

  /** @param empty an array of the wanted type; its length is the room at the beginning */
  constructor(empty: T) {
    this.room = empty;
  }

  private grow(needed: number): void {
    let capacity = Math.max(64, 2 * this.room.length);
    while (capacity < needed) capacity *= 2;
    const larger = new (this.room.constructor as new (length: number) => T)(capacity);
    larger.set(this.room.subarray(0, this.length) as never);
    this.room = larger;
  }

  push(value: number): void {
    if (this.length === this.room.length) this.grow(this.length + 1);
    this.room[this.length++] = value;
  }

  /** Adds `values[from … end]`. */
  append(values: ArrayLike<number>, from = 0, end = values.length): void {
    const count = end - from;
    if (this.length + count > this.room.length) this.grow(this.length + count);
    const { room, length } = this;
    for (let i = 0; i < count; i++) room[length + i] = values[from + i];
    this.length += count;
  }

  at(index: number): number {
    return this.room[index];
  }

  /** What is in it, as a view that is valid until it grows. */
  view(): T {
    return this.room.subarray(0, this.length) as T;
  }

  /** What is in it, in an array of its own. */
  copy(): T {
    return this.room.slice(0, this.length) as T;
  }

  clear(): void {
    this.length = 0;
  }
}
