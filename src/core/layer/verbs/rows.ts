import { type Count, closeAccount, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { suggest } from '../../nearest.ts';
import { readableName } from '../../table/code-book.ts';
import { asKeyPairs } from '../../table/keys/key-pairs.ts';
import { keysOfTable } from '../../table/keys/key-reader.ts';
import type { Mend } from '../../table/keys/mends.ts';
import { mostSearchedRows, type RowKinds } from '../../table/row-kinds.ts';
import type { Batch } from '../batch.ts';
import { keySides, mendedKeys } from '../joining/mended-keys.ts';
import type { Table } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** Keeps some rows; `keep` gets the batch, the place in it, and the number of the row from 0. */
function keepRows<T extends Table>(
  verb: string,
  table: T,
  keep: (batch: Batch, i: number, row: number) => boolean,
  words: (all: number, kept: number) => Count[],
): T {
  return applyVerb(verb, table, {
    async *run(account, source) {
      let all = 0;
      let kept = 0;
      for await (const batch of source) {
        const indices: number[] = [];
        for (let i = 0; i < batch.length; i++) if (keep(batch, i, all + i)) indices.push(i);
        all += batch.length;
        kept += indices.length;
        if (indices.length === batch.length) yield batch;
        else if (indices.length > 0) yield batch.take(indices);
      }
      account.counts = { in: all, kept, dropped: all - kept };
      closeAccount(account, [all, `${table.name} in`], ...words(all, kept));
    },
  });
}

/** Nothing is kept or left out on the ground of what was not looked for. */
function searched(table: Table, kinds: RowKinds): void {
  if (kinds.searched) return;
  throw new IsomericError(
    'rows-not-searched',
    `${table.name} has more than ${grouped(mostSearchedRows)} rows, so totals and levels among them cannot be told.`,
    { blame: 'usage', advice: 'Filter it to the units of the study first.' },
  );
}

/** Leaves out rows that are totals, sub-totals, or totals in one of their dimensions. */
export function withoutTotals<T extends Table>(table: T, kinds: RowKinds): T {
  searched(table, kinds);
  return keepRows(
    'Totals',
    table,
    (batch, i, row) => !kinds.isTotal(batch, i, row),
    (all, kept) => [
      [kept, 'kept'],
      [all - kept, all - kept === 1 ? 'total left out' : 'totals left out'],
    ],
  );
}

/** Keeps the rows of one level of units. */
export function onlyLevel<T extends Table>(table: T, kinds: RowKinds, level: string): T {
  searched(table, kinds);
  const found = kinds.levels.find((each) => each.name.toLowerCase() === level.toLowerCase());
  if (found === undefined) {
    throw new IsomericError('level-unknown', `${table.name} has no level “${level}”.`, {
      blame: 'usage',
      wrong: level,
      advice:
        kinds.levels.length === 0
          ? 'All its rows are of one level.'
          : suggest(
              level,
              kinds.levels.map((each) => each.name),
            ),
    });
  }
  return keepRows(
    'Level',
    table,
    (batch, i) => kinds.levelOf(batch, i) === found.name,
    (all, kept) => [
      [kept, `of the level ${found.name}`],
      [all - kept, 'of others'],
    ],
  );
}

/** One table for each level, named for it. */
export function splitLevels<T extends Table>(table: T, kinds: RowKinds): T[] {
  if (kinds.levels.length < 2) return [table];
  return kinds.levels.map((level, k) => ({
    ...onlyLevel(k === 0 ? table : { ...table, findings: [] }, kinds, level.name),
    name: `${table.name}_${readableName(level.name).replace(/^n_/, '')}`,
  }));
}

/** How rows are matched with units. */
export interface UnitsOptions {
  /** Field of the table and field of the layer of units that must be equal. */
  on: readonly [tableField: string, unitField: string];
  /** What is done to the keys first; “the layer” is the layer of units. */
  repair?: string | readonly Mend[];
}

/** Keeps the rows of the units of a layer: a table of the whole country cut to the study's part of it. */
export function onlyUnits<T extends Table>(table: T, units: Table, options: UnitsOptions): T {
  // The units are the layer, as where a table is joined to them.
  const keys = asKeyPairs([options.on[1], options.on[0]]);
  const sides = keySides(units, table, keys, options.repair);
  return applyVerb('Units', table, {
    async *run(account, source, signal) {
      const ready = await mendedKeys(sides, { signal });
      account.notes.push(...ready.notes);
      const { index } = await keysOfTable(units.batches({ signal }), ready.own);
      const used = new Uint8Array(index.size);
      let all = 0;
      let kept = 0;
      for await (const batch of source) {
        const indices: number[] = [];
        ready.other.each(batch, (i, bytes, start, end) => {
          if (bytes === null) return;
          const key = index.get(bytes, start, end);
          if (key < 0) return;
          used[key] = 1;
          indices.push(i);
        });
        all += batch.length;
        kept += indices.length;
        if (indices.length > 0) yield batch.take(indices);
      }
      const without = used.reduce((n, each) => n + (each === 0 ? 1 : 0), 0);
      account.counts = { in: all, kept, dropped: all - kept, unitsWithout: without };
      if (kept === 0 && all > 0)
        account.findings.push({
          code: 'units-none',
          severity: 'error',
          layer: table.name,
          words: `No row of ${table.name} is of a unit of ${units.name}: ${options.on[0]} and ${options.on[1]} have no value in common.`,
          repair: 'another field, another vintage, or a repair that “isomeric keys” finds',
        });
      closeAccount(
        account,
        [all, `${table.name} in`],
        [kept, `of the ${index.size} ${units.name}`],
        [all - kept, 'of other units'],
        [without, `of the ${units.name} without a row`],
      );
    },
  });
}
