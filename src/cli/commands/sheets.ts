import { writeFile } from 'node:fs/promises';
import { wgs84 } from '../../core/crs/registry.ts';
import { transformer } from '../../core/crs/transformer.ts';
import { counted, grouped, IsomericError, suggest } from '../../core/index.ts';
import { codeOf } from '../../core/sheets/codes.ts';
import { sheetsFor } from '../../core/sheets/for-area.ts';
import { CodeReader } from '../../core/sheets/reading-codes.ts';
import type { MapSheet } from '../../core/sheets/scheme.ts';
import { sheetLayer } from '../../core/sheets/sheet-layer.ts';
import type { SheetScheme } from '../../core/sheets/sheet-scheme.ts';
import { areaArgument, sheetSchemeArgument } from '../areas.ts';
import { finish } from '../finish.ts';
import { type Output, printJson, textTable } from '../output.ts';
import { settleOutput, withReplace } from '../outputs.ts';
import { percentText } from '../percent.ts';
import { type AddCommand, outputOf } from './command.ts';

interface SheetsOptions {
  at?: string;
  for?: string;
  level?: string;
  all?: boolean;
  below?: string | true;
  neighbours?: boolean;
  out?: string;
  replace?: boolean;
}

/** Sheets that are listed on a terminal, at most. */
const mostListed = 40;
/** Sheets of an index layer, at most. */
const mostSaved = 5_000_000;

/** A sheet with what is told of it. */
interface SheetView {
  code: string;
  level: string;
  scale: number | null;
  box: number[];
  degrees: number[] | null;
  above: string | null;
  covered?: number;
  held?: number;
}

const shown = (value: number) =>
  Math.abs(value) > 400 ? Number(value.toFixed(2)) : Number(value.toFixed(6));

function viewOf(scheme: SheetScheme, sheet: MapSheet): SheetView {
  const level = scheme.levels[sheet.level];
  const parent = scheme.parent(sheet);
  const box = scheme.box(sheet);
  return {
    code: codeOf(scheme, sheet),
    level: level.name,
    scale: level.scale ?? null,
    box: box.map(shown),
    degrees: cornersInDegrees(scheme, box),
    above: parent === null ? null : codeOf(scheme, parent),
  };
}

/** Longitudes and latitudes around the corners of a sheet whose coordinates are no degrees. */
function cornersInDegrees(scheme: SheetScheme, [x0, y0, x1, y1]: number[]): number[] | null {
  if (scheme.rules.crs.kind === 'geographic') return null;
  const xy = Float64Array.of(x0, y0, x1, y0, x1, y1, x0, y1);
  if (transformer(scheme.rules.crs, wgs84()).transform(xy) > 0) return null;
  const [longitudes, latitudes] = [0, 1].map((k) => Array.from(xy).filter((_, n) => n % 2 === k));
  return [
    Math.min(...longitudes),
    Math.min(...latitudes),
    Math.max(...longitudes),
    Math.max(...latitudes),
  ].map((value) => Number(value.toFixed(6)));
}

/** What there is: the schemes that come with Isomeric. */
async function listSchemes(output: Output): Promise<void> {
  const { shippedScheme, shippedSchemes } = await import('../../formats/sheet-scheme/shipped/register.ts');
  const all = Object.keys(shippedSchemes).map((name) => {
    const scheme = shippedScheme(name);
    return { name, title: scheme.rules.title, levels: scheme.levels.map((level) => level.name) };
  });
  if (output.json) {
    printJson({ schemes: all });
    return;
  }
  output.line('Sheet schemes that come with Isomeric:');
  for (const { name, title, levels } of all) {
    const few =
      levels.length > 8
        ? `${levels.slice(0, 3).join(', ')} … ${levels[levels.length - 1]}`
        : levels.join(', ');
    output.line(`  ${output.colours.bold(name.padEnd(12))} ${title}  ${output.colours.dim(few)}`);
  }
  output.line(
    output.colours.dim('“isomeric sheets NAME” tells of one; “--out my.json” copies it, to write your own.'),
  );
}

/** The levels of a scheme, each with its sheets counted and an example. */
function describe(output: Output, scheme: SheetScheme): void {
  const first = scheme.within(0, null).next().value as MapSheet;
  const levels = scheme.levels.map((level, k) => {
    const example = k === 0 ? first : [...take(scheme.within(k, scheme.box(first)), 1)][0];
    const of = level.kind === 'grid' ? null : scheme.levels[level.of].name;
    return {
      name: level.name,
      title: level.title,
      scale: level.scale ?? null,
      divides: of,
      sheets: scheme.count(k),
      example: example === undefined ? null : codeOf(scheme, example),
    };
  });
  if (output.json) {
    printJson({ title: scheme.rules.title, crs: scheme.rules.crs.name, levels });
    return;
  }
  output.line(`${output.colours.bold(scheme.rules.title)}  ${scheme.rules.crs.name}`);
  const rows = levels.map(({ name, title, divides, sheets, example }) => [
    name,
    title,
    divides ?? '',
    sheets === null ? '' : grouped(sheets),
    example ?? '',
  ]);
  const [head, ...lines] = textTable(['level', 'sheets', 'divides', 'number', 'for example'], rows, [
    false,
    false,
    false,
    true,
    false,
  ]);
  output.line(output.colours.dim(`  ${head}`));
  for (const line of lines) output.line(`  ${line}`);
}

function* take<T>(source: Iterable<T>, most: number): Generator<T> {
  let n = 0;
  for (const each of source) {
    if (n++ >= most) return;
    yield each;
  }
}

function placeOf(text: string): [number, number] {
  const parts = text.split(',').map((part) => (part.trim() === '' ? Number.NaN : Number(part)));
  if (parts.length === 2 && parts.every(Number.isFinite) && Math.abs(parts[1]) <= 90)
    return [parts[0], parts[1]];
  throw new IsomericError('option-place', `--at ${text} is no longitude and latitude.`, {
    advice: 'Write them with a comma between: --at -29.9,45.5',
    blame: 'usage',
  });
}

/** The sheets of all levels, or of one, that a place lies on. */
function sheetsAt(scheme: SheetScheme, text: string, level: number | null): MapSheet[] {
  const xy = Float64Array.of(...placeOf(text));
  const lost = transformer(wgs84(), scheme.rules.crs).transform(xy);
  const found = scheme.levels.flatMap((_, k) => {
    if (lost > 0 || (level !== null && level !== k)) return [];
    const sheet = scheme.at(k, xy[0], xy[1]);
    return sheet === null ? [] : [sheet];
  });
  if (found.length > 0) return found;
  throw new IsomericError('sheet-nowhere', `No sheet of ${scheme.rules.title} lies at ${text}.`, {
    blame: 'usage',
  });
}

/** The level that is asked for, or the finest of which an area takes few sheets. */
async function sheetsOver(
  scheme: SheetScheme,
  text: string,
  level: number | null,
): Promise<{
  level: number;
  sheets: MapSheet[];
  shares: Map<MapSheet, { covered: number; held: number }>;
  words: string;
}> {
  const area = await areaArgument(text);
  const { index } = await area.in({ name: scheme.rules.title, crs: scheme.rules.crs });
  let touched = sheetsFor(scheme, level ?? 0, index);
  let used = level ?? 0;
  for (let k = 1; level === null && k < scheme.levels.length; k++) {
    if (touched.length > 4) break;
    const finer = sheetsFor(scheme, k, index);
    if (finer.length > mostListed / 2) break;
    [touched, used] = [finer, k];
  }
  return {
    level: used,
    sheets: touched.map(({ sheet }) => sheet),
    shares: new Map(touched.map(({ sheet, covered, held }) => [sheet, { covered, held }])),
    words: area.name,
  };
}

function printSheets(output: Output, title: string, views: readonly SheetView[]): void {
  output.line(title);
  const shares = views.some(({ covered }) => covered !== undefined);
  const degrees = views.some((view) => view.degrees !== null);
  const levels = new Set(views.map(({ level }) => level)).size > 1;
  const rows = views
    .slice(0, mostListed)
    .map((view) => [
      view.code,
      ...(levels ? [view.level] : []),
      `${view.box.slice(0, 2).join(', ')} to ${view.box.slice(2).join(', ')}`,
      ...(degrees
        ? [
            view.degrees === null
              ? ''
              : `${view.degrees.slice(0, 2).join(', ')} to ${view.degrees.slice(2).join(', ')}`,
          ]
        : []),
      ...(shares ? [percentText(view.covered ?? 0), percentText(view.held ?? 0)] : []),
    ]);
  const names = [
    'sheet',
    ...(levels ? ['level'] : []),
    'from west, south to east, north',
    ...(degrees ? ['in degrees'] : []),
    ...(shares ? ['of the sheet', 'of the area'] : []),
  ];
  const right = names.map((name) => name.startsWith('of the'));
  const [head, ...lines] = textTable(names, rows, right, 60);
  output.line(output.colours.dim(`  ${head}`));
  for (const line of lines) output.line(`  ${line}`);
  if (views.length > mostListed)
    output.line(
      output.colours.dim(
        `  … and ${grouped(views.length - mostListed)} more; --json lists all, --out saves them as a layer.`,
      ),
    );
}

/** The sheets that codes name, with what was read otherwise than it was written. */
function sheetsNamed(scheme: SheetScheme, codes: readonly string[], output: Output): MapSheet[] {
  const reader = new CodeReader(scheme);
  return codes.flatMap((code) => {
    const { sheets, partial, instead } = reader.read(code);
    if (partial && !output.json)
      output.aside(`${code} is the beginning of ${counted(sheets.length, 'code', 'codes')}.`);
    else if (instead !== undefined && !output.json) output.aside(`${code} is read as ${instead}.`);
    return [...sheets];
  });
}

/** Neighbours and sheets below, as asked for. */
function around(scheme: SheetScheme, sheets: readonly MapSheet[], options: SheetsOptions): MapSheet[] {
  const found = new Map<string, MapSheet>();
  const add = (sheet: MapSheet) => found.set(`${sheet.level} ${JSON.stringify(sheet.path)}`, sheet);
  for (const sheet of sheets) {
    if (options.neighbours === true) for (const each of scheme.neighbours(sheet)) add(each);
    if (options.below !== undefined)
      for (const each of scheme.children(
        sheet,
        options.below === true ? undefined : scheme.levelNumber(options.below),
      ))
        add(each);
  }
  if (options.below !== undefined && found.size === 0 && options.neighbours !== true)
    throw new IsomericError('sheet-below', 'Nothing of that level lies below these sheets.', {
      advice: suggest(
        '',
        scheme.levels.map(({ name }) => name),
      ),
      blame: 'usage',
    });
  return [...found.values()];
}

/** Copies a scheme that comes with Isomeric. */
async function copyScheme(name: string, out: string, output: Output): Promise<void> {
  const { shippedScheme, shippedSchemes } = await import('../../formats/sheet-scheme/shipped/register.ts');
  shippedScheme(name);
  await writeFile(out, `${JSON.stringify(shippedSchemes[name], null, 2)}\n`, { flag: 'wx' }).catch(
    (error) => {
      throw new IsomericError(
        'out-exists',
        `${out} cannot be written: ${(error as NodeJS.ErrnoException).code === 'EEXIST' ? 'it is there already' : (error as Error).message}.`,
        {
          place: { file: out },
          advice: 'Say another file for --out.',
          blame: 'usage',
        },
      );
    },
  );
  output.line(`Sheets: ${name} copied to ${out}; change it, and name it by its path.`);
}

async function run(
  name: string | undefined,
  codes: readonly string[],
  options: SheetsOptions,
  output: Output,
): Promise<void> {
  if (name === undefined) return listSchemes(output);
  const asks =
    codes.length > 0 || options.at !== undefined || options.for !== undefined || options.all === true;
  if (!asks && options.out?.endsWith('.json') === true) return copyScheme(name, options.out, output);
  const scheme = await sheetSchemeArgument(name);
  const level = options.level === undefined ? null : scheme.levelNumber(options.level);
  if (!asks && level === null) return describe(output, scheme);
  const settled = options.out === undefined ? null : await settleOutput(options.out, [], options);
  const save = (sheets: () => Iterable<MapSheet>) =>
    finish(output, [sheetLayer(scheme, 'sheets', sheets)], options.out!, settled!);
  if (!asks || options.all === true) {
    const wanted = level ?? 0;
    const count = scheme.count(wanted);
    if (settled !== null) {
      if (count !== null && count > mostSaved)
        throw new IsomericError(
          'sheet-too-many',
          `${scheme.levels[wanted].name} has ${grouped(count)} sheets.`,
          {
            advice: 'Choose a coarser level, or the sheets --for an area.',
            blame: 'usage',
          },
        );
      return save(() => scheme.within(wanted, null));
    }
    const views = [...take(scheme.within(wanted, null), mostListed + 1)].map((sheet) =>
      viewOf(scheme, sheet),
    );
    if (output.json)
      return printJson({ title: scheme.rules.title, count, sheets: views.slice(0, mostListed) });
    printSheets(
      output,
      `${scheme.levels[wanted].title}: ${count === null ? 'not counted' : grouped(count)}`,
      views.slice(0, mostListed),
    );
    output.line(output.colours.dim('  --out saves them all as a layer.'));
    return;
  }
  let sheets: MapSheet[] = [];
  let shares = new Map<MapSheet, { covered: number; held: number }>();
  let title = scheme.rules.title;
  if (options.at !== undefined) sheets = sheetsAt(scheme, options.at, level);
  else if (options.for !== undefined) {
    const over = await sheetsOver(scheme, options.for, level);
    ({ sheets, shares } = over);
    title = `${scheme.rules.title}, ${scheme.levels[over.level].name}: ${over.words} lies on ${counted(sheets.length, 'sheet', 'sheets')}`;
  } else sheets = sheetsNamed(scheme, codes, output);
  if (options.neighbours === true || options.below !== undefined) {
    sheets = around(scheme, sheets, options);
    shares = new Map();
  } else if (level !== null && codes.length > 0)
    sheets = sheets.flatMap((sheet) =>
      sheet.level === level ? [sheet] : [...scheme.children(sheet, level)],
    );
  if (settled !== null) return save(() => sheets);
  const views = sheets.map((sheet) => ({ ...viewOf(scheme, sheet), ...shares.get(sheet) }));
  if (output.json)
    printJson({
      title: scheme.rules.title,
      crs: scheme.rules.crs.code ?? scheme.rules.crs.name,
      sheets: views,
    });
  else printSheets(output, title, views);
}

export const addSheets: AddCommand = (program) => {
  const command = program
    .command('sheets')
    .description('map sheets of a series: by code, by place, for an area; what lies beside and below them')
    .argument(
      '[scheme]',
      'a sheet scheme that comes with Isomeric, or a file with one; all are listed when left out',
    )
    .argument('[codes...]', 'codes of sheets; the beginning of codes stands for all of them')
    .option('--at <lon,lat>', 'the sheets that a place lies on, of all levels or of --level')
    .option(
      '--for <area>',
      'the sheets that an area lies on: a layer, a folder with a study, WKT, or words as in a study',
    )
    .option('--level <name>', 'the level: its name, or its scale (1:50,000)')
    .option('--all', 'all sheets of the level')
    .option('--neighbours', 'the sheets beside those that were named')
    .option('--below [level]', 'the sheets below them: of the next level, or of the one that is named')
    .option('--out <path>', 'save the footprints as a layer; of a scheme alone, copy it (.json)')
    .action(async (name: string | undefined, codes: string[], options: SheetsOptions, own) => {
      await run(name, codes, options, outputOf(own));
    });
  withReplace(command);
};
