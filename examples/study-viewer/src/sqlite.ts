import { IsomericError } from 'isomeric';
import type { SqliteDatabase, SqliteEngine, SqliteStatement, SqlValue } from 'isomeric/formats';
import initSqlJs, { type Database } from 'sql.js';
import wasm from 'sql.js/dist/sql-wasm-browser.wasm?url';

function wrapped(db: Database, onClose: () => void = () => {}): SqliteDatabase {
  return {
    exec: (sql) => {
      db.exec(sql);
    },
    prepare(sql): SqliteStatement {
      const statement = db.prepare(sql);
      return {
        run: (values = []) => statement.run(values as never),
        *rows(values = []) {
          statement.bind(values as never);
          while (statement.step()) yield statement.get() as SqlValue[];
          statement.reset();
        },
        finish: () => {
          statement.free();
        },
      };
    },
    close() {
      onClose();
      db.close();
    },
  };
}

/** SQLite in the browser: the whole file in memory, read-only. */
export const browserSqlite: SqliteEngine = {
  async openRead(source) {
    const SQL = await initSqlJs({ locateFile: () => wasm });
    try {
      const db = new SQL.Database(await source.bytes(0, source.size));
      db.exec('SELECT count(*) FROM sqlite_master');
      return wrapped(db);
    } catch (error) {
      throw new IsomericError('sqlite-damaged', `SQLite cannot open it (${String(error)}).`, {
        place: { file: source.name },
      });
    }
  },
};

/** Makes new databases in memory, whose bytes are there once they have been closed: for writing GeoPackages. */
export async function browserDatabases(): Promise<() => { database: SqliteDatabase; bytes(): Uint8Array }> {
  const SQL = await initSqlJs({ locateFile: () => wasm });
  return () => {
    const db = new SQL.Database();
    let bytes = new Uint8Array(0);
    const database = wrapped(db, () => {
      bytes = new Uint8Array(db.export());
    });
    return { database, bytes: () => bytes };
  };
}
