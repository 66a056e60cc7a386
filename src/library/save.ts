import { host } from '#host';
import type { Account } from '../core/account.ts';
import type { Finding } from '../core/findings.ts';
import type { Table } from '../core/layer/layer.ts';
import type { Given } from '../verbs/step.ts';
import type { SavedFile, Saving } from './host.ts';
import { type Watching, watchedTable } from './progress.ts';

/** What was done to how many features, and what is to be known of them. */
export interface Told {
  /** One sentence a step, in order: `Clip: 296 wards in; 18 kept whole, 0 cut, 278 outside.` */
  sentences: string[];
  /** The same as data. */
  accounts: Account[];
  /** All that is wrong or worth knowing, of the sources and of the steps. */
  findings: Finding[];
}

export interface Saved extends Told {
  files: SavedFile[];
}

export interface SaveSettings extends Watching, Saving {}

function told(tables: readonly Table[], written: readonly Account[]): Told {
  const accounts = tables
    .flatMap((table, k) => [...table.accounts, ...(written[k] === undefined ? [] : [written[k]])])
    .filter((account) => account.sentence !== '');
  return {
    accounts,
    sentences: accounts.map((account) => account.sentence),
    findings: [
      ...tables.flatMap((table) =>
        table.findings.map((finding) => ({ ...finding, layer: finding.layer ?? table.name })),
      ),
      ...accounts.flatMap((account) => account.findings),
    ],
  };
}

/**
 * Reads, works, and saves: one layer or table, or several into a format that holds several. In Node they go to a path; in
 * a page `files` hands over what was written. The ending of the name says the format. What stood there is replaced when
 * all is whole.
 *
 * @returns the account and the findings of the whole chain
 * @throws IsomericError `format-unwritable`, `one-layer-only`, `geometry-missing`, `file-unwritable`, and what a step
 *   finds only while it reads: `join-nothing-matched`, `nothing-brought`
 */
export async function save(
  tables: Given<Table> | readonly Given<Table>[],
  place: string,
  settings: SaveSettings = {},
): Promise<Saved> {
  const { signal, progress, ...saving } = settings;
  const all = await Promise.all([tables].flat() as Given<Table>[]);
  const watched = all.map((table) => watchedTable(table, { signal, progress }));
  const { accounts, files } = await host.save(watched, place, saving);
  return { ...told(all, accounts), files };
}

/** What the steps of a table did and found, once it has been read; nothing of steps that have not run. */
export function accountOf(table: Table): Told {
  return told([table], []);
}
