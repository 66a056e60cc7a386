import { once } from 'node:events';
import { createWriteStream, rmSync } from 'node:fs';
import { mkdir, rename } from 'node:fs/promises';
import { dirname } from 'node:path';
import { type Account, closeAccount, openAccount } from '../core/account.ts';
import { IsomericError } from '../core/errors.ts';
import { isLayer, type Layer, type Table } from '../core/layer/layer.ts';
import { writeDelimited } from '../formats/delimited/write.ts';
import { writeGeojson } from '../formats/geojson/write.ts';
import { GeopackageWriter } from '../formats/geopackage/write.ts';
import { ending } from '../formats/names.ts';
import { createDatabase } from './sqlite.ts';

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
    const code = (error as NodeJS.ErrnoException).code;
    if (
      code === 'EACCES' ||
      code === 'ENOSPC' ||
      code === 'EISDIR' ||
      code === 'ENOTDIR' ||
      code === 'EROFS'
    ) {
      throw new IsomericError('file-unwritable', `The file cannot be written (${code}).`, {
        place: { file: path },
        advice: 'Choose another place, or free space.',
      });
    }
    throw error;
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
        if (!stream.write(chunk)) await Promise.race([once(stream, 'drain'), once(stream, 'error')]);
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

export async function writeText(path: string, text: string): Promise<void> {
  await writeChunks(path, [new TextEncoder().encode(text)]);
}

export interface Saver {
  /** Name in messages. */
  name: string;
  endings: readonly string[];
  save(tables: readonly Table[], path: string, now: string): Promise<Account[]>;
}

async function one(tables: readonly Table[], path: string): Promise<Table> {
  if (tables.length !== 1) {
    throw new IsomericError('one-layer-only', `${path} can hold one layer only, not ${tables.length}.`, {
      advice: 'Save to a GeoPackage (.gpkg), which holds several.',
      blame: 'usage',
    });
  }
  return tables[0];
}

function counted(table: Table, tally: { rows: number }): Table {
  return {
    ...table,
    async *batches(options) {
      tally.rows = 0;
      for await (const batch of table.batches(options)) {
        tally.rows += batch.length;
        yield batch;
      }
    },
  };
}

/** Formats that are written, chosen by the ending of the target. */
export const savers: readonly Saver[] = [
  {
    name: 'GeoPackage',
    endings: ['gpkg'],
    save: (tables, path, now) =>
      writeBeside(path, async (temporary) => {
        const writer = new GeopackageWriter(createDatabase(temporary), now);
        try {
          const accounts: Account[] = [];
          for (const table of tables) accounts.push(await writer.add(table));
          writer.close();
          return accounts;
        } catch (error) {
          writer.abandon();
          throw error;
        }
      }),
  },
  {
    name: 'GeoJSON',
    endings: ['geojson', 'json'],
    async save(tables, path) {
      const table = await one(tables, path);
      if (!isLayer(table))
        throw new IsomericError(
          'geometry-missing',
          `${table.name} has no geometry, so it cannot be saved as GeoJSON.`,
          { advice: 'Save it as .csv.', blame: 'usage' },
        );
      const account = openAccount('Write', table.name);
      const tally = { rows: 0 };
      await writeChunks(path, writeGeojson(counted(table, tally) as Layer, {}, account));
      closeAccount(account, [tally.rows, `${table.name} written to ${path}`]);
      return [account];
    },
  },
  {
    name: 'CSV',
    endings: ['csv'],
    async save(tables, path) {
      const table = await one(tables, path);
      const account = openAccount('Write', table.name);
      if (isLayer(table)) account.notes.push('CSV holds the attributes only; the geometry was left out.');
      const tally = { rows: 0 };
      await writeChunks(path, writeDelimited(counted(table, tally)));
      closeAccount(account, [tally.rows, `rows of ${table.name} written to ${path}`]);
      return [account];
    },
  },
];

/** Saves layers in the format that the ending names; a mistake in it is told before anything is read. */
export function saverFor(path: string): Saver {
  const end = ending(path);
  const saver = savers.find((known) => known.endings.includes(end));
  if (saver === undefined) {
    throw new IsomericError('format-unwritable', `No format is written to files that end in “.${end}”.`, {
      place: { file: path },
      advice: `Use ${savers.flatMap((known) => known.endings.map((each) => `.${each}`)).join(', ')}.`,
      blame: 'usage',
    });
  }
  return saver;
}
