import type { ByteSource } from './byte-source.ts';

/** What formats that live in SQLite need of an engine; injected (WebAssembly in Node, another build in browsers). */
export type SqlValue = string | number | bigint | Uint8Array | null;

/** A prepared statement; parameters are bound by their order. */
export interface SqliteStatement {
  /** Runs it once with these values, for its effect. */
  run(values?: readonly SqlValue[]): void;
  /** Rows as arrays, in the order of the columns; read lazily. */
  rows(values?: readonly SqlValue[]): Iterable<SqlValue[]>;
  /** Gives it back; it cannot be run any more. */
  finish(): void;
}

/** A database that is open. */
export interface SqliteDatabase {
  /** Runs statements that give no rows. */
  exec(sql: string): void;
  /** Prepares one statement, to be run as often as needed. */
  prepare(sql: string): SqliteStatement;
  /** Closes it; what was not committed is lost. */
  close(): void;
}

/** A new database in memory. */
export interface NewDatabase {
  database: SqliteDatabase;
  /** Its bytes, once it has been closed. */
  bytes(): Uint8Array;
}

/** What opens databases: WebAssembly in Node, another build in a page. */
export interface SqliteEngine {
  /** Opens a database that exists, for reading. */
  openRead(source: ByteSource): Promise<SqliteDatabase>;
  /** Prepares for new databases in memory. */
  databases?(): Promise<() => NewDatabase>;
}

/** “name” as an SQL identifier. */
export function quoteName(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}
