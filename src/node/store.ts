import { createHash, type Hash } from 'node:crypto';
import { createReadStream, existsSync } from 'node:fs';
import {
  chmod,
  mkdir,
  open,
  readdir,
  readFile,
  rename,
  rm,
  rmdir,
  stat,
  truncate,
  writeFile,
} from 'node:fs/promises';
import { dirname, join, resolve, sep } from 'node:path';
import { IsomericError } from '../core/errors.ts';
import type { Part, PartNote, ReceiveOptions, Store } from '../sources/store.ts';
import { fileSource } from './bytes.ts';
import { unwritable, writeChunks } from './save.ts';

/** What is less than this is asked for again rather than gone on with. */
const worthKeeping = 32_768;
/** Where files wait until they are whole, in the study folder. */
const incoming = 'incoming';

/** A path of the study folder; one that would climb out of it is refused. */
export function insideFolder(folder: string, path: string): string {
  const whole = resolve(folder, path);
  if (whole !== resolve(folder) && !whole.startsWith(resolve(folder) + sep)) {
    throw new IsomericError('path-outside', `The path ${path} leads out of the study folder.`, {
      advice: 'Keep the files of a study inside its folder.',
      blame: 'usage',
    });
  }
  return whole;
}

/** What stands beside a part; null when it is no such note. */
function noteFrom(text: string): PartNote | null {
  const value = JSON.parse(text) as Partial<Record<keyof PartNote, unknown>> | null;
  if (typeof value?.url !== 'string' || typeof value.validator !== 'string') return null;
  return {
    url: value.url,
    validator: value.validator,
    total: typeof value.total === 'number' ? value.total : undefined,
  };
}

async function hashFile(path: string, hash: Hash): Promise<Hash> {
  for await (const chunk of createReadStream(path, { highWaterMark: 1 << 18 }))
    hash.update(chunk as Uint8Array);
  return hash;
}

/** Removes a file and the folders above it that are blank then, up to the study folder. */
async function removeUp(folder: string, path: string): Promise<void> {
  await rm(path, { force: true });
  let at = dirname(path);
  while (at !== resolve(folder) && at.startsWith(resolve(folder) + sep)) {
    try {
      await rmdir(at);
    } catch {
      // Something else is in it.
      return;
    }
    at = dirname(at);
  }
}

/** Removes a folder and those in it that hold no file. */
async function removeBlank(folder: string): Promise<void> {
  const entries = await readdir(folder, { withFileTypes: true }).catch(() => []);
  for (const entry of entries) if (entry.isDirectory()) await removeBlank(join(folder, entry.name));
  // Refused where something is left in it, or where there is none.
  await rmdir(folder).catch(() => {});
}

/** The files of a study folder. */
export function folderStore(folder: string): Store {
  const whole = (path: string) => insideFolder(folder, path);
  const partPath = (path: string) => whole(`${incoming}/${path}`);
  const notePath = (path: string) => `${partPath(path)}.note.json`;

  const dropPart = async (path: string) => {
    await rm(notePath(path), { force: true });
    await removeUp(folder, partPath(path));
  };

  /** Appends to the part; what has come is on disk when this ends or fails. `begun` is told when it is worth keeping. */
  const append = async (
    path: string,
    chunks: AsyncIterable<Uint8Array>,
    from: number,
    hash: Hash,
    begun: () => Promise<void>,
  ): Promise<number> => {
    const part = partPath(path);
    if (from > 0) {
      await truncate(part, from);
      await hashFile(part, hash);
    }
    const file = await open(part, from > 0 ? 'a' : 'w');
    let bytes = from;
    let told = from > 0;
    try {
      for await (const chunk of chunks) {
        hash.update(chunk);
        for (let done = 0; done < chunk.length; )
          done += (await file.write(chunk, done, chunk.length - done)).bytesWritten;
        bytes += chunk.length;
        if (!told && bytes >= worthKeeping) {
          told = true;
          await begun();
        }
      }
    } finally {
      await file.close();
    }
    return bytes;
  };

  return {
    async open(path) {
      return existsSync(whole(path)) ? fileSource(whole(path), path) : null;
    },

    async write(path, chunks) {
      const hash = createHash('sha256');
      const bytes = await writeChunks(
        whole(path),
        (async function* () {
          for await (const chunk of chunks) {
            hash.update(chunk);
            yield chunk;
          }
        })(),
      );
      await chmod(whole(path), 0o444);
      return { bytes, sha256: hash.digest('hex') };
    },

    async part(path): Promise<Part | null> {
      try {
        const note = noteFrom(await readFile(notePath(path), 'utf8'));
        return note === null ? null : { note, bytes: (await stat(partPath(path))).size };
      } catch {
        // Nothing came, or nobody noted of what it is a part: there is nothing to go on with.
        return null;
      }
    },

    async receive(path, chunks, { from, note, verify }: ReceiveOptions) {
      const part = partPath(path);
      const hash = createHash('sha256');
      let ended = false;
      // Only what has a note beside it is gone on with.
      let noted = from > 0;
      try {
        await mkdir(dirname(part), { recursive: true });
        if (from === 0) await rm(notePath(path), { force: true });
        const bytes = await append(path, chunks, from, hash, async () => {
          if (note === null) return;
          await writeFile(notePath(path), JSON.stringify(note));
          noted = true;
        });
        ended = true;
        const found = { bytes, sha256: hash.digest('hex') };
        await verify?.(await fileSource(part, path), found);
        await mkdir(dirname(whole(path)), { recursive: true });
        // As received, never edited: read-only keeps it so by accident too.
        await chmod(part, 0o444);
        await rename(part, whole(path));
        if (noted) await rm(notePath(path), { force: true });
        return found;
      } catch (error) {
        const told = unwritable(path, error);
        // A whole file that is refused is of no use; a part of one is, when it is known of what, and there is room for it.
        if (ended || !noted || told !== error) await dropPart(path);
        throw told;
      }
    },

    dropPart,

    remove: (path) => removeUp(folder, whole(path)),

    async list(under) {
      const found = await readdir(whole(under), { recursive: true, withFileTypes: true }).catch(() => []);
      const root = resolve(folder);
      return found
        .filter((entry) => entry.isFile())
        .map((entry) =>
          join(entry.parentPath, entry.name)
            .slice(root.length + 1)
            .split(sep)
            .join('/'),
        )
        .sort();
    },

    tidy: () => removeBlank(whole(incoming)),

    async checksum(path) {
      return existsSync(whole(path))
        ? (await hashFile(whole(path), createHash('sha256'))).digest('hex')
        : null;
    },
  };
}
