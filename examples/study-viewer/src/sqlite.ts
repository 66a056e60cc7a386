import {
  IsomericError,
  type SqliteDatabase,
  type SqliteEngine,
  type SqliteStatement,
  type SqlValue,
} from 'isomeric';
import initSqlJs from 'sql.js';
import wasm from 'sql.js/dist/sql-wasm-browser.wasm?url';

/** SQLite in the browser: the whole file in memory, read-only. */
export const browserSqlite: SqliteEngine = {
  async openRead(source) {
    const SQL = await initSqlJs({ locateFile: () => wasm });
    try {
      const db = new SQL.Database(await source.bytes(0, source.size));
      db.exec('SELECT count(*) FROM sqlite_master');
      const opened: SqliteDatabase = {
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
        close: () => db.close(),
      };
      return opened;
    } catch (error) {
      throw new IsomericError('sqlite-damaged', `SQLite cannot open it (${String(error)}).`, {
        place: { file: source.name },
      });
    }
  },
};
