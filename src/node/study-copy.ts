import { cp, mkdir, readFile, stat } from 'node:fs/promises';
import { dirname, join, relative, resolve } from 'node:path';
import { IsomericError } from '../core/errors.ts';
import { changedSettings, changeFrom } from '../formats/settings/change.ts';
import { settingsText } from '../formats/settings/text.ts';
import { filesNamed } from '../study/file/files.ts';
import { loadStudy } from '../study/file/load.ts';
import { fileSource } from './bytes.ts';
import { writeText } from './save.ts';

/** The first line of a study that was made of another. */
const mark = '# Made of ';

/**
 * Makes a study folder of another: its study with values set anew, and the files that it names. Data are gathered there
 * afresh; what lies in the other folder stays as it is.
 */
export async function copyStudy(from: string, into: string, sets: readonly string[]): Promise<void> {
  const changes = sets.map(changeFrom);
  const path = join(from, 'study.yaml');
  const place = join(into, 'study.yaml');
  if (resolve(from) === resolve(into))
    throw new IsomericError('into-itself', 'It is the folder of the study itself.', {
      place: { file: into },
      advice: 'Name another one; it is made when it is not there.',
      blame: 'usage',
    });
  const text = await settingsText(await fileSource(path), path, 'study');
  const before = await readFile(place, 'utf8').catch(() => null);
  if (before !== null && !before.startsWith(mark))
    throw new IsomericError('folder-not-empty', 'There is another study in it already.', {
      place: { file: place },
      advice: 'Choose another folder; nothing was changed.',
      blame: 'usage',
    });
  const study = loadStudy(text, path);
  // Folders of files are named from where the study lies.
  const moved = Object.entries(study.sources)
    .filter(
      ([, { kind, at }]) =>
        (kind === 'files' || kind === 'receiver') && !/^[a-z][a-z+.-]*:/i.test(at) && !at.startsWith('/'),
    )
    .map(([name, { at }]) => ({
      path: ['sources', name, 'at'],
      value: relative(into, resolve(from, at)) || '.',
    }));
  const changed = changedSettings(text, [...moved, ...changes]);
  // A mistake in what is set is told before anything is written.
  const other = loadStudy(changed, place);
  await mkdir(into, { recursive: true });
  for (const { file } of filesNamed(other)) await copyWithParts(from, into, file);
  const told = sets.map((set) => ` --set "${set.replaceAll('"', '\\"')}"`).join('');
  await writeText(
    place,
    `${mark}${relative(into, path)} by: isomeric run ${from} --into ${into}${told}\n${changed}`,
  );
}

/** A file with what goes with it (`wards.dbf` with `wards.shp`), or a folder; what is not there is told when it is run. */
async function copyWithParts(from: string, into: string, file: string): Promise<void> {
  const source = resolve(from, file);
  if (relative(resolve(from), source).startsWith('..')) return;
  let whole = source;
  let name = file;
  // A path may lead into an archive.
  while ((await stat(whole).catch(() => null)) === null) {
    if (dirname(name) === name || dirname(name) === '.') return;
    whole = dirname(whole);
    name = dirname(name);
  }
  const stem = name.replace(/\.shp$/i, '');
  const parts =
    stem === name ? [name] : ['.shp', '.shx', '.dbf', '.prj', '.cpg'].map((ending) => `${stem}${ending}`);
  for (const part of parts)
    await cp(resolve(from, part), resolve(into, part), { recursive: true }).catch((error: unknown) => {
      if (part === name) throw error;
    });
}
