import type { JoinKeys } from '../key-pairs.ts';
import { keyPairsText } from '../key-pairs.ts';
import { parseMends } from '../mends.ts';
import { mostNames, nearNames } from '../near-names.ts';
import { adviceFor, type KeyAdvice, namesUnits, type Sides, sideKeys } from './advice.ts';
import { loosest } from './loosest.ts';
import { changedOf, type KeyRemedy, proofOf } from './pair-search.ts';

/** The same names in several units: with the unit above beside them they tell apart, and near ones can be trusted. */
export async function guarded(sides: Sides, best: KeyAdvice | undefined): Promise<KeyAdvice[]> {
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
  const own = await sideKeys(sides.layer, sides.own, on, 'own');
  const other = await sideKeys(sides.table, sides.other, on, 'other');
  const mine = changedOf(own.set, remedy, 'layer');
  const theirs = changedOf(other.set, remedy, 'table');
  const lonely = mine.filter((key) => !theirs.set.has(key));
  const over = theirs.filter((key) => !mine.set.has(key));
  if (Math.max(lonely.length, over.length) > mostNames) return [];
  const near = nearNames(lonely, over);
  if (near.length === 0) return [];
  const text = remedy.text === '' ? 'near names' : `${remedy.text}, near names`;
  const shown = near.slice(0, 3).map((each) => `${shownPair(each.own)} = ${shownPair(each.other)}`);
  const more: KeyRemedy = {
    ...remedy,
    text,
    mends: parseMends(text),
    met: remedy.met + near.length,
    metTable: remedy.metTable + near.length,
    oneToOne: remedy.oneToOne + near.length,
    examples: [...shown, ...remedy.examples].slice(0, 4),
  };
  return [{ ...advice, remedy: more, reasons: [] }];
}

/** Pairs of fields of names that are looked at where no key was found. */
const mostNamePairs = 4;

/**
 * Names of which hardly one is spelt alike on both sides: those that are near, with the unit above beside them where there is one.
 * Only what brings a third of the smaller side together is proposed.
 */
export async function namesAlone(sides: Sides): Promise<KeyAdvice[]> {
  const pairs = sides.own.columns
    .filter(namesUnits)
    .flatMap((own) =>
      sides.other.columns.filter(namesUnits).map((other) => [own.field, other.field] as const),
    );
  const found: KeyAdvice[] = [];
  for (const [own, other] of pairs.slice(0, mostNamePairs)) {
    const names = { own: [{ name: own }], other: [{ name: other }] };
    for (const on of [...unitsAbove(sides, own, other).map((pair) => [names, pair]), [names]])
      found.push(...(await nearAdvice(sides, await plainAdvice(sides, on))));
  }
  return found.filter(
    ({ remedy, layerKeys, tableKeys }) => remedy.met >= 0.3 * Math.min(layerKeys, tableKeys),
  );
}

/** What meets when nothing but letter case and accents is left out of sight; it may be nothing. */
async function plainAdvice(sides: Sides, on: JoinKeys): Promise<KeyAdvice> {
  const own = await sideKeys(sides.layer, sides.own, on, 'own');
  const other = await sideKeys(sides.table, sides.other, on, 'other');
  const rowsMore = other.rows - other.blank - other.set.keys.length;
  return {
    on,
    text: keyPairsText(on),
    remedy: {
      ...proofOf(own.set, other.set, parseMends('letter case, accents')),
      byChance: 0,
      tableByChance: 0,
    },
    layerKeys: own.set.keys.length,
    tableKeys: other.set.keys.length,
    layerRows: own.rows,
    tableRows: other.rows,
    many: rowsMore > 0,
    rowsMore,
    agreements: [],
    doubtful: false,
    reasons: [],
  };
}

const shownPair = (key: string) => key.split('\u001f').join(', ');
