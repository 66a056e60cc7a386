import { type ByteSource, sourceFromBytes } from '../formats/bytes/byte-source.ts';
import type { Part, PartNote, Store } from './store.ts';

async function sha256Of(bytes: Uint8Array): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', bytes as Uint8Array<ArrayBuffer>);
  return [...new Uint8Array(digest)].map((each) => each.toString(16).padStart(2, '0')).join('');
}

function joined(parts: readonly Uint8Array[]): Uint8Array {
  const bytes = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let used = 0;
  for (const part of parts) {
    bytes.set(part, used);
    used += part.length;
  }
  return bytes;
}

/** A store in memory, for a browser tab: what is gathered lasts as long as it does. */
export function memoryStore(): Store {
  const files = new Map<string, Uint8Array>();
  const parts = new Map<string, { note: PartNote; bytes: Uint8Array }>();
  const opened = (path: string): ByteSource | null => {
    const bytes = files.get(path);
    return bytes === undefined ? null : sourceFromBytes(bytes, path);
  };
  return {
    open: async (path) => opened(path),
    async write(path, chunks) {
      const all: Uint8Array[] = [];
      for await (const chunk of chunks) all.push(chunk);
      const bytes = joined(all);
      files.set(path, bytes);
      return { bytes: bytes.length, sha256: await sha256Of(bytes) };
    },
    async part(path): Promise<Part | null> {
      const part = parts.get(path);
      return part === undefined ? null : { note: part.note, bytes: part.bytes.length };
    },
    async receive(path, chunks, { from, note, verify }) {
      const all: Uint8Array[] = from > 0 ? [parts.get(path)!.bytes.subarray(0, from)] : [];
      parts.delete(path);
      try {
        for await (const chunk of chunks) all.push(chunk);
      } catch (error) {
        if (note !== null) parts.set(path, { note, bytes: joined(all) });
        throw error;
      }
      const bytes = joined(all);
      const found = { bytes: bytes.length, sha256: await sha256Of(bytes) };
      await verify?.(sourceFromBytes(bytes, path), found);
      files.set(path, bytes);
      return found;
    },
    async dropPart(path) {
      parts.delete(path);
    },
    async remove(path) {
      files.delete(path);
    },
    list: async (folder) => [...files.keys()].filter((path) => path.startsWith(`${folder}/`)).sort(),
    async checksum(path) {
      const bytes = files.get(path);
      return bytes === undefined ? null : sha256Of(bytes);
    },
  };
}
