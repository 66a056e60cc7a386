import { closeSync, mkdtempSync, openSync, rmSync, statSync, writeSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { IsomericError } from '../core/errors.ts';
import type { ByteSource } from '../formats/bytes/byte-source.ts';
import {
  quoteName,
  type SqliteDatabase,
  type SqliteEngine,
  type SqliteStatement,
  type SqlValue,
} from '../formats/bytes/sqlite.ts';
import { databaseEncoding, storedTables } from '../formats/geopackage/sqlite-pages.ts';

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
        finish: () => told(path, () => statement.finalize()),
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

/**
 * Was the database left in the mode that writes changes into a log beside it (file format of SQLite, section 1.3.3)?
 * Without such a log the file is whole, but the engine opens it only where it may make one.
 */
async function writesAhead(source: ByteSource): Promise<boolean> {
  const head = await source.bytes(0, 20);
  if (head[18] !== 2 && head[19] !== 2) return false;
  const log =
    source.path === undefined ? undefined : statSync(`${source.path}-wal`, { throwIfNoEntry: false });
  if (log !== undefined && log.size > 0)
    throw new IsomericError(
      'sqlite-log',
      `Its newest changes stand in ${basename(source.path!)}-wal and not yet in the file.`,
      {
        place: { file: source.name },
        advice:
          'Close it in the program that has it open; or have sqlite3 run “PRAGMA wal_checkpoint(TRUNCATE)” on it.',
      },
    );
  return true;
}

async function unpacked(source: ByteSource, log: boolean): Promise<{ path: string; remove: () => void }> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-'));
  const path = join(folder, 'copy.gpkg');
  const remove = () => rmSync(folder, { recursive: true, force: true });
  process.once('exit', remove);
  const file = openSync(path, 'w');
  try {
    for await (const chunk of source.stream()) writeSync(file, chunk);
    if (log) writeSync(file, Uint8Array.of(1, 1), 0, 2, 18);
  } finally {
    closeSync(file);
  }
  return { path, remove };
}

/**
 * Runs one definition that a file brings: the first statement of the text and no other, and only one that defines a table
 * by its columns, or a view. What else a file might want to be run is refused.
 */
function define(copy: SqliteDatabase, sql: string, what: 'TABLE' | 'VIEW', source: ByteSource): void {
  const kind = /^CREATE\s+(TABLE|VIEW)\s/i.exec(sql)?.[1].toUpperCase();
  // A table that is made of a query could keep the engine busy without end.
  if (kind !== what || (what === 'TABLE' && /\bSELECT\b/i.test(sql)))
    throw new IsomericError('sqlite-damaged', `A definition in it is none of a ${what.toLowerCase()}.`, {
      place: { file: source.name },
      advice: 'The file is damaged, or made to do harm.',
    });
  const statement = copy.prepare(sql);
  statement.run();
  statement.finish();
}

/**
 * A copy whose texts are UTF-8: the engine is built without the other encodings. Tables are read from their pages and
 * written anew; indexes and triggers are not needed for reading.
 */
async function transcoded(source: ByteSource): Promise<{ path: string; remove: () => void }> {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-'));
  const path = join(folder, 'copy.gpkg');
  const remove = () => rmSync(folder, { recursive: true, force: true });
  process.once('exit', remove);
  const copy = createDatabase(path);
  try {
    copy.exec('PRAGMA foreign_keys=OFF; PRAGMA journal_mode=OFF; PRAGMA synchronous=OFF; BEGIN');
    const stored = await storedTables(source);
    for (const { type, name, sql, rows } of stored) {
      if (type !== 'table' || sql === null || /^sqlite_/i.test(name) || /^\s*CREATE\s+VIRTUAL/i.test(sql))
        continue;
      define(copy, sql, 'TABLE', source);
      const info = copy.prepare(`PRAGMA table_info(${quoteName(name)})`);
      const columns = [...info.rows()];
      info.finish();
      // A key that stands for the row id is not stored beside it.
      const key = columns.findIndex((row) => Number(row[5]) === 1 && /^INTEGER$/i.test(String(row[2])));
      const insert = copy.prepare(
        `INSERT INTO ${quoteName(name)}(${columns.map((row) => quoteName(String(row[1]))).join(',')}) VALUES(${columns.map(() => '?').join(',')})`,
      );
      for await (const { id, values } of rows()) {
        const whole = columns.map((_, c) => values[c] ?? null);
        if (key >= 0) whole[key] = id;
        insert.run(whole);
      }
      insert.finish();
    }
    for (const { type, sql } of stored)
      if (type === 'view' && sql !== null) define(copy, sql, 'VIEW', source);
    copy.exec('COMMIT');
  } catch (error) {
    remove();
    throw error;
  } finally {
    copy.close();
  }
  return { path, remove };
}

/** SQLite for Node. Sources that are no files of their own (entries of an archive) are unpacked to a temporary file. */
export const nodeSqlite: SqliteEngine = {
  async openRead(source) {
    try {
      let opened: SqliteDatabase;
      const log = await writesAhead(source);
      const encoding = await databaseEncoding(source);
      if (source.path !== undefined && !log && encoding === 'utf-8') opened = database(source.path, true);
      else {
        const copy = await (encoding === 'utf-8' ? unpacked(source, log) : transcoded(source));
        opened = database(copy.path, true, copy.remove);
      }
      const statement = opened.prepare('SELECT count(*) AS n FROM sqlite_master');
      Array.from(statement.rows());
      statement.finish();
      return opened;
    } catch (error) {
      if (error instanceof IsomericError && error.code === 'sqlite-log') throw error;
      throw new IsomericError(
        'sqlite-damaged',
        `SQLite cannot open it (${error instanceof Error ? error.message : String(error)}).`,
        { place: { file: source.name }, advice: 'The file is damaged or was cut short: get it again.' },
      );
    }
  },
};
