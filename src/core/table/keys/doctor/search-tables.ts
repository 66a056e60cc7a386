import { grouped } from '../../../account.ts';
import type { Table } from '../../../layer/layer.ts';
import { KeyIndex } from '../key-index.ts';
import { type JoinKeys, keyPairsText } from '../key-pairs.ts';
import { KeyReader, keysOfTable } from '../key-reader.ts';
import { parseMends } from '../mends.ts';
import { nearNames } from '../near-names.ts';
import { type KeyColumn, type KeyColumns, keyColumnsOf } from './key-columns.ts';
import { explainLeftovers, type LeftoverReason } from './leftovers.ts';
import { loosest } from './loosest.ts';
import {
  beyondChance,
  changedOf,
  type KeyRemedy,
  type KeySet,
  keySet,
  quickMatch,
  searchPair,
  worth,
} from './pair-search.ts';
import { type ThroughList, throughLists } from './through-lists.ts';
import { together } from './together.ts';

/** Names on both sides that say the same where keys meet: what a match by chance has not. */
export interface Agreement {
  own: string;
  other: string;
  /** Share of the rows that met in which they agree. */
  share: number;
}

/** A way to join a table, with its proof. */
export interface KeyAdvice {
  on: JoinKeys;
  /** `on` as it is written. */
  text: string;
  remedy: KeyRemedy;
  /** Different keys of each side, and rows that have one. */
  layerKeys: number;
  tableKeys: number;
  layerRows: number;
  tableRows: number;
  /** Where a key has several rows in the table. */
  many: boolean;
  /** Rows of the table beyond the first of each key, and one of those keys. */
  rowsMore: number;
  twice?: string;
  /** Column whose figures sum to one or a hundred in the rows of each key: the share of each part. */
  shares?: string;
  agreements: Agreement[];
  /** True when it may be a match by chance. */
  doubtful: boolean;
  reasons: LeftoverReason[];
}

/** What was found out about the keys of two tables. */
export interface KeySearch {
  layer: KeyColumns;
  table: KeyColumns;
  /** The best first. */
  advices: KeyAdvice[];
  /** Ways over a list of codes of both sides, where no field meets directly. */
  lists: ThroughList[];
}

/** What is searched, and what may stand between both sides. */
export interface KeySearchOptions {
  /** Only these fields; all pairs when left out. */
  on?: JoinKeys;
  /** Lists of codes and crosswalks that may stand between both sides. */
  lists?: readonly Table[];
  /** Advices wanted. */
  most?: number;
}

/** What proves less is no advice. */
const leastValue = 0.1;
/** Rows of both sides beyond which one sure find is enough. */
const longTables = 200_000;
/** Pairs of fields that are looked into. */
const mostPairs = 8;

interface Sides {
  layer: Table;
  table: Table;
  own: KeyColumns;
  other: KeyColumns;
}

/**
 * Finds out by which fields a table is joined to a layer, and what must be done with their keys: searches all pairs of fields, fields
 * put together, the unit above as a second key, lists of codes; ranks by how many keys meet one to one beyond what chance does.
 * Both are read a few times; the values of the fields are held in memory.
 */
export async function searchKeys(
  layer: Table,
  table: Table,
  options: KeySearchOptions = {},
): Promise<KeySearch> {
  const { most = 4 } = options;
  const sides: Sides = { layer, table, own: await keyColumnsOf(layer), other: await keyColumnsOf(table) };
  const advices: KeyAdvice[] = [];
  if (options.on !== undefined) advices.push(...(await adviceFor(sides, options.on, most)));
  else {
    const pairs = likelyPairs(sides);
    for (const { own, other, met } of pairs) {
      // Very long tables are not gone through once more where keys meet as they are.
      if (
        sides.own.rows + sides.other.rows > longTables &&
        advices.some((each) => isWhole(each) && each.remedy.mends.length === 0)
      )
        break;
      // Where a pair meets one to one nearly whole, what meets less needs no proof.
      if (advices.some(isWhole) && met < 0.9 * Math.min(own.keys.length, other.keys.length)) continue;
      advices.push(
        ...(await adviceFor(sides, [{ own: [{ name: own.field }], other: [{ name: other.field }] }], 2)),
      );
    }
    const best = ranked(advices)[0];
    if (
      best === undefined ||
      best.remedy.oneToOne < 0.9 * best.layerKeys ||
      best.layerKeys < 0.9 * best.layerRows
    )
      for (const on of together(sides.own, sides.other)) advices.push(...(await adviceFor(sides, on, 1)));
    advices.push(...(await guarded(sides, ranked(advices)[0])));
  }
  const [best, ...others] = distinct(ranked(advices));
  if (best?.many === true) {
    Object.assign(best, await sharesOf(table, best.on));
    // Rows that are the parts of their key are several on purpose.
    if (best.shares !== undefined) best.reasons = best.reasons.filter(({ reason }) => reason !== 'ambiguous');
  }
  const found =
    best === undefined || proofValue(best) < leastValue
      ? []
      : [
          best,
          ...others.filter((each) => proofValue(each) > Math.max(leastValue, 0.3 * proofValue(best))),
        ].slice(0, most);
  const short = best === undefined || proofValue(best) < 0.7;
  const lists = (short ? await throughLists(sides.own, sides.other, options.lists ?? []) : []).filter(
    (list) => found.length === 0 || list.met / list.layerKeys > proofValue(best),
  );
  return {
    layer: sides.own,
    table: sides.other,
    // Beside a list that brings nearly all together, what meets by halves is noise.
    advices: lists.length > 0 ? found.filter((each) => proofValue(each) > 0.6) : found,
    lists,
  };
}

/** The column that says which share of its key each row is, and a key that has several rows. */
async function sharesOf(table: Table, on: JoinKeys): Promise<Pick<KeyAdvice, 'shares' | 'twice'>> {
  const reader = KeyReader.of(table.schema, table.name, on, 'other');
  const figures = table.schema.flatMap((field, c) =>
    (field.type === 'integer' || field.type === 'real') && !reader.columns.includes(c) ? [c] : [],
  );
  const index = new KeyIndex();
  const sums = figures.map(() => [] as number[]);
  for await (const batch of table.batches())
    reader.each(batch, (i, bytes, start, end) => {
      if (bytes === null) return;
      const key = index.add(bytes, start, end, i);
      figures.forEach((c, k) => {
        sums[k][key] = (sums[k][key] ?? 0) + batch.columns[c].number(i);
      });
    });
  const whole = (sum: number) => Math.abs(sum - 1) < 0.005 || Math.abs(sum - 100) < 0.5;
  const found = figures.findIndex((_, k) => sums[k].filter(whole).length > 0.9 * index.size);
  const twice = index.times.findIndex((times) => times > 1);
  return {
    ...(found < 0 ? {} : { shares: table.schema[figures[found]].name }),
    ...(twice < 0 ? {} : { twice: index.text(twice) }),
  };
}

/** What a remedy proves; more where names speak for it, a little less for each mend. */
function proofValue(advice: KeyAdvice): number {
  const agree = advice.agreements.reduce((most, { share }) => Math.max(most, share), 0);
  return (
    // Values that come again and again on both sides name nothing that could be joined.
    Math.max(
      advice.layerKeys / Math.max(1, advice.layerRows),
      advice.tableKeys / Math.max(1, advice.tableRows),
    ) *
      worth(advice.remedy, advice.layerKeys, advice.tableKeys) *
      (1 + 0.5 * agree) -
    0.01 * advice.remedy.mends.length -
    (advice.many ? 0.02 : 0)
  );
}

/** The best first: one to one beyond chance, with names that agree. */
const ranked = (advices: readonly KeyAdvice[]): KeyAdvice[] =>
  [...advices].sort((a, b) => proofValue(b) - proofValue(a));

/** Does nearly every key of the smaller side meet exactly one of the other? */
const isWhole = ({ remedy, layerKeys, tableKeys }: KeyAdvice) =>
  remedy.oneToOne >= 0.95 * Math.min(layerKeys, tableKeys);

/** One advice for each pair of fields that reaches the same by the same repair. */
function distinct(advices: readonly KeyAdvice[]): KeyAdvice[] {
  const seen = new Set<string>();
  return advices.filter(({ text, remedy }) => {
    const key = `${text} ${remedy.text}`;
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}

/** Two fields, and about how many keys of the first meet some of the second. */
interface LikelyPair {
  own: KeyColumn;
  other: KeyColumn;
  met: number;
  value: number;
}

/** Pairs of fields whose keys seem to meet, the likeliest first. */
function likelyPairs({ own, other }: Sides): LikelyPair[] {
  const pairs: LikelyPair[] = [];
  for (const mine of own.columns)
    for (const theirs of other.columns) {
      const met = quickMatch(mine, theirs);
      if (met < 1) continue;
      const share = Math.min(1, met / Math.min(mine.keys.length, theirs.keys.length));
      const enough = met / (met + 3);
      pairs.push({
        own: mine,
        other: theirs,
        met,
        value: share * enough * (1 + 0.1 * (mine.likely + theirs.likely)),
      });
    }
  pairs.sort((a, b) => b.value - a.value);
  return pairs.slice(0, mostPairs);
}

/** The keys of one side, with the rows that have them. */
interface SideKeys {
  set: KeySet;
  rows: number;
  blank: number;
}

/** Keys of a side: those of one field are there already, others are read. */
async function sideKeys(
  table: Table,
  columns: KeyColumns,
  on: JoinKeys,
  side: 'own' | 'other',
): Promise<SideKeys> {
  const [first] = on;
  const fields = first[side];
  if (on.length === 1 && fields.length === 1 && fields[0].width === undefined) {
    const column = columns.columns.find(({ field }) => field === fields[0].name);
    if (column !== undefined) return { set: column, rows: column.rows, blank: column.blank };
  }
  const { index, rows, blank } = await keysOfTable(
    table.batches(),
    KeyReader.of(table.schema, table.name, on, side),
  );
  return { set: keySet([...index.texts()]), rows, blank };
}

/** Keys that leftovers are looked for among. */
const mostExplained = 200_000;

async function adviceFor(sides: Sides, on: JoinKeys, most: number): Promise<KeyAdvice[]> {
  const own = await sideKeys(sides.layer, sides.own, on, 'own');
  const other = await sideKeys(sides.table, sides.other, on, 'other');
  const [layer, table] = [own.set, other.set];
  return searchPair(layer, table, most).map((remedy): KeyAdvice => {
    const agreements = agreementsOf(sides, on, remedy);
    const merged = remedy.merged.table;
    const rowsMore = other.rows - other.blank - table.keys.length;
    return {
      on,
      text: keyPairsText(on),
      remedy,
      layerKeys: layer.keys.length,
      tableKeys: table.keys.length,
      layerRows: own.rows,
      tableRows: other.rows,
      many: rowsMore > 0 || merged > 0,
      rowsMore: rowsMore + merged,
      agreements,
      doubtful: agreements.length === 0 && beyondChance(remedy, layer.keys.length, table.keys.length) < 4,
      reasons: [
        ...ambiguousReasons(sides, own, other),
        ...levelReasons(sides, remedy),
        ...leftoverReasons(sides, layer, table, remedy),
      ],
    };
  });
}

/** Keys that come again and again on both sides: something is missing that tells them apart. */
function ambiguousReasons({ layer, table }: Sides, own: SideKeys, other: SideKeys): LeftoverReason[] {
  const again = ({ set, rows, blank }: SideKeys) => rows - blank - set.keys.length;
  const [mine, theirs] = [again(own), again(other)];
  if (mine <= 0.02 * own.rows || theirs <= 0.02 * other.rows) return [];
  return [
    {
      reason: 'ambiguous',
      keys: mine,
      words: `Keys come several times on both sides (${grouped(mine)} times more in ${layer.name}, ${grouped(theirs)} in ${table.name}): they name no unit; something that tells them apart is missing, as the unit above.`,
    },
  ];
}

/** Why keys are left over, where enough meet that it can be told and not too many are to be looked through. */
function leftoverReasons(sides: Sides, layer: KeySet, table: KeySet, remedy: KeyRemedy): LeftoverReason[] {
  const [mine, theirs] = [layer.keys.length, table.keys.length];
  if (remedy.met * 4 < Math.min(mine, theirs) || Math.max(mine, theirs) > mostExplained) return [];
  const [own, other] = [changedOf(layer, remedy, 'layer'), changedOf(table, remedy, 'table')];
  return explainLeftovers({
    layer: sides.layer.name,
    table: sides.table.name,
    matched: own.filter((key) => other.set.has(key)),
    lonely: own.filter((key) => !other.set.has(key)),
    over: other.filter((key) => !own.set.has(key)),
  });
}

/** Keys compared by their first signs meet units of the level above. */
function levelReasons({ layer, table }: Sides, { mends, met, metTable }: KeyRemedy): LeftoverReason[] {
  const first = mends.find(({ kind }) => kind === 'first signs');
  if (first === undefined || met === metTable) return [];
  return first.side === 'table'
    ? [
        {
          reason: 'finer',
          keys: metTable,
          words: `${table.name} is of a level below ${layer.name}: ${grouped(metTable)} of its keys begin with ${grouped(met)} of theirs; figures can be summed.`,
        },
      ]
    : [
        {
          reason: 'coarser',
          keys: met,
          words: `${table.name} is of a level above ${layer.name}: each of its rows would stand at several features, and its figures could not be summed.`,
        },
      ];
}

/** Columns of both sides that say the same in the rows that meet. */
function agreementsOf({ own, other }: Sides, on: JoinKeys, remedy: KeyRemedy): Agreement[] {
  if (on.length !== 1 || on[0].own.length !== 1 || on[0].other.length !== 1) return [];
  const a = own.columns.findIndex(({ field }) => field === on[0].own[0].name);
  const b = other.columns.findIndex(({ field }) => field === on[0].other[0].name);
  if (a < 0 || b < 0) return [];
  const rows = new Map<string, readonly (string | null)[]>();
  const [mine, theirs] = [changedOf(null, remedy, 'layer'), changedOf(null, remedy, 'table')];
  for (const row of other.sample) if (row[b] !== null) rows.set(theirs.change(row[b]), row);
  const met = own.sample.flatMap((row) => {
    const partner = row[a] === null ? undefined : rows.get(mine.change(row[a]));
    return partner === undefined ? [] : [[row, partner] as const];
  });
  if (met.length < 3) return [];
  const found: Agreement[] = [];
  own.columns.forEach((first, c) => {
    other.columns.forEach((second, d) => {
      if (c === a || d === b || !namesUnits(first) || !namesUnits(second)) return;
      let same = 0;
      for (const [row, partner] of met)
        if (row[c] !== null && partner[d] !== null && loosest(row[c]) === loosest(partner[d])) same++;
      if (same >= 0.5 * met.length)
        found.push({ own: first.field, other: second.field, share: same / met.length });
    });
  });
  return found.sort((x, y) => y.share - x.share);
}

/** Do the values of a field look like names: mostly letters, hardly one twice? */
function namesUnits({ keys, rows }: KeyColumn): boolean {
  const some = keys.slice(0, 200);
  return keys.length > 0.3 * rows && some.filter((key) => /\p{L}{3}/u.test(key)).length > 0.8 * some.length;
}

/** The same names in several units: with the unit above beside them they tell apart, and near ones can be trusted. */
async function guarded(sides: Sides, best: KeyAdvice | undefined): Promise<KeyAdvice[]> {
  if (best === undefined || best.on.length !== 1) return [];
  const [{ own, other }] = best.on;
  const name = sides.own.columns.find(({ field }) => field === own[0].name);
  if (name === undefined || own.length !== 1 || other.length !== 1) return [];
  const letters = name.keys.slice(0, 200).filter((key) => /\p{L}{3}/u.test(key)).length;
  const twice = best.layerRows > best.layerKeys;
  const lonely = best.layerKeys - best.remedy.met;
  if (letters < 0.8 * Math.min(200, name.keys.length) || (!twice && lonely === 0)) return [];
  const advices: KeyAdvice[] = [];
  const above = unitsAbove(sides, own[0].name, other[0].name);
  for (const on of [...above.map((pair) => [best.on[0], pair]), best.on]) {
    for (const advice of on === best.on ? [best] : await adviceFor(sides, on, 1))
      advices.push(...(on === best.on ? [] : [advice]), ...(await nearAdvice(sides, advice)));
  }
  return advices;
}

/** Pairs of fields with fewer values than the names that say the same on both sides: what the units belong to. */
function unitsAbove({ own, other }: Sides, name: string, named: string): JoinKeys {
  return own.columns.flatMap((mine) =>
    other.columns.flatMap((theirs) => {
      if (mine.field === name || theirs.field === named) return [];
      if (mine.keys.length * 1.5 > mine.rows || mine.keys.length < 2) return [];
      const met = mine.keys.filter((key) => theirs.loose.has(loosest(key))).length;
      return met >= 0.8 * Math.min(mine.keys.length, theirs.keys.length)
        ? [{ own: [{ name: mine.field }], other: [{ name: theirs.field }] }]
        : [];
    }),
  );
}

/** The same advice with near names, where some of what is left is spelt nearly alike. */
async function nearAdvice(sides: Sides, advice: KeyAdvice): Promise<KeyAdvice[]> {
  const { on, remedy } = advice;
  const read = async (table: Table, side: 'own' | 'other') => {
    const reader = KeyReader.of(table.schema, table.name, on, side);
    const { index } = await keysOfTable(table.batches(), reader);
    return changedOf(keySet([...index.texts()]), remedy, side === 'own' ? 'layer' : 'table');
  };
  const [mine, theirs] = [await read(sides.layer, 'own'), await read(sides.table, 'other')];
  const near = nearNames(
    [...mine.set].filter((key) => !theirs.set.has(key)),
    [...theirs.set].filter((key) => !mine.set.has(key)),
  );
  if (near.length === 0) return [];
  const text = remedy.text === '' ? 'near names' : `${remedy.text}, near names`;
  const shown = near.slice(0, 3).map((each) => `${shownPair(each.own)} = ${shownPair(each.other)}`);
  return [
    {
      ...advice,
      remedy: {
        ...remedy,
        text,
        mends: parseMends(text),
        met: remedy.met + near.length,
        metTable: remedy.metTable + near.length,
        oneToOne: remedy.oneToOne + near.length,
        examples: [...shown, ...remedy.examples].slice(0, 4),
      },
      reasons: [],
    },
  ];
}

const shownPair = (key: string) => key.split('\u001f').join(', ');
