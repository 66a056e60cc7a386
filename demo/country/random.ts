/** A seeded source of numbers in [0, 1) (mulberry32): the same seed gives the same country on every machine. */
export function seeded(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), state | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** A seed from words, so that each part of the country has numbers of its own. */
export function seedOf(...words: (string | number)[]): number {
  let hash = 2166136261;
  for (const c of words.join('/')) hash = Math.imul(hash ^ c.charCodeAt(0), 16777619);
  return hash >>> 0;
}
