import { readdir, stat } from 'node:fs/promises';
import { dirname, join, relative, sep } from 'node:path';
import { IsomericError, placed } from '../core/errors.ts';
import { suggest } from '../core/nearest.ts';
import type { Surroundings } from '../formats/byte-source.ts';
import { type Opened, openAmong, openSource } from '../formats/register.ts';
import { fileSource } from './bytes.ts';
import { nodeSqlite } from './sqlite.ts';

const capabilities = { sqlite: nodeSqlite };

/** The files of a folder, not those of folders inside it. */
function folderSurroundings(folder: string, shown: (path: string) => string): Surroundings {
  return {
    async list() {
      const entries = await readdir(folder, { withFileTypes: true });
      return entries
        .filter((entry) => entry.isFile())
        .map((entry) => entry.name)
        .sort();
    },
    open: (path) => fileSource(join(folder, path), shown(join(folder, path))),
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
    advice: beside.length > 0 ? suggest(name, beside.sort()) : 'Check the path.',
  });
}

/**
 * Opens a file, an archive, a path within an archive, or a folder: all layers and tables in it.
 *
 * @param root when given, messages show paths relative to it
 */
export async function openPath(path: string, root?: string): Promise<Opened[]> {
  const shown = (each: string) => (root === undefined ? each : relative(root, each));
  const { file, inside, folder } = await splitPath(path);
  if (folder) {
    const around = folderSurroundings(file, shown);
    return placed({ file: shown(path) }, async () => {
      const names = await around.list();
      const opened: Opened[] = [];
      const plain = names.filter((name) => !/\.zip$/i.test(name));
      const archives = names.filter((name) => /\.zip$/i.test(name));
      for (const name of archives) {
        const within = await openSource(await around.open(name), { around: null, path: name, capabilities });
        opened.push(
          ...within.map((each) => ({
            ...each,
            within: each.within === '' ? name : `${name}/${each.within}`,
          })),
        );
      }
      if (plain.length > 0 || archives.length === 0) {
        try {
          opened.push(...(await openAmong(around, plain, capabilities, (each) => each)));
        } catch (error) {
          if (!(error instanceof IsomericError && error.code === 'no-layers' && opened.length > 0))
            throw error;
        }
      }
      return opened;
    });
  }
  const around = folderSurroundings(dirname(file), shown);
  const source = await fileSource(file, shown(file));
  const path0 = file.slice(dirname(file) === '.' ? 0 : dirname(file).length + 1).replace(/^\//, '');
  return placed({ file: shown(file) }, () =>
    openSource(source, { around, path: path0, capabilities }, inside),
  );
}

/** Opens one layer or table of a path; `name` chooses among several. */
export async function openOne(path: string, name?: string): Promise<Opened> {
  const opened = await openPath(path);
  if (name === undefined) {
    if (opened.length === 1) return opened[0];
    throw new IsomericError(
      'layer-unclear',
      `There are ${opened.length} layers in it: ${opened.map(({ table }) => table.name).join(', ')}.`,
      { place: { file: path }, advice: 'Say which one with --layer.', blame: 'usage' },
    );
  }
  const chosen = opened.find(({ table }) => table.name === name);
  if (chosen === undefined) {
    throw new IsomericError('layer-unknown', `There is no layer “${name}” in it.`, {
      place: { file: path },
      advice: suggest(
        name,
        opened.map(({ table }) => table.name),
      ),
      blame: 'usage',
    });
  }
  return chosen;
}
