import type { JoinKeys } from '../../table/keys/key-pairs.ts';
import { KeyReader, keysOfTable, shownKey } from '../../table/keys/key-reader.ts';
import { changeOf, type Mend, mendsText, parseMends, settleMends } from '../../table/keys/mends.ts';
import { type NearName, nearNames } from '../../table/keys/near-names.ts';
import type { ReadOptions, Table } from '../layer.ts';

/** Both sides whose keys are compared, and what is done with the keys before. */
export interface KeySides {
  layer: Table;
  table: Table;
  keys: JoinKeys;
  own: KeyReader;
  other: KeyReader;
  mends: readonly Mend[];
}

/** @throws IsomericError `field-unknown`, `repair-unknown` */
export function keySides(
  layer: Table,
  table: Table,
  keys: JoinKeys,
  repair: string | readonly Mend[] = [],
): KeySides {
  return {
    layer,
    table,
    keys,
    own: KeyReader.of(layer.schema, layer.name, keys, 'own'),
    other: KeyReader.of(table.schema, table.name, keys, 'other'),
    mends: typeof repair === 'string' ? parseMends(repair) : repair,
  };
}

/** Readers of the keys as mended, and names that stand for others. */
export interface MendedKeys {
  own: KeyReader;
  other: KeyReader;
  near: NearName[];
  notes: string[];
}

/** The parts of keys of several pairs: each is changed by itself. */
function* partsOf(keys: Iterable<string>): Generator<string> {
  for (const key of keys) yield* key.split('\u001f');
}

/** Settles the mends by the keys of both sides, which are read once for it; without mends nothing is read. */
export async function mendedKeys(sides: KeySides, reading: ReadOptions): Promise<MendedKeys> {
  const { layer, table, mends } = sides;
  if (mends.length === 0) return { own: sides.own, other: sides.other, near: [], notes: [] };
  const { index: ours } = await keysOfTable(layer.batches(reading), sides.own);
  const { index: theirs } = await keysOfTable(table.batches(reading), sides.other);
  const settled = settleMends(mends, {
    layer: () => partsOf(ours.texts()),
    table: () => partsOf(theirs.texts()),
  });
  const change = { own: changeOf(settled, 'layer'), other: changeOf(settled, 'table') };
  const notes = [`Repair: keys were compared with “${mendsText(settled)}”, as asked.`];
  let near: NearName[] = [];
  if (settled.some(({ kind }) => kind === 'near names')) {
    const changed = (keys: Iterable<string>, by: ((key: string) => string) | null) =>
      new Set([...keys].map((key) => (by === null ? key : key.split('\u001f').map(by).join('\u001f'))));
    const [mine, others] = [changed(ours.texts(), change.own), changed(theirs.texts(), change.other)];
    near = nearNames(
      [...mine].filter((key) => !others.has(key)),
      [...others].filter((key) => !mine.has(key)),
    );
    notes.push(nearWords(near));
  }
  return { own: sides.own.changed(change.own), other: sides.other.changed(change.other), near, notes };
}

function nearWords(near: readonly NearName[]): string {
  if (near.length === 0) return 'No names were near enough to stand for each other.';
  const shown = near.slice(0, 10).map(({ own, other }) => `${shownKey(own)} = ${shownKey(other)}`);
  return `Near names that stand for each other: ${shown.join('; ')}${near.length > 10 ? ` and ${near.length - 10} more` : ''}.`;
}
