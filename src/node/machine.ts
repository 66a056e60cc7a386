import { createHash } from 'node:crypto';
import { createReadStream, existsSync } from 'node:fs';
import { chmod, rm } from 'node:fs/promises';
import { resolve, sep } from 'node:path';
import { IsomericError } from '../core/errors.ts';
import type { Store } from '../sources/store.ts';
import { type Machine, type Reporter, silentReporter } from '../study/machine.ts';
import { fileSource } from './bytes.ts';
import { nodeCapabilities } from './capabilities.ts';
import { openExtractFile } from './extract.ts';
import { openPath } from './open.ts';
import { pngFromSvg } from './png.ts';
import { saverFor, writeChunks } from './save.ts';

/** A path of the study folder; one that would climb out of it is refused. */
function inside(folder: string, path: string): string {
  const whole = resolve(folder, path);
  if (whole !== resolve(folder) && !whole.startsWith(resolve(folder) + sep)) {
    throw new IsomericError('path-outside', `The path ${path} leads out of the study folder.`, {
      advice: 'Keep the files of a study inside its folder.',
      blame: 'usage',
    });
  }
  return whole;
}

export function folderStore(folder: string): Store {
  return {
    async open(path) {
      const whole = inside(folder, path);
      return existsSync(whole) ? fileSource(whole, path) : null;
    },
    async write(path, chunks) {
      const whole = inside(folder, path);
      const hash = createHash('sha256');
      const bytes = await writeChunks(
        whole,
        (async function* () {
          for await (const chunk of chunks) {
            hash.update(chunk);
            yield chunk;
          }
        })(),
      );
      // As received, never edited: read-only keeps it so by accident too.
      await chmod(whole, 0o444);
      return { bytes, sha256: hash.digest('hex') };
    },
    remove: (path) => rm(inside(folder, path), { force: true }),
    async checksum(path) {
      const whole = inside(folder, path);
      if (!existsSync(whole)) return null;
      const hash = createHash('sha256');
      for await (const chunk of createReadStream(whole)) hash.update(chunk as Uint8Array);
      return hash.digest('hex');
    },
  };
}

/** Node as the machine of a study in `folder`. */
export function nodeMachine(folder: string, reporter: Reporter = silentReporter): Machine {
  return {
    store: folderStore(folder),
    open: (path, reading) => openPath(inside(folder, path), { root: resolve(folder), ...reading }),
    extract: (path) => openExtractFile(inside(folder, path), path),
    scratch: nodeCapabilities.scratch,
    save: (tables, path, now) => saverFor(path).save(tables, inside(folder, path), now),
    writeBytes: async (path, bytes) => {
      await writeChunks(inside(folder, path), [bytes]);
    },
    png: pngFromSvg,
    fetch: globalThis.fetch,
    now: () => new Date().toISOString(),
    environment: (name) => process.env[name],
    reporter,
  };
}
