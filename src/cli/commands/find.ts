import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import {
  type CatalogueAnswer,
  CatalogueIndex,
  type CatalogueQuery,
} from '../../core/catalogue/catalogue-index.ts';
import { compareEntries } from '../../core/catalogue/compare.ts';
import { bytesOf, type CatalogueEntry, entryName, formatsOf } from '../../core/catalogue/entry.ts';
import { type FacetName, facetNames } from '../../core/catalogue/facets.ts';
import { levelNamed } from '../../core/catalogue/levels.ts';
import { counted, grouped, IsomericError, suggest } from '../../core/index.ts';
import { nearestWord } from '../../core/nearest.ts';
import { nodeMachine } from '../../node/index.ts';
import { lookIntoFile } from '../../node/look-file.ts';
import { studyIn } from '../../study/area-of-study.ts';
import { linesFor, linesText, withLines } from '../../study/catalogue/add.ts';
import { type Filled, fillCatalogue } from '../../study/catalogue/fill.ts';
import { CatalogueStore } from '../../study/catalogue/store.ts';
import type { Study } from '../../study/file/schema.ts';
import { degreesOfAreaText } from '../areas.ts';
import { factsOf } from '../narrowing.ts';
import { type Output, printingReporter, printJson, textTable } from '../output.ts';
import { bytesText } from '../progress.ts';
import { type AddCommand, numberOption, outputOf, wholeAboveZero } from './command.ts';
import { studyFolder } from './study.ts';

interface FindOptions extends Partial<Record<FacetName, string[]>> {
  study: string;
  area?: string;
  most: string;
  offline?: boolean;
  refresh?: boolean;
  print?: boolean;
  about?: string;
  add?: string;
  as?: string;
  take?: string;
  compare?: string[];
}

/** Values of a facet that are printed. */
const mostValues = 8;
/** Columns that are printed of one entry. */
const mostColumns = 60;

interface Opened {
  folder: string;
  study: Study;
  store: CatalogueStore;
  index: CatalogueIndex;
}

/** Reads the catalogue of a study and fills it, as far as the sources want. */
async function openCatalogue(
  path: string,
  options: FindOptions,
  output: Output,
): Promise<Opened & { filled: Filled[] }> {
  const folder = await studyFolder(path);
  const quiet = output.json || options.offline === true;
  const reporter = printingReporter({ ...output, line: (text = '') => output.aside(text) });
  const machine = nodeMachine(folder, quiet ? undefined : reporter);
  const study = await studyIn(machine);
  const store = await CatalogueStore.load(machine);
  try {
    const filled = await fillCatalogue(study, machine, store, {
      offline: options.offline,
      refresh: options.refresh,
      look: (file, before) => lookIntoFile(folder, file, before),
    });
    return { folder, study, store, index: new CatalogueIndex(store.entries()), filled };
  } finally {
    reporter.stop();
  }
}

function queryOf(
  words: readonly string[],
  options: FindOptions,
  area: CatalogueQuery['area'],
  index: CatalogueIndex,
): CatalogueQuery {
  const facets: CatalogueQuery['facets'] = {};
  for (const name of facetNames) {
    const told = options[name]
      ?.flatMap((each) => each.split(','))
      .map((each) => each.trim())
      .filter((each) => each !== '');
    if (told === undefined || told.length === 0) continue;
    facets[name] = told.flatMap((value) => valuesMeant(name, value, index));
  }
  return { words: words.join(' '), facets, ...(area === undefined ? {} : { area }) };
}

/** A value as the catalogue has it: levels by any of their words, years as spans, others by a part of them where only that is there. */
function valuesMeant(name: FacetName, value: string, index: CatalogueIndex): string[] {
  const known = index.valuesOf(name);
  const exact = known.filter((each) => each.toLowerCase() === value.toLowerCase());
  if (exact.length > 0) return exact;
  if (name === 'level') {
    const level = levelNamed(value);
    if (known.includes(level)) return [level];
  }
  if (name === 'year') {
    const span = /^(\d{4})\s*(?:-|–|to|\.\.)\s*(\d{4})$/.exec(value);
    if (span !== null) return known.filter((year) => year >= span[1] && year <= span[2]);
  }
  const parts = known.filter((each) => each.toLowerCase().includes(value.toLowerCase()));
  if (parts.length > 0) return parts;
  throw new IsomericError('facet-unknown', `Nothing has the ${name} “${value}”.`, {
    advice: suggest(value, [...known]),
    blame: 'usage',
    wrong: value,
  });
}

function entryNamed(index: CatalogueIndex, name: string): CatalogueEntry {
  const found = index.named(name);
  if (found !== undefined) return found;
  const byId = index.entries.filter(({ id }) => id === name);
  if (byId.length === 1) return byId[0];
  const near = nearestWord(name, index.names());
  throw new IsomericError(
    'entry-unknown',
    byId.length > 1 ? `${byId.length} sources have an entry “${name}”.` : `There is no entry “${name}”.`,
    {
      advice:
        byId.length > 1
          ? `Say which: ${byId.map(entryName).join(', ')}.`
          : near === undefined
            ? 'Search for it first: isomeric find WORDS.'
            : `Did you mean “${near}”?`,
      blame: 'usage',
      wrong: name,
    },
  );
}

function sizeText(entry: CatalogueEntry): string {
  const bytes = bytesOf(entry);
  return [
    entry.features === undefined ? '' : counted(entry.features, 'feature', 'features'),
    entry.rows === undefined ? '' : counted(entry.rows, 'row', 'rows'),
    entry.columns === undefined ? '' : counted(entry.columns.length, 'column', 'columns'),
    bytes === undefined ? '' : bytesText(bytes),
  ]
    .filter((each) => each !== '')
    .join(', ');
}

/** One result in three lines: what it is, what it holds, under which terms. */
function printResult(output: Output, entry: CatalogueEntry): void {
  const { colours } = output;
  const [name, ...facts] = factsOf(entry);
  output.line(
    `${entry.dead === undefined ? colours.bold(entry.title) : colours.dim(entry.title)}  ${colours.cyan(name)}`,
  );
  output.line(`  ${facts.join(' · ')}`);
  const where = entry.box === undefined ? '' : entry.box.map((value) => Number(value.toFixed(3))).join(', ');
  const about = [
    sizeText(entry),
    formatsOf(entry).join(', '),
    entry.updated === undefined ? '' : `of ${entry.updated}`,
    entry.licence ?? 'licence not said',
    entry.provider ?? '',
    where === '' ? '' : `lies in ${where}`,
    entry.also === undefined ? '' : `also ${entry.also.join(', ')}`,
  ];
  output.line(colours.dim(`  ${about.filter((each) => each !== '').join(' · ')}`));
}

/** Choices that are left, each with the count that it would leave. */
function printFacets(output: Output, answer: CatalogueAnswer, chosen: CatalogueQuery['facets']): void {
  const { colours } = output;
  for (const { name, values } of answer.facets) {
    const picked = chosen?.[name] !== undefined;
    if (values.length < 2 && !picked && values.every(({ count }) => count > 0)) continue;
    const shown = values.slice(0, mostValues).map(({ value, count, chosen: own, loosen }) => {
      const text = `${value} ${grouped(count)}${count === 0 && loosen !== undefined ? ` (but for ${loosen.what}: ${grouped(loosen.count)})` : ''}`;
      return own ? colours.cyan(`[${text}]`) : count === 0 ? colours.dim(text) : text;
    });
    const more = values.length > mostValues ? `, and ${values.length - mostValues} more` : '';
    output.line(`  ${name.padEnd(10)} ${shown.join(', ')}${more}`);
  }
}

/** Where a result is a dead end, what is alive under the same words. */
function insteadOf(entry: CatalogueEntry, index: CatalogueIndex): CatalogueEntry | undefined {
  const { best } = index.search({ words: entry.title.replace(/\b(19|20)\d\d\b/g, '') }, 20);
  return best.map((i) => index.entries[i]).find((other) => other !== entry && other.dead === undefined);
}

function printAnswer(
  output: Output,
  answer: CatalogueAnswer,
  query: CatalogueQuery,
  opened: Opened,
  most: number,
): void {
  const { index, study } = opened;
  const { colours } = output;
  output.line(
    `${colours.bold('Find:')} ${counted(answer.count, 'entry', 'entries')} of ${grouped(index.entries.length)}${answer.withoutPlace === 0 ? '' : `; ${grouped(answer.withoutPlace)} of them do not say where they lie`}.`,
  );
  if (answer.count === 0) {
    for (const { word, nearest } of answer.meant)
      output.line(`  Nothing has “${word}”. Did you mean “${nearest}”?`);
    for (const { what, count } of answer.loosen.slice(0, 5))
      output.line(`  Without ${what}: ${grouped(count)}.`);
    if (answer.loosen.length === 0)
      output.line('  No single choice or word stands in the way alone: begin with fewer.');
  }
  printFacets(output, answer, query.facets);
  for (const i of answer.best.slice(0, most)) {
    const entry = index.entries[i];
    output.line();
    printResult(output, entry);
    if (entry.dead === undefined) continue;
    const other = insteadOf(entry, index);
    if (other !== undefined) output.line(`  Instead: ${other.title}  ${colours.cyan(entryName(other))}`);
  }
  if (answer.count > most)
    output.line(colours.dim(`\n… and ${grouped(answer.count - most)} more; --most lists more of them.`));
  const first = answer.best.map((i) => index.entries[i]).find(({ dead }) => dead === undefined);
  if (first === undefined) return;
  output.line(
    colours.dim(`\nIn a study, for ${entryName(first)} (isomeric find --add ID FOLDER writes them):`),
  );
  for (const line of linesText(linesFor(first, study)).split('\n')) output.line(`  ${line}`);
}

/** All about one entry: every column, every way, the lines for the study. */
function printEntry(
  output: Output,
  entry: CatalogueEntry,
  { study, index }: Opened,
  format: string | undefined,
): void {
  const { colours } = output;
  printResult(output, entry);
  if (entry.description !== undefined) output.line(`  ${entry.description}`);
  if (entry.universe !== undefined) output.line(`  universe   ${entry.universe}`);
  if (entry.keywords !== undefined) output.line(`  keywords   ${entry.keywords.join(', ')}`);
  if (entry.themes !== undefined) output.line(`  themes     ${entry.themes.join(', ')}`);
  if (entry.columns !== undefined) {
    const rows = entry.columns
      .slice(0, mostColumns)
      .map(({ name, title, unit, universe, values }) => [
        name,
        `${title ?? ''}${unit === undefined ? '' : ` (${unit})`}`,
        universe ?? '',
        (values ?? []).join(', '),
      ]);
    const names = ['column', 'title', 'universe', 'values'];
    // Columns of nothing but blanks say nothing.
    const used = names.map((_, c) => c).filter((c) => c === 0 || rows.some((row) => row[c] !== ''));
    const [head, ...lines] = textTable(
      used.map((c) => names[c]),
      rows.map((row) => used.map((c) => row[c])),
      used.map(() => false),
      48,
    );
    output.line(colours.dim(`  ${head}`));
    for (const line of lines) output.line(`  ${line.trimEnd()}`);
    if (entry.columns.length > mostColumns)
      output.line(colours.dim(`  … and ${grouped(entry.columns.length - mostColumns)} more.`));
  } else output.line(colours.dim('  Its columns are not described before it is fetched.'));
  for (const way of entry.ways)
    output.line(
      `  ${way.dead === undefined ? 'as' : 'not as'} ${way.format}${way.address === undefined ? '' : `  ${way.address}`}${way.dead === undefined ? '' : `: ${way.dead}`}`,
    );
  if (entry.dead !== undefined) {
    const other = insteadOf(entry, index);
    if (other !== undefined) output.line(`  Instead: ${other.title}  ${colours.cyan(entryName(other))}`);
    return;
  }
  output.line(colours.dim('\nIn a study:'));
  for (const line of linesText(linesFor(entry, study, format)).split('\n')) output.line(`  ${line}`);
}

async function add(
  entry: CatalogueEntry,
  { folder, study }: Opened,
  options: FindOptions,
  output: Output,
): Promise<void> {
  const path = join(folder, 'study.yaml');
  const text = await readFile(path, 'utf8');
  const lines = linesFor(entry, study, options.take, options.as);
  const made = withLines(text, lines);
  await writeFile(path, made);
  if (output.json) {
    printJson({ study: path, entry: entryName(entry), source: lines.source, dataset: lines.dataset });
    return;
  }
  output.line(
    `Find: ${entryName(entry)} is in ${path} as ${lines.dataset.name}${lines.source.known ? `, from ${lines.source.name}` : `, with its source ${lines.source.name}`}.`,
  );
  for (const line of linesText(lines).split('\n')) output.line(`  ${line}`);
}

function printComparison(output: Output, entries: readonly CatalogueEntry[]): void {
  const compared = compareEntries(entries);
  if (output.json) {
    printJson(compared);
    return;
  }
  const { colours } = output;
  output.line(`${colours.bold('Compare:')} ${counted(entries.length, 'table', 'tables')}.`);
  const heads = compared.entries.map(({ years, name }) => years.join(', ') || name);
  const right = heads.map(() => false);
  const rows = [
    ['levels', ...compared.entries.map(({ levels }) => levels.join(', '))],
    ['universe', ...compared.entries.map(({ universe }) => universe ?? '')],
    ['columns', ...compared.entries.map(({ columns }) => grouped(columns))],
    ...compared.variables
      .slice(0, 40)
      .map(({ words, cells }) => [words, ...cells.map(({ name }) => name ?? '–')]),
  ];
  const [head, ...lines] = textTable(['', ...heads], rows, [false, ...right], 40);
  output.line(colours.dim(`  ${head}`));
  for (const line of lines) output.line(`  ${line.trimEnd()}`);
  if (compared.variables.length > 40)
    output.line(colours.dim(`  … and ${grouped(compared.variables.length - 40)} more variables.`));
  for (const note of compared.notes) output.line(`  ${note}`);
  for (const { name, title } of compared.entries) output.line(colours.dim(`  ${name}  ${title}`));
}

/** Entries by their names; one that names a series stands for all of it. */
function entriesNamed(index: CatalogueIndex, names: readonly string[]): CatalogueEntry[] {
  return names.flatMap((name) => {
    const series = index.entries.filter(({ series: own }) => own === name);
    return series.length > 0 ? series : [entryNamed(index, name)];
  });
}

async function run(words: string[], options: FindOptions, output: Output): Promise<void> {
  const most = numberOption('most', options.most, wholeAboveZero);
  const named = options.add ?? options.about;
  // With an id, what stands by itself is the study.
  const path = named === undefined ? options.study : (words[0] ?? options.study);
  const { choose } = await import('../choosing.ts');
  if (
    named === undefined &&
    options.compare === undefined &&
    options.print !== true &&
    !output.json &&
    choose.possible()
  ) {
    const picked = await choose.from(await studyFolder(path), words, options, (index) =>
      queryFor(words, options, index),
    );
    if (picked === null) return;
    const opened = { ...picked, index: picked.index };
    printEntry(output, picked.entry, opened, options.take);
    if (picked.entry.dead === undefined)
      output.line(
        output.colours.dim(
          `\n“isomeric find --add ${entryName(picked.entry)} ${picked.folder}” writes them into the study.`,
        ),
      );
    return;
  }
  const opened = await openCatalogue(path, options, output);
  const { index } = opened;
  for (const { outcome, words: told } of opened.filled)
    if (told !== undefined && !output.json && (outcome === 'failed' || index.entries.length === 0))
      output.aside(told);
  if (named !== undefined) {
    const entry = entryNamed(index, named);
    if (options.add !== undefined) await add(entry, opened, options, output);
    else if (output.json)
      printJson({
        ...entry,
        name: entryName(entry),
        study: entry.dead === undefined ? linesFor(entry, opened.study, options.take) : null,
      });
    else printEntry(output, entry, opened, options.take);
    return;
  }
  if (options.compare !== undefined) {
    printComparison(output, entriesNamed(index, options.compare));
    return;
  }
  const query = await queryFor(words, options, index);
  const answer = index.search(query, most);
  if (output.json) {
    const best = answer.best.map((i) => ({ name: entryName(index.entries[i]), ...index.entries[i] }));
    printJson({ ...answer, best, of: index.entries.length, sources: opened.filled });
  } else printAnswer(output, answer, query, opened, most);
}

async function queryFor(
  words: readonly string[],
  options: FindOptions,
  index: CatalogueIndex,
): Promise<CatalogueQuery> {
  const area = options.area === undefined ? undefined : await degreesOfAreaText(options.area);
  return queryOf(words, options, area, index);
}

const several = (text: string, before: string[] = []) => [...before, text];

export const addFind: AddCommand = (program) => {
  const command = program
    .command('find')
    .description(
      'what the sources and catalogues of a study have: search it, narrow it down, put it into the study',
    )
    .argument(
      '[words...]',
      'words, parts of words or their synonyms, in any order; with --add or --about: the folder of the study',
    )
    .option('--study <folder>', 'the study whose sources and catalogues are looked through', '.');
  const facets: Record<FacetName, string> = {
    theme: 'only of this theme; several with commas, or named again: any of them',
    level: 'only with figures or units of this level: ward, district …',
    year: 'only of this year, or of these: 2019-2024',
    breakdown: 'only broken down by this: sex, age',
    provider: 'only of this provider',
    format: 'only what comes in this format',
    licence: 'only under this licence',
    holds: 'only layers, tables, grids or extracts: layer, table …',
    source: 'only of this source or catalogue of the study',
  };
  for (const name of facetNames) command.option(`--${name} <values>`, facets[name], several);
  command
    .option(
      '--area <area>',
      'only what lies there: a layer, a folder with a study, WKT, or words as in a study',
    )
    .option('--most <number>', 'so many results at most', '10')
    .option('--about <id>', 'all about one entry: its columns, the ways to get it, the lines for a study')
    .option('--add <id>', 'write its source and dataset into the study')
    .option('--as <name>', 'with --add: the name of the dataset')
    .option('--take <format>', 'with --add and --about: the format, when there are several')
    .option(
      '--compare <ids...>',
      'tables side by side: which variable, which level, of whom; the name of a series stands for all of it',
    )
    .option('--offline', 'ask nobody: search what is known')
    .option('--refresh', 'list all sources anew')
    .option('--print', 'print, on a terminal too')
    .action(async (words: string[], options: FindOptions, own) => {
      await run(words, options, outputOf(own));
    });
};
