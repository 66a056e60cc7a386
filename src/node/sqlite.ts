import { closeSync, mkdtempSync, openSync, rmSync, writeSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { IsomericError } from '../core/errors.ts';
import type { ByteSource } from '../formats/byte-source.ts';
import type { SqliteDatabase, SqliteEngine, SqliteStatement, SqlValue } from '../formats/sqlite.ts';

type Wasm = typeof import('node-sqlite3-wasm');
const require = createRequire(import.meta.url);
let wasm: Wasm | null = null;

/** The WebAssembly build of SQLite, loaded when first needed. */
function engine(): Wasm {
  wasm ??= require('node-sqlite3-wasm') as Wasm;
  return wasm;
}

/** Runs one call of the engine; what it complains of becomes an error of ours. */
function told<T>(path: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (error instanceof IsomericError) throw error;
    const words = error instanceof Error ? error.message : String(error);
    if (/disk I\/O|disk is full|unable to open|readonly/i.test(words))
      throw new IsomericError(
        'file-unwritable',
        `The file cannot be read or written: the disk is full or fails, or files may not become so large here (SQLite: ${words}).`,
        {
          // Files are written beside their places; it is the place that people know.
          place: { file: path.replace(/\.part-\d+$/, '') },
          advice: 'Free space, raise the limit of file sizes, or choose another place.',
          cause: error,
        },
      );
    throw new IsomericError('sqlite-failed', `SQLite says: ${words}.`, {
      place: { file: path },
      advice: 'The file is damaged, or the disk is full or locked.',
      cause: error,
    });
  }
}

function database(path: string, readOnly: boolean, onClose: () => void = () => {}): SqliteDatabase {
  const db = told(
    path,
    () => new (engine().Database)(path, readOnly ? { fileMustExist: true, readOnly: true } : {}),
  );
  return {
    exec: (sql) => told(path, () => db.exec(sql)),
    prepare(sql): SqliteStatement {
      const statement = told(path, () => db.prepare(sql));
      return {
        run: (values = []) => {
          try {
            statement.run(values as SqlValue[]);
          } catch (error) {
            told(path, () => {
              throw error;
            });
          }
        },
        *rows(values = []) {
          const rows = told(path, () => statement.iterate(values as SqlValue[]));
          for (;;) {
            const next = told(path, () => rows.next());
            if (next.done) return;
            // Column names are distinct in all our queries, and none is a number, so their order holds.
            yield Object.values(next.value) as SqlValue[];
          }
        },
        finish: () => statement.finalize(),
      };
    },
    close() {
      db.close();
      onClose();
    },
  };
}

/** A database that is there, for writing. */
export function openDatabase(path: string): SqliteDatabase {
  const opened = database(path, false);
  try {
    const statement = opened.prepare('SELECT count(*) AS n FROM sqlite_master');
    Array.from(statement.rows());
    statement.finish();
    return opened;
  } catch (error) {
    opened.close();
    throw error;
  }
}

/** A new, empty database for writing. */
export function createDatabase(path: string): SqliteDatabase {
  return database(path, false);
}

async function unpacked(source: ByteSource): Promise<{ path: string; remove: () => void }> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-'));
  const path = join(folder, 'copy.gpkg');
  const remove = () => rmSync(folder, { recursive: true, force: true });
  process.once('exit', remove);
  const file = openSync(path, 'w');
  try {
    for await (const chunk of source.stream()) writeSync(file, chunk);
  } finally {
    closeSync(file);
  }
  return { path, remove };
}

/** SQLite for Node. Sources that are no files of their own (entries of an archive) are unpacked to a temporary file. */
export const nodeSqlite: SqliteEngine = {
  async openRead(source) {
    try {
      let opened: SqliteDatabase;
      if (source.path !== undefined) opened = database(source.path, true);
      else {
        const copy = await unpacked(source);
        opened = database(copy.path, true, copy.remove);
      }
      const statement = opened.prepare('SELECT count(*) AS n FROM sqlite_master');
      Array.from(statement.rows());
      statement.finish();
      return opened;
    } catch (error) {
      throw new IsomericError(
        'sqlite-damaged',
        `SQLite cannot open it (${error instanceof Error ? error.message : String(error)}).`,
        { place: { file: source.name }, advice: 'The file is damaged or was cut short: get it again.' },
      );
    }
  },
};
