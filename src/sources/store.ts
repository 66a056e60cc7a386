import type { ByteSource } from '../formats/byte-source.ts';

/** Where gathered files are kept; injected. Paths are relative, with `/`. */
export interface Store {
  /** A file that is there, or null. */
  open(path: string): Promise<ByteSource | null>;
  /** Writes a file whole or not at all; returns its size and SHA-256 (hexadecimal). */
  write(path: string, chunks: AsyncIterable<Uint8Array>): Promise<{ bytes: number; sha256: string }>;
  remove(path: string): Promise<void>;
  /** Copies a file or folder of the user's into the store, as it is. */
  checksum(path: string): Promise<string | null>;
}
