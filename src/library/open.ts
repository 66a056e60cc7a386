import { host } from '#host';
import type { Crs } from '../core/crs/crs.ts';
import type { GridShift } from '../core/crs/ntv2.ts';
import { IsomericError } from '../core/errors.ts';
import { isLayer, type Layer, type Table } from '../core/layer/layer.ts';
import { useThreads } from '../core/layer/threads.ts';
import type { Mark } from '../core/table/marks.ts';
import { type ByteSource, sourceFromBlob } from '../formats/bytes/byte-source.ts';
import { endWhenTold } from '../formats/bytes/ending.ts';
import type { SqliteEngine } from '../formats/bytes/sqlite.ts';
import { chosenOf } from '../formats/opening/chosen.ts';
import type { Contents, Opened } from '../formats/opening/contents.ts';
import { later } from '../verbs/step.ts';
import type { Reading } from './host.ts';
import { type Watching, watchedSource } from './progress.ts';

/**
 * Where data are: a path (in Node; also of an archive, a folder, a path within an archive), an address, a Blob or File,
 * or the several files of one layer (`.shp`, `.dbf`, `.prj` …).
 */
export type Place = string | URL | Blob | readonly Blob[];

/** How data are read where they do not say it themselves. */
export interface OpenSettings extends Watching {
  /** Which layer or table, when there are several. */
  layer?: string;
  /** The CRS that the coordinates have, when the data do not say it or say a wrong one: a CRS, its code, name or WKT. */
  crs?: Crs | string;
  /** Encoding of texts: `cp1252`. */
  encoding?: string;
  /** Columns of a table that hold geometry: `lon, lat`, or one with WKT or WKB; `none`. */
  geometry?: string;
  /** What stands in place of figures: `. = suppressed, -9999 = missing`. */
  marks?: string | readonly Mark[];
  /** JSON Pointer to the rows of a JSON document. */
  rowsAt?: string;
  /** How many rows the header of a table has: 0 for none. */
  headerRows?: number;
  /** The SQLite that reads GeoPackages in a page; Node has its own. */
  sqlite?: SqliteEngine;
}

const nameOf = (blob: Blob): string =>
  'name' in blob && typeof blob.name === 'string' && blob.name !== '' ? blob.name : 'blob';

const isPath = (place: Place): place is string | URL => typeof place === 'string' || place instanceof URL;

/** For messages; nothing is known of what was given. */
const wordsOf = (place: Place): string =>
  isPath(place) ? String(place) : [place].flat().map(nameOf).join(', ');

async function look(place: Place, settings: OpenSettings): Promise<Opened[]> {
  const { encoding, geometry, marks, rowsAt, headerRows, sqlite } = settings;
  const reading = {
    encoding,
    geometry,
    rowsAt,
    headerRows,
    sqlite,
    marks: typeof marks === 'string' ? await marksOf(marks) : marks,
    watch: watchedSource(settings),
  };
  const contents = await lookAtPlace(place, reading);
  // What failed among several files is told beside the others, but not when all were ended.
  endWhenTold(settings.signal);
  const { withDamage } = await import('../formats/opening/contents.ts');
  return withDamage(contents);
}

async function marksOf(text: string): Promise<readonly Mark[]> {
  return (await import('../core/table/marks.ts')).marksFromText(text);
}

function lookAtPlace(place: Place, reading: Reading): Promise<Contents> {
  if (isPath(place)) return host.look(wordsOf(place), reading);
  const blobs = [place].flat() as Blob[];
  if (!blobs.every((blob) => blob instanceof Blob))
    throw new IsomericError('place-expected', 'What is to be opened is no path, no address and no Blob.', {
      advice: 'Give the path of a file, an address, or a Blob.',
      blame: 'usage',
    });
  if (blobs.length === 0) throw new IsomericError('file-missing', 'No file was given.', { blame: 'usage' });
  const sources = blobs.map((blob): ByteSource => sourceFromBlob(blob, nameOf(blob)));
  return host.lookAt(sources, reading);
}

/**
 * Opens a table, or a layer with its geometry. Its schema is there then; rows are read when they are needed, as often as
 * they are.
 *
 * @throws IsomericError `file-missing`, `format-unknown`, `layer-unclear` (say `layer`), `layer-unknown`
 */
export function openTable(place: Place, settings: OpenSettings = {}): Promise<Layer | Table> {
  return later(tableAt(place, settings));
}

async function tableAt(place: Place, settings: OpenSettings): Promise<Layer | Table> {
  useThreads(host.threads());
  const opened = await look(place, settings);
  const { table } = chosenOf(opened, wordsOf(place), settings.layer);
  if (settings.crs === undefined) return table;
  if (!isLayer(table)) throw withoutGeometry(table, place);
  // What only some need is loaded when they do: a page does not pay for it before.
  const { assignCrs } = await import('../core/layer/verbs/assign-crs.ts');
  return assignCrs(table, typeof settings.crs === 'string' ? await crsNamed(settings.crs) : settings.crs);
}

/**
 * Opens a layer. Coordinates in memory are [east or longitude, north or latitude], whatever the axis order of its CRS.
 *
 * @throws IsomericError as `openTable`, and `geometry-missing` for a table whose columns hold no geometry
 */
export function openLayer(place: Place, settings: OpenSettings = {}): Promise<Layer> {
  return later(layerAt(place, settings));
}

async function layerAt(place: Place, settings: OpenSettings): Promise<Layer> {
  const table = await tableAt(place, settings);
  if (!isLayer(table)) throw withoutGeometry(table, place);
  return table;
}

function withoutGeometry(table: Table, place: Place): IsomericError {
  return new IsomericError('geometry-missing', `${table.name} is a table without geometry.`, {
    place: { file: wordsOf(place) },
    advice: 'Open it with openTable, or say with “geometry” which columns hold its coordinates.',
    blame: 'usage',
  });
}

/** One layer or table among several. */
export interface Listed {
  name: string;
  format: string;
  /** Path within the archive or folder; empty for the file itself. */
  within: string;
  /** The layer or table itself: it need not be opened again. */
  table: Layer | Table;
}

/**
 * All layers and tables of a file, an archive or a folder.
 *
 * @throws IsomericError `file-missing`, `format-unknown`, `no-layers`
 */
export async function layersIn(
  place: Place,
  settings: Omit<OpenSettings, 'layer' | 'crs'> = {},
): Promise<Listed[]> {
  const opened = await look(place, settings);
  return opened.map(({ table, format, within }) => ({ name: table.name, format, within, table }));
}

/**
 * A CRS by its code (`EPSG:32626`), name, WKT 1, WKT 2 or PROJJSON.
 *
 * @throws IsomericError `crs-unknown` with the nearest ones, and others that say what of a definition is not understood
 */
export async function crsNamed(text: string): Promise<Crs> {
  const { crsFromText } = await import('../core/crs/from-text.ts');
  return crsFromText(text);
}

/**
 * A grid of datum shifts (NTv2), for the `grids` of `reproject`.
 *
 * @throws IsomericError `file-missing`, `grid-damaged`
 */
export async function openGrid(place: string | URL | Blob): Promise<GridShift> {
  const { readNtv2 } = await import('../core/crs/ntv2.ts');
  const source = isPath(place) ? await host.source(wordsOf(place)) : sourceFromBlob(place, nameOf(place));
  return readNtv2(await source.bytes(0, source.size), source.name);
}
