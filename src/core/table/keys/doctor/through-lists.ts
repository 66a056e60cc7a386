import type { Table } from '../../../layer/layer.ts';
import { spread } from './extracts.ts';
import { type KeyColumn, type KeyColumns, keyColumnsOf } from './key-columns.ts';
import { loosest } from './loosest.ts';

/** A list of codes that stands between the keys of two tables. */
export interface ThroughList {
  list: string;
  /** Field of the layer, field of the list that has the same codes. */
  own: string;
  from: string;
  /** Field of the list with the codes of the table, field of the table. */
  to: string;
  other: string;
  /** Keys of the layer that meet one of the table over the list. */
  met: number;
  layerKeys: number;
  /** Rows of the list that have more than one code for one of the layer. */
  several: number;
  examples: string[];
}

const mostTried = 2000;

/** Share of the keys of a column that another has. */
function shared(column: KeyColumn, among: KeyColumn): number {
  const keys = spread(column.keys, mostTried);
  return keys.filter((key) => among.loose.has(loosest(key))).length / Math.max(1, keys.length);
}

/** Lists over which keys of both sides meet, the best first. */
export async function throughLists(
  own: KeyColumns,
  other: KeyColumns,
  lists: readonly Table[],
): Promise<ThroughList[]> {
  const found: ThroughList[] = [];
  for (const list of lists) {
    const held = await keyColumnsOf(list);
    held.columns.forEach((from, f) => {
      held.columns.forEach((to, t) => {
        if (f === t) return;
        for (const mine of own.columns) {
          if (shared(mine, from) < 0.3 && shared(from, mine) < 0.3) continue;
          for (const theirs of other.columns) {
            if (shared(to, theirs) < 0.3 && shared(theirs, to) < 0.3) continue;
            const way = over(held, [f, t], mine, theirs);
            if (way.met > 0)
              found.push({
                list: list.name,
                own: mine.field,
                from: from.field,
                to: to.field,
                other: theirs.field,
                layerKeys: mine.keys.length,
                ...way,
              });
          }
        }
      });
    });
  }
  return found.sort((a, b) => b.met - a.met).slice(0, 2);
}

function over(
  { sample }: KeyColumns,
  [f, t]: readonly [number, number],
  mine: KeyColumn,
  theirs: KeyColumn,
): Pick<ThroughList, 'met' | 'several' | 'examples'> {
  const ways = new Map<string, Set<string>>();
  for (const row of sample) {
    const [from, to] = [row[f], row[t]];
    if (from === null || to === null) continue;
    const known = ways.get(loosest(from));
    if (known === undefined) ways.set(loosest(from), new Set([to]));
    else known.add(to);
  }
  let met = 0;
  let several = 0;
  const examples: string[] = [];
  for (const key of mine.keys) {
    const way = ways.get(loosest(key));
    if (way === undefined) continue;
    const to = [...way].find((code) => theirs.loose.has(loosest(code)));
    if (to === undefined) continue;
    met++;
    if (way.size > 1) several++;
    if (examples.length < 3) examples.push(`${key} → ${to}`);
  }
  return { met, several, examples };
}
