/** Random numbers from a seed: the same seed damages alike (Mulberry32 by T. Ettinger, in the public domain). */
export function randomFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** One way to damage bytes. `other`: another sample, for splices. */
type Damage = (bytes: Uint8Array, random: () => number, other: Uint8Array) => Uint8Array;

const place = (random: () => number, length: number) => Math.floor(random() * Math.max(1, length));
const joined = (...parts: Uint8Array[]) => {
  const out = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
};

/** Numbers that lengths and counts are changed to: none, all bits, just over and under what fits. */
const oddNumbers = [
  0, 1, 2, 0x7f, 0x80, 0xff, 0x7fff, 0xffff, 0x10000, 0x7fffffff, 0x80000000, 0xfffffffe, 0xffffffff,
];
const oddTexts = ['0', '-1', '1e309', '99999999999', '4294967296', 'NaN', '-0', '1e-320', '00', ''];
const nests = [
  '[',
  '{"a":',
  '<a>',
  '(',
  '{"type":"GeometryCollection","geometries":[',
  '"',
  '<![CDATA[',
  '<!--',
];

const damages: Readonly<Record<string, Damage>> = {
  bit(bytes, random) {
    const out = bytes.slice();
    out[place(random, out.length)] ^= 1 << place(random, 8);
    return out;
  },
  byte(bytes, random) {
    const out = bytes.slice();
    out[place(random, out.length)] = place(random, 256);
    return out;
  },
  number(bytes, random) {
    const out = bytes.slice();
    const at = place(random, out.length - 4);
    if (out.length < 8) return out;
    const value = oddNumbers[place(random, oddNumbers.length)];
    new DataView(out.buffer).setUint32(at, value, random() < 0.7);
    return out;
  },
  digits(bytes, random) {
    // A run of digits becomes another number.
    const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString('latin1');
    const from = place(random, text.length);
    const found = /\d+/.exec(text.slice(from, from + 400));
    if (found === null) return bytes.slice();
    const at = from + found.index;
    const value = oddTexts[place(random, oddTexts.length)];
    return joined(bytes.subarray(0, at), Buffer.from(value), bytes.subarray(at + found[0].length));
  },
  cut: (bytes, random) => bytes.slice(0, place(random, bytes.length + 1)),
  begin: (bytes, random) => bytes.slice(place(random, Math.min(bytes.length, 64))),
  remove(bytes, random) {
    const from = place(random, bytes.length);
    return joined(bytes.subarray(0, from), bytes.subarray(from + 1 + place(random, 80)));
  },
  twice(bytes, random) {
    const from = place(random, bytes.length);
    const end = Math.min(bytes.length, from + 1 + place(random, 200));
    return joined(bytes.subarray(0, end), bytes.subarray(from));
  },
  move(bytes, random) {
    const from = place(random, bytes.length);
    const block = bytes.subarray(from, from + 1 + place(random, 120));
    const out = bytes.slice();
    out.set(block.subarray(0, out.length), Math.min(place(random, out.length), out.length - block.length));
    return out;
  },
  zeros(bytes, random) {
    const out = bytes.slice();
    const from = place(random, out.length);
    out.fill(random() < 0.5 ? 0 : 255, from, from + 1 + place(random, 40));
    return out;
  },
  splice(bytes, random, other) {
    const a = place(random, bytes.length);
    const b = place(random, other.length);
    return joined(bytes.subarray(0, a), other.subarray(b, b + 4000));
  },
  nest(bytes, random) {
    const at = place(random, bytes.length);
    const text = nests[place(random, nests.length)].repeat(2 ** (1 + place(random, 14)));
    return joined(bytes.subarray(0, at), Buffer.from(text), bytes.subarray(at));
  },
};

const kinds = Object.keys(damages);

/** What was done to a sample: names of damages with the seed of each. */
export type Recipe = readonly (readonly [kind: string, seed: number])[];

/** A recipe from a seed: mostly one or two damages. */
export function recipeFrom(seed: number): Recipe {
  const random = randomFrom(seed);
  const count = 1 + Math.floor(random() ** 2 * 4);
  return Array.from({ length: count }, () => [
    // Changes in place come oftenest: they reach furthest into a reader.
    random() < 0.45
      ? ['bit', 'byte', 'number', 'digits'][place(random, 4)]
      : kinds[place(random, kinds.length)],
    Math.floor(random() * 2 ** 32),
  ]);
}

export function damaged(good: Uint8Array, recipe: Recipe, other: Uint8Array): Uint8Array {
  let bytes = good;
  for (const [kind, seed] of recipe) {
    if (bytes.length > 0) bytes = damages[kind](bytes, randomFrom(seed), other);
  }
  return bytes;
}
