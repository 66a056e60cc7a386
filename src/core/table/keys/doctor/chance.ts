/** Numbers that look drawn by lot and are the same every time (Mulberry32). */
export function lot(seed: number): () => number {
  let state = seed | 0;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

const rounds = 4;

/** Keys that meet by chance: different ones of the side that is looked for, and all those drawn. */
export interface Chance {
  own: number;
  drawn: number;
}

/**
 * How many keys of one side would meet some of a table of keys of the same shape that say nothing: as many of each length, every
 * place with a sign drawn from those that the keys have there. The mean of a few draws.
 *
 * @param own keys that are looked for
 * @param other keys of the table, as they are compared
 */
export function metByChance(
  own: { readonly size: number; has(key: string): boolean },
  other: readonly string[],
): Chance {
  const random = lot(other.length * 7919 + own.size);
  const signs: string[] = [];
  for (const key of other)
    for (let place = 0; place < key.length; place++) signs[place] = (signs[place] ?? '') + key[place];
  let met = 0;
  let drawn = 0;
  for (let round = 0; round < rounds; round++) {
    const hit = new Set<string>();
    for (const { length } of other) {
      let made = '';
      for (let place = 0; place < length; place++)
        made += signs[place][Math.floor(random() * signs[place].length)];
      if (!own.has(made)) continue;
      hit.add(made);
      drawn++;
    }
    met += hit.size;
  }
  return { own: met / rounds, drawn: drawn / rounds };
}
