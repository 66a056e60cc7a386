import { grouped } from '../../../account.ts';
import type { Table } from '../../../layer/layer.ts';
import { type JoinKeys, keyPairsText } from '../key-pairs.ts';
import { KeyReader, keysOfTable } from '../key-reader.ts';
import type { KeyColumn, KeyColumns } from './key-columns.ts';
import { explainLeftovers, type LeftoverReason } from './leftovers.ts';
import { loosest } from './loosest.ts';
import { beyondChance, changedOf, type KeyRemedy, type KeySet, keySet, searchPair } from './pair-search.ts';

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

/** Both tables, and what is known of their fields. */
export interface Sides {
  layer: Table;
  table: Table;
  own: KeyColumns;
  other: KeyColumns;
}

/** The keys of one side, with the rows that have them. */
export interface SideKeys {
  set: KeySet;
  rows: number;
  blank: number;
}

/** Keys of a side: those of one field are there already, others are read. */
export async function sideKeys(
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

/** The ways in which two tables meet by some fields, the best first. */
export async function adviceFor(sides: Sides, on: JoinKeys, most: number): Promise<KeyAdvice[]> {
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
export function namesUnits({ keys, rows }: KeyColumn): boolean {
  const some = keys.slice(0, 200);
  return keys.length > 0.3 * rows && some.filter((key) => /\p{L}{3}/u.test(key)).length > 0.8 * some.length;
}
