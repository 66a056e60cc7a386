import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import * as workbooks from '@e965/xlsx';
import { gzipSync, zipSync } from 'fflate';
import type { ExtractObjects } from '../../demo/country/extract/objects.ts';
import { osmPbf } from '../../demo/country/extract/write-pbf.ts';
import { osmXml } from '../../demo/country/extract/write-xml.ts';
import { cameraPicture } from '../../demo/country/photo.ts';
import { openOne, saverFor } from '../../src/node/index.ts';
import { dbaseBytes, shapeBytes } from '../support/hand-made.ts';
import { tiffBytes } from '../support/tiff.ts';

export { crsFromText, IsomericError } from '../../src/core/index.ts';

/** One small good file of every format, written into `folder` and given back by name. */
export async function loadsOf(data: string, folder: string): Promise<Map<string, Uint8Array>> {
  const collection = JSON.parse(
    readFileSync(join(data, 'boundary-office/districts-2024.geojson'), 'utf8'),
  ) as { features: { geometry: { coordinates: number[][][] } }[] };
  collection.features = collection.features.slice(0, 4);
  for (const feature of collection.features) {
    const ring = feature.geometry.coordinates[0];
    feature.geometry.coordinates = [[...ring.slice(0, 8), ring[0]]];
  }
  const geojson = new TextEncoder().encode(JSON.stringify(collection));
  const csv = readFileSync(join(data, 'statistics-office/HOUSING.csv')).subarray(0, 800);
  const dbf = dbaseBytes(
    [
      ['NAME', 'C', 8, 0],
      ['N', 'N', 16, 0],
      ['R', 'N', 9, 2],
      ['D', 'D', 8, 0],
      ['OK', 'L', 1, 0],
    ],
    [
      [' ', 'a', '1', '1.5', '20240101', 'T'],
      ['*', 'b', '2', '2.5', '20240102', 'F'],
      [' ', 'c', '3', '3.5', '', '?'],
    ],
    3,
  );
  const ring = (x: number) => [
    [x, 0],
    [x, 10],
    [x + 10, 10],
    [x + 10, 0],
    [x, 0],
  ];
  const shp = shapeBytes(5, [
    [
      ring(0),
      [
        [2, 2],
        [4, 2],
        [4, 4],
        [2, 2],
      ],
    ],
    [ring(20)],
    [ring(40), ring(60)],
  ]);
  const files = new Map<string, Uint8Array>([
    ['small.geojson', geojson],
    ['small.csv', csv],
    ['small.dbf', dbf],
    ['small.shp', shp],
    [
      'small.zip',
      zipSync({ 'a/w.shp': shp, 'a/w.dbf': dbf, 'a/w.geojson': geojson }, { mtime: new Date(2024, 0, 1) }),
    ],
  ]);
  for (const [name, bytes] of files) writeFileSync(join(folder, name), bytes);
  // The formats that are written, each from the same few districts.
  const { table } = await openOne(join(folder, 'small.geojson'));
  for (const end of ['gpkg', 'fgb', 'parquet', 'kml', 'gml', 'topojson', 'geojsons']) {
    const path = join(folder, `small.${end}`);
    await saverFor(path).save([table], path, '2026-01-01T00:00:00.000Z');
    files.set(`small.${end}`, readFileSync(path));
  }
  const encoder = new TextEncoder();
  files.set(
    'small.gpx',
    encoder.encode(
      '<?xml version="1.0"?><gpx version="1.1"><wpt lat="45.5" lon="-29.5"><ele>12</ele><time>2024-05-01T10:00:00Z</time><name>CUL-001</name><extensions><depth>1.5</depth></extensions></wpt><trk><name>Walk</name><trkseg><trkpt lat="1" lon="2"/><trkpt lat="2" lon="3"><ele>4</ele></trkpt></trkseg></trk></gpx>',
    ),
  );
  files.set(
    'small.nmea',
    encoder.encode(
      '$GPWPL,4530.0000,N,02950.0000,W,CUL-001*6A\r\n$GPGGA,101500.00,4530.0000,N,02950.0000,W,1,08,0.9,3.2,M,52.1,M,,*70\r\n$GPRMC,101500.00,A,4530.0000,N,02950.0000,W,2.4,60.0,140624,,,A*49\r\n$GPRMC,101502.00,A,4530.0100,N,02950.0100,W,2.4,60.0,140624,,,A*4B\r\n'
        // Checksums that are those of the sentences.
        .replace(/\$([^*]*)\*../g, (_, body: string) => {
          let sum = 0;
          for (const sign of body) sum ^= sign.charCodeAt(0);
          return `$${body}*${sum.toString(16).toUpperCase().padStart(2, '0')}`;
        }),
    ),
  );
  files.set(
    'small.jpg',
    cameraPicture({
      time: 1_718_360_000_000,
      note: 'Weir',
      zone: '-02:00',
      place: { lon: -29.9, lat: 45.5, height: 3, direction: 90 },
    }),
  );
  files.set(
    'small-wkt.csv',
    encoder.encode(
      'code,wkt\n007,"POLYGON ((0 0, 4 0, 4 4, 0 0), (1 1, 2 1, 2 2, 1 1))"\n008,SRID=4326;POINT Z (1 2 3)\n009,\n',
    ),
  );
  for (const [name, bytes] of Object.entries(tableSamples())) files.set(name, bytes);
  files.set('small.osm', encoder.encode(osmXml(extractSample())));
  files.set('small.osm.pbf', osmPbf(extractSample(), { blockLimit: 4 }));
  // Not packed: damage reaches the messages themselves.
  files.set('small-raw.osm.pbf', osmPbf(extractSample(), { raw: true, blockLimit: 8, optional: [] }));
  files.set('small-plain.osm.pbf', osmPbf(extractSample(), { raw: true, plainNodes: true, optional: [] }));
  files.set('small.geojson.gz', gzipSync(geojson, { mtime: 0 }));
  files.set('small.geojson.bz2', pointBzip2);
  return files;
}

/** A point in GeoJSON as bzip2 1.0.8 packs it. */
export const pointBzip2 = Uint8Array.from(
  Buffer.from(
    'QlpoOTFBWSZTWfpWoFgAABEbgBAEMBBACi4h3CogADFGjIGjTI0KGmgNA2kKi0Np0vInnbhAJ0B3ATQXDJf3vi7kinChIfStQLA=',
    'base64',
  ),
);

/** Tables and grids as providers deliver them. */
/** A map extract with an area of two ways, a hole, a line and a point. */
function extractSample(): ExtractObjects {
  const places: [number, number][] = [
    [0, 0],
    [8, 0],
    [8, 8],
    [0, 8],
    [2, 2],
    [4, 2],
    [4, 4],
  ];
  const made = { version: 2, time: 1.7e12, changeset: 9, editorId: 3, editor: 'tidewatch' };
  return {
    nodes: places.map(([lon, lat], k) => ({
      id: k + 1,
      lon,
      lat,
      tags: k === 6 ? { amenity: 'school', name: 'Ost' } : undefined,
      ...made,
    })),
    ways: [
      { id: 11, nodes: [1, 2, 3], ...made },
      { id: 12, nodes: [3, 4, 1], ...made },
      { id: 13, nodes: [5, 6, 7, 5], tags: { natural: 'water' }, ...made },
      { id: 14, nodes: [1, 5, 7], tags: { highway: 'track' }, ...made },
    ],
    relations: [
      {
        id: 21,
        tags: { type: 'multipolygon', landuse: 'forest' },
        members: [
          { kind: 'way', id: 11, role: 'outer' },
          { kind: 'way', id: 13, role: 'inner' },
          { kind: 'way', id: 12, role: 'outer' },
        ],
        ...made,
      },
    ],
  };
}

function tableSamples(): Record<string, Uint8Array> {
  const encoder = new TextEncoder();
  const book = workbooks.utils.book_new();
  const rows = [
    ['Table H', '', ''],
    ['code', 'n', 'day'],
    ['0101', 5, new Date(Date.UTC(2024, 4, 1))],
    ['0102', '*', null],
    ['0103', 7.5, new Date(Date.UTC(2024, 4, 2))],
    ['* = suppressed', '', ''],
  ];
  workbooks.utils.book_append_sheet(book, workbooks.utils.aoa_to_sheet(rows), 'H');
  const written = (bookType: 'xlsx' | 'xlsb' | 'ods' | 'biff8') =>
    new Uint8Array(workbooks.write(book, { type: 'array', bookType, compression: true }) as ArrayBuffer);
  const sdmx = 'http://www.sdmx.org/resources/sdmxml/schemas/v2_1';
  return {
    'small.xlsx': written('xlsx'),
    'small.xlsb': written('xlsb'),
    'small.ods': written('ods'),
    'small.xls': written('biff8'),
    'delivered.csv': encoder.encode(
      'Office\n\nAREA;H001;H002;day\nArea;Households;"No car; all";Day\n0101;1.204,5;.;31.12.2024\n0102;98;250.000+;01.02.2024\n0103;<5;7;03.04.2024\n\n. = suppressed\n',
    ),
    'small-sdmx.csv': encoder.encode(
      'STRUCTURE,STRUCTURE_ID,ACTION,GEO: Ward,OBS_VALUE,OBS_STATUS\ndataflow,T:H(1.0),I,1: Upham,5,A\ndataflow,T:H(1.0),I,2: Lowham,,Q\n',
    ),
    'small-sdmx.xml': encoder.encode(
      `<?xml version="1.0"?><m:GenericData xmlns:m="${sdmx}/message" xmlns:g="${sdmx}/data/generic"><m:Header><m:Structure dimensionAtObservation="TIME_PERIOD"/></m:Header><m:DataSet><g:Series><g:SeriesKey><g:Value id="GEO" value="01"/></g:SeriesKey><g:Obs><g:ObsDimension value="2024"/><g:ObsValue value="5.5"/></g:Obs><g:Obs><g:ObsDimension value="2023"/><g:ObsValue value="NaN"/></g:Obs></g:Series></m:DataSet></m:GenericData>`,
    ),
    'structure.xml': encoder.encode(
      `<?xml version="1.0"?><m:Structure xmlns:m="${sdmx}/message" xmlns:s="${sdmx}/structure"><s:Codelist id="CL"><s:Code id="1"><Name>One</Name></s:Code></s:Codelist><s:DataStructure id="D"><s:Dimension id="SEX"><s:Enumeration><Ref id="CL"/></s:Enumeration></s:Dimension></s:DataStructure></m:Structure>`,
    ),
    'small-sdmx.json': encoder.encode(
      '{"structure":{"dimensions":{"series":[{"id":"GEO","values":[{"id":"1"},{"id":"2"}]}],"observation":[{"id":"T","values":[{"id":"2024"}]}]},"attributes":{"observation":[{"id":"OBS_STATUS","values":[{"id":"A"},{"id":"Q"}]}]}},"dataSets":[{"series":{"0":{"observations":{"0":[5,0]}},"1":{"observations":{"0":[null,1]}}}}]}',
    ),
    'small-stat.json': encoder.encode(
      '{"version":"2.0","class":"dataset","id":["a","b"],"size":[2,2],"dimension":{"a":{"category":{"index":["x","y"]}},"b":{"category":{"index":{"p":0,"q":1},"label":{"p":"P"}}}},"value":{"0":1,"3":2.5},"status":{"1":"c"}}',
    ),
    'small-rows.json': encoder.encode('{"data":[["code","n"],["0101","5"],["0102","*"]],"more":[{"a":1}]}'),
    'small.tif': tiffBytes({
      width: 20,
      height: 12,
      type: 'int16',
      tile: [16, 16],
      packing: 'zlib',
      predictor: 2,
      noData: '-1',
      value: (c, r) => c * r - 1,
      keys: [1, 1, 0, 1, 3072, 0, 1, 32626],
      transform: { scale: [10, 10], tie: [0, 0, 500_000, 0] },
    }),
    'small-strips.tif': tiffBytes({
      width: 9,
      height: 7,
      bands: 2,
      type: 'float32',
      rowsPerStrip: 3,
      big: true,
      littleEndian: false,
      packing: 'packbits',
      value: (c, r, b) => c + r / 2 + b,
    }),
    'small.asc': encoder.encode(
      'ncols 4\nnrows 3\nxllcorner 0\nyllcorner 0\ncellsize 10\nNODATA_value -9\n1 2 3 4\n5 -9 7 8\n9 10 11.5 12\n',
    ),
  };
}

/** Largest file of the demo that is damaged: longer ones take long to read and are hit less. */
const largest = 400_000;

/** Files under a folder, as paths below it. */
function filesUnder(folder: string, below = ''): string[] {
  return readdirSync(join(folder, below), { withFileTypes: true }).flatMap((entry) => {
    const path = below === '' ? entry.name : `${below}/${entry.name}`;
    return entry.isDirectory() ? filesUnder(folder, path) : [path];
  });
}

/** Hand-made files of odd forms: what writers do that no writer here does. */
function oddFiles(): Record<string, string | Uint8Array> {
  return {
    'odd-nested.geojson':
      '{"type":"GeometryCollection","geometries":[{"type":"GeometryCollection","geometries":[{"type":"Point","coordinates":[1,2,3]},{"type":"MultiPolygon","coordinates":[[[[0,0],[1,0],[1,1],[0,0]]]]}]}]}',
    'odd-properties.geojson':
      '{"type":"FeatureCollection","crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::32626"}},"features":[{"type":"Feature","id":7,"properties":{"a":{"b":[1,null,"x"]},"n":1e400,"t":"\\ud83d\\ude00"},"geometry":null},{"type":"Feature","geometry":{"type":"LineString","coordinates":[[1,2],[3,4]]}}]}',
    'odd-quotes.csv': 'a;"b;c";d\r\n1;"x ""y"" z";\r\n2;"line\nline";3,5\r\n',
    'odd-header.csv':
      'Office\n\nWard,Households,,Persons,\n,all,no car,all,over 65\n0101,20,3,44,6\n0102,<5,..,70,9\n\nSource: census.\n',
    'odd-hex.csv':
      'id,geom\n1,0101000000000000000000F03F0000000000000040\n2,0020000001000010E63FF00000000000004000000000000000\n',
    'odd-axes.gml':
      '<?xml version="1.0"?><wfs:FeatureCollection xmlns:wfs="http://www.opengis.net/wfs/2.0" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:t="urn:t"><wfs:member><t:hall gml:id="h.1"><t:name>Ost</t:name><t:shape><gml:Curve srsName="urn:ogc:def:crs:EPSG::4326"><gml:segments><gml:ArcString><gml:posList>45 -29 45.1 -29.1 45 -29.2</gml:posList></gml:ArcString></gml:segments></gml:Curve></t:shape></t:hall></wfs:member></wfs:FeatureCollection>',
    'odd-folders.kml':
      '<?xml version="1.0"?><kml xmlns="http://www.opengis.net/kml/2.2" xmlns:gx="http://www.google.com/kml/ext/2.2"><Document><Folder><name>A</name><Placemark id="p1"><name>x</name><ExtendedData><Data name="n"><value>5</value></Data></ExtendedData><MultiGeometry><Point><coordinates>1,2,3</coordinates></Point><LineString><coordinates>1,2 3,4</coordinates></LineString></MultiGeometry></Placemark><Placemark><gx:Track><when>2024-05-01T00:00:00Z</when><gx:coord>1 2 3</gx:coord><when>2024-05-01T00:01:00Z</when><gx:coord>2 3 4</gx:coord></gx:Track></Placemark></Folder></Document></kml>',
    'odd-html.csv': '<!DOCTYPE html><html><head><title>Login</title></head><body>a,b</body></html>',
    'odd-error.json': '{"error":{"code":401,"message":"no key"}}',
  };
}

/** Writes all samples into a folder: one of every format, the demo data, odd files. Gives their names. */
export async function allSamples(data: string, folder: string): Promise<string[]> {
  const encoder = new TextEncoder();
  const files = await loadsOf(data, folder);
  for (const path of filesUnder(data)) {
    if (statSync(join(data, path)).size > largest) continue;
    files.set(`demo-${path.replaceAll('/', '-')}`, new Uint8Array(readFileSync(join(data, path))));
  }
  for (const [name, value] of Object.entries(oddFiles()))
    files.set(name, typeof value === 'string' ? encoder.encode(value) : value);
  // Whatever is written here, of a table with values of every type and of geometries of every kind.
  const { table } = await openOne(join(folder, 'small.geojson'));
  for (const end of ['kmz', 'shp', 'xlsx', 'csv', 'gpx', 'geojsonl']) {
    const path = join(folder, `own.${end}`);
    await saverFor(path).save([table], path, '2026-01-01T00:00:00.000Z');
    files.set(`own.${end}`, new Uint8Array(readFileSync(path)));
  }
  files.set(
    'several.geojson.gz',
    Uint8Array.from([
      ...gzipSync(files.get('small.geojson')!, { mtime: 0 }),
      ...gzipSync(encoder.encode('\n'), { mtime: 0 }),
    ]),
  );
  for (const [name, bytes] of files) writeFileSync(join(folder, name), bytes);
  return [...files.keys()].sort();
}
