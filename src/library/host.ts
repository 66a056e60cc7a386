import type { Account } from '../core/account.ts';
import type { Table } from '../core/layer/layer.ts';
import type { Threads } from '../core/layer/threads.ts';
import type { ByteSource } from '../formats/bytes/byte-source.ts';
import type { SqliteEngine } from '../formats/bytes/sqlite.ts';
import type { Contents } from '../formats/opening/contents.ts';
import type { OpenContext } from '../formats/register.ts';

/** A file that was saved, where it can be had. */
export interface SavedFile {
  /** Its name, without folders. */
  readonly name: string;
  /** Where it lies, on a machine with a disk. */
  readonly path?: string;
  /** Its bytes: to offer for download, to send on. */
  blob(): Promise<Blob>;
}

/** How contents are to be read. */
export type Reading = Omit<OpenContext, 'around' | 'path' | 'capabilities'> & {
  /** Where the host has none of its own. */
  sqlite?: SqliteEngine;
  /** Every source that is read goes through it: what is counted, what can be ended. */
  watch?: (source: ByteSource) => ByteSource;
};

export interface Saving {
  /** Format in place of the one that the ending says. */
  as?: string;
  add?: boolean;
  replace?: boolean;
  sqlite?: SqliteEngine;
}

/** What the library needs of where it runs: `#host` is the one of Node, or the one of a page. */
export interface Host {
  /** Threads that layer verbs may work in; null where there are none. */
  threads(): Threads | null;
  /** What is in a file, an archive, a folder, or at an address. */
  look(place: string, reading: Reading): Promise<Contents>;
  /** What is among files that are in memory, by their names. */
  lookAt(sources: readonly ByteSource[], reading: Reading): Promise<Contents>;
  /** The bytes at a path or address. */
  source(place: string): Promise<ByteSource>;
  save(
    tables: readonly Table[],
    place: string,
    saving: Saving,
  ): Promise<{ accounts: Account[]; files: SavedFile[] }>;
}
