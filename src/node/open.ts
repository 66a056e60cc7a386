import { readdir, stat } from 'node:fs/promises';
import { basename, dirname, join, relative, sep } from 'node:path';
import { IsomericError, placed } from '../core/errors.ts';
import { suggest } from '../core/nearest.ts';
import type { Mark } from '../core/table/marks.ts';
import type { ByteSource, Surroundings } from '../formats/bytes/byte-source.ts';
import { chosenOf } from '../formats/opening/chosen.ts';
import {
  type Contents,
  lookAmong,
  lookInside,
  type Opened,
  withDamage,
} from '../formats/opening/contents.ts';
import { remoteSource } from '../sources/files/remote.ts';
import { fileSource } from './bytes.ts';
import { nodeCapabilities as capabilities } from './capabilities.ts';

/** Folders inside folders are gone through so deep, and so many files are looked at. */
const deepestFolder = 5;
const mostFiles = 5000;

/** The files of a folder; with `deep`, those of folders inside it too, hidden ones left out. */
function folderSurroundings(
  folder: string,
  open: (path: string) => Promise<ByteSource>,
  deep = false,
): Surroundings {
  const list = async (under: string, depth: number, found: string[]): Promise<void> => {
    const entries = await readdir(join(folder, under), { withFileTypes: true });
    entries.sort((a, b) => (a.name < b.name ? -1 : 1));
    for (const entry of entries) {
      if (found.length >= mostFiles) return;
      const path = under === '' ? entry.name : `${under}/${entry.name}`;
      if (entry.isFile()) found.push(path);
      else if (
        deep &&
        entry.isDirectory() &&
        depth < deepestFolder &&
        !/^(\.|node_modules$)/.test(entry.name)
      )
        await list(path, depth + 1, found);
    }
  };
  let known: readonly string[] | null = null;
  return {
    async list() {
      if (known === null) {
        const found: string[] = [];
        await list('', 0, found);
        known = found;
      }
      return known;
    },
    open: (path) => open(join(folder, path)),
  };
}

/** Splits `a/wards.zip/2024/wards.shp` into the file that exists and the path within it. */
async function splitPath(path: string): Promise<{ file: string; inside: string; folder: boolean }> {
  let file = path;
  for (;;) {
    try {
      const found = await stat(file);
      const inside = relative(file, path).split(sep).join('/');
      if (inside !== '' && found.isDirectory()) break;
      return { file, inside, folder: found.isDirectory() };
    } catch {
      const up = dirname(file);
      if (up === file) break;
      file = up;
    }
  }
  const folder = dirname(path);
  const beside = await readdir(folder).catch(() => [] as string[]);
  const name = path.slice(folder === '.' ? 0 : folder.length + 1);
  throw new IsomericError('file-missing', 'There is no such file or folder.', {
    place: { file: path },
    wrong: name,
    advice: beside.length > 0 ? suggest(name, beside.sort()) : 'Check the path.',
  });
}

/** How a path is opened. */
export interface OpenOptions {
  /** When given, messages show paths relative to it. */
  root?: string;
  /** Every source that is read goes through it: what is counted, what can be ended. */
  watch?: (source: ByteSource) => ByteSource;
  /** Encoding of texts, as asked: `cp1252`. */
  encoding?: string;
  /** Columns of tables that hold geometry: `lon, lat`, or one with WKT or WKB; `none`. */
  geometry?: string;
  /** What stands in place of figures, besides the marks that everybody uses. */
  marks?: readonly Mark[];
  /** JSON Pointer to the rows of a JSON document. */
  rowsAt?: string;
  /** How many rows the header of a table has, when it is known: 0 for none. */
  headerRows?: number;
}

/** What is in a file, an archive, a path within an archive, a folder, or at an address: layers, and the rest. */
export async function lookPath(path: string, options: OpenOptions = {}): Promise<Contents> {
  const { root, encoding, geometry, marks, rowsAt, headerRows, watch = (source) => source } = options;
  const common = { capabilities, encoding, geometry, marks, rowsAt, headerRows };
  if (/^https?:\/\//i.test(path)) {
    const source = watch(await remoteSource(path));
    return placed({ file: path }, () => lookInside(source, { ...common, around: null, path: source.name }));
  }
  const shown = (each: string) => (root === undefined ? each : relative(root, each));
  const open = async (each: string) => watch(await fileSource(each, shown(each)));
  const { file, inside, folder } = await splitPath(path);
  if (folder) {
    const around = folderSurroundings(file, open, true);
    return placed({ file: shown(path) }, async () => lookAmong(around, await around.list(), common));
  }
  const around = folderSurroundings(dirname(file), open);
  const source = await open(file);
  return placed({ file: shown(file) }, () =>
    lookInside(source, { ...common, around, path: basename(file) }, inside),
  );
}

/** Opens a file, an archive, a path within an archive, or a folder: all layers and tables in it. */
export async function openPath(path: string, options: OpenOptions | string = {}): Promise<Opened[]> {
  return withDamage(await lookPath(path, typeof options === 'string' ? { root: options } : options));
}

/** Opens one layer or table of a path; `name` chooses among several. */
export async function openOne(path: string, name?: string, options: OpenOptions = {}): Promise<Opened> {
  return chosenOf(await openPath(path, options), path, name);
}
