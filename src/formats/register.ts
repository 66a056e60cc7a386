import { IsomericError } from '../core/errors.ts';
import type { Layer, Table } from '../core/layer/layer.ts';
import type { Mark } from '../core/table/marks.ts';
import type { ByteSource, Surroundings } from './bytes/byte-source.ts';
import type { SqliteEngine } from './bytes/sqlite.ts';
import type { InflateRaw } from './compressed/inflate-raw.ts';
import { looksDelimited } from './delimited/sniff.ts';
import { utf16Of } from './geojson/encoding.ts';
import { looksLikeSentences } from './nmea/sentences.ts';
import { jsonOutline } from './opening/json-outline.ts';
import { ending } from './opening/names.ts';
import { refuseNoData } from './opening/no-data.ts';
import type { Inflate } from './osm/reading/blobs.ts';
import { looksLikeBlobs, looksLikeOsmXml } from './osm/sniff.ts';
import { photoNotes } from './photo/exif.ts';
import { isCompoundFile } from './workbook/sniff.ts';
import type { Scratch } from './writing/target.ts';
import { rootElement } from './xml/encoding.ts';

/** What the machine lends to formats that need more than bytes. */
export interface Capabilities {
  sqlite?: SqliteEngine;
  /** A faster way to unpack zlib data than the one that runs everywhere. */
  inflate?: Inflate;
  /** The same for the data of archives, while they come. */
  inflateRaw?: InflateRaw;
  /** Room outside memory for what a reading puts aside; it is given back when the program ends. */
  scratch?: () => Scratch;
}

/** How a source is to be read, and what stands around it. */
export interface OpenContext {
  around: Surroundings | null;
  /** Path of the source among what stands around it. */
  path: string;
  capabilities: Capabilities;
  /** Encoding of texts, as asked; it goes before what files say of themselves. */
  encoding?: string;
  /** Columns that hold the geometry of tables (`lon, lat`, or one of WKT or WKB); `none`: tables stay tables. */
  geometry?: string;
  /** Marks in place of figures, besides those that everybody uses. */
  marks?: readonly Mark[];
  /** JSON Pointer to the rows of a JSON document. */
  rowsAt?: string;
  /** How many rows the header of a table has, when the user says so. */
  headerRows?: number;
}

/** A format that is read. */
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
  /** Opens all layers and tables in a source. */
  open(source: ByteSource, context: OpenContext): Promise<(Layer | Table)[]>;
}

const startsWith = (head: Uint8Array, text: string) => {
  for (let k = 0; k < text.length; k++) if (head[k] !== text.charCodeAt(k)) return false;
  return true;
};

/** The beginning of a file as text, whichever UTF it is in. */
function textHead(head: Uint8Array): string {
  const utf16 = utf16Of(head);
  const text = new TextDecoder(utf16 ?? 'utf-8').decode(head);
  let at = 0;
  // White space, a byte-order mark, and the record separator (0x1E) of RFC 8142.
  while (at < text.length && (text.charCodeAt(at) <= 32 || text[at] === '\ufeff')) at++;
  return text.slice(at);
}

function sniffTopojson(head: Uint8Array): boolean {
  const text = textHead(head);
  return (
    text.startsWith('{') &&
    (/"type"\s*:\s*"Topology"/.test(text) ||
      (/"objects"\s*:\s*\{/.test(text) && /"arcs"\s*:\s*\[/.test(text)))
  );
}

/** Does the text begin like a JSON object that could be GeoJSON? */
function sniffGeojson(head: Uint8Array): boolean {
  const text = textHead(head);
  // Other JSON (rows, catalogues, settings) names none of these.
  return (
    text.startsWith('{') &&
    /"type"\s*:\s*("(Feature|FeatureCollection|(Multi)?(Point|LineString|Polygon)|GeometryCollection)"|$)|"(features|coordinates|geometries)"\s*:/.test(
      text,
    )
  );
}

/** JSON-stat by its class (JSON-stat 2.0, “class”), or by what every dataset has. */
function sniffJsonStat(head: Uint8Array): boolean {
  const text = textHead(head);
  return (
    text.startsWith('{') &&
    (/"class"\s*:\s*"(dataset|collection)"/.test(text) ||
      (/"id"\s*:\s*\[/.test(text) && /"size"\s*:\s*\[\s*\d/.test(text) && /"dimension"\s*:\s*\{/.test(text)))
  );
}

function sniffSdmxJson(head: Uint8Array): boolean {
  const text = textHead(head);
  return (
    text.startsWith('{') &&
    (/"schema"\s*:\s*"[^"]*sdmx/i.test(text) ||
      /"(dataSets|codelists|dataStructures|conceptSchemes)"\s*:\s*\[/.test(text))
  );
}

function sniffSdmxXml(head: Uint8Array): boolean {
  const root = rootElement(head);
  return root !== null && /sdmx/i.test(root.tag);
}

/** Any JSON that may hold rows, but not the metadata of another table. */
function sniffJsonRows(head: Uint8Array): boolean {
  const text = textHead(head);
  return (
    /^(\[\s*[[{]|\{\s*("|\}))/.test(text) &&
    /\[\s*[[{]/.test(text) &&
    !/"@context"\s*:\s*(\[\s*)?"http:\/\/www\.w3\.org\/ns\/csvw"/.test(text)
  );
}

/** GML by the names of its namespace, whatever the root is called. */
function sniffGml(head: Uint8Array): boolean {
  const root = rootElement(head);
  return (
    root !== null && root.name !== 'kml' && root.name !== 'gpx' && /opengis\.net\/(gml|wfs)/.test(root.tag)
  );
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

/**
 * All formats that are read, told apart by content. A new one is one folder and one entry here. Readers are loaded when
 * first needed: a command that opens one format does not wait for the packages of all.
 */
export const formats: readonly Format[] = [
  {
    name: 'shapefile',
    title: 'Shapefile',
    endings: ['shp'],
    // An index (.shx) begins with the same header: there only the name tells.
    sniff: (head, _, name) =>
      ending(name) !== 'shx' &&
      head.length >= 36 &&
      head[0] === 0 &&
      head[1] === 0 &&
      head[2] === 0x27 &&
      head[3] === 0x0a &&
      head[28] === 0xe8 &&
      head[29] === 3,
    open: async (source, context) =>
      (await import('./shapefile/read.ts')).openShapefile(
        source,
        context.around,
        context.path,
        context.encoding,
      ),
  },
  {
    name: 'geopackage',
    title: 'GeoPackage',
    endings: ['gpkg'],
    sniff: (head) => startsWith(head, 'SQLite format 3\0'),
    async open(source, { capabilities }) {
      if (capabilities.sqlite === undefined)
        throw new IsomericError(
          'sqlite-missing',
          'Reading a GeoPackage needs an SQLite engine, and none was given.',
          { place: { file: source.name }, blame: 'usage' },
        );
      return (await import('./geopackage/read.ts')).openGeopackage(source, capabilities.sqlite);
    },
  },
  {
    name: 'dbase',
    title: 'dBASE table',
    endings: ['dbf'],
    sniff: sniffDbase,
    open: async (source, context) =>
      (await import('./shapefile/table.ts')).openDbase(
        source,
        context.around,
        context.path,
        context.encoding,
      ),
  },
  {
    name: 'flatgeobuf',
    title: 'FlatGeobuf',
    endings: ['fgb'],
    sniff: (head) => startsWith(head, 'fgb') && startsWith(head.subarray(4), 'fgb'),
    open: async (source) => (await import('./flatgeobuf/read.ts')).openFlatgeobuf(source),
  },
  {
    name: 'geoparquet',
    title: 'GeoParquet',
    endings: ['parquet', 'geoparquet'],
    sniff: (head) => startsWith(head, 'PAR1'),
    open: async (source) => (await import('./geoparquet/read.ts')).openGeoparquet(source),
  },
  {
    name: 'kml',
    title: 'KML',
    endings: ['kml', 'kmz'],
    sniff: (head) => rootElement(head)?.name === 'kml',
    open: async (source) => (await import('./kml/read.ts')).openKml(source),
  },
  {
    name: 'gpx',
    title: 'GPX',
    endings: ['gpx'],
    sniff: (head) => rootElement(head)?.name === 'gpx',
    open: async (source) => (await import('./gpx/read.ts')).openGpx(source),
  },
  {
    name: 'nmea',
    title: 'NMEA 0183',
    endings: ['nmea', 'nme', 'log', 'txt'],
    sniff: looksLikeSentences,
    open: async (source) => (await import('./nmea/read.ts')).openSentences(source),
  },
  {
    name: 'photo',
    title: 'Photo (JPEG with Exif)',
    endings: ['jpg', 'jpeg'],
    // Only a camera that knew where it stood makes a layer of a picture.
    sniff: (head) => !Number.isNaN(photoNotes(head)?.lat ?? Number.NaN),
    open: async (source) => [await (await import('./photo/read.ts')).openPhoto(source)],
  },
  {
    name: 'osm-pbf',
    title: 'OSM PBF',
    endings: ['pbf'],
    sniff: looksLikeBlobs,
    open: async (source, context) => (await import('./osm/read.ts')).openOsm(source, context),
  },
  {
    name: 'osm-xml',
    title: 'OSM XML',
    endings: ['osm'],
    sniff: looksLikeOsmXml,
    open: async (source, context) => (await import('./osm/read.ts')).openOsm(source, context),
  },
  {
    name: 'gml',
    title: 'GML',
    endings: ['gml', 'xml'],
    sniff: sniffGml,
    open: async (source, context) =>
      (await import('./gml/read.ts')).openGml(source, context.around, context.path),
  },
  {
    name: 'topojson',
    title: 'TopoJSON',
    endings: ['topojson', 'json'],
    sniff: sniffTopojson,
    open: async (source) => (await import('./topojson/read.ts')).openTopojson(source),
  },
  {
    name: 'json-stat',
    title: 'JSON-stat',
    endings: ['json', 'jsonstat'],
    sniff: sniffJsonStat,
    open: async (source) => (await import('./json-stat/read.ts')).openJsonStat(source),
  },
  {
    name: 'sdmx-json',
    title: 'SDMX-JSON',
    endings: ['json'],
    sniff: sniffSdmxJson,
    open: async (source) => (await import('./sdmx/read-json.ts')).openSdmxJson(source),
  },
  {
    name: 'sdmx-ml',
    title: 'SDMX-ML',
    endings: ['xml', 'sdmx'],
    sniff: sniffSdmxXml,
    open: async (source) => (await import('./sdmx/read-xml.ts')).openSdmxXml(source),
  },
  {
    name: 'geojson',
    title: 'GeoJSON',
    endings: ['geojson', 'json', 'geojsonl', 'geojsons', 'ndjson', 'jsonl'],
    sniff: sniffGeojson,
    open: async (source) => (await import('./geojson/read.ts')).openGeojson(source),
  },
  {
    name: 'json-rows',
    title: 'JSON rows',
    endings: ['json'],
    sniff: sniffJsonRows,
    open: async (source, context) =>
      (await import('./json-rows/read.ts')).openJsonRows(source, {
        at: context.rowsAt,
        marks: context.marks,
        headerRows: context.headerRows,
      }),
  },
  {
    name: 'workbook',
    title: 'Workbook (.xlsx, .xls, .ods)',
    endings: ['xls', 'xlsx', 'ods'],
    // Newer workbooks are zip archives and told apart there.
    sniff: isCompoundFile,
    open: async (source, context) => (await import('./workbook/read.ts')).openWorkbook(source, context),
  },
  {
    name: 'delimited',
    title: 'Delimited text',
    endings: ['csv', 'tsv', 'txt'],
    sniff: looksDelimited,
    open: async (source, context) =>
      (await import('./delimited/read.ts')).openDelimited(source, {
        encoding: context.encoding,
        marks: context.marks,
        headerRows: context.headerRows,
        around: context.around,
        path: context.path,
      }),
  },
];

const headLength = 65_536;

/** The format of a source by its content; undefined when none fits. */
export async function formatOf(source: ByteSource): Promise<Format | undefined> {
  const head = await source.bytes(0, headLength);
  const complete = source.size <= headLength;
  refuseNoData(source, head, complete);
  const found = formats.find((format) => format.sniff(head, complete, source.name));
  // A long JSON document may say only further on what it is: rows are what is left over.
  if (complete || (found !== undefined && found.name !== 'json-rows') || !/^[[{]/.test(textHead(head)))
    return found;
  const outline = await jsonOutline(source);
  return formats.find((format) => format.sniff(outline, true, source.name)) ?? found;
}
