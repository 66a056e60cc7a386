import { once } from 'node:events';
import { createWriteStream, rmSync } from 'node:fs';
import { mkdir, rename } from 'node:fs/promises';
import { dirname } from 'node:path';
import type { Account } from '../core/account.ts';
import { dictionary } from '../core/dictionary.ts';
import { IsomericError } from '../core/errors.ts';
import type { Table } from '../core/layer/layer.ts';
import { type WriteOptions, writingFormatFor } from '../formats/writing/register.ts';
import { writeTables } from '../formats/writing/write-tables.ts';
import { NodeTarget } from './target.ts';

/** Files that are being written beside their targets; removed when the program is stopped before they are done. */
const unfinished = new Set<string>();
let watching = false;

function removeAll(temporary: string): void {
  for (const path of [temporary, `${temporary}-journal`, `${temporary}.lock`])
    rmSync(path, { force: true, recursive: true });
}

function watch(): void {
  if (watching) return;
  watching = true;
  process.on('exit', () => {
    for (const temporary of unfinished) removeAll(temporary);
  });
}

/** What the disk refuses, as an error of ours; all else as it is. */
export function unwritable(path: string, error: unknown): unknown {
  const code = (error as NodeJS.ErrnoException).code ?? '';
  if (!Object.hasOwn(refusals, code)) return error;
  const [words, advice] = refusals[code];
  return new IsomericError('file-unwritable', `The file cannot be written: ${words} (${code}).`, {
    place: { file: path },
    advice,
  });
}

/** What a disk says when it refuses, in words, and what helps. */
const refusals: Readonly<Record<string, readonly [words: string, advice: string]>> = dictionary({
  ENOSPC: ['the disk is full', 'Free space on it, or choose another place.'],
  EDQUOT: ['your share of the disk is used up', 'Free space on it, or choose another place.'],
  EFBIG: ['files may not become so large here', 'Raise the limit of file sizes, or choose another place.'],
  EIO: ['the disk fails', 'Choose another place, and look after the disk.'],
  EMFILE: ['too many files are open', 'Raise the limit of open files, or end other programs.'],
  EACCES: ['writing there is not allowed', 'Choose another place, or change who may write there.'],
  EPERM: ['writing there is not allowed', 'Choose another place, or change who may write there.'],
  EROFS: ['the disk is read-only', 'Choose another place.'],
  EISDIR: ['there is a folder of that name', 'Choose another name.'],
  ENOTDIR: ['a file stands where a folder is wanted', 'Choose another place.'],
  EEXIST: ['something of that name is in the way', 'Choose another name.'],
  ENOTEMPTY: ['a folder of that name is in the way', 'Choose another name.'],
  ENAMETOOLONG: ['its name is too long', 'Choose a shorter name or place.'],
});

/** Writes beside the target and renames at the end: nothing half-written stays, whatever happens. */
export async function writeBeside<T>(path: string, write: (temporary: string) => Promise<T>): Promise<T> {
  const temporary = `${path}.part-${process.pid}`;
  await mkdir(dirname(path), { recursive: true });
  watch();
  unfinished.add(temporary);
  try {
    const result = await write(temporary);
    await rename(temporary, path);
    return result;
  } catch (error) {
    removeAll(temporary);
    throw unwritable(path, error);
  } finally {
    unfinished.delete(temporary);
  }
}

/** Writes chunks to a file, waiting when the disk is slower. */
export async function writeChunks(
  path: string,
  chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
): Promise<number> {
  return writeBeside(path, async (temporary) => {
    const stream = createWriteStream(temporary);
    let bytes = 0;
    let failed: unknown;
    stream.on('error', (error) => {
      failed = error;
    });
    try {
      for await (const chunk of chunks) {
        if (failed !== undefined) throw failed;
        bytes += chunk.length;
        if (stream.write(chunk)) continue;
        const waiting = new AbortController();
        const { signal } = waiting;
        await Promise.race([once(stream, 'drain', { signal }), once(stream, 'error', { signal })]).finally(
          () =>
            // Who waits for what did not come is let go: a long file would gather them.
            waiting.abort(),
        );
      }
    } finally {
      stream.end();
      if (failed === undefined)
        await Promise.race([once(stream, 'close'), once(stream, 'error')]).catch(() => {});
    }
    if (failed !== undefined) throw failed;
    return bytes;
  });
}

/** Writes a text file beside its place, and renames it when it is whole. */
export async function writeText(path: string, text: string): Promise<void> {
  await writeChunks(path, [new TextEncoder().encode(text)]);
}

export interface Saver {
  /** Name in messages. */
  name: string;
  /** Paths of the files that were saved last. */
  readonly files: readonly string[];
  save(
    tables: readonly Table[],
    path: string,
    now: string,
    options?: Omit<WriteOptions, 'now'>,
  ): Promise<Account[]>;
}

/**
 * Saves layers in the format that the ending names, or that `as` does. A mistake in it is told before anything is read.
 * Files are written beside their targets and renamed when all of them are whole.
 */
export function saverFor(path: string, as?: string): Saver {
  const format = writingFormatFor(path, as);
  let files: readonly string[] = [];
  return {
    name: format.title,
    get files() {
      return files;
    },
    async save(tables, place, now, options = {}) {
      await mkdir(dirname(place), { recursive: true }).catch((error: unknown) => {
        throw unwritable(place, error);
      });
      const target = new NodeTarget(place, unfinished);
      watch();
      try {
        const accounts = await writeTables(format, tables, target, { ...options, now });
        files = await target.commit();
        return accounts;
      } catch (error) {
        target.abandon();
        throw unwritable(place, error);
      }
    },
  };
}
