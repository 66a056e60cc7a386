import { existsSync } from 'node:fs';
import { copyFile, cp, mkdir, readdir, stat } from 'node:fs/promises';
import { basename, dirname, extname, join, relative, resolve } from 'node:path';
import { counted, grouped, IsomericError, isLayer } from '../../core/index.ts';
import { openPath, writeText } from '../../node/index.ts';
import type { Given } from '../../study/beginning/propose.ts';
import { demoFolder } from '../demo-data.ts';
import { type Output, printJson } from '../output.ts';
import { type AddCommand, outputOf } from './command.ts';

/** Larger files stay where they are, and are named by their folder. */
const mostCopied = 50_000_000;

async function refuseInUse(folder: string): Promise<void> {
  if (!existsSync(folder) || (await readdir(folder)).length === 0) return;
  throw new IsomericError('folder-not-empty', 'The folder is not empty.', {
    place: { file: folder },
    advice: 'Choose a new one; nothing was changed.',
    blame: 'usage',
  });
}

/** The study of the two files that come with Isomeric. */
async function begin(folder: string): Promise<{ files: string[]; notes: string[] }> {
  const { firstStudyText } = await import('../../study/beginning/first-study.ts');
  const data = join(demoFolder(), 'data', 'first');
  await mkdir(folder, { recursive: true });
  const names = await readdir(data);
  for (const name of names) await copyFile(join(data, name), join(folder, name));
  await writeText(join(folder, 'study.yaml'), firstStudyText);
  return { files: [...names, 'study.yaml'], notes: [] };
}

/** The parts that a shapefile is made of. */
const shapefileParts = ['.shp', '.shx', '.dbf', '.prj', '.cpg'];

/** Puts a file into the folder with what goes with it; gives its names there, its own first. Null when it is too large. */
async function copied(path: string, folder: string): Promise<string[] | null> {
  if ((await stat(path)).size > mostCopied) return null;
  const ending = extname(path);
  const stem = basename(path, ending);
  // Files of one name from two folders are two files.
  let own = stem;
  for (let k = 2; existsSync(join(folder, `${own}${ending}`)); k++) own = `${stem}-${k}`;
  const beside =
    ending.toLowerCase() !== '.shp'
      ? []
      : (await readdir(dirname(path))).filter((name) => {
          const end = extname(name);
          return end !== ending && basename(name, end) === stem && shapefileParts.includes(end.toLowerCase());
        });
  const endings = [ending, ...beside.map((name) => extname(name))];
  for (const end of endings) await cp(join(dirname(path), `${stem}${end}`), join(folder, `${own}${end}`));
  return endings.map((end) => `${own}${end}`);
}

/** A study of files that are given. */
async function beginFrom(
  folder: string,
  paths: readonly string[],
): Promise<{ files: string[]; notes: string[] }> {
  const { proposeStudy } = await import('../../study/beginning/propose.ts');
  const { words } = await import('../../study/beginning/figures.ts');
  // Everything is read before anything is written: a file that cannot be is told first.
  const opened = [];
  for (const path of paths) {
    if ((await stat(path).catch(() => null))?.isDirectory())
      throw new IsomericError('from-folder', 'It is a folder.', {
        place: { file: path },
        advice: 'Name the files in it; “isomeric look” lists what they hold.',
        blame: 'usage',
      });
    const all = (await openPath(path)).filter((each) => each.describes !== true);
    opened.push({ path, tables: all.map(({ table }) => table) });
  }
  if (!opened.some(({ tables }) => tables.some(isLayer)))
    throw new IsomericError('layers-none', 'None of the files holds a layer, so there is no area to study.', {
      advice: 'Name a layer of areas beside them, for example wards.geojson.',
      blame: 'usage',
    });
  await mkdir(folder, { recursive: true });
  const files: string[] = [];
  const sources: Record<string, string> = {};
  const given: Given[] = [];
  for (const { path, tables } of opened) {
    const names = await copied(path, folder);
    files.push(...(names ?? []));
    let from: string | undefined;
    if (names === null) {
      const at = relative(resolve(folder), dirname(resolve(path)));
      from =
        Object.keys(sources).find((name) => sources[name] === at) ??
        `folder${Object.keys(sources).length || ''}`;
      sources[from] = at;
    }
    for (const table of tables)
      given.push({ file: names?.[0] ?? basename(path), from, table, several: tables.length > 1 });
  }
  const { text, notes } = await proposeStudy(words(basename(resolve(folder))), given, sources);
  await writeText(join(folder, 'study.yaml'), text);
  return { files: [...files, 'study.yaml'], notes };
}

function print(output: Output, folder: string, files: readonly string[], notes: readonly string[]): void {
  output.line(`New: ${grouped(files.length)} files in ${folder}: ${files.join(', ')}.`);
  for (const note of notes) output.line(output.colours.dim(`  ${note}`));
  output.line(`Next: “isomeric run ${folder}”, then open ${join(folder, 'delivered', 'report.html')}.`);
}

export const addNew: AddCommand = (program) => {
  program
    .command('new')
    .description(
      'begin a study that runs at once: of two small files that come along, or of files of your own',
    )
    .argument('<folder>', 'a new folder')
    .option(
      '--from <files...>',
      'files of your own: layers, tables; the study is written for them, with keys that fit and a map',
    )
    .action(async (folder: string, options: { from?: string[] }, command) => {
      const output = outputOf(command);
      await refuseInUse(folder);
      const { files, notes } =
        options.from === undefined ? await begin(folder) : await beginFrom(folder, options.from);
      const { studyJsonSchema } = await import('../../study/index.ts');
      await writeText(join(folder, 'study.schema.json'), `${JSON.stringify(studyJsonSchema(), null, 2)}\n`);
      const all = [...files, 'study.schema.json'];
      if (output.json) printJson({ folder, files: all.map((file) => join(folder, file)), notes });
      else print(output, folder, all, notes);
    });
};

/** Puts the data of all examples into a folder, where the pages of the docs find them. */
export async function putData(folder: string, output: Output): Promise<void> {
  await refuseInUse(folder);
  const data = join(demoFolder(), 'data');
  await cp(data, folder, { recursive: true });
  const files = (await readdir(folder, { recursive: true, withFileTypes: true })).filter((entry) =>
    entry.isFile(),
  );
  if (output.json)
    printJson({ folder, files: files.map((entry) => join(entry.parentPath, entry.name)).sort() });
  else
    output.line(
      `Data: ${counted(files.length, 'file', 'files')} of Teskaria, a made-up country, in ${folder}; the examples of the docs call it “data”.`,
    );
}
