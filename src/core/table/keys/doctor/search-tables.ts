import type { Table } from '../../../layer/layer.ts';
import { KeyIndex } from '../key-index.ts';
import type { JoinKeys } from '../key-pairs.ts';
import { KeyReader } from '../key-reader.ts';
import { adviceFor, type KeyAdvice, type Sides } from './advice.ts';
import { type KeyColumn, type KeyColumns, keyColumnsOf } from './key-columns.ts';
import { guarded, namesAlone } from './named-keys.ts';
import { quickMatch, worth } from './pair-search.ts';
import { type ThroughList, throughLists } from './through-lists.ts';
import { together } from './together.ts';

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
    const found = ranked(advices)[0];
    if (found === undefined || proofValue(found) < 0.5) advices.push(...(await namesAlone(sides)));
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
