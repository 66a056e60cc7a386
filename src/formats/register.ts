import { IsomericError } from '../core/errors.ts';
import type { Finding } from '../core/findings.ts';
import type { Layer, Table } from '../core/layer/layer.ts';
import type { ByteSource, Surroundings } from './byte-source.ts';
import { looksDelimited, openDelimited } from './delimited/read.ts';
import { openGeojson } from './geojson/read.ts';
import { openGeopackage } from './geopackage/read.ts';
import { ending } from './names.ts';
import { openShapefile } from './shapefile/read.ts';
import { openDbase } from './shapefile/table.ts';
import type { SqliteEngine } from './sqlite.ts';
import { isZip, openZip } from './zip/zip.ts';

/** What the machine lends to formats that need more than bytes. */
export interface Capabilities {
  sqlite?: SqliteEngine;
}

export interface OpenContext {
  around: Surroundings | null;
  /** Path of the source among what stands around it. */
  path: string;
  capabilities: Capabilities;
}

export interface Format {
  /** Name in messages and in `--json`. */
  name: string;
  title: string;
  endings: readonly string[];
  /**
   * True when the first bytes (up to 64 KiB; `complete` when that is all) are of this format. The name only helps where
   * contents cannot tell: a table of one column has no delimiter.
   */
  sniff(head: Uint8Array, complete: boolean, name: string): boolean;
  open(source: ByteSource, context: OpenContext): Promise<(Layer | Table)[]>;
}

const startsWith = (head: Uint8Array, text: string) => {
  for (let k = 0; k < text.length; k++) if (head[k] !== text.charCodeAt(k)) return false;
  return true;
};

/** Does the text begin like a JSON object that could be GeoJSON? */
function sniffGeojson(head: Uint8Array): boolean {
  let at = head[0] === 0xef && head[1] === 0xbb && head[2] === 0xbf ? 3 : 0;
  while (at < head.length && (head[at] === 32 || (head[at] >= 9 && head[at] <= 13))) at++;
  // Other JSON (catalogues, settings) names none of these.
  return head[at] === 0x7b && /"(type|features|coordinates|geometries)"/.test(new TextDecoder().decode(head));
}

function sniffDbase(head: Uint8Array): boolean {
  if (
    head.length < 33 ||
    ![0x02, 0x03, 0x04, 0x05, 0x30, 0x31, 0x43, 0x83, 0x8b, 0x8e, 0xf5].includes(head[0])
  )
    return false;
  const month = head[2];
  const day = head[3];
  const headerLength = head[8] | (head[9] << 8);
  return month <= 12 && day <= 31 && headerLength >= 33 && (head[10] | (head[11] << 8)) > 1;
}

/** All formats that are read, told apart by content. A new one is one folder and one line here. */
export const formats: readonly Format[] = [
  {
    name: 'shapefile',
    title: 'Shapefile',
    endings: ['shp'],
    sniff: (head) =>
      head.length >= 36 &&
      head[0] === 0 &&
      head[1] === 0 &&
      head[2] === 0x27 &&
      head[3] === 0x0a &&
      head[28] === 0xe8 &&
      head[29] === 3,
    open: (source, context) => openShapefile(source, context.around, context.path),
  },
  {
    name: 'geopackage',
    title: 'GeoPackage',
    endings: ['gpkg'],
    sniff: (head) => startsWith(head, 'SQLite format 3\0'),
    open(source, { capabilities }) {
      if (capabilities.sqlite === undefined)
        throw new IsomericError(
          'sqlite-missing',
          'Reading a GeoPackage needs an SQLite engine, and none was given.',
          { place: { file: source.name }, blame: 'usage' },
        );
      return openGeopackage(source, capabilities.sqlite);
    },
  },
  {
    name: 'dbase',
    title: 'dBASE table',
    endings: ['dbf'],
    sniff: sniffDbase,
    open: (source) => openDbase(source),
  },
  {
    name: 'geojson',
    title: 'GeoJSON',
    endings: ['geojson', 'json'],
    sniff: sniffGeojson,
    open: (source) => openGeojson(source),
  },
  {
    name: 'delimited',
    title: 'Delimited text',
    endings: ['csv', 'tsv', 'txt'],
    sniff: looksDelimited,
    open: (source) => openDelimited(source),
  },
];

/** One layer or table, with where it came from. */
export interface Opened {
  table: Layer | Table;
  format: string;
  /** Path within the archive or folder that was opened; empty for the file itself. */
  within: string;
}

/** The parts of multi-file formats that are no layers themselves. */
const partEndings = new Set([
  'dbf',
  'prj',
  'cpg',
  'shx',
  'sbn',
  'sbx',
  'qix',
  'xml',
  'txt',
  'pdf',
  'md',
  'html',
]);

function stem(path: string): string {
  return path.replace(/\.[^./]*$/, '').toLowerCase();
}

/** The format of a source by its content; undefined when none fits. */
export async function formatOf(source: ByteSource): Promise<Format | undefined> {
  const head = await source.bytes(0, 65_536);
  return formats.find((format) => format.sniff(head, source.size <= 65_536, source.name));
}

/**
 * Opens a source by its content, whatever its name says. An archive gives all layers inside it, or those of `inside`
 * (a path in the archive). Layers get findings for a wrong ending.
 */
export async function openSource(source: ByteSource, context: OpenContext, inside = ''): Promise<Opened[]> {
  if (source.size === 0)
    throw new IsomericError('file-empty', 'The file is empty.', {
      place: { file: source.name },
      advice: 'Get it again.',
    });
  const head = await source.bytes(0, 4);
  if (isZip(head)) return openArchive(source, context.capabilities, inside);
  const format = await formatOf(source);
  if (format === undefined) {
    throw new IsomericError('format-unknown', 'Its contents are of no format that Isomeric reads.', {
      place: { file: source.name },
      advice: `It reads: ${formats.map((known) => known.title).join(', ')}, also inside zip archives.`,
    });
  }
  const tables = await format.open(source, context);
  const end = ending(source.name);
  const wrong =
    end !== '' && !format.endings.includes(end) && formats.some((other) => other.endings.includes(end));
  const finding: Finding = {
    code: 'ending-wrong',
    severity: 'note',
    words: `${source.name}: the name says .${end}, the contents are ${format.title}.`,
  };
  return tables.map((table) => ({
    table: wrong ? { ...table, findings: [finding, ...table.findings] } : table,
    format: format.name,
    within: inside,
  }));
}

async function openArchive(
  source: ByteSource,
  capabilities: Capabilities,
  inside: string,
): Promise<Opened[]> {
  const around = await openZip(source);
  const all = await around.list();
  const wanted = inside === '' ? all : all.filter((path) => path === inside || path.startsWith(`${inside}/`));
  if (wanted.length === 0) {
    throw new IsomericError('archive-path', `There is no “${inside}” in the archive.`, {
      place: { file: source.name },
      advice: `It holds: ${all.slice(0, 12).join(', ')}.`,
    });
  }
  return openAmong(around, wanted, capabilities, (path) => path);
}

/** Opens every layer among files that stand beside each other (a folder, an archive), parts grouped. */
export async function openAmong(
  around: Surroundings,
  paths: readonly string[],
  capabilities: Capabilities,
  label: (path: string) => string,
): Promise<Opened[]> {
  const shapes = new Set(paths.filter((path) => ending(path) === 'shp').map(stem));
  const opened: Opened[] = [];
  // One damaged file does not hide the others; alone, it is the error.
  const failures: IsomericError[] = [];
  for (const path of paths) {
    const end = ending(path);
    if (shapes.has(stem(path)) && end !== 'shp') continue;
    const source = await around.open(path);
    if (source.size === 0) continue;
    const format = await formatOf(source);
    if (format === undefined || (partEndings.has(end) && format.name === 'delimited' && end !== 'txt'))
      continue;
    let layers: (Layer | Table)[];
    try {
      layers = await format.open(source, { around, path, capabilities });
    } catch (error) {
      if (!(error instanceof IsomericError)) throw error;
      failures.push(error.at({ file: path }));
      continue;
    }
    opened.push(...layers.map((table) => ({ table, format: format.name, within: label(path) })));
  }
  if (opened.length === 0 && failures.length > 0) throw failures[0];
  if (opened.length === 0) {
    throw new IsomericError('no-layers', 'No layer or table is in it.', {
      advice: `It holds: ${paths.slice(0, 12).join(', ')}.`,
    });
  }
  const told = failures.map(
    (failure): Finding => ({ code: failure.code, severity: 'error', words: failure.sentence }),
  );
  if (told.length > 0)
    opened[0] = {
      ...opened[0],
      table: { ...opened[0].table, findings: [...told, ...opened[0].table.findings] },
    };
  return opened;
}
