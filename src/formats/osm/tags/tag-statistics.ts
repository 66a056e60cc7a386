import { guarded } from '../../opening/guard.ts';
import type { MapExtract, ObjectKind, PrimitiveBlock, Texts } from '../reading/primitives.ts';

/** Values of one key that are counted one by one; those that come later are counted together. */
const mostValues = 100_000;

export interface KeyStatistics {
  key: string;
  count: number;
  kinds: Record<ObjectKind, number>;
  /** Different values; when there are more than are counted one by one, at least so many. */
  values: number;
  /** The most frequent ones. */
  frequent: { value: string; count: number; kinds: Record<ObjectKind, number> }[];
}

/** Keys and values of an extract with their counts. */
export interface TagStatistics {
  objects: Record<ObjectKind, number>;
  /** Objects with at least one tag. */
  tagged: Record<ObjectKind, number>;
  /** Most frequent first. */
  keys: KeyStatistics[];
}

type Kinds = [number, number, number];

interface KeyCount {
  total: Kinds;
  values: Map<string, Kinds>;
}

const named = (kinds: readonly number[]): Record<ObjectKind, number> => ({
  node: kinds[0],
  way: kinds[1],
  relation: kinds[2],
});
const sum = (kinds: Kinds) => kinds[0] + kinds[1] + kinds[2];

/**
 * Counts keys and values of an extract by kind of object.
 * @param options `only`: the keys that are wanted, with more of their values; `frequent`: how many values of each
 */
export function tagStatistics(
  extract: MapExtract,
  options: { only?: readonly string[]; frequent?: number } = {},
): Promise<TagStatistics> {
  return guarded(extract.name, () => statisticsOf(extract, options));
}

async function statisticsOf(
  extract: MapExtract,
  options: { only?: readonly string[]; frequent?: number },
): Promise<TagStatistics> {
  const keys = new Map<string, KeyCount>();
  const objects: Kinds = [0, 0, 0];
  const tagged: Kinds = [0, 0, 0];
  const only = options.only === undefined ? null : new Set(options.only);
  for await (const block of extract.blocks({ nodes: true, ways: true, relations: true })) {
    objects[block.kind] += block.length;
    countBlock(block, keys, tagged, only);
  }
  const most = options.frequent ?? 5;
  const list = [...keys].map(
    ([key, { total, values }]): KeyStatistics => ({
      key,
      count: sum(total),
      kinds: named(total),
      values: values.size,
      frequent: [...values]
        .sort((a, b) => sum(b[1]) - sum(a[1]) || (a[0] < b[0] ? -1 : 1))
        .slice(0, most)
        .map(([value, kinds]) => ({ value, count: sum(kinds), kinds: named(kinds) })),
    }),
  );
  list.sort((a, b) => b.count - a.count || (a.key < b.key ? -1 : 1));
  return { objects: named(objects), tagged: named(tagged), keys: list };
}

/** Pairs of a block are counted by their numbers first: texts are looked at once for each pair. */
function countBlock(
  block: PrimitiveBlock,
  keys: Map<string, KeyCount>,
  tagged: Kinds,
  only: ReadonlySet<string> | null,
): void {
  const { tags, tagStart, texts, kind } = block;
  const pairs = new Map<number, number>();
  for (let i = 0; i < block.length; i++) if (tagStart[i] < tagStart[i + 1]) tagged[kind]++;
  for (let k = 0; k < tagStart[block.length]; k += 2) {
    const pair = tags[k] * 4294967296 + tags[k + 1];
    pairs.set(pair, (pairs.get(pair) ?? 0) + 1);
  }
  for (const [pair, count] of pairs) countPair(texts, pair, count, kind, keys, only);
}

function countPair(
  texts: Texts,
  pair: number,
  count: number,
  kind: number,
  keys: Map<string, KeyCount>,
  only: ReadonlySet<string> | null,
): void {
  const key = texts.text(Math.floor(pair / 4294967296));
  if (only !== null && !only.has(key)) return;
  let counts = keys.get(key);
  if (counts === undefined) {
    counts = { total: [0, 0, 0], values: new Map() };
    keys.set(key, counts);
  }
  counts.total[kind] += count;
  const value = texts.text(pair % 4294967296);
  let kinds = counts.values.get(value);
  if (kinds === undefined) {
    if (counts.values.size >= mostValues) return;
    kinds = [0, 0, 0];
    counts.values.set(value, kinds);
  }
  kinds[kind] += count;
}
