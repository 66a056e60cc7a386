import type { Way } from '../../core/catalogue/entry.ts';
import { percentDecoded } from '../../core/percent-encoding.ts';
import { bareAddress } from '../transfer/links.ts';

/** What a catalogue says of one way to get something. */
export interface ToldWay {
  address: string;
  mediaType?: string;
  /** What it is called: `CSV`, `Shapefile`, `OGC:WFS`. */
  format?: string;
  title?: string;
  /** Standards that it follows. */
  conformsTo?: readonly string[];
  rel?: string;
  bytes?: number;
  sha256?: string;
  /** True where the address is that of the file itself, not of a page about it. */
  download?: boolean;
}

/** Formats of files by the words and endings that stand for them. */
const fileFormats: readonly (readonly [format: string, pattern: RegExp])[] = [
  ['geojson', /geo\+?json|(^|\W)geojson(\W|$)/i],
  ['geopackage', /geopackage|(^|\W)gpkg(\W|$)/i],
  ['shapefile', /shapefile|(^|\W)shp(\W|$)|(^|\W)shape$/i],
  ['flatgeobuf', /flatgeobuf|(^|\W)fgb(\W|$)/i],
  ['geoparquet', /(geo)?parquet/i],
  ['topojson', /topojson/i],
  ['gml', /(^|\W)gml(\W|$)/i],
  ['kml', /(^|\W)km[lz](\W|$)/i],
  ['gpx', /(^|\W)gpx(\W|$)/i],
  ['map extract', /(^|\W)(osm|pbf)(\W|$)/i],
  ['geotiff', /geotiff|image\/tiff|(^|\W)tiff?(\W|$)/i],
  ['workbook', /spreadsheet|ms-excel|(^|\W)(xlsx?|ods)(\W|$)/i],
  ['json-stat', /json-?stat/i],
  ['sdmx', /(^|\W)sdmx(\W|$)/i],
  ['csv', /(^|\W)(csv|tsv|tab-separated|comma-separated)(\W|$)/i],
  ['zip', /(^|\W)zip(\W|$)|x-zip/i],
  ['json', /(^|\W)json(\W|$)/i],
  ['xml', /(^|\W)xml(\W|$)/i],
];

const services: readonly (readonly [kind: string, format: string, pattern: RegExp])[] = [
  ['features', 'OGC API – Features', /ogcapi-features|ogc[ :_-]?api[ :_–-]*features|oapif/i],
  ['wfs', 'WFS', /(^|\W)wfs(\W|$)|web feature service/i],
  ['sdmx', 'SDMX', /(^|\W)sdmx(\W|$)/i],
  ['json-stat', 'JSON-stat', /json-?stat/i],
  ['orders', 'OGC API – Processes', /ogcapi-processes|ogc[ :_-]?api[ :_–-]*processes/i],
];

/** What is no data that anybody could join or clip. */
const others: readonly (readonly [words: string, pattern: RegExp])[] = [
  ['a service of pictures', /(^|\W)(wms|wmts|tms)(\W|$)|map service|tiles/i],
  ['a document', /pdf|msword|wordprocessing|(^|\W)docx?(\W|$)|text\/plain/i],
  ['a picture', /image\/(png|jpe?g|gif|svg)/i],
];

/** The service and the collection of an address: `…/collections/wards/items?f=json`; null where it names none. */
function collectionIn(address: string): { at: string; collection: string } | null {
  const bare = bareAddress(address);
  const begin = bare.indexOf('/collections/');
  if (begin < 0) return null;
  const [collection, ...rest] = bare
    .slice(begin + '/collections/'.length)
    .split('/')
    .filter((part) => part !== '');
  if (collection === undefined || rest.length > 1 || (rest.length === 1 && rest[0] !== 'items')) return null;
  return { at: bare.slice(0, begin + 1), collection: percentDecoded(collection) };
}

const flowPath = /^(.*?)\/(?:structure\/)?(?:dataflow|data(?:\/dataflow)?)\/([^?#]+)/;

function ofService(kind: string, format: string, told: ToldWay): Way {
  const { address } = told;
  const base = { format, address, ...(told.bytes === undefined ? {} : { bytes: told.bytes }) };
  if (kind === 'features') {
    const found = collectionIn(address);
    if (found !== null)
      return { ...base, source: { kind, at: found.at }, dataset: { collection: found.collection } };
    return { ...base, source: { kind, at: address } };
  }
  if (kind === 'wfs') {
    const url = new URL(address);
    let type: string | undefined;
    for (const [name, value] of [...url.searchParams]) {
      if (/^typenames?$/i.test(name)) type = value.split(',')[0];
      if (/^(service|request|version|typenames?|outputformat|count|maxfeatures)$/i.test(name))
        url.searchParams.delete(name);
    }
    return {
      ...base,
      source: { kind, at: url.toString() },
      ...(type === undefined ? {} : { dataset: { collection: type } }),
    };
  }
  if (kind === 'sdmx') {
    const found = flowPath.exec(address);
    if (found === null) return { ...base, source: { kind, at: address } };
    const parts = found[2].split('/').map(percentDecoded);
    // AGENCY/FLOW/VERSION, or AGENCY,FLOW,VERSION in one.
    const [agency, table] = parts[0].includes(',') ? parts[0].split(',') : parts;
    return {
      ...base,
      source: {
        kind,
        at: `${found[1]}/`,
        ...(agency === undefined || agency === 'all' || agency === '*' ? {} : { agency }),
      },
      ...(table === undefined ? {} : { dataset: { table } }),
    };
  }
  if (kind === 'json-stat') {
    const { at, file } = splitAddress(address);
    return { ...base, source: { kind, at }, dataset: { table: file } };
  }
  return { ...base, source: { kind, at: address } };
}

/** The folder of an address, and the last part of it. */
function splitAddress(address: string): { at: string; file: string } {
  const bare = bareAddress(address);
  const slash = bare.lastIndexOf('/');
  return { at: address.slice(0, slash + 1), file: address.slice(slash + 1) };
}

/** How a study would fetch what a catalogue tells of, or why it leads nowhere. */
export function wayTo(told: ToldWay): Way {
  const { address, conformsTo = [], rel } = told;
  const [mediaType, format] = [told.mediaType ?? '', told.format ?? ''].map((each) => each.slice(0, 200));
  if (!URL.canParse(address) || !/^https?:$/.test(new URL(address).protocol))
    return { format: format || 'unknown', address, dead: 'its address is none that can be asked' };
  const words = `${format} ${conformsTo.join(' ')}`.slice(0, 500);
  const path = new URL(address).pathname;
  const service = services.find(
    ([, , pattern]) => pattern.test(words) || (told.download !== true && pattern.test(mediaType)),
  );
  if (service !== undefined && !(told.download === true && /\.\w{2,5}$/.test(path)))
    return ofService(service[0], service[1], told);
  if (rel === 'items' && collectionIn(address) !== null)
    return ofService('features', 'OGC API – Features', told);
  const wfs = /(^|[?&])service=wfs/i.test(address);
  if (wfs) return ofService('wfs', 'WFS', told);
  const ending = /\.([a-z0-9]{2,8})$/i.exec(path)?.[1] ?? '';
  const known =
    fileFormats.find(([, pattern]) => pattern.test(format)) ??
    fileFormats.find(([, pattern]) =>
      pattern.test(mediaType.replace(/^application\/(octet-stream|x-download)$/, '')),
    ) ??
    fileFormats.find(([, pattern]) => pattern.test(ending));
  const bytes = told.bytes === undefined ? {} : { bytes: told.bytes };
  if (/text\/html|xhtml/i.test(mediaType) || /^html?$/i.test(format) || /^(html?|php|aspx?)$/i.test(ending))
    return { format: 'web page', address, dead: 'it leads to a web page, not to data' };
  const other = others.find(([, pattern]) => pattern.test(`${format} ${mediaType}`));
  if (
    known === undefined ||
    (other !== undefined && !fileFormats.some(([, pattern]) => pattern.test(format)))
  )
    return {
      format: format || mediaType || ending || 'unknown',
      address,
      dead: other === undefined ? 'nothing says what it is' : `it is ${other[0]}`,
    };
  const { at, file } = splitAddress(address);
  if (file === '') return { format: known[0], address, dead: 'its address is that of a folder' };
  return {
    format: known[0],
    address,
    ...bytes,
    source: { kind: 'files', at },
    dataset: { file, ...(told.sha256 === undefined ? {} : { sha256: told.sha256 }) },
  };
}
