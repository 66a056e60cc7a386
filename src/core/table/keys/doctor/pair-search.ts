import { changeOf, type Mend, type MendKind, mendsText, settleMends } from '../mends.ts';
import { metByChance } from './chance.ts';
import { extractsOf, spread } from './extracts.ts';
import { leastTidying, loosest, type MetPair } from './loosest.ts';

/** Different keys of one side. */
export interface KeySet {
  keys: readonly string[];
  /** What is left of each at its loosest → its number; made when it is first asked for. */
  readonly loose: ReadonlyMap<string, number>;
}

export function keySet(keys: readonly string[]): KeySet {
  let loose: Map<string, number> | null = null;
  return {
    keys,
    get loose() {
      if (loose === null) {
        loose = new Map();
        keys.forEach((key, k) => {
          const left = loosest(key);
          if (left !== '' && !loose!.has(left)) loose!.set(left, k);
        });
      }
      return loose;
    },
  };
}

/** A way to make the keys of two sides meet, with its proof. */
export interface KeyRemedy {
  mends: readonly Mend[];
  /** As it stands in a study; empty: keys meet as they are. */
  text: string;
  /** Keys of the layer that meet one of the table, and the other way round. */
  met: number;
  metTable: number;
  /** Keys of the layer that meet exactly one of the table, which meets no other. */
  oneToOne: number;
  /** Keys of the layer that would meet some of a table of the same shape that says nothing. */
  byChance: number;
  /** Keys of such a table that would meet one of the layer. */
  tableByChance: number;
  /** Keys of one side that the mends made the same though they were different: how many more there were. */
  merged: { layer: number; table: number };
  /** Before and after, of both sides: `1204 → 001204`. */
  examples: string[];
}

/** Keys tried of one side, when there are more. */
const mostTried = 20_000;
/** Keys from which the least mends are found. */
const mostWeighed = 2000;

const unchanged = (key: string) => key;
/** Stands between the parts of a key of several pairs. */
const between = '\u001f';
const key = (mends: readonly Mend[]) => mendsText(mends);

/** Keys of one side after an extract, that meet some of the other at their loosest: their share of those tried. */
function tried(
  from: KeySet,
  extract: Mend | null,
  to: KeySet,
  most: number,
): { met: number; pairs: MetPair[]; share: number } {
  const change =
    extract === null ? unchanged : changeOf([extract], extract.side === 'table' ? 'table' : 'layer')!;
  const keys = spread(from.keys, most);
  const partners = new Set<number>();
  const pairs: MetPair[] = [];
  let met = 0;
  for (const each of keys) {
    const changed = change(each);
    const left = loosest(changed);
    const partner = left === '' ? undefined : to.loose.get(left);
    if (partner === undefined) continue;
    met++;
    partners.add(partner);
    if (pairs.length < mostWeighed) pairs.push([changed, to.keys[partner]]);
  }
  const more = from.keys.length / Math.max(1, keys.length);
  return { met: met * more, pairs, share: Math.min(partners.size * more, to.keys.length) };
}

interface Attempt {
  /** What is taken of keys before they are tidied. */
  mends: readonly Mend[];
  /** About how many keys of the layer meet. */
  met: number;
  pairs: MetPair[];
}

/** Keys of a side after one mend. */
const after = (set: KeySet, mend: Mend, side: 'layer' | 'table'): KeySet =>
  keySet([...new Set(set.keys.map(changeOf([mend], side) ?? unchanged))]);

/** What the keys of a side share in front or behind is taken off first, where what is left could be taken of the other side. */
const begins = ({ kind }: Mend) => kind === 'prefix' || kind === 'suffix' || kind === 'digits at the end';

/** Ways to bring the keys of two sides together, by how many keys of the layer would meet. */
function attempts(layer: KeySet, table: KeySet, most = mostTried): Attempt[] {
  const found: Attempt[] = [];
  const ofLayer = (own: KeySet, other: KeySet, mends: readonly Mend[], extract: Mend | null) => {
    const { met, pairs } = tried(own, extract, other, most);
    if (met > 0) found.push({ mends: extract === null ? mends : [...mends, extract], met, pairs });
  };
  const ofTable = (own: KeySet, other: KeySet, mends: readonly Mend[], extract: Mend) => {
    const { share, pairs } = tried(other, extract, own, most);
    if (share > 0)
      found.push({ mends: [...mends, extract], met: share, pairs: pairs.map(([a, b]) => [b, a] as const) });
  };
  ofLayer(layer, table, [], null);
  const [own, other] = [
    extractsOf(layer.keys, table.keys, 'layer'),
    extractsOf(table.keys, layer.keys, 'table'),
  ];
  for (const extract of own) {
    ofLayer(layer, table, [], extract);
    if (!begins(extract)) continue;
    const bare = after(layer, extract, 'layer');
    for (const then of extractsOf(table.keys, bare.keys, 'table')) ofTable(bare, table, [extract], then);
  }
  for (const extract of other) {
    ofTable(layer, table, [], extract);
    if (!begins(extract)) continue;
    const bare = after(table, extract, 'table');
    for (const then of extractsOf(layer.keys, bare.keys, 'layer')) ofLayer(layer, bare, [extract], then);
  }
  return found.sort((a, b) => b.met - a.met || a.mends.length - b.mends.length);
}

/** About how many keys of the layer could meet some of the table by the best way there is: from a few of them. */
export function quickMatch(layer: KeySet, table: KeySet): number {
  return attempts(layer, table, 1000)[0]?.met ?? 0;
}

/** Keys of a side as a remedy changes them, each once, and the change itself; keys of several parts part by part. */
export function changedOf(
  set: KeySet | null,
  remedy: KeyRemedy,
  side: 'layer' | 'table',
): { set: Set<string>; change: (key: string) => string; filter: (is: (key: string) => boolean) => string[] } {
  const change = byParts(changeOf(remedy.mends, side) ?? unchanged);
  const changed = new Set((set?.keys ?? []).map(change).filter((key) => key !== ''));
  return { set: changed, change, filter: (is) => [...changed].filter(is) };
}

/** A change made of each part of a key of several pairs. */
const byParts = (change: (key: string) => string) => (key: string) =>
  key.includes(between) ? key.split(between).map(change).join(between) : change(key);

/** Counts exactly what mends bring together. */
export function proofOf(layer: KeySet, table: KeySet, mends: readonly Mend[]): KeyRemedy {
  const settled = settleMends(mends, { layer: () => layer.keys, table: () => table.keys });
  const [own, other] = [changedKeys(layer, settled, 'layer'), changedKeys(table, settled, 'table')];
  let met = 0;
  let metTable = 0;
  let oneToOne = 0;
  const examples: string[] = [];
  for (const [made, mine] of own.made) {
    const theirs = other.made.get(made);
    if (theirs === undefined) continue;
    met += mine.times;
    metTable += theirs.times;
    if (mine.times === 1 && theirs.times === 1) oneToOne++;
    for (const { first } of [mine, theirs])
      if (first !== made && examples.length < 3) examples.push(`${first} → ${made}`);
  }
  return {
    mends: settled,
    text: mendsText(settled),
    met,
    metTable,
    oneToOne,
    byChance: Number.NaN,
    tableByChance: Number.NaN,
    merged: { layer: own.merged, table: other.merged },
    examples,
  };
}

interface Changed {
  made: Map<string, { first: string; times: number }>;
  merged: number;
}

function changedKeys({ keys }: KeySet, mends: readonly Mend[], side: 'layer' | 'table'): Changed {
  const change = byParts(changeOf(mends, side) ?? unchanged);
  const made = new Map<string, { first: string; times: number }>();
  let merged = 0;
  for (const first of keys) {
    const to = change(first);
    if (to === '') continue;
    const known = made.get(to);
    if (known === undefined) made.set(to, { first, times: 1 });
    else {
      known.times++;
      merged++;
    }
  }
  return { made, merged };
}

/** Standard deviations of a binomial draw between what met and what chance does. */
function beyond(met: number, byChance: number, keys: number): number {
  const chance = Math.min(byChance, keys);
  return (met - chance) / Math.sqrt(Math.max(chance * (1 - chance / Math.max(1, keys)), 0.25));
}

/** How far a match lies beyond what chance does, in standard deviations: on the side on which that is more. */
export function beyondChance(remedy: KeyRemedy, layerKeys: number, tableKeys: number): number {
  if (Number.isNaN(remedy.byChance)) return Number.POSITIVE_INFINITY;
  return Math.max(
    beyond(remedy.met, remedy.byChance, layerKeys),
    beyond(remedy.metTable, remedy.tableByChance, tableKeys),
  );
}

/**
 * How much a remedy proves, up to 1: the share of the smaller side that meets one to one; keys of which several meet one (another
 * level) count less; a handful proves less than many, and less what chance does as well.
 */
export function worth(remedy: KeyRemedy, layerKeys: number, tableKeys: number): number {
  const smaller = Math.max(1, Math.min(layerKeys, tableKeys));
  const several = (remedy.met / Math.max(1, layerKeys) + remedy.metTable / Math.max(1, tableKeys)) / 2;
  // A few units of many that meet a short table may do so by a part of their keys that says something else.
  const reach = 0.6 + (0.4 * remedy.met) / Math.max(1, layerKeys);
  const share = Math.max((reach * remedy.oneToOne) / smaller, 0.8 * several);
  const few = Math.min(remedy.met, remedy.metTable);
  const sure = Math.min(1e6, Math.max(0, beyondChance(remedy, layerKeys, tableKeys)));
  return share * (few / (few + 3)) * (0.3 + (0.7 * sure) / (sure + 3));
}

/** How much of a key mends leave out of sight: of remedies that reach the same, the least is proposed. */
const weights: Partial<Record<MendKind, number>> = {
  accents: 2,
  marks: 2,
  'word order': 3,
  prefix: 2,
  suffix: 2,
  part: 2.5,
  'last part': 2.5,
  'digits at the end': 3,
  'last signs': 3.5,
  'first signs': 5,
};
const costOf = (mends: readonly Mend[]) => mends.reduce((sum, { kind }) => sum + (weights[kind] ?? 1), 0);

/** Remedies that bring the same keys together by other ways: only the least of them. */
function leastOfEach(remedies: readonly KeyRemedy[]): KeyRemedy[] {
  const best = new Map<string, KeyRemedy>();
  for (const remedy of remedies) {
    const reach = `${remedy.met} ${remedy.metTable} ${remedy.oneToOne}`;
    const known = best.get(reach);
    if (known === undefined || costOf(remedy.mends) < costOf(known.mends)) best.set(reach, remedy);
  }
  return [...best.values()];
}

/** Adds what a table that says nothing would reach. */
export function withChance(remedy: KeyRemedy, layer: KeySet, table: KeySet): KeyRemedy {
  const most = 20_000;
  const change = (side: 'layer' | 'table') => byParts(changeOf(remedy.mends, side) ?? unchanged);
  // A draw from a part of a large table reaches less; what it misses is made up for.
  const part = spread(table.keys, most).map(change('table'));
  const own = new Set(layer.keys.map(change('layer')));
  const { own: met, drawn } = metByChance(own, part);
  const share =
    1 - (1 - Math.min(1, met / Math.max(1, own.size))) ** (table.keys.length / Math.max(1, part.length));
  return {
    ...remedy,
    byChance: own.size * share,
    tableByChance: (table.keys.length * drawn) / Math.max(1, part.length),
  };
}

/**
 * The ways in which keys of two sides can be made to meet, the best first: each with the fewest mends that do it.
 * Keys that meet as they are come as a remedy without mends.
 *
 * @param most remedies wanted
 */
export function searchPair(layer: KeySet, table: KeySet, most = 4): KeyRemedy[] {
  const remedies = new Map<string, KeyRemedy>();
  const add = (mends: readonly Mend[]) => {
    if (remedies.has(key(mends))) return;
    const remedy = proofOf(layer, table, mends);
    if (remedy.met > 0) remedies.set(key(mends), remedy);
  };
  add([]);
  for (const { mends, pairs } of attempts(layer, table).slice(0, 2 * most)) {
    const tidy = leastTidying(pairs);
    // What is taken of a key is tidied, not the other way round: marks may be where it is parted.
    add([...mends, ...tidy]);
  }
  const value = (remedy: KeyRemedy) => worth(remedy, layer.keys.length, table.keys.length);
  return leastOfEach([...remedies.values()])
    .map((remedy) => withChance(remedy, layer, table))
    .sort((a, b) => value(b) - value(a) || costOf(a.mends) - costOf(b.mends))
    .slice(0, most);
}
