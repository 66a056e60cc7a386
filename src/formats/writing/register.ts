import { type Account, closeAccount, openAccount } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { ending } from '../opening/names.ts';
import type { Target } from './target.ts';

/** How layers are written. */
export interface WriteOptions {
  /** Time of writing, ISO 8601; given so that the same input makes the same file. */
  now: string;
  /** GeoPackage: adds to the file that is there instead of writing a new one. */
  add?: boolean;
  /** With `add`: layers of the same name give way. */
  replace?: boolean;
}

/** A format that is written. */
export interface WritingFormat {
  /** Name for `--as` and in `--json`. */
  name: string;
  title: string;
  /** Endings that choose it. */
  endings: readonly string[];
  /** How many layers a file of it holds. */
  holds: 'one' | 'several';
  /** True when tables without geometry can be written too. */
  tables: boolean;
  /**
   * Where ids of features stand: a place of the format's `own`; one that must be an `xml` name; the primary `key`, which
   * is a whole number; or a `column` like any other.
   */
  ids: 'own' | 'xml' | 'key' | 'column';
  /**
   * Values go in as plain texts: a field without a name would be lost, and a text among values of several types is written
   * without the quotes that JSON gives it.
   */
  plainTexts?: boolean;
  /** Writes tables through a target; gives an account for each. */
  write(tables: readonly Table[], target: Target, options: WriteOptions): Promise<Account[]>;
}

/** Counts the rows that flow out of a table. */
function tallied(table: Table, tally: { rows: number }): Table {
  return {
    ...table,
    async *batches(options) {
      tally.rows = 0;
      for await (const batch of table.batches(options)) {
        tally.rows += batch.length;
        yield batch;
      }
    },
  };
}

/** A format whose file is one stream of chunks. */
function streamed(
  chunks: (
    tables: readonly Table[],
    target: Target,
    accounts: readonly Account[],
  ) => Promise<AsyncIterable<Uint8Array>>,
): WritingFormat['write'] {
  return async (tables, target) => {
    const accounts = tables.map((table) => openAccount('Write', table.name));
    const tallies = tables.map(() => ({ rows: 0 }));
    const sink = target.create(target.name);
    const watched = tables.map((table, k) => tallied(table, tallies[k]));
    for await (const chunk of await chunks(watched, target, accounts)) sink.write(chunk);
    accounts.forEach((account, k) => {
      const { leftOut = 0 } = account.counts;
      const written = tallies[k].rows - leftOut;
      account.counts = leftOut > 0 ? { written, leftOut } : { written };
      const one = written === 1;
      const what = isLayer(tables[k]) ? tables[k].name : `${one ? 'row' : 'rows'} of ${tables[k].name}`;
      closeAccount(account, [written, `${what} written to ${target.name}`]);
    });
    return accounts;
  };
}

const layers = (tables: readonly Table[]) => tables as readonly Layer[];

/** All formats that are written. A new one is one folder and one entry here. */
export const writingFormats: readonly WritingFormat[] = [
  {
    name: 'geopackage',
    title: 'GeoPackage',
    endings: ['gpkg'],
    holds: 'several',
    tables: true,
    ids: 'key',
    async write(tables, target, options) {
      const existing = options.add === true && (await target.existing()) !== null;
      const database = target.database(target.name, existing);
      const { GeopackageWriter } = await import('../geopackage/write.ts');
      let writer: InstanceType<typeof GeopackageWriter>;
      try {
        writer = new GeopackageWriter(database, options.now, { existing, replace: options.replace });
      } catch (error) {
        database.close();
        throw error;
      }
      try {
        const accounts: Account[] = [];
        for (const table of tables) accounts.push(await writer.add(table));
        writer.close();
        return accounts;
      } catch (error) {
        writer.abandon();
        throw error;
      }
    },
  },
  {
    name: 'geojson',
    title: 'GeoJSON',
    endings: ['geojson', 'json'],
    holds: 'one',
    tables: false,
    ids: 'own',
    write: streamed(async (tables, _, accounts) =>
      (await import('../geojson/write.ts')).writeGeojson(tables[0] as Layer, {}, accounts[0]),
    ),
  },
  {
    name: 'geojson-lines',
    title: 'GeoJSON, a feature a line',
    endings: ['geojsonl', 'ndjson', 'jsonl'],
    holds: 'one',
    tables: false,
    ids: 'own',
    write: streamed(async (tables, _, accounts) =>
      (await import('../geojson/write.ts')).writeGeojson(tables[0] as Layer, { form: 'lines' }, accounts[0]),
    ),
  },
  {
    name: 'geojson-sequence',
    title: 'GeoJSON text sequence',
    endings: ['geojsons'],
    holds: 'one',
    tables: false,
    ids: 'own',
    write: streamed(async (tables, _, accounts) =>
      (await import('../geojson/write.ts')).writeGeojson(
        tables[0] as Layer,
        { form: 'sequence' },
        accounts[0],
      ),
    ),
  },
  {
    name: 'shapefile',
    title: 'Shapefile',
    endings: ['shp'],
    holds: 'one',
    tables: false,
    ids: 'column',
    plainTexts: true,
    write: async (tables, target, { now }) =>
      (await import('../shapefile/write.ts')).writeShapefile(tables[0], target, now),
  },
  {
    name: 'dbase',
    title: 'dBASE table',
    endings: ['dbf'],
    holds: 'one',
    tables: true,
    ids: 'column',
    plainTexts: true,
    write: async (tables, target, { now }) =>
      (await import('../shapefile/write.ts')).writeDbase(tables[0], target, now),
  },
  {
    name: 'flatgeobuf',
    title: 'FlatGeobuf',
    endings: ['fgb'],
    holds: 'one',
    tables: false,
    ids: 'column',
    write: async (tables, target) =>
      (await import('../flatgeobuf/write.ts')).writeFlatgeobuf(tables[0] as Layer, target),
  },
  {
    name: 'geoparquet',
    title: 'GeoParquet',
    endings: ['parquet', 'geoparquet'],
    holds: 'one',
    tables: true,
    ids: 'column',
    write: async (tables, target) =>
      (await import('../geoparquet/write.ts')).writeGeoparquet(tables[0], target),
  },
  {
    name: 'kml',
    title: 'KML',
    endings: ['kml'],
    holds: 'several',
    tables: false,
    ids: 'xml',
    plainTexts: true,
    write: streamed(async (tables, _, accounts) =>
      (await import('../kml/write.ts')).writeKml(layers(tables), accounts),
    ),
  },
  {
    name: 'kmz',
    title: 'KMZ',
    endings: ['kmz'],
    holds: 'several',
    tables: false,
    ids: 'xml',
    plainTexts: true,
    write: streamed(async (tables, _, accounts) => {
      const { writeKml } = await import('../kml/write.ts');
      return (await import('../zip/write.ts')).zipped([
        { path: 'doc.kml', chunks: writeKml(layers(tables), accounts) },
      ]);
    }),
  },
  {
    name: 'gml',
    title: 'GML',
    endings: ['gml'],
    holds: 'several',
    tables: true,
    ids: 'xml',
    plainTexts: true,
    write: streamed(async (tables, target, accounts) => {
      const { gmlSchema, writeGml } = await import('../gml/write.ts');
      const schema = `${target.name.replace(/\.[^.]*$/, '')}.xsd`;
      target.create(schema).write(new TextEncoder().encode(gmlSchema(tables)));
      return writeGml(tables, schema, accounts);
    }),
  },
  {
    name: 'gpx',
    title: 'GPX',
    endings: ['gpx'],
    holds: 'several',
    tables: false,
    ids: 'column',
    plainTexts: true,
    write: streamed(async (tables, _, accounts) =>
      (await import('../gpx/write.ts')).writeGpx(layers(tables), accounts),
    ),
  },
  {
    name: 'topojson',
    title: 'TopoJSON',
    endings: ['topojson'],
    holds: 'several',
    tables: false,
    ids: 'own',
    write: streamed(async (tables, _, accounts) =>
      (await import('../topojson/write.ts')).writeTopojson(layers(tables), accounts),
    ),
  },
  {
    name: 'xlsx',
    title: 'Workbook',
    endings: ['xlsx'],
    holds: 'several',
    tables: true,
    ids: 'column',
    plainTexts: true,
    write: streamed(async (tables, _, accounts) =>
      (await import('../workbook/write.ts')).writeWorkbook(tables, accounts),
    ),
  },
  {
    name: 'csv',
    title: 'CSV',
    endings: ['csv'],
    holds: 'one',
    tables: true,
    ids: 'column',
    plainTexts: true,
    write: streamed(async (tables, target, accounts) => {
      const { delimitedPlaces, writeDelimited } = await import('../delimited/write.ts');
      const { csvwMetadata, hasDescriptions } = await import('../csvw/write.ts');
      const [table] = tables;
      const places = await delimitedPlaces(table, {});
      if (hasDescriptions(table)) {
        const name = `${target.name}-metadata.json`;
        const { names } = places;
        target.create(name).write(new TextEncoder().encode(csvwMetadata(table, target.name, names)));
        accounts[0].notes.push(`Titles, units and types stand in ${name} (CSVW).`);
      }
      return writeDelimited(table, {}, accounts[0], places);
    }),
  },
  {
    name: 'tsv',
    title: 'Tab-separated text',
    endings: ['tsv'],
    holds: 'one',
    tables: true,
    ids: 'column',
    plainTexts: true,
    write: streamed(async (tables, _, accounts) =>
      (await import('../delimited/write.ts')).writeDelimited(tables[0], { delimiter: '\t' }, accounts[0]),
    ),
  },
];

const onlyTables = new Set(['dbase', 'xlsx', 'csv', 'tsv']);

/** Is it a format of tables, without geometry of its own? */
export const isTableFormat = (name: string): boolean => onlyTables.has(name);

/** The format of that name. */
export function writingFormatNamed(name: string): WritingFormat {
  return writingFormatFor('', name);
}

/** The format that the name of a file chooses, or `as` when it is given; a mistake is told before anything is read. */
export function writingFormatFor(name: string, as?: string): WritingFormat {
  if (as !== undefined) {
    const named = writingFormats.find((format) => format.name === as);
    if (named !== undefined) return named;
    throw new IsomericError('format-unwritable', `There is no format “${as}” to write.`, {
      advice: `Choose among ${writingFormats.map((format) => format.name).join(', ')}.`,
      blame: 'usage',
    });
  }
  const end = ending(name);
  const found = writingFormats.find((format) => format.endings.includes(end));
  if (found !== undefined) return found;
  throw new IsomericError('format-unwritable', `No format is written to files that end in “.${end}”.`, {
    place: { file: name },
    advice: `Use ${writingFormats.flatMap((format) => format.endings.map((each) => `.${each}`)).join(', ')}, or say the format with --as.`,
    blame: 'usage',
  });
}
