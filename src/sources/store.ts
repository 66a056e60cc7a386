import type { ByteSource } from '../formats/bytes/byte-source.ts';

/** What is kept of a file that is on its way, so that it can be gone on with: of which state of which address it is. */
export interface PartNote {
  url: string;
  /** A strong ETag, or the date of the last change: what says that the rest belongs to it. */
  validator: string;
  /** Bytes of the whole, when announced. */
  total?: number;
}

/** A part of a file that came before the connection broke off. */
export interface Part {
  bytes: number;
  note: PartNote;
}

/** How a file is received. */
export interface ReceiveOptions {
  /** Bytes that are there already and stay. */
  from: number;
  /** When given, what has come stays for a later try; else nothing half-received does. */
  note: PartNote | null;
  /** Looks at the whole file before it gets its name; what it raises keeps the file out. */
  verify?(file: ByteSource, found: { bytes: number; sha256: string }): Promise<void>;
}

/** Where gathered files are kept; injected. Paths are relative, with `/`. */
export interface Store {
  /** A file that is there, or null. */
  open(path: string): Promise<ByteSource | null>;
  /** Writes a file whole or not at all; returns its size and SHA-256 (hexadecimal). */
  write(path: string, chunks: AsyncIterable<Uint8Array>): Promise<{ bytes: number; sha256: string }>;
  /** What came of a file before it was broken off; null when there is nothing that can be gone on with. */
  part(path: string): Promise<Part | null>;
  /** Receives a file: beside its place until it is whole and verified; then renamed, read-only. */
  receive(
    path: string,
    chunks: AsyncIterable<Uint8Array>,
    options: ReceiveOptions,
  ): Promise<{ bytes: number; sha256: string }>;
  /** Forgets what came of a file that was broken off. */
  dropPart(path: string): Promise<void>;
  /** Removes a file; none there is no error. */
  remove(path: string): Promise<void>;
  /** Files below a folder, sorted; none when there is no such folder. */
  list(folder: string): Promise<string[]>;
  /** Clears away folders that hold nothing any more. */
  tidy?(): Promise<void>;
  /** SHA-256 of a file that is there (hexadecimal), or null. */
  checksum(path: string): Promise<string | null>;
}

/** Files of an earlier, longer answer would be read as if they still belonged to it. */
export async function removeOthers(
  folder: string,
  kept: readonly { path: string }[],
  store: Store,
): Promise<void> {
  const paths = new Set(kept.map((each) => each.path));
  for (const path of await store.list(folder)) if (!paths.has(path)) await store.remove(path);
}
