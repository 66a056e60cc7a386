import { changeOf, type Mend, type MendKind, mendsText, settleMends } from '../mends.ts';
import { metByChance } from './chance.ts';
import { extractsOf, lostZeros, spread } from './extracts.ts';
import { leastTidying, loosest, type MetPair } from './loosest.ts';

/** Different keys of one side. */
export interface KeySet {
  keys: readonly string[];
  has(key: string): boolean;
  /** What is left of each at its loosest → its number; made when it is first asked for. */
  readonly loose: ReadonlyMap<string, number>;
}

export function keySet(keys: readonly string[], values: ReadonlySet<string> = new Set(keys)): KeySet {
  let loose: Map<string, number> | null = null;
  return {
    keys,
    has: (key) => values.has(key),
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
const mostTried = 10_000;
/** Keys of both sides together up to which something may be taken of either. */
const mostBothSides = 100_000;
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
  // Numbers that lost their zeros begin otherwise than the codes that they were: they get them back before their signs are counted.
  const [ownZeros, otherZeros] = [lostZeros(layer.keys, 'layer'), lostZeros(table.keys, 'table')];
  if (ownZeros !== null) {
    const whole = after(layer, ownZeros, 'layer');
    for (const then of extractsOf(whole.keys, table.keys, 'layer')) ofLayer(whole, table, [ownZeros], then);
  }
  if (otherZeros !== null) {
    const whole = after(table, otherZeros, 'table');
    for (const then of extractsOf(whole.keys, layer.keys, 'table')) ofTable(layer, whole, [otherZeros], then);
  }
  const [own, other] = [
    extractsOf(layer.keys, table.keys, 'layer'),
    extractsOf(table.keys, layer.keys, 'table'),
  ];
  const both = layer.keys.length + table.keys.length <= mostBothSides;
  for (const extract of own) {
    ofLayer(layer, table, [], extract);
    if (!both || !begins(extract)) continue;
    const bare = after(layer, extract, 'layer');
    for (const then of extractsOf(table.keys, bare.keys, 'table')) ofTable(bare, table, [extract], then);
  }
  for (const extract of other) {
    ofTable(layer, table, [], extract);
    if (!both || !begins(extract)) continue;
    const bare = after(table, extract, 'table');
    for (const then of extractsOf(layer.keys, bare.keys, 'layer')) ofLayer(layer, bare, [extract], then);
  }
  return found.sort((a, b) => b.met - a.met || a.mends.length - b.mends.length);
}

/** Share of the smaller side that meets as it is, from a spread of its keys. */
function asTheyAre(layer: KeySet, table: KeySet): number {
  const [few, many] = layer.keys.length <= table.keys.length ? [layer, table] : [table, layer];
  const some = spread(few.keys, 5000);
  return some.filter((key) => many.has(key)).length / Math.max(1, some.length);
}

/** Nothing needs to be done with keys of which so many meet as they are. */
const enough = 0.98;

/** About how many keys of the layer could meet some of the table by the best way there is: from a few of them. */
export function quickMatch(layer: KeySet, table: KeySet): number {
  const share = asTheyAre(layer, table);
  if (share >= enough) return share * Math.min(layer.keys.length, table.keys.length);
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

/** Counts what meets as it is. */
function plainProof(layer: KeySet, table: KeySet): KeyRemedy {
  let met = 0;
  for (const each of layer.keys) if (table.has(each)) met++;
  return {
    mends: [],
    text: '',
    met,
    metTable: met,
    oneToOne: met,
    byChance: Number.NaN,
    tableByChance: Number.NaN,
    merged: { layer: 0, table: 0 },
    examples: [],
  };
}

/**
 * Counts what mends bring together: exactly, or from one in so many of the keys as they are compared – the same ones of both sides.
 */
export function proofOf(layer: KeySet, table: KeySet, mends: readonly Mend[], oneIn = 1): KeyRemedy {
  if (mends.length === 0) return plainProof(layer, table);
  const settled = settleMends(mends, {
    layer: () => spread(layer.keys, mostWidths),
    table: () => spread(table.keys, mostWidths),
  });
  const [own, other] = [
    changedKeys(layer, settled, 'layer', oneIn),
    changedKeys(table, settled, 'table', oneIn),
  ];
  let met = 0;
  let metTable = 0;
  let oneToOne = 0;
  for (const [made, mine] of own.made) {
    const theirs = other.made.get(made);
    if (theirs === undefined) continue;
    met += mine;
    metTable += theirs;
    if (mine === 1 && theirs === 1) oneToOne++;
  }
  return {
    mends: settled,
    text: mendsText(settled),
    met: met * oneIn,
    metTable: metTable * oneIn,
    oneToOne: oneToOne * oneIn,
    byChance: Number.NaN,
    tableByChance: Number.NaN,
    merged: { layer: own.merged * oneIn, table: other.merged * oneIn },
    examples: examplesOf(layer, table, settled, own.made, other.made),
  };
}

/** Keys from which widths are worked out. */
const mostWidths = 100_000;

interface Changed {
  /** Keys as they are compared, and how many different ones became each. */
  made: Map<string, number>;
  merged: number;
}

/** Does a text belong to one in so many? The same answer wherever it stands (FNV-1a). */
function isDrawn(text: string, oneIn: number): boolean {
  let hash = 0x811c9dc5;
  for (let k = 0; k < text.length; k++) hash = Math.imul(hash ^ text.charCodeAt(k), 0x01000193);
  return ((hash ^ (hash >>> 15)) >>> 0) % oneIn === 0;
}

function changedKeys(
  { keys }: KeySet,
  mends: readonly Mend[],
  side: 'layer' | 'table',
  oneIn: number,
): Changed {
  const change = byParts(changeOf(mends, side) ?? unchanged);
  const made = new Map<string, number>();
  let merged = 0;
  for (const each of keys) {
    const to = change(each);
    if (to === '' || (oneIn > 1 && !isDrawn(to, oneIn))) continue;
    const known = made.get(to);
    if (known === undefined) made.set(to, 1);
    else {
      made.set(to, known + 1);
      merged++;
    }
  }
  return { made, merged };
}

/** Keys before and after, of both sides in turn. */
function examplesOf(
  layer: KeySet,
  table: KeySet,
  mends: readonly Mend[],
  own: ReadonlyMap<string, number>,
  other: ReadonlyMap<string, number>,
): string[] {
  const found: string[][] = [[], []];
  const sides = [
    [layer, 'layer', other],
    [table, 'table', own],
  ] as const;
  sides.forEach(([{ keys }, side, partners], k) => {
    const change = byParts(changeOf(mends, side) ?? unchanged);
    for (const each of keys.slice(0, 5000)) {
      const to = change(each);
      if (to !== each && partners.has(to)) found[k].push(`${shown(each)} → ${shown(to)}`);
      if (found[k].length === 3) break;
    }
  });
  const [mine, theirs] = found;
  const both = mine.length > 0 && theirs.length > 0;
  return both
    ? [mine[0], theirs[0], mine[1] ?? theirs[1]].filter((each) => each !== undefined)
    : [...mine, ...theirs];
}

const shown = (text: string) => text.split(between).join(', ');

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
  const own =
    remedy.mends.length === 0
      ? { size: layer.keys.length, has: layer.has }
      : new Set(layer.keys.map(change('layer')));
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
  // Of very many keys the ways are weighed by some of them, and the best is proved by all.
  const all = layer.keys.length + table.keys.length;
  const oneIn = Math.max(1, Math.floor(all / 100_000));
  const add = (mends: readonly Mend[]) => {
    if (remedies.has(key(mends))) return;
    const remedy = proofOf(layer, table, mends, oneIn);
    if (remedy.met > 0) remedies.set(key(mends), remedy);
  };
  add([]);
  const ways = asTheyAre(layer, table) >= enough ? [] : attempts(layer, table);
  for (const { mends, pairs } of ways.slice(0, oneIn > 1 ? 3 : 2 * most)) {
    const tidy = leastTidying(pairs);
    // What is taken of a key is tidied, not the other way round: marks may be where it is parted.
    add([...mends, ...tidy]);
  }
  const value = (remedy: KeyRemedy) => worth(remedy, layer.keys.length, table.keys.length);
  const found = leastOfEach([...remedies.values()])
    .map((remedy) => withChance(remedy, layer, table))
    .sort((a, b) => value(b) - value(a) || costOf(a.mends) - costOf(b.mends))
    .slice(0, oneIn > 1 ? 1 : most);
  if (oneIn === 1) return found;
  return found.map((remedy) => withChance(proofOf(layer, table, remedy.mends), layer, table));
}
