import { stat } from 'node:fs/promises';
import {
  type Account,
  assignCrs,
  type Finding,
  filterRows,
  IsomericError,
  isLayer,
  reproject,
  selectColumns,
  type Table,
} from '../../core/index.ts';
import type { Opened } from '../../formats/contents.ts';
import { writingFormatFor, writingFormats } from '../../formats/writing/register.ts';
import { type OpenOptions, openPath, saverFor } from '../../node/index.ts';
import { type Output, printAccounts, printFindings, printingReporter, printJson } from '../output.ts';
import { type AddCommand, outputOf } from './command.ts';
import { crsArgument } from './verbs.ts';

interface SaveOptions {
  out: string;
  layer?: string;
  crs?: string;
  from?: string;
  where?: string;
  columns?: string;
  as?: string;
  add?: boolean;
  replace?: boolean;
  encoding?: string;
  geometry?: string;
}

/** The layers that are to be saved, of all inputs; `--layer` chooses among them, several with commas between. */
async function chosen(paths: readonly string[], options: SaveOptions): Promise<Opened[]> {
  const open: OpenOptions = { encoding: options.encoding, geometry: options.geometry };
  const all: Opened[] = [];
  for (const path of paths) all.push(...(await openPath(path, open)));
  if (options.layer === undefined) return all;
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
  if (options.columns !== undefined)
    table = selectColumns(
      table,
      options.columns.split(',').map((column) => {
        const [name, rename] = column.split('=').map((part) => part.trim());
        return rename === undefined ? name : ([rename, name] as const);
      }),
    );
  if (options.crs === undefined) return table;
  const crs = await crsArgument(options.crs);
  return isLayer(table) ? reproject(table, crs) : table;
}

/** A target that is a folder would be a mistake that shows late. */
async function refuseFolder(path: string): Promise<void> {
  const found = await stat(path).catch(() => null);
  if (found?.isDirectory()) {
    throw new IsomericError('out-folder', 'It is a folder.', {
      place: { file: path },
      advice: 'Say a file for --out, for example wards.gpkg.',
      blame: 'usage',
    });
  }
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
  program
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
    .option('--add', 'add to the GeoPackage that is there, instead of writing it anew')
    .option('--replace', 'with --add: layers of the same name give way')
    .option('--encoding <name>', 'the encoding of texts: cp1252, cp850 …')
    .option(
      '--geometry <columns>',
      'columns that hold the geometry of a table: "lon, lat", or one with WKT or WKB',
    )
    .action(async (paths: string[], options: SaveOptions, command) => {
      const output = outputOf(command);
      const format = writingFormatFor(options.out, options.as);
      await refuseFolder(options.out);
      const opened = await chosen(paths, options);
      if (format.holds === 'one' && opened.length > 1) {
        throw new IsomericError(
          'one-layer-only',
          `${format.title} holds one layer, and there are ${opened.length}: ${opened.map(({ table }) => table.name).join(', ')}.`,
          { advice: 'Choose one with --layer, or save to a GeoPackage (.gpkg).', blame: 'usage' },
        );
      }
      const tables: Table[] = [];
      for (const { table } of opened) tables.push(await prepared(table, options));
      const progress = printingReporter(output);
      const watched = tables.map(
        (table): Table => ({
          ...table,
          async *batches(read) {
            let rows = 0;
            for await (const batch of table.batches(read)) {
              rows += batch.length;
              progress.progress(table.name, rows);
              yield batch;
            }
          },
        }),
      );
      let written: Account[];
      try {
        written = await saverFor(options.out, options.as).save(
          watched,
          options.out,
          new Date().toISOString(),
          {
            add: options.add === true || options.replace === true,
            replace: options.replace,
          },
        );
      } finally {
        progress.stop();
      }
      const accounts = tables.flatMap((table, k) => [...table.accounts, ...(written[k] ? [written[k]] : [])]);
      const findings = tables.flatMap((table) =>
        table.findings.map((finding) => ({ ...finding, layer: finding.layer ?? table.name })),
      );
      print(output, options.out, accounts, findings);
    });
};
