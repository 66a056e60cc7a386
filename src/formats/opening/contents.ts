import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Grid } from '../../core/grid/grid.ts';
import { gridCells } from '../../core/grid/grid-cells.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import type { ByteSource, Surroundings } from '../bytes/byte-source.ts';
import { compressionOf } from '../compressed/sniff.ts';
import { type Format, formatOf, formats, type OpenContext } from '../register.ts';
import { isWorkbookArchive } from '../workbook/sniff.ts';
import { isZip } from '../zip/sniff.ts';
import { Beside, besideOf, leaders } from './beside.ts';
import { describeContents } from './describe.ts';
import { layerFromColumns } from './geometry-columns.ts';
import { gridFormatOf } from './grids.ts';
import { asDamage, guarded, guardedContents } from './guard.ts';
import { baseName, ending } from './names.ts';

/** One layer or table, with where it came from. */
export interface Opened {
  table: Layer | Table;
  format: string;
  /** Path within the archive or folder that was opened; empty for the file itself. */
  within: string;
  /** Files that belong together and make it, as they are called beside each other; empty for a single file. */
  parts: readonly string[];
  /** True when it only describes the other tables: a key file, a sheet that lists columns, a structure. */
  describes?: boolean;
}

/** A file among others that is no layer, and why. */
export interface OtherFile {
  path: string;
  size: number;
  why: string;
  /** Set when it is a layer that cannot be read. */
  damage?: Finding;
}

/** One grid, with where it came from. */
export interface OpenedGrid {
  grid: Grid;
  format: string;
  within: string;
}

/** What is in a file, an archive or a folder. */
export interface Contents {
  layers: Opened[];
  grids: OpenedGrid[];
  others: OtherFile[];
}

/** Deepest nesting of archives in archives that is opened. */
const deepest = 4;

/** Texts that go with data and are none. */
const texts = new Set(['xml', 'txt', 'pdf', 'md', 'html', 'htm', 'prj', 'cpg', 'log', 'yaml', 'yml']);

const fileName = (path: string) => path.slice(path.lastIndexOf('/') + 1);

/** Opens a source by its content, whatever its name says: all layers in it, or those of `inside` in an archive. */
export async function openSource(source: ByteSource, context: OpenContext, inside = ''): Promise<Opened[]> {
  return withDamage(await lookInside(source, context, inside));
}

/**
 * What is in a source, by its content. Archives are gone through as if they were folders, compressed files as if they
 * were not. Layers get findings for a wrong ending.
 *
 * @param inside a path in the archive; `outer.zip/inner.zip/wards.shp` goes on into archives inside
 */
export async function lookInside(source: ByteSource, context: OpenContext, inside = ''): Promise<Contents> {
  return guarded(source.name, async () =>
    describeContents(guardedContents(await insideOf(source, context, inside, 0), source.name)),
  );
}

async function insideOf(
  source: ByteSource,
  context: OpenContext,
  inside: string,
  depth: number,
): Promise<Contents> {
  if (source.size === 0)
    throw new IsomericError('file-empty', 'The file is empty.', {
      place: { file: source.name },
      advice: 'Get it again.',
    });
  if (depth > deepest) {
    throw new IsomericError('archive-deep', `Archives are nested more than ${deepest} deep.`, {
      place: { file: source.name },
      advice: 'Such archives are not opened.',
    });
  }
  const head = await source.bytes(0, 8);
  if (isZip(head)) return lookIntoArchive(source, context, inside, depth);
  const compression = compressionOf(head);
  if (compression !== null) {
    const { openCompressed } = await import('../compressed/compressed.ts');
    const inner = await openCompressed(source, compression);
    return insideOf(inner, { ...context, around: null, path: fileName(inner.name) }, inside, depth + 1);
  }
  const gridFormat = await gridFormatOf(source);
  if (gridFormat !== undefined) {
    const grid = await gridFormat.open(source, context);
    return { layers: [], grids: [{ grid, format: gridFormat.name, within: '' }], others: [] };
  }
  const format = await formatOf(source);
  if (format === undefined) throw await unknownFormat(source);
  const tables = await openTables(format, source, context);
  const parts = context.around === null ? [] : (await besideOf(context.around)).partsOf(context.path);
  const layers = tables.map((table) => ({
    table,
    format: format.name,
    within: '',
    parts,
  }));
  return { layers, grids: [], others: [] };
}

async function unknownFormat(source: ByteSource): Promise<IsomericError> {
  const begin = new TextDecoder().decode(await source.bytes(0, 200)).trimStart();
  if (/^[[{]/.test(begin) && ['json', 'csv', 'txt'].includes(ending(source.name)))
    return new IsomericError('rows-missing', 'It is JSON, but has no features and no rows.', {
      place: { file: source.name },
      advice:
        'Rows are lists of objects or of lists; --rows-at says where they are, when they are not found.',
    });
  const leader = leaders[ending(source.name)];
  return new IsomericError('format-unknown', 'Its contents are of no format that Isomeric reads.', {
    place: { file: source.name },
    advice:
      leader !== undefined && ending(source.name) !== 'dbf'
        ? `A .${ending(source.name)} is a part of a set: open the .${leader} beside it.`
        : `It reads: ${formats.map((known) => known.title).join(', ')}, also in zip archives, gzip and bzip2.`,
  });
}

/** Opens what a format finds; tables whose columns hold geometry become layers. */
async function openTables(
  format: Format,
  source: ByteSource,
  context: OpenContext,
): Promise<(Layer | Table)[]> {
  return asTables(await format.open(source, context), format, source, context);
}

async function asLayers(
  tables: readonly (Layer | Table)[],
  format: Pick<Format, 'name' | 'title' | 'endings'>,
  source: ByteSource,
  context: OpenContext,
): Promise<Opened[]> {
  const own = await asTables(tables, format, source, context);
  return own.map((table) => ({ table, format: format.name, within: '', parts: [] }));
}

async function asTables(
  tables: readonly (Layer | Table)[],
  format: Pick<Format, 'title' | 'endings'>,
  source: ByteSource,
  context: OpenContext,
): Promise<(Layer | Table)[]> {
  const end = ending(source.name);
  const wrong =
    end !== '' && !format.endings.includes(end) && formats.some((other) => other.endings.includes(end));
  const finding: Finding = {
    code: 'ending-wrong',
    severity: 'note',
    words: `${source.name}: the name says .${end}, the contents are ${format.title}.`,
  };
  return Promise.all(
    tables.map(async (table) => {
      const own = wrong ? { ...table, findings: [finding, ...table.findings] } : table;
      return isLayer(own) ? own : ((await layerFromColumns(own, context.geometry)) ?? own);
    }),
  );
}

async function lookIntoArchive(
  source: ByteSource,
  context: OpenContext,
  inside: string,
  depth: number,
): Promise<Contents> {
  const { openZip } = await import('../zip/zip.ts');
  const around = await openZip(source, { inflateRaw: context.capabilities.inflateRaw });
  const all = await around.list();
  if (inside === '' && (await isWorkbookArchive(around, all))) {
    const { openWorkbook } = await import('../workbook/read.ts');
    const tables = await openWorkbook(source, context);
    const format = { name: 'workbook', title: 'Workbook', endings: ['xlsx', 'xlsm', 'xlsb', 'ods', 'xls'] };
    return { layers: await asLayers(tables, format, source, context), grids: [], others: [] };
  }
  const wanted = inside === '' ? all : all.filter((path) => path === inside || path.startsWith(`${inside}/`));
  if (wanted.length === 0) {
    const archive = all.find((path) => inside.startsWith(`${path}/`));
    if (archive !== undefined) {
      const inner = await insideOf(
        await around.open(archive),
        { ...context, around, path: archive },
        inside.slice(archive.length + 1),
        depth + 1,
      );
      return under(archive, inner);
    }
    throw new IsomericError('archive-path', `There is no “${inside}” in the archive.`, {
      place: { file: source.name },
      advice: `It holds: ${all.slice(0, 12).join(', ')}.`,
    });
  }
  const contents = await among(around, wanted, context, depth);
  for (const { path, size } of around.hidden)
    contents.others.push({
      path,
      size,
      why: 'another entry of that name',
      damage: {
        code: 'entry-twice',
        severity: 'warning',
        words: `${path} stands in the archive more than once; the last of them is used.`,
      },
    });
  // The one document of a .kmz is called doc.kml in all of them: the archive's own name says more.
  if (ending(source.name) === 'kmz')
    for (const each of contents.layers)
      if (each.table.name === 'doc') each.table = { ...each.table, name: baseName(source.name) };
  return contents;
}

/** The same contents, seen from one folder or archive further out. */
function under(prefix: string, contents: Contents): Contents {
  const within = (path: string) => (path === '' ? prefix : `${prefix}/${path}`);
  return {
    layers: contents.layers.map((each) => ({ ...each, within: within(each.within) })),
    grids: contents.grids.map((each) => ({ ...each, within: within(each.within) })),
    others: contents.others.map((each) => ({ ...each, path: within(each.path) })),
  };
}

/** Opens every layer among files that stand beside each other (a folder, an archive), parts grouped. */
export async function openAmong(
  around: Surroundings,
  paths: readonly string[],
  context: Omit<OpenContext, 'around' | 'path'>,
): Promise<Opened[]> {
  return withDamage(await lookAmong(around, paths, context));
}

/** The layers, the first of them with findings for what beside them cannot be read: so it is not passed over. */
export function withDamage({ layers: found, grids, others }: Contents): Opened[] {
  const layers = [
    ...found,
    ...grids.map(
      ({ grid, format, within }): Opened => ({ table: gridCells(grid), format, within, parts: [] }),
    ),
  ];
  const told = others.flatMap(({ damage }) => (damage === undefined ? [] : [damage]));
  if (told.length === 0) return layers;
  const [first, ...rest] = layers;
  return [{ ...first, table: { ...first.table, findings: [...told, ...first.table.findings] } }, ...rest];
}

/**
 * What files that stand beside each other hold, parts grouped, the rest listed. One damaged file does not hide the
 * others; when nothing can be opened, it is the error.
 */
export async function lookAmong(
  around: Surroundings,
  paths: readonly string[],
  context: Omit<OpenContext, 'around' | 'path'>,
): Promise<Contents> {
  return describeContents(guardedContents(await among(around, paths, context, 0), ''));
}

async function among(
  around: Surroundings,
  paths: readonly string[],
  context: Omit<OpenContext, 'around' | 'path'>,
  depth: number,
): Promise<Contents> {
  const beside = await besideOf(around);
  // Only a file that is looked at too leads others.
  const chosen = new Beside(paths);
  const contents: Contents = { layers: [], grids: [], others: [] };
  const failures: IsomericError[] = [];
  for (const path of paths) {
    if (chosen.leaderOf(path) !== null) continue;
    try {
      await lookAtOne(around, path, beside, context, depth, contents);
    } catch (error) {
      const failure = asDamage(error, path);
      if (!(failure instanceof IsomericError)) throw failure;
      failures.push(failure);
      contents.others.push({
        path,
        size: (await around.open(path)).size,
        why: 'damaged',
        damage: { code: failure.code, severity: 'error', words: failure.sentence },
      });
    }
  }
  const nothing = contents.layers.length + contents.grids.length === 0;
  if (nothing && failures.length > 0) throw failures[0];
  if (nothing) {
    throw new IsomericError('no-layers', 'No layer or table is in it.', {
      advice: paths.length === 0 ? 'It holds no file.' : `It holds: ${paths.slice(0, 12).join(', ')}.`,
    });
  }
  return contents;
}

async function lookAtOne(
  around: Surroundings,
  path: string,
  beside: Beside,
  context: Omit<OpenContext, 'around' | 'path'>,
  depth: number,
  contents: Contents,
): Promise<void> {
  const source = await around.open(path);
  const other = (why: string) => contents.others.push({ path, size: source.size, why });
  if (source.size === 0) {
    // An entry of an archive may claim to be empty, and is not.
    await source.bytes(0, 1);
    other('empty');
    return;
  }
  const head = await source.bytes(0, 8);
  if (isZip(head) || compressionOf(head) !== null) {
    const inner = under(path, await insideOf(source, { ...context, around, path }, '', depth + 1));
    contents.layers.push(...inner.layers);
    contents.grids.push(...inner.grids);
    contents.others.push(...inner.others);
    return;
  }
  const end = ending(path);
  const gridFormat = await gridFormatOf(source);
  if (gridFormat !== undefined) {
    const grid = await gridFormat.open(source, { ...context, around, path });
    contents.grids.push({ grid, format: gridFormat.name, within: path });
    return;
  }
  let format: Format | undefined;
  try {
    format = await formatOf(source);
  } catch (error) {
    // A page that describes the data lies among them rightly.
    if (!(error instanceof IsomericError) || !texts.has(end) || end === 'txt') throw error;
    other('text');
    return;
  }
  if (format === undefined || (format.name === 'delimited' && texts.has(end) && end !== 'txt')) {
    const leader = leaders[end];
    if (leader !== undefined) other(`part of a set whose .${leader} is missing`);
    else other(texts.has(end) ? 'text' : 'not read');
    return;
  }
  const own = { ...context, around, path };
  let tables: (Layer | Table)[];
  try {
    tables = await openTables(format, source, own);
  } catch (error) {
    // A text that only looked like a table (a read-me) is no damaged file.
    const text = format.name === 'delimited' && texts.has(end);
    if (error instanceof IsomericError && (text || error.code === 'rows-missing')) {
      other('text');
      return;
    }
    throw error;
  }
  const alone = end === 'dbf' && beside.has(path, 'shx');
  const finding: Finding = {
    code: 'part-missing',
    severity: 'error',
    words: `${path}: there is no .shp beside it, so only the attributes can be read.`,
    repair: 'get the whole set again',
  };
  contents.layers.push(
    ...tables.map((table) => ({
      table: alone ? { ...table, findings: [finding, ...table.findings] } : table,
      format: format.name,
      within: path,
      parts: beside.partsOf(path),
    })),
  );
}
