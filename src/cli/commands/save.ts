import { rename, writeFile } from 'node:fs/promises';
import {
  type Account,
  assignCrs,
  type Finding,
  filterRows,
  IsomericError,
  isLayer,
  reprojectLayer,
  selectColumns,
  type Table,
} from '../../core/index.ts';
import { withoutGeometry } from '../../core/layer/layer.ts';
import type { Opened } from '../../formats/opening/contents.ts';
import { writingFormatFor, writingFormats } from '../../formats/writing/register.ts';
import { openPath } from '../../node/index.ts';
import { dataDictionary, dictionaryText } from '../../study/handing-on/dictionary.ts';
import { watched } from '../finish.ts';
import { crsArgument } from '../opening.ts';
import {
  asideOnly,
  type Output,
  printAccounts,
  printFindings,
  printingReporter,
  printJson,
} from '../output.ts';
import { settleOutput, tellReplaced, withReplace } from '../outputs.ts';
import { saveMany } from '../save-many.ts';
import { isStream, localPath, streamOut, streamTarget } from '../streams.ts';
import { applyTableSteps, type TableSteps, withTableSteps } from '../table-steps.ts';
import { columnsFromText } from '../verb-options.ts';
import { type AddCommand, openOptions, outputOf, type TableReading, withTableOptions } from './command.ts';

interface SaveOptions extends Omit<TableReading, 'geometry'>, TableSteps {
  out: string;
  dictionary?: string;
  layer?: string;
  crs?: string;
  from?: string;
  where?: string;
  columns?: string;
  as?: string;
  add?: boolean;
  replace?: boolean;
  /** False with --no-geometry. */
  geometry?: string | false;
}

/** The layers that are to be saved, of all inputs; `--layer` chooses among them, several with commas between. */
async function chosen(paths: readonly string[], options: SaveOptions): Promise<Opened[]> {
  const all: Opened[] = [];
  const { geometry, ...others } = options;
  const reading = openOptions(
    geometry === false || geometry === undefined ? others : { ...others, geometry },
  );
  for (const path of paths) all.push(...(await openPath(await localPath(path), reading)));
  // Tables that only describe the others have done so already.
  const data = all.filter((opened) => opened.describes !== true);
  if (options.layer === undefined) return data.length > 0 ? data : all;
  const names = options.layer.split(',').map((name) => name.trim());
  return names.map((name) => {
    const found = all.find(({ table }) => table.name === name);
    if (found !== undefined) return found;
    throw new IsomericError('layer-unknown', `There is no layer “${name}” in ${paths.join(', ')}.`, {
      advice: `There are: ${all.map(({ table }) => table.name).join(', ')}.`,
      blame: 'usage',
    });
  });
}

/** What of the options concerns one layer, done to it. */
async function prepared(source: Table, options: SaveOptions): Promise<Table> {
  let table = source;
  if (options.from !== undefined && isLayer(table)) table = assignCrs(table, await crsArgument(options.from));
  if (options.where !== undefined) table = filterRows(table, options.where);
  if (options.columns !== undefined) table = selectColumns(table, columnsFromText(options.columns));
  if (options.geometry === false) return withoutGeometry(table);
  if (options.crs === undefined) return table;
  const crs = await crsArgument(options.crs);
  return isLayer(table) ? reprojectLayer(table, crs) : table;
}

/** Beside, then renamed: nothing half-written stays. */
async function writeText(path: string, text: string): Promise<void> {
  await writeFile(`${path}.part`, text);
  await rename(`${path}.part`, path);
}

function print(
  output: Output,
  out: string,
  accounts: readonly Account[],
  findings: readonly Finding[],
): void {
  if (output.json) {
    printJson({ out, accounts, findings });
    return;
  }
  printAccounts(output, accounts);
  printFindings(output, findings);
}

export const addSave: AddCommand = (program) => {
  const saveCommand = program
    .command('save')
    .description('save layers and tables in another format, or several files as the layers of one')
    .argument('<in...>', 'files, folders, archives, paths within archives, or addresses')
    .requiredOption('--out <path>', 'where to save; the ending says the format')
    .option('--as <format>', `the format: ${writingFormats.map((format) => format.name).join(', ')}`)
    .option('--layer <names>', 'only these layers, separated by commas')
    .option('--crs <crs>', 'brought into this CRS: EPSG:32626, a name, WKT, or a .prj file')
    .option('--from <crs>', 'the CRS that the layer has, when it does not say so or says a wrong one')
    .option('--where <cql2>', 'only rows for which this is true')
    .option('--columns <names>', 'only these columns, separated by commas; NEW = OLD renames one')
    .option('--add', 'add to the GeoPackage that is there')
    .option(
      '--dictionary <path>',
      'also save a data dictionary (.csv): fields, titles, units, universes, reasons',
    )
    .option(
      '--geometry <columns>',
      'columns that hold the geometry of a table: "lon, lat", or one with WKT or WKB',
    )
    .option('--no-geometry', 'only the rows, as a table')
    .action(async (paths: string[], options: SaveOptions, command) => {
      const piped = isStream(options.out);
      const output = piped ? asideOnly(outputOf(command)) : outputOf(command);
      if (piped) options.out = streamTarget(options.out);
      const format = writingFormatFor(options.out, options.as);
      const settled = await settleOutput(options.out, paths, options);
      const opened = await chosen(paths, options);
      if (format.holds === 'one' && opened.length > 1 && !options.byLevel) {
        throw new IsomericError(
          'one-layer-only',
          `${format.title} holds one layer, and there are ${opened.length}: ${opened.map(({ table }) => table.name).join(', ')}.`,
          { advice: 'Choose one with --layer, or save to a GeoPackage (.gpkg).', blame: 'usage' },
        );
      }
      const tables: Table[] = [];
      for (const { table } of opened)
        for (const each of await applyTableSteps(table, options)) tables.push(await prepared(each, options));
      const progress = printingReporter(output);
      const flowing = tables.map((table) => watched(table, progress));
      let written: Account[];
      try {
        written = await saveMany(flowing, options.out, {
          as: options.as,
          add: settled.add,
          replace: settled.replace,
        });
        tellReplaced(written, settled);
        if (options.dictionary !== undefined)
          await writeText(options.dictionary, dictionaryText(await dataDictionary(tables)));
      } finally {
        progress.stop();
      }
      const accounts = tables.flatMap((table, k) => [...table.accounts, ...(written[k] ? [written[k]] : [])]);
      const findings = tables.flatMap((table) =>
        table.findings.map((finding) => ({ ...finding, layer: finding.layer ?? table.name })),
      );
      print(output, options.out, accounts, findings);
      if (piped) await streamOut(options.out);
    });
  withReplace(saveCommand);
  withTableSteps(withTableOptions(saveCommand));
};
