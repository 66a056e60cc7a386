import { rmSync } from 'node:fs';
import {
  appendFile,
  copyFile,
  link,
  mkdir,
  open,
  readdir,
  readFile,
  rename,
  rm,
  rmdir,
  stat,
} from 'node:fs/promises';
import { dirname, join, relative, resolve, sep } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { IsomericError } from '../core/errors.ts';
import { type Machine, type Reporter, silentReporter } from '../study/machine.ts';
import { fileSource } from './bytes.ts';
import { nodeCapabilities } from './capabilities.ts';
import { openExtractFile } from './extract.ts';
import { nodeFetch } from './fetch.ts';
import { openPath } from './open.ts';
import { pngFromSvg } from './png.ts';
import { listenTo } from './receiver.ts';
import { saverFor, unwritable, writeBeside, writeChunks } from './save.ts';
import { folderStore, insideFolder } from './store.ts';
import { ownVersion } from './version.ts';

const claimFile = '.running';

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}

/**
 * Removes what programs that are no more left when they were killed: what they were writing (`x.gpkg.part-4711` and what
 * goes with it), and the folder by which SQLite's engine locks a file (`x.gpkg.lock`). The study folder is this run's alone,
 * so nobody holds such a lock.
 */
async function sweep(folder: string): Promise<void> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true });
  for (const entry of entries) {
    const path = join(entry.parentPath, entry.name);
    const pid = /\.part-(\d+)/.exec(entry.name)?.[1];
    if (pid !== undefined && !isAlive(Number(pid))) await rm(path, { force: true, recursive: true });
    else if (entry.isDirectory() && entry.name.endsWith('.gpkg.lock'))
      // Refused where it is no lock but a folder with something in it.
      await rmdir(path).catch(() => {});
  }
}

/**
 * The process that holds a folder; NaN when none can be read. Who has just made the file has not written its number yet: that is
 * waited for, or two would hold the folder.
 */
async function holderOf(path: string): Promise<number> {
  for (let look = 0; look < 40; look++) {
    const text = await readFile(path, 'utf8').catch(() => null);
    if (text === null) return Number.NaN;
    const holder = Number.parseInt(text, 10);
    // The line is whole when it has ended.
    if (!Number.isNaN(holder) && text.endsWith('\n')) return holder;
    await sleep(50);
  }
  return Number.NaN;
}

/** Takes the folder for this process. Who holds it and is no more does not hold it. */
async function claim(folder: string): Promise<() => Promise<void>> {
  const path = join(folder, claimFile);
  try {
    await mkdir(folder, { recursive: true });
  } catch (error) {
    throw unwritable(folder, error);
  }
  for (let attempt = 0; ; attempt++) {
    try {
      const file = await open(path, 'wx');
      try {
        await file.writeFile(`${process.pid}\n`);
      } catch (error) {
        await rm(path, { force: true });
        throw error;
      } finally {
        await file.close();
      }
      break;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw unwritable(path, error);
      const holder = await holderOf(path);
      if (attempt > 3 || (holder !== process.pid && isAlive(holder)))
        throw new IsomericError('study-running', `The study is being run already (process ${holder}).`, {
          place: { file: folder },
          advice: 'Wait until it has ended.',
          blame: 'usage',
        });
      await rm(path, { force: true });
    }
  }
  const release = () => rmSync(path, { force: true });
  // Also when the program is interrupted, from the moment on that the folder is claimed.
  process.once('exit', release);
  try {
    await sweep(folder);
  } catch (error) {
    process.off('exit', release);
    release();
    throw error;
  }
  return async () => {
    process.off('exit', release);
    release();
  };
}

/** Node as the machine of a study in `folder`. */
export function nodeMachine(folder: string, reporter: Reporter = silentReporter): Machine {
  const inside = (path: string) => insideFolder(folder, path);
  return {
    store: folderStore(folder),
    open: (path, reading) => openPath(inside(path), { root: resolve(folder), ...reading }),
    extract: (path) => openExtractFile(inside(path), path),
    async local(path) {
      const place = path.startsWith('file:') ? fileURLToPath(path) : resolve(folder, path);
      try {
        return await fileSource(place, path);
      } catch (error) {
        if (error instanceof IsomericError && error.code === 'file-missing') return null;
        throw error;
      }
    },
    async localChecksum(path) {
      const place = path.startsWith('file:') ? fileURLToPath(path) : resolve(folder, path);
      return folderStore(dirname(place)).checksum(place);
    },
    async localNames(path) {
      const place = path.startsWith('file:') ? fileURLToPath(path) : resolve(folder, path);
      const entries = await readdir(place, { withFileTypes: true }).catch(() => []);
      const names: string[] = [];
      for (const entry of entries) {
        // A link to a folder may lead back to where it stands.
        const linked =
          entry.isSymbolicLink() && (await stat(join(place, entry.name)).catch(() => null))?.isDirectory();
        if (linked !== true) names.push(entry.name);
      }
      return names.sort();
    },
    listen: listenTo,
    scratch: nodeCapabilities.scratch,
    async save(tables, path, now) {
      const saver = saverFor(path);
      const accounts = await saver.save(tables, inside(path), now);
      const files = saver.files.map((file) => relative(resolve(folder), resolve(file)).split(sep).join('/'));
      return { accounts, files };
    },
    writeBytes: async (path, bytes) => {
      await writeChunks(inside(path), [bytes]);
    },
    writeStream: async (path, chunks) => {
      await writeChunks(inside(path), chunks);
    },
    async move(from, to) {
      await mkdir(dirname(inside(to)), { recursive: true });
      await rename(inside(from), inside(to));
    },
    copy: async (from, to) => {
      // Files are replaced whole, never written into: where the disk can, both names are of one file.
      await writeBeside(inside(to), (temporary) =>
        link(inside(from), temporary).catch(() => copyFile(inside(from), temporary)),
      );
    },
    get version() {
      return ownVersion();
    },
    async append(path, text) {
      try {
        await mkdir(dirname(inside(path)), { recursive: true });
        await appendFile(inside(path), text);
      } catch (error) {
        throw unwritable(path, error);
      }
    },
    claim: () => claim(resolve(folder)),
    png: pngFromSvg,
    fetch: nodeFetch,
    sleep: async (milliseconds) => {
      await sleep(milliseconds);
    },
    now: () => new Date().toISOString(),
    environment: (name) => process.env[name],
    reporter,
  };
}
