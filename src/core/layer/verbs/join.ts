import { type Account, type Count, closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder, takeValues } from '../../table/column-builder.ts';
import { eachKey, KeyIndex } from '../../table/key-index.ts';
import {
  digitWidth,
  type KeyRepair,
  keyRepairNamed,
  proposeRepair,
  type RepairProposal,
  repairedKey,
} from '../../table/key-repair.ts';
import { withMarginNames } from '../../table/margin-fields.ts';
import { type Field, freeName, requireField, type Schema } from '../../table/schema.ts';
import { asPlainField } from '../feature-ids.ts';
import type { ReadOptions, Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** How a table is joined to a layer. */
export interface JoinOptions {
  /** Field of the layer and field of the table whose values must be equal. */
  on: readonly [layerField: string, tableField: string];
  /** Columns of the table to bring over; all but the key when left out. [name, new name] renames. */
  columns?: readonly (string | readonly [string, string])[];
  /** Applied to the keys of the side that lost something; only when asked for. */
  repair?: KeyRepair;
  /** What a join that matched nothing is: an error (`stop`), or an error among the findings (`tell`, when left out). */
  noMatch?: 'stop' | 'tell';
}

interface HeldTable {
  columns: Column[];
  index: KeyIndex;
  rows: number;
  blankKeys: number;
}

const encoder = new TextEncoder();

async function hold(
  table: Table,
  key: number,
  chosen: readonly number[],
  repaired: (text: string) => string | null,
  reading: ReadOptions,
): Promise<HeldTable> {
  const index = new KeyIndex();
  const builders = chosen.map((c) => new ColumnBuilder(table.schema[c].type));
  let rows = 0;
  let blankKeys = 0;
  for await (const batch of table.batches(reading)) {
    eachKey(batch.columns[key], (row, bytes, start, end) => {
      if (bytes === null || start === end) {
        blankKeys++;
        return;
      }
      const other =
        repaired === unchanged ? null : repaired(new TextDecoder().decode(bytes.subarray(start, end)));
      if (other === null) index.add(bytes, start, end, rows + row);
      else {
        const changed = encoder.encode(other);
        index.add(changed, 0, changed.length, rows + row);
      }
    });
    chosen.forEach((c, n) => {
      const column = batch.columns[c];
      for (let i = 0; i < batch.length; i++) builders[n].copy(column, i);
    });
    rows += batch.length;
  }
  return { columns: builders.map((builder) => builder.finish()), index, rows, blankKeys };
}

const unchanged = (): null => null;

/** All keys of a layer, for proposals and for the width that lost zeros are restored to. */
async function keysOf(table: Table, key: number, reading: ReadOptions): Promise<KeyIndex> {
  const index = new KeyIndex();
  let rows = 0;
  for await (const batch of table.batches(reading)) {
    eachKey(batch.columns[key], (row, bytes, start, end) => {
      if (bytes !== null && start !== end) index.add(bytes, start, end, rows + row);
    });
    rows += batch.length;
  }
  return index;
}

/** The columns of a table that a join brings over, and what they are called afterwards. */
interface Brought {
  /** Places of the columns in the table. */
  chosen: number[];
  added: Field[];
  notes: string[];
}

function broughtBy(layer: Table, table: Table, key: number, options: JoinOptions): Brought {
  const wanted =
    options.columns ??
    table.schema
      .filter((field, c) => c !== key && field.featureId !== 'numbering')
      .map((field) => field.name);
  const result: Brought = { chosen: [], added: [], notes: [] };
  for (const column of wanted) {
    const [name, rename] = typeof column === 'string' ? [column, column] : column;
    const c = requireField(table.schema, name, table.name);
    const free = freeName(
      rename,
      [...layer.schema, ...result.added].map((field) => field.name),
    );
    if (free !== rename)
      result.notes.push(
        `The column ${rename} of ${table.name} is called ${free} here, since ${layer.name} has a ${rename} already.`,
      );
    result.chosen.push(c);
    result.added.push({
      ...asPlainField(table.schema[c]),
      name: free,
      title: table.schema[c].title ?? (free === name ? undefined : name),
      ...(free === name ? {} : { code: table.schema[c].code ?? name }),
    });
  }
  return result;
}

/** How keys of the table are repaired, as asked, and what is told of it. */
function repairFor(
  keys: KeyIndex,
  repair: KeyRepair,
  field: string,
  layer: string,
): { pad: (text: string) => string | null; note: string } {
  const width = digitWidth(keys);
  if (width === 0)
    return {
      pad: unchanged,
      note: `Repair: ${repair} were to be repaired, but the keys of ${layer} are not digits of one length; nothing was changed.`,
    };
  return {
    pad: (text) => repairedKey(repair, text, width),
    note:
      repair === 'leading zeros'
        ? `Repair: leading zeros of ${field} were restored to ${width} digits, as asked.`
        : `Repair: of long identifiers in ${field} the last ${width} signs were taken, as asked.`,
  };
}

/** Goes along the features and finds their rows; what found none is kept for the account. */
class Matching {
  readonly used: Uint8Array;
  /** Only the keys that found nothing: they are what a repair could help. */
  readonly lonely = new KeyIndex();
  all = 0;
  matched = 0;
  blank = 0;
  private readonly held: HeldTable;

  constructor(held: HeldTable) {
    this.held = held;
    this.used = new Uint8Array(held.index.size);
  }

  /** Row of the table for each feature of a batch; −1 for none. */
  rowsFor(keys: Column, length: number): Int32Array {
    const { index } = this.held;
    const rows = new Int32Array(length).fill(-1);
    eachKey(keys, (i, bytes, start, end) => {
      if (bytes === null || start === end) {
        this.blank++;
        return;
      }
      const key = index.get(bytes, start, end);
      if (key < 0) {
        this.lonely.add(bytes, start, end, this.all + i);
        return;
      }
      this.used[key] = 1;
      this.matched++;
      rows[i] = index.firstRow[key];
    });
    this.all += length;
    return rows;
  }
}

const textsOf = (index: KeyIndex) => Array.from({ length: index.size }, (_, key) => index.text(key));

/**
 * Brings columns of a table to the features with the same key: one row to one feature. Every feature stays; those
 * without a row get blanks. The account tells what matched, what was left over on both sides, keys that came twice
 * (the first row was taken), and repairs with their proof.
 *
 * @throws IsomericError `field-unknown`; `join-nothing-matched` at the end of reading, where `noMatch` is `stop`
 */
export function joinTable<T extends Table>(layer: T, table: Table, options: JoinOptions): T {
  const [layerKey, tableKey] = [
    requireField(layer.schema, options.on[0], layer.name),
    requireField(table.schema, options.on[1], table.name),
  ];
  const { chosen, added, notes } = broughtBy(layer, table, tableKey, options);
  const { repair } = options;
  if (repair !== undefined) keyRepairNamed(repair);
  const renamed = new Map(chosen.map((c, k) => [table.schema[c].name, added[k].name]));
  const schema: Schema = [...layer.schema, ...withMarginNames(added, renamed)];
  // What was done to the table before is part of the account: no row of it is dropped silently.
  const told: T = { ...layer, accounts: [...layer.accounts, ...table.accounts] };
  return applyVerb('Join', told, {
    schema,
    count: layer.count,
    handOn: (given) => given,
    async *run(account, source, signal) {
      const reading = { signal };
      account.notes.push(...notes);
      let pad: (text: string) => string | null = unchanged;
      if (repair !== undefined) {
        const keys = await keysOf(layer, layerKey, reading);
        const repaired = repairFor(keys, repair, options.on[1], layer.name);
        pad = repaired.pad;
        account.notes.push(repaired.note);
      }
      const held = await hold(table, tableKey, chosen, pad, reading);
      const matching = new Matching(held);
      for await (const batch of source) {
        const rows = matching.rowsFor(batch.columns[layerKey], batch.length);
        yield batch.with({
          columns: [...batch.columns, ...held.columns.map((column) => takeValues(column, rows))],
        });
      }
      const fields = added.map((field) => field.name);
      closeJoin(account, { layer: layer.name, table: table.name, fields, options, held, matching });
    },
  });
}

/** Keys that a finding keeps by name. */
const mostKeysKept = 1000;

/** What the account of a join is made of. */
interface Joined {
  layer: string;
  table: string;
  /** Fields that were brought. */
  fields: readonly string[];
  options: JoinOptions;
  held: HeldTable;
  matching: Matching;
}

function closeJoin(account: Account, joined: Joined): void {
  const { layer, table, fields, options, held, matching } = joined;
  const { all, matched } = matching;
  const lonely = textsOf(matching.lonely);
  const over: string[] = [];
  const twice: string[] = [];
  for (let key = 0; key < held.index.size; key++) {
    if (matching.used[key] === 0) over.push(held.index.text(key));
    if (held.index.times[key] > 1) twice.push(held.index.text(key));
  }
  account.counts = {
    in: all,
    matched,
    withoutRow: all - matched,
    tableRows: held.rows,
    tableKeysLeftOver: over.length,
    tableKeysTwice: twice.length,
    blankKeys: matching.blank,
    blankTableKeys: held.blankKeys,
  };
  const proposals = options.repair === undefined ? proposalsFor(joined, lonely, over) : [];
  if (matched === 0 && all > 0 && options.noMatch === 'stop')
    throw new IsomericError(
      'join-nothing-matched',
      `None of ${counted(all, 'feature', 'features')} of ${layer} found a row in ${table} by ${options.on[0]} = ${options.on[1]}: ${sample(lonely)} on one side, ${sample(over)} on the other.`,
      { blame: 'usage', advice: proposals[0]?.words ?? 'Look at both fields, and say others.' },
    );
  if (lonely.length > 0) account.notes.push(`Without a row in ${table}: ${sample(lonely)}.`);
  if (over.length > 0) account.notes.push(`Keys of ${table} without a feature: ${sample(over)}.`);
  if (twice.length > 0) {
    account.notes.push(`Keys that occur twice in ${table}: ${sample(twice)}; the first row was taken.`);
    account.findings.push({
      code: 'join-key-twice',
      severity: 'warning',
      layer,
      words: `${twice.length} ${twice.length === 1 ? 'key occurs' : 'keys occur'} more than once in ${table} (${sample(twice)}); the first row of each was taken.`,
      repair: 'filter the table to one row a key, or sum its rows by key first',
    });
  }
  for (const { repair, words } of proposals)
    account.findings.push({
      code: repair === 'leading zeros' ? 'join-zeros-lost' : 'join-identifiers-long',
      severity: 'warning',
      layer,
      words,
      repair: `join with “repair: ${repair}”`,
    });
  if (matched < all)
    account.findings.push({
      code: 'join-incomplete',
      severity: matched === 0 ? 'error' : 'warning',
      layer,
      words: `${grouped(all - matched)} of ${grouped(all)} ${layer} found no row in ${table} (${sample(lonely)}).`,
      without: { table, fields, keys: lonely.slice(0, mostKeysKept) },
    });
  const counts: Count[] = [
    [matched, `matched on ${options.on[0]} = ${options.on[1]}`],
    [all - matched, `without a row in ${table}`],
    [over.length, `${over.length === 1 ? 'key' : 'keys'} of ${table} left over`],
  ];
  if (twice.length > 0) counts.push([twice.length, twice.length === 1 ? 'key twice' : 'keys twice']);
  closeAccount(account, [all, `${layer} in`], ...counts);
}

/** Repairs that would match keys that found nothing. */
function proposalsFor(
  { layer, table, held, matching }: Joined,
  lonely: readonly string[],
  over: readonly string[],
): RepairProposal[] {
  return [
    proposeRepair('leading zeros', over, matching.lonely, table),
    proposeRepair('leading zeros', lonely, held.index, layer),
    proposeRepair('long identifiers', over, matching.lonely, table),
  ].filter((proposal) => proposal !== undefined);
}

function sample(keys: readonly string[]): string {
  const shown = keys.slice(0, 5).join(', ');
  return keys.length > 5 ? `${shown} and ${grouped(keys.length - 5)} more` : shown || 'blank keys';
}

/** `code = area_code` → its two names; names with other signs stand in double quotes. */
export function parseOn(text: string): [string, string] {
  const sides: string[] = [];
  let rest = text.trim();
  for (;;) {
    const quoted = rest.startsWith('"');
    const end = quoted ? rest.indexOf('"', 1) : rest.indexOf('=');
    const name = quoted ? rest.slice(1, Math.max(1, end)) : (end < 0 ? rest : rest.slice(0, end)).trim();
    const after = (quoted ? rest.slice(end + 1) : end < 0 ? '' : rest.slice(end)).trim();
    const wrong = name === '' || (quoted ? end < 0 : name.includes('"'));
    if (wrong || (after !== '' && !after.startsWith('='))) break;
    sides.push(name);
    if (after === '') return [sides[0], sides[1] ?? sides[0]];
    if (sides.length === 2) break;
    rest = after.slice(1).trim();
  }
  throw new IsomericError('join-on-syntax', `“${text}” does not say what to join on.`, {
    blame: 'usage',
    wrong: text,
    advice: 'Write LAYER_FIELD = TABLE_FIELD, for example: code = area_code.',
  });
}
