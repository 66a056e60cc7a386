import { existsSync } from 'node:fs';
import { realpath, stat } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import type { Command } from 'commander';
import type { Account } from '../core/account.ts';
import { IsomericError } from '../core/errors.ts';
import { writingFormatFor } from '../formats/writing/register.ts';

/** What may happen to what stands at the output already. */
export interface OutputChoice {
  replace?: boolean;
  add?: boolean;
  as?: string;
}

/** How an output is written, once it is settled that it may be. */
export interface Settled {
  add: boolean;
  replace: boolean;
  /** Told with the account of the writing. */
  note: string | null;
}

export function withReplace(command: Command): Command {
  return command.option(
    '--replace',
    'what stands at --out gives way: the file; of a GeoPackage the layers of the same name',
  );
}

/** The file on this machine that a path leads to or into; null for addresses and what is not there. */
async function fileOf(path: string): Promise<string | null> {
  if (/^https?:\/\//i.test(path)) return null;
  for (let at = path; ; at = dirname(at)) {
    const found = await stat(at).catch(() => null);
    if (found?.isFile()) return realpath(at);
    if (found !== null || dirname(at) === at) return null;
  }
}

/** Endings of the files that a shapefile is made of. */
const parts = ['.shp', '.shx', '.dbf', '.prj', '.cpg'];

const stem = (path: string) => join(dirname(path), basename(path, extname(path)));

/**
 * Looks whether an output may be written, before anything is read: it must be no folder, no input, no part of another
 * dataset; and where something stands already, it must be said that it may give way.
 */
export async function settleOutput(
  out: string,
  inputs: readonly string[],
  { replace = false, add = false, as }: OutputChoice,
): Promise<Settled> {
  const format = writingFormatFor(out, as);
  const refuse = (code: string, words: string, advice: string) =>
    new IsomericError(code, words, { place: { file: out }, advice, blame: 'usage' });
  const found = await stat(out).catch(() => null);
  if (found?.isDirectory())
    throw refuse('out-folder', 'It is a folder.', 'Say a file for --out, for example wards.gpkg.');
  const place = found === null ? null : await realpath(out);
  const ending = extname(out).toLowerCase();
  for (const input of inputs) {
    const file = await fileOf(input);
    if (file === null) continue;
    const isPart =
      parts.includes(ending) &&
      parts.includes(extname(file).toLowerCase()) &&
      stem(file) === stem(place ?? out);
    if (file === place && format.name === 'geopackage' && (add || replace)) continue;
    if (file === place || isPart)
      throw refuse(
        'out-is-input',
        'It is read at the same time, and would be lost.',
        'Choose another name for --out.',
      );
  }
  const whole = `${stem(out)}.shp`;
  if (parts.includes(ending) && ending !== '.shp' && existsSync(whole))
    throw refuse('out-is-part', `It is a part of the shapefile ${whole}.`, 'Choose another name for --out.');
  if (found === null || (add && format.name !== 'geopackage')) return { add, replace, note: null };
  const adds = format.name === 'geopackage';
  if (adds && (add || replace)) return { add: true, replace, note: null };
  if (!replace)
    throw refuse(
      'out-exists',
      'There is such a file already.',
      adds
        ? 'Say --add to add to it, --replace to let layers of the same name give way, or choose another name.'
        : 'Say --replace to put the new one in its place, or choose another name.',
    );
  return { add: false, replace, note: `${out} was there already and was replaced.` };
}

/** Tells with the last account that something was replaced. */
export function tellReplaced(accounts: readonly Account[], { note }: Settled): void {
  if (note !== null) accounts.at(-1)?.notes.push(note);
}
