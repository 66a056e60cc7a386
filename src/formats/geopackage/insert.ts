import type { SqliteDatabase, SqliteStatement, SqlValue } from '../bytes/sqlite.ts';

/** Most parameters of one statement (SQLite's own limit is higher; beyond this nothing is gained). */
const mostParameters = 400;

/**
 * Inserts rows many at a time: a statement for several rows costs little more than one for a single row.
 */
export class RowInserter {
  private readonly database: SqliteDatabase;
  private readonly table: string;
  private readonly columns: number;
  private readonly rows: number;
  private readonly statement: SqliteStatement;
  private readonly values: SqlValue[];
  private n = 0;
  private arena = new Uint8Array(1 << 18);
  private used = 0;

  /** @param table quoted */
  constructor(database: SqliteDatabase, table: string, columns: number) {
    this.database = database;
    this.table = table;
    this.columns = columns;
    this.rows = Math.max(1, Math.floor(mostParameters / columns));
    this.statement = this.prepare(this.rows);
    this.values = new Array(this.rows * columns).fill(null);
  }

  private prepare(rows: number): SqliteStatement {
    const row = `(${new Array(this.columns).fill('?').join(',')})`;
    return this.database.prepare(`INSERT INTO ${this.table} VALUES ${new Array(rows).fill(row).join(',')}`);
  }

  /** Sets a value of the row that is being filled. */
  set(column: number, value: SqlValue): void {
    this.values[this.n * this.columns + column] = value;
  }

  /** The same for a blob whose bytes will change: they are copied. */
  setBlob(column: number, bytes: Uint8Array): void {
    if (this.used + bytes.length > this.arena.length) {
      this.arena = new Uint8Array(Math.max(1 << 18, bytes.length));
      this.used = 0;
    }
    const own = this.arena.subarray(this.used, this.used + bytes.length);
    own.set(bytes);
    this.used += bytes.length;
    this.set(column, own);
  }

  /** Ends the row. */
  end(): void {
    if (++this.n < this.rows) return;
    this.statement.run(this.values);
    this.n = 0;
    // The statement has taken the bytes over.
    this.used = 0;
  }

  /** Inserts what is left. */
  finish(): void {
    if (this.n > 0) {
      const rest = this.prepare(this.n);
      rest.run(this.values.slice(0, this.n * this.columns));
      rest.finish();
    }
    this.statement.finish();
  }
}
