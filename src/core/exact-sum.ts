/**
 * Sums with a rest (Neumaier 1974, ZAMM 54): what a sum loses to rounding is kept beside it, so that neither the order of the values
 * nor their sizes matter.
 */

/** One sum. */
export class ExactSum {
  private sum = 0;
  private rest = 0;

  add(value: number): void {
    const next = this.sum + value;
    this.rest += Math.abs(this.sum) >= Math.abs(value) ? this.sum - next + value : value - next + this.sum;
    this.sum = next;
  }

  get value(): number {
    return this.sum + this.rest;
  }
}

/** Many sums by number, in flat buffers that grow. */
export class ExactSums {
  private sums = new Float64Array(64);
  private rests = new Float64Array(64);

  add(at: number, value: number): void {
    if (at >= this.sums.length) this.grow(at);
    const sum = this.sums[at];
    const next = sum + value;
    this.rests[at] += Math.abs(sum) >= Math.abs(value) ? sum - next + value : value - next + sum;
    this.sums[at] = next;
  }

  /** The sum of a number; 0 where nothing was added. */
  of(at: number): number {
    return at < this.sums.length ? this.sums[at] + this.rests[at] : 0;
  }

  private grow(at: number): void {
    const length = Math.max(2 * this.sums.length, at + 1);
    [this.sums, this.rests] = [this.sums, this.rests].map((old) => {
      const larger = new Float64Array(length);
      larger.set(old);
      return larger;
    });
  }
}

/** The sum of some values. */
export function exactSum(values: Iterable<number>): number {
  const sum = new ExactSum();
  for (const value of values) sum.add(value);
  return sum.value;
}
