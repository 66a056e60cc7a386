import type { ByteSource } from './byte-source.ts';

/** What formats that live in SQLite need of an engine; injected (WebAssembly in Node, another build in browsers). */
export type SqlValue = string | number | bigint | Uint8Array | null;

export interface SqliteStatement {
  run(values?: readonly SqlValue[]): void;
  /** Rows as arrays, in the order of the columns; read lazily. */
  rows(values?: readonly SqlValue[]): Iterable<SqlValue[]>;
  finish(): void;
}

export interface SqliteDatabase {
  exec(sql: string): void;
  prepare(sql: string): SqliteStatement;
  close(): void;
}

export interface SqliteEngine {
  /** Opens a database that exists, for reading. */
  openRead(source: ByteSource): Promise<SqliteDatabase>;
  /** Prepares for new databases in memory, whose bytes are there once they have been closed. */
  databases?(): Promise<() => { database: SqliteDatabase; bytes(): Uint8Array }>;
}

/** “name” as an SQL identifier. */
export function quoteName(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}
