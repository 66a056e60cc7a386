import { spellingDistance } from '../nearest.ts';

/** Letter case and accents do not tell codes apart. */
export function foldCode(text: string): string {
  return text.normalize('NFKD').replace(/\p{M}/gu, '').toUpperCase();
}

const withoutZeros = (text: string) => text.replace(/^(\p{L}?)0+(?=\d)/u, '$1');

/** The names of columns, rows or cells, ready to be found at the front of a text. */
export class Labels {
  readonly labels: readonly string[];
  private readonly exact = new Map<string, number>();
  /** Without zeros in front. */
  private readonly plain = new Map<string, number>();
  /** Lengths that there are, the longest first. */
  private readonly lengths: readonly number[];
  readonly numeric: boolean;
  /** All names have as many letters, so that it is clear where one ends. */
  private readonly even: boolean;

  constructor(labels: readonly string[]) {
    this.labels = labels;
    labels.forEach((label, k) => {
      const folded = foldCode(label);
      if (!this.exact.has(folded)) this.exact.set(folded, k);
      const plain = withoutZeros(folded);
      if (!this.plain.has(plain)) this.plain.set(plain, k);
    });
    const all = [...this.exact.keys(), ...this.plain.keys()].map((label) => label.length);
    this.lengths = [...new Set(all)].sort((a, b) => b - a);
    this.even = new Set(labels.map((label) => label.length)).size === 1;
    this.numeric = labels.every((label) => /^\d+$/.test(label));
  }

  /** All names at a place of a folded text: [number, where it ends]. With `padded`, zeros in front must be there. */
  *at(text: string, place: number, padded: boolean): Generator<readonly [number, number]> {
    for (const length of this.lengths) {
      if (place + length > text.length) continue;
      const part = text.slice(place, place + length);
      // 1 is not the beginning of 12.
      const goesOn = /\d$/.test(part) && /\d/.test(text[place + length] ?? '');
      const found =
        (goesOn && !this.even && !padded ? undefined : this.exact.get(part)) ??
        (goesOn || padded ? undefined : this.plain.get(part));
      if (found !== undefined) yield [found, place + length];
    }
  }

  /** The number of the name that is nearest to a wrong one. */
  nearest(wrong: string): number {
    if (this.numeric && /^\d+$/.test(wrong)) {
      const value = Number(wrong);
      let best = 0;
      this.labels.forEach((label, k) => {
        if (Math.abs(Number(label) - value) < Math.abs(Number(this.labels[best]) - value)) best = k;
      });
      return best;
    }
    let best = 0;
    let least = Number.POSITIVE_INFINITY;
    this.labels.forEach((label, k) => {
      const folded = foldCode(label);
      const apart = Math.abs(
        (folded.codePointAt(folded.length - 1) ?? 0) - (wrong.codePointAt(wrong.length - 1) ?? 0),
      );
      const distance = spellingDistance(folded, wrong) + Math.min(0.9, apart / 100);
      if (distance <= least) {
        least = distance;
        best = k;
      }
    });
    return best;
  }

  /** `a number from 1 to 16`, `one of A, B, C` */
  get words(): string {
    const { labels, numeric } = this;
    if (numeric) {
      const values = [...new Set(labels.map(Number))].sort((a, b) => a - b);
      const first = labels.find((label) => Number(label) === values[0])!;
      const last = labels.find((label) => Number(label) === values[values.length - 1])!;
      return `a number from ${first} to ${last}`;
    }
    const sorted = [...new Set(labels)].sort();
    if (sorted.length <= 8) return `one of ${sorted.join(', ')}`;
    return `one of ${sorted.length} from ${sorted[0]} to ${sorted[sorted.length - 1]}`;
  }
}
