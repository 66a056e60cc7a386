import { writingFormats } from '../../src/formats/index.ts';
import type { Aspect } from './compare.ts';

/** What may change when a table is saved in a format and read again, in words. All else must stay as it was. */
type Losses = Partial<Record<Aspect, string>>;

const inWgs84 = 'coordinates are brought to WGS 84; a layer without a CRS is refused';
const idsAsColumn = 'ids become a column';
const marks = 'marks are blank, their reasons are lost';
const noMeasures = 'measures are left out';
const noEmpty = 'empty geometries become none';
const byPlace = 'rows stand in the order of their places';
const filled = 'where some vertices of a geometry have one and others have none, these get 0';
const noTitles = 'titles, units and descriptions are left out';

const geojson: Losses = {
  types: 'days, moments and bytes become text',
  'titles and units': noTitles,
  measures: noMeasures,
  CRS: inWgs84,
};

const inXml: Losses = {
  blanks: 'a text of nothing but blanks is none',
  signs: 'signs that XML cannot hold become U+FFFD',
  'values of several types': 'become text',
  ids: 'ids that are no XML names, or come twice, become a column',
};

const kml: Losses = {
  ...inXml,
  names: 'a field without a name is called column_1 …',
  types: 'days, moments and bytes become text',
  'titles and units': 'units and descriptions are left out',
  'empty geometries': noEmpty,
  measures: noMeasures,
  CRS: inWgs84,
};

const dbase: Losses = {
  names: 'have ten bytes at most',
  types: 'moments, bytes and long numbers become text',
  blanks: 'a blank text is none',
  'white space': 'blanks at the end of a text are lost',
  'length of texts': 'texts are cut at 254 bytes',
  'values of several types': 'become text',
  'titles and units': noTitles,
  ids: idsAsColumn,
};

const inText: Losses = {
  names: 'a field without a name is called column_1 …',
  types: 'are worked out from the values: texts that look like numbers become numbers',
  blanks: 'a blank text is none',
  'values of several types': 'become text',
  marks,
  ids: idsAsColumn,
  heights: filled,
  measures: filled,
  CRS: 'is not said',
};

export const allowed: Readonly<Record<string, Losses>> = {
  geopackage: {
    names: 'do not differ by letter case alone',
    signs: 'U+0000 becomes U+FFFD',
    kinds: 'where single and multi-part geometries stand in one layer, all become multi-part',
    'titles and units': 'units stand in brackets behind the titles',
    marks,
  },
  geojson,
  'geojson-lines': geojson,
  'geojson-sequence': geojson,
  shapefile: {
    ...dbase,
    order: 'each kind of geometry gets a set of files of its own',
    kinds: 'single and multi-part geometries are not told apart; collections come apart into their kinds',
    'empty geometries': noEmpty,
    heights: filled,
  },
  dbase: { ...dbase, marks, 'missing geometries': 'the geometry is left out' },
  flatgeobuf: {
    order: byPlace,
    'titles and units': 'units are left out',
    ids: idsAsColumn,
  },
  geoparquet: { order: byPlace, marks, ids: idsAsColumn },
  kml,
  kmz: kml,
  gml: {
    ...inXml,
    names: 'are XML names: what cannot stand in one becomes _',
    types: 'texts are told from other values by the schema beside the file only',
    'titles and units': 'units and descriptions are left out',
    'empty geometries': noEmpty,
    heights: filled,
    measures: noMeasures,
    marks,
    CRS: 'one without an EPSG code is left out',
  },
  gpx: {
    ...inXml,
    names: 'are XML names: what cannot stand in one becomes _',
    types: 'are worked out from the values',
    rows: 'features without geometry are left out',
    'further fields': 'tracks say how many points they have',
    kinds: 'several points become a waypoint each; lines and rings of areas become tracks',
    'titles and units': noTitles,
    measures: noMeasures,
    ids: idsAsColumn,
    CRS: inWgs84,
  },
  topojson: { ...geojson, heights: 'heights are left out' },
  xlsx: {
    ...inText,
    types: 'bytes become text; numbers and texts are kept apart',
    'length of texts': 'a cell holds 32,767 signs; longer geometries are left out',
    'days and moments': 'moments that are all at midnight are read as days',
  },
  csv: { ...inText, 'further fields': 'coordinates of points stay columns beside the geometry' },
  tsv: {
    ...inText,
    'further fields': 'coordinates of points stay columns beside the geometry',
    'titles and units': noTitles,
  },
};

const begin = '<!-- what changes: made by npm run round-trip -- --write -->';
const end = '<!-- end of what changes -->';

/** The list as a table of Markdown: formats that lose alike stand together. */
export function lossTable(): string {
  const rows = new Map<string, string[]>();
  for (const { name } of writingFormats) {
    const words = Object.entries(allowed[name] ?? {}).map(([aspect, what]) => `**${aspect}**: ${what}`);
    const key = words.join('; ');
    rows.set(key, [...(rows.get(key) ?? []), name]);
  }
  const cells = [
    ['Saved as', 'What changes when it is read again'],
    ...[...rows].map(([words, names]) => [names.join(', '), words]),
  ];
  const [first, second] = [0, 1].map((c) => Math.max(...cells.map((row) => row[c].length)));
  const lines = cells.map(([names, words]) => `| ${names.padEnd(first)} | ${words.padEnd(second)} |`);
  return [lines[0], `| ${'-'.repeat(first)} | ${'-'.repeat(second)} |`, ...lines.slice(1)].join('\n');
}

/** The page with the table in its place. */
export function withLossTable(page: string, table: string): string {
  const [from, to] = [page.indexOf(begin), page.indexOf(end)];
  if (from < 0 || to < from) throw new Error(`The page has no “${begin}”.`);
  return `${page.slice(0, from)}${begin}\n\n${table}\n\n${page.slice(to)}`;
}
