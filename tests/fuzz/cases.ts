import { damaged, type Recipe, randomFrom, recipeFrom } from './damage.ts';
import type { outcomeOf } from './read-all.ts';

/** One damaged input: everything that it takes to make it again. */
export interface FuzzCase {
  number: number;
  sample: string;
  /** Another sample that splices take bytes from. */
  other: string;
  recipe: Recipe;
  /** With what Node lends to readers, or without. */
  native: boolean;
}

/** What a worker tells: where it is, what came of a case, what was rejected with nobody waiting, that it is done. */
export type Told =
  | { at: number }
  | {
      number: number;
      outcome: Awaited<ReturnType<typeof outcomeOf>>;
      seconds: number;
      bytes: number;
      grown: number;
      peak: number;
      wrong: string;
    }
  | { stray: string }
  | { done: true };

/** Case number n of a seed. Small samples come oftener: they are read faster, and damage hits more of them. */
export function caseOf(
  seed: number,
  number: number,
  samples: readonly { name: string; weight: number }[],
): FuzzCase {
  const random = randomFrom(Math.imul(seed, 0x9e3779b1) ^ number);
  const total = samples.reduce((sum, sample) => sum + sample.weight, 0);
  const choose = () => {
    let left = random() * total;
    for (const { name, weight } of samples) {
      left -= weight;
      if (left < 0) return name;
    }
    return samples[samples.length - 1].name;
  };
  return {
    number,
    sample: choose(),
    other: choose(),
    native: random() < 0.5,
    recipe: recipeFrom(Math.floor(random() * 2 ** 32)),
  };
}

export function damageOf(one: FuzzCase, load: (name: string) => Uint8Array): Uint8Array {
  return damaged(load(one.sample), one.recipe, load(one.other));
}
