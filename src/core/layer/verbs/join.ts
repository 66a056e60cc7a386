import { type Count, closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import type { Column } from '../../table/column.ts';
import { ColumnBuilder, takeValues } from '../../table/column-builder.ts';
import { eachKey, KeyIndex } from '../../table/key-index.ts';
import {
  digitWidth,
  type KeyRepair,
  keyRepairNamed,
  proposeRepair,
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

/**
 * Brings columns of a table to the features with the same key: one row to one feature. Every feature stays; those
 * without a row get blanks. The account tells what matched, what was left over on both sides, keys that came twice
 * (the first row was taken), and repairs with their proof.
 */
export function joinTable<T extends Table>(layer: T, table: Table, options: JoinOptions): T {
  const [layerKey, tableKey] = [
    requireField(layer.schema, options.on[0], layer.name),
    requireField(table.schema, options.on[1], table.name),
  ];
  const wanted =
    options.columns ??
    table.schema
      .filter((field, c) => c !== tableKey && field.featureId !== 'numbering')
      .map((field) => field.name);
  const chosen: number[] = [];
  const added: Field[] = [];
  const notes: string[] = [];
  for (const column of wanted) {
    const [name, rename] = typeof column === 'string' ? [column, column] : column;
    const c = requireField(table.schema, name, table.name);
    const free = freeName(
      rename,
      [...layer.schema, ...added].map((field) => field.name),
    );
    if (free !== rename)
      notes.push(
        `The column ${rename} of ${table.name} is called ${free} here, since ${layer.name} has a ${rename} already.`,
      );
    chosen.push(c);
    added.push({
      ...asPlainField(table.schema[c]),
      name: free,
      title: table.schema[c].title ?? (free === name ? undefined : name),
      ...(free === name ? {} : { code: table.schema[c].code ?? name }),
    });
  }
  if (options.repair !== undefined) keyRepairNamed(options.repair);
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
      const { repair } = options;
      if (repair !== undefined) {
        const width = digitWidth(await keysOf(layer, layerKey, reading));
        if (width > 0) {
          pad = (text) => repairedKey(repair, text, width);
          account.notes.push(
            repair === 'leading zeros'
              ? `Repair: leading zeros of ${tableField(options)} were restored to ${width} digits, as asked.`
              : `Repair: of long identifiers in ${tableField(options)} the last ${width} signs were taken, as asked.`,
          );
        } else
          account.notes.push(
            `Repair: ${repair} were to be repaired, but the keys of ${layer.name} are not digits of one length; nothing was changed.`,
          );
      }
      const held = await hold(table, tableKey, chosen, pad, reading);
      const used = new Uint8Array(held.index.size);
      // Only the keys that found nothing: they are what a repair could help.
      const lonelyIndex = new KeyIndex();
      let all = 0;
      let matched = 0;
      let blank = 0;
      for await (const batch of source) {
        const rows = new Int32Array(batch.length).fill(-1);
        eachKey(batch.columns[layerKey], (i, bytes, start, end) => {
          if (bytes === null || start === end) {
            blank++;
            return;
          }
          const key = held.index.get(bytes, start, end);
          if (key < 0) {
            lonelyIndex.add(bytes, start, end, all + i);
            return;
          }
          used[key] = 1;
          matched++;
          rows[i] = held.index.firstRow[key];
        });
        all += batch.length;
        yield batch.with({
          columns: [...batch.columns, ...held.columns.map((column) => takeValues(column, rows))],
        });
      }
      const lonely = Array.from({ length: lonelyIndex.size }, (_, key) => lonelyIndex.text(key));
      const over: string[] = [];
      const twice: string[] = [];
      for (let key = 0; key < held.index.size; key++) {
        if (used[key] === 0) over.push(held.index.text(key));
        if (held.index.times[key] > 1) twice.push(held.index.text(key));
      }
      account.counts = {
        in: all,
        matched,
        withoutRow: all - matched,
        tableRows: held.rows,
        tableKeysLeftOver: over.length,
        tableKeysTwice: twice.length,
        blankKeys: blank,
        blankTableKeys: held.blankKeys,
      };
      if (lonely.length > 0) account.notes.push(`Without a row in ${table.name}: ${sample(lonely)}.`);
      if (over.length > 0) account.notes.push(`Keys of ${table.name} without a feature: ${sample(over)}.`);
      if (twice.length > 0) {
        account.notes.push(
          `Keys that occur twice in ${table.name}: ${sample(twice)}; the first row was taken.`,
        );
        account.findings.push({
          code: 'join-key-twice',
          severity: 'warning',
          layer: layer.name,
          words: `${twice.length} ${twice.length === 1 ? 'key occurs' : 'keys occur'} more than once in ${table.name} (${sample(twice)}); the first row of each was taken.`,
          repair: 'filter the table to one row a key, or sum its rows by key first',
        });
      }
      const proposals =
        options.repair === undefined
          ? [
              proposeRepair('leading zeros', over, lonelyIndex, table.name),
              proposeRepair('leading zeros', lonely, held.index, layer.name),
              proposeRepair('long identifiers', over, lonelyIndex, table.name),
            ]
          : [];
      if (matched === 0 && all > 0 && options.noMatch === 'stop')
        throw new IsomericError(
          'join-nothing-matched',
          `None of ${counted(all, 'feature', 'features')} of ${layer.name} found a row in ${table.name} by ${options.on[0]} = ${options.on[1]}: ${sample(lonely)} on one side, ${sample(over)} on the other.`,
          {
            blame: 'usage',
            advice:
              proposals.find((proposal) => proposal !== undefined)?.words ??
              'Look at both fields, and say others.',
          },
        );
      for (const proposal of proposals) {
        if (proposal === undefined) continue;
        account.findings.push({
          code: proposal.repair === 'leading zeros' ? 'join-zeros-lost' : 'join-identifiers-long',
          severity: 'warning',
          layer: layer.name,
          words: proposal.words,
          repair: `join with “repair: ${proposal.repair}”`,
        });
      }
      if (matched < all && all > 0) {
        account.findings.push({
          code: 'join-incomplete',
          severity: matched === 0 ? 'error' : 'warning',
          layer: layer.name,
          words: `${grouped(all - matched)} of ${grouped(all)} ${layer.name} found no row in ${table.name} (${sample(lonely)}).`,
        });
      }
      const counts: Count[] = [
        [matched, `matched on ${options.on[0]} = ${options.on[1]}`],
        [all - matched, `without a row in ${table.name}`],
        [over.length, `${over.length === 1 ? 'key' : 'keys'} of ${table.name} left over`],
      ];
      if (twice.length > 0) counts.push([twice.length, twice.length === 1 ? 'key twice' : 'keys twice']);
      closeAccount(account, [all, `${layer.name} in`], ...counts);
    },
  });
}

function tableField(options: JoinOptions): string {
  return options.on[1];
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
    advice: 'Write LAYER_FIELD = TABLE_FIELD, for example: code = area_code.',
  });
}
