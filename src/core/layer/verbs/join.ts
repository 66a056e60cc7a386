import { type Account, closeAccount, counted } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import type { Column } from '../../table/column.ts';
import { takeValues } from '../../table/column-builder.ts';
import { asKeyPairs, type JoinKeys, keyPairsText } from '../../table/keys/key-pairs.ts';
import { keysOfTable, shownKey } from '../../table/keys/key-reader.ts';
import type { Mend } from '../../table/keys/mends.ts';
import type { NearName } from '../../table/keys/near-names.ts';
import { requireField, type Schema } from '../../table/schema.ts';
import { Batch, pieces } from '../batch.ts';
import { asPlainField } from '../feature-ids.ts';
import { closeJoin, sample } from '../joining/account.ts';
import { type Brought, type ColumnChoice, columnsBrought } from '../joining/columns-brought.ts';
import { HeldTable } from '../joining/held-table.ts';
import { type ManyRule, type ManySeen, parseMany, RowMaker, rowsAlike } from '../joining/many-rows.ts';
import { Matching } from '../joining/matching.ts';
import { type KeySides, keySides, mendedKeys } from '../joining/mended-keys.ts';
import type { ClashRule } from '../joining/words.ts';
import { isLayer, type Table, withoutGeometry } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** How a table is joined to a layer. */
export interface JoinOptions {
  /** Field of the layer and field of the table whose values must be equal, or several such pairs. */
  on: JoinKeys | readonly [layerField: string, tableField: string];
  /** Columns of the table to bring over; all but the key when left out. [name, new name] renames. */
  columns?: ColumnChoice;
  /** Mends of the keys, as words or as data; only when asked for. */
  repair?: string | readonly Mend[];
  /**
   * What is made of several rows of one key: `first`, `last`, `sum`, `mean`, `least`, `greatest`, `list`, `rows` (a feature for
   * each), `greatest by COLUMN`, `mean by COLUMN`. Left out, rows that differ are an error.
   */
  many?: string | ManyRule;
  /** Features without a row: they stay, with blanks, when left out. */
  unmatched?: 'keep' | 'drop';
  /** What happens to columns whose names the layer has: `number` when left out. */
  clash?: ClashRule;
  /**
   * Per cent of the features, or of the keys of the table, that must meet, 50 when left out; fewer of both are an error, 0 lets
   * everything pass.
   */
  atLeast?: number;
}

/** Fewer matches than so many per cent are a mistake more often than not. */
export const usualAtLeast = 50;

const insteadOf = (near: readonly NearName[], held: HeldTable): ReadonlyMap<string, number> | null =>
  near.length === 0 ? null : new Map(near.map(({ own, other }) => [own, held.index.getText(other)]));

/**
 * Brings columns of a table to the features with the same key. Every feature stays unless `unmatched` says otherwise; those
 * without a row get blanks. Several features may have one row; several rows of one key are settled by `many`, and are an error
 * where they differ and nothing is said. The account tells what matched, what was left over on both sides and why, keys that came
 * twice, how much of the ground and of the table's totals arrived, and a repair where one would help, with its proof.
 *
 * The table's chosen columns are held in memory; the layer streams (it is read once more before when keys are repaired).
 *
 * @throws IsomericError `field-unknown`, `repair-unknown`, `join-many-unknown`; while reading `join-key-many`; at the end of reading
 * `join-nothing-matched`, `join-few-matched`
 */
export function joinTable<T extends Table>(layer: T, table: Table, options: JoinOptions): T {
  const sides = keySides(layer, table, asKeyPairs(options.on), options.repair);
  const many = typeof options.many === 'string' ? parseMany(options.many) : (options.many ?? null);
  const weight = many?.by === undefined ? -1 : requireField(table.schema, many.by, table.name);
  if (weight >= 0 && !['integer', 'real'].includes(table.schema[weight].type))
    throw new IsomericError('expression-type', `${many!.by} holds no numbers, so it cannot weigh rows.`, {
      blame: 'usage',
      wrong: many!.by,
    });
  const brought = columnsBrought({ layer, table }, sides.other.columns, { ...options, many });
  const { kept, added } = brought;
  const rowwise = many?.rule === 'rows';
  const schema: Schema = [
    // Of several features that were one, none has its id for itself.
    ...kept.map((c) => (rowwise ? asPlainField(layer.schema[c]) : layer.schema[c])),
    ...added,
  ];
  // What was done to the table before is part of the account: no row of it is dropped silently.
  const told: T = { ...layer, accounts: [...layer.accounts, ...table.accounts] };
  const keeps = options.unmatched !== 'drop';
  return applyVerb('Join', told, {
    schema,
    count: keeps && !rowwise ? layer.count : undefined,
    handOn: (given) => given,
    async *run(account, source, signal) {
      account.notes.push(...brought.notes);
      const ready = await mendedKeys(sides, { signal });
      account.notes.push(...ready.notes);
      const chosen = weight < 0 ? brought.chosen : [...brought.chosen, weight];
      const held = await HeldTable.of(table, ready.other, chosen, { signal });
      const degrees = isLayer(layer) && layer.crs !== null ? layer.crs.kind === 'geographic' : null;
      const matching = new Matching(held, ready.own, insteadOf(ready.near, held), degrees);
      const rows = rowsFor(held, brought, table, many);
      let out = 0;
      for await (const batch of source) {
        const keys = matching.keysFor(batch);
        if (many === null) refuseMany(held, keys, table.name, sides.keys, brought.chosen.length);
        const columns = kept.map((c) => batch.columns[c]);
        const whole = columns.length === batch.columns.length ? batch : batch.with({ columns });
        const made = rowwise
          ? featureEach(whole, keys, held, added.length, keeps)
          : oneEach(whole, keys, rows, keeps);
        for (const each of made) {
          out += each.length;
          yield each;
        }
      }
      closeJoin(account, {
        layer: layer.name,
        table: table.name,
        keys: sides.keys,
        fields: added,
        brought: brought.chosen.map((c) => table.schema[c]),
        held,
        matching,
        many,
        seen: rows.seen,
        repaired: sides.mends.length > 0,
        atLeast: options.atLeast ?? usualAtLeast,
        dropped: !keeps,
      });
      account.counts.out = out;
      if (rowwise) account.notes.push(`${counted(out, 'feature', 'features')} out: one for each row.`);
    },
  });
}

/** What each key brings: columns, and the row in them. */
interface RowsByKey {
  columns: readonly Column[];
  rowOf(key: number): number;
  seen: ManySeen | null;
}

function rowsFor(held: HeldTable, brought: Brought, table: Table, many: ManyRule | null): RowsByKey {
  const columns = held.columns.slice(0, brought.chosen.length);
  if (many === null || many.rule === 'first' || many.rule === 'rows')
    return { columns, rowOf: (key) => held.index.firstRow[key], seen: null };
  const fields = brought.chosen.map((c) => table.schema[c]);
  const maker = new RowMaker(held, fields, many, held.columns[brought.chosen.length] ?? null);
  for (let key = 0; key < held.index.size; key++) maker.add(key);
  return { columns: maker.finish(), rowOf: (key) => key, seen: maker.seen };
}

/** One row to one feature. */
function* oneEach(batch: Batch, keys: Int32Array, rows: RowsByKey, keeps: boolean): Generator<Batch> {
  let own = batch;
  let found = keys;
  if (!keeps && keys.some((key) => key < 0)) {
    const taken = indicesOf(keys, (key) => key >= 0);
    if (taken.length === 0) return;
    own = batch.take(taken);
    found = keys.filter((key) => key >= 0);
  }
  const at = found.map((key) => (key < 0 ? -1 : rows.rowOf(key)));
  yield own.with({ columns: [...own.columns, ...rows.columns.map((column) => takeValues(column, at))] });
}

/** A feature for each row. */
function* featureEach(
  batch: Batch,
  keys: Int32Array,
  held: HeldTable,
  columns: number,
  keeps: boolean,
): Generator<Batch> {
  const features: number[] = [];
  const rows: number[] = [];
  keys.forEach((key, i) => {
    if (key < 0) {
      if (!keeps) return;
      features.push(i);
      rows.push(-1);
    } else
      for (const row of held.rowsOf(key)) {
        features.push(i);
        rows.push(row);
      }
  });
  const own = batch.take(features);
  const whole = new Batch({
    length: features.length,
    first: 0,
    geometry: own.geometry,
    columns: [...own.columns, ...held.columns.slice(0, columns).map((column) => takeValues(column, rows))],
    ids: null,
  });
  if (whole.length > 0) yield* pieces(whole, false);
}

function indicesOf(keys: Int32Array, is: (key: number) => boolean): number[] {
  const found: number[] = [];
  keys.forEach((key, i) => {
    if (is(key)) found.push(i);
  });
  return found;
}

/** Rows of one key that differ are never chosen among unasked. */
function refuseMany(held: HeldTable, keys: Int32Array, table: string, on: JoinKeys, columns: number): void {
  if (columns === 0) return;
  for (const key of keys) {
    if (key < 0 || !held.several(key)) continue;
    const rows = held.rowsOf(key);
    if (rowsAlike(held, rows)) continue;
    throw new IsomericError(
      'join-key-many',
      `${table} has ${counted(rows.length, 'row', 'rows')} for the key ${shownKey(held.index.text(key))}, and they differ (${keyPairsText(on)}).`,
      {
        blame: 'usage',
        advice:
          'Say what becomes of many rows: first, last, sum, mean, least, greatest, list, rows, “greatest by COLUMN” or “mean by COLUMN”; or filter them to one a key first.',
      },
    );
  }
}

/** Which leftovers of a join are wanted. */
export type Leftovers = 'features without a row' | 'rows without a feature';

/** The features that find no row by a join, as they are. */
export function featuresWithoutRow<T extends Table>(layer: T, table: Table, options: JoinOptions): T {
  return leftoversOf(layer, keySides(layer, table, asKeyPairs(options.on), options.repair), 'own');
}

/** The rows that no feature has by a join, as they are. */
export function rowsWithoutFeature(layer: Table, table: Table, options: JoinOptions): Table {
  return leftoversOf(
    withoutGeometry(table),
    keySides(layer, table, asKeyPairs(options.on), options.repair),
    'other',
  );
}

function leftoversOf<T extends Table>(given: T, sides: KeySides, side: 'own' | 'other'): T {
  return applyVerb('Left over', given, {
    async *run(account: Account, source, signal) {
      const ready = await mendedKeys(sides, { signal });
      account.notes.push(...ready.notes);
      const [mine, others] = side === 'own' ? [ready.own, ready.other] : [ready.other, ready.own];
      const opposite = side === 'own' ? sides.table : sides.layer;
      const { index } = await keysOfTable(opposite.batches({ signal }), others);
      const near = new Set(ready.near.map((each) => each[side]));
      let all = 0;
      let left = 0;
      const examples: string[] = [];
      for await (const batch of source) {
        const taken: number[] = [];
        mine.each(batch, (i, bytes, start, end) => {
          if (bytes !== null && start !== end) {
            if (index.get(bytes, start, end) >= 0) return;
            const text = new TextDecoder().decode(bytes.subarray(start, end));
            if (near.has(text)) return;
            if (examples.length < 6) examples.push(text);
          }
          taken.push(i);
        });
        all += batch.length;
        left += taken.length;
        if (taken.length > 0) yield taken.length === batch.length ? batch : batch.take(taken);
      }
      account.counts = { in: all, left };
      if (examples.length > 0) account.notes.push(`Keys: ${sample(examples)}.`);
      closeAccount(
        account,
        [all, `${given.name} in`],
        [left, `without a partner in ${opposite.name} on ${keyPairsText(sides.keys)}`],
      );
    },
  });
}
