import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import {
  Batch,
  ColumnBuilder,
  crsByEpsg,
  crsFromText,
  type GeometryObject,
  geometriesFrom,
  type Layer,
  layerOf,
} from '../../src/core/index.ts';
import { arcThrough } from '../../src/formats/gml/arcs.ts';
import { everything, openFiles, saved } from '../support/saved.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-xml-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const text = (words: string) => new TextEncoder().encode(words);
const open = async (name: string, words: string | Uint8Array) =>
  (await openFiles(new Map([[name, typeof words === 'string' ? text(words) : words]]))).map(
    ({ table }) => table as Layer,
  );
const wellFormed = (name: string, bytes: Uint8Array) => {
  const path = join(folder, name);
  writeFileSync(path, bytes);
  execFileSync('xmllint', ['--noout', '--nonet', path], { stdio: 'pipe' });
};
const codes = (layer: Layer) => layer.findings.map((finding) => finding.code);

function places(geometries: (GeometryObject | null)[], crs = 4326): Layer {
  const name = new ColumnBuilder('text');
  const count = new ColumnBuilder('integer');
  geometries.forEach((_, k) => {
    name.text(k === 0 ? 'A & B <"c">' : `place ${k}`);
    count.number(k);
  });
  return layerOf({
    name: 'refuge halls',
    schema: [
      { name: 'name', type: 'text' },
      { name: 'beds (all)', type: 'integer', title: 'Beds in all' },
    ],
    crs: crsByEpsg(crs)!,
    batches: [
      new Batch({
        length: geometries.length,
        first: 0,
        geometry: geometriesFrom(geometries),
        columns: [name.finish(), count.finish()],
      }),
    ],
  });
}

describe('KML', () => {
  const document = `<?xml version="1.0" encoding="UTF-8"?>
<kml xmlns="http://www.opengis.net/kml/2.2" xmlns:gx="http://www.google.com/kml/ext/2.2"><Document><name>Ombrey</name>
<Schema name="hall" id="hall"><SimpleField type="int" name="beds"/><SimpleField type="string" name="code"/></Schema>
<Folder><name>Halls</name><Folder><name>North</name>
<Placemark id="h1"><name>Grebrey Hall</name><description><![CDATA[<table><tr><th>warden</th><td>A. Lune</td></tr><tr><td>roof&nbsp;</td><td>slate</td></tr><tr><td>one</td></tr></table>]]></description>
<ExtendedData><SchemaData schemaUrl="#hall"><SimpleData name="beds">40</SimpleData><SimpleData name="code">007</SimpleData></SchemaData></ExtendedData>
<Point><coordinates> -29.5,45.5,12 </coordinates></Point></Placemark>
</Folder><Placemark><name>Yard</name><ExtendedData><Data name="__proto__"><value>3.5</value></Data></ExtendedData>
<Polygon><outerBoundaryIs><LinearRing><coordinates>0,0 4,0
4,4 0,4 0,0</coordinates></LinearRing></outerBoundaryIs><innerBoundaryIs><LinearRing><coordinates>1,1 2,1 2,2 1,1</coordinates></LinearRing></innerBoundaryIs></Polygon></Placemark></Folder>
<Placemark><TimeSpan><begin>2024-01-01T00:00:00Z</begin></TimeSpan><MultiGeometry><Point><coordinates>1,2</coordinates></Point><LineString><coordinates>1,2 3,4</coordinates></LineString></MultiGeometry></Placemark>
<Placemark><gx:Track><when>2024-01-01T00:00:00Z</when><when>2024-01-01T00:01:00Z</when><gx:coord>1 2 3</gx:coord><gx:coord>2 3 4</gx:coord></gx:Track></Placemark>
<NetworkLink><Link><href>http://127.0.0.1:1/never.kml</href></Link></NetworkLink></Document></kml>`;

  it('reads folders, typed and untyped data, tables in descriptions, holes, mixed geometry and tracks', async () => {
    const [layer] = await open('doc.kml', document);
    const { names, rows, geometries, ids } = await everything(layer);
    const row = (k: number) =>
      Object.fromEntries(names.map((name, c) => [name, rows[k][c]]).filter(([, v]) => v !== null));
    expect(row(0)).toMatchObject({
      name: 'Grebrey Hall',
      folder: 'Halls/North',
      beds: 40,
      code: '007',
      warden: 'A. Lune',
      roof: 'slate',
    });
    expect(names).toContain('__proto__');
    expect(rows[1][names.indexOf('__proto__')]).toBe(3.5);
    expect(row(2).begin).toBe('2024-01-01T00:00:00Z');
    expect(row(3).end).toBe('2024-01-01T00:01:00Z');
    expect(geometries[0]).toEqual({ type: 'Point', coordinates: [-29.5, 45.5, 12] });
    expect((geometries[1] as { coordinates: number[][][] }).coordinates.map((ring) => ring.length)).toEqual([
      5, 4,
    ]);
    expect(geometries[2]!.type).toBe('GeometryCollection');
    expect(geometries[3]).toEqual({
      type: 'LineString',
      coordinates: [
        [1, 2, 3],
        [2, 3, 4],
      ],
    });
    expect(ids[0]).toBe('h1');
    expect(codes(layer)).toEqual(
      expect.arrayContaining(['kml-passed-over', 'fields-from-description', 'mixed-kinds']),
    );
  });

  it('writes what xmllint finds well-formed, several layers as folders, and says what it leaves out', async () => {
    const layer = places([
      { type: 'Point', coordinates: [-29, 45, 3] },
      {
        type: 'Polygon',
        coordinates: [
          [
            [0, 0],
            [0, 1],
            [1, 1],
            [0, 0],
          ],
        ],
      },
    ]);
    const { files, notes } = await saved('x.kml', [layer, { ...layer, name: 'again' }]);
    wellFormed('x.kml', files.get('x.kml')!);
    const [back] = await open('x.kml', files.get('x.kml')!);
    const { rows, names } = await everything(back);
    expect(rows.length).toBe(4);
    expect(rows[0][names.indexOf('name')]).toBe('A & B <"c">');
    expect(new Set(rows.map((row) => row[names.indexOf('folder')]))).toEqual(
      new Set(['refuge halls', 'again']),
    );
    expect(notes).toEqual([]);
    // Counter-clockwise shells (07-147r2).
    expect(new TextDecoder().decode(files.get('x.kml'))).toContain(
      '<coordinates>0,0 1,1 0,1 0,0</coordinates>',
    );
  });

  it('names folders from the outside in, whether a Document stands around them or not', async () => {
    const place = '<Placemark><Point><coordinates>1,2</coordinates></Point></Placemark>';
    for (const [inside, folder] of [
      [`<Folder><name>A</name>${place}</Folder>`, 'A'],
      [`<Document><name>D</name><Folder><name>A</name>${place}</Folder></Document>`, 'A'],
      [
        `<Document><Document><name>B</name><Folder><name>C</name>${place}</Folder></Document></Document>`,
        'B/C',
      ],
    ]) {
      const [layer] = await open('x.kml', `<kml>${inside}</kml>`);
      const { names, rows } = await everything(layer);
      expect(rows[0][names.indexOf('folder')]).toBe(folder);
    }
  });

  it('tells what is damaged, and where', async () => {
    await expect(open('cut.kml', document.slice(0, 900))).rejects.toMatchObject({ code: 'xml-damaged' });
    await expect(open('cut.kml', document.replace('</Folder>', '</Foldr>'))).rejects.toMatchObject({
      code: 'xml-damaged',
      place: { file: 'cut.kml', line: 8 },
    });
    const [layer] = await open('x.kml', document.replace('-29.5,45.5,12', '-29.5;45.5'));
    expect((await everything(layer)).geometries[0]).toEqual({ type: 'Point', coordinates: [] });
    expect(codes(layer)).toContain('coordinates-damaged');
  });
});

describe('entities and encodings of XML', () => {
  const kml = (head: string, name: string) =>
    `<?xml version="1.0"${head}<kml><Placemark><name>${name}</name><Point><coordinates>1,2</coordinates></Point></Placemark></kml>`;
  const nameOf = async (words: string | Uint8Array) => {
    const [layer] = await open('x.kml', words);
    const { rows } = await everything(layer);
    return [rows[0][0], codes(layer)] as const;
  };

  it('expand nothing of the document’s own and fetch nothing', async () => {
    const bomb = `?><!DOCTYPE kml [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY x SYSTEM "file:///etc/passwd">]>`;
    const [name, told] = await nameOf(kml(bomb, '&b;&x;'));
    expect(name).toBe('&b;&x;');
    expect(told).toContain('entity-kept');
  });

  it('are read as the document says, or as its first bytes do', async () => {
    expect((await nameOf(Buffer.from(kml(' encoding="ISO-8859-1"?>', 'Gr\u00e9brey'), 'latin1')))[0]).toBe(
      'Grébrey',
    );
    const utf16 = kml(' encoding="UTF-16"?>', 'Grébrey ä');
    expect((await nameOf(Buffer.from(`\ufeff${utf16}`, 'utf16le')))[0]).toBe('Grébrey ä');
    expect((await nameOf(Buffer.from(`\ufeff${utf16}`, 'utf16le').swap16()))[0]).toBe('Grébrey ä');
    await expect(nameOf(Buffer.from(kml('?>', 'Gr\u00e9brey'), 'latin1'))).rejects.toMatchObject({
      code: 'xml-damaged',
    });
    await expect(nameOf(kml(' encoding="klingon"?>', 'x'))).rejects.toMatchObject({ code: 'xml-encoding' });
  });

  it('are nested only so deep', async () => {
    const deep = `<kml>${'<Folder>'.repeat(400)}${'</Folder>'.repeat(400)}</kml>`;
    await expect(open('x.kml', deep)).rejects.toMatchObject({ code: 'xml-damaged' });
  });
});

const gml = (version: string, members: string, more = '') =>
  `<?xml version="1.0"?><c:Set xmlns:c="urn:c" xmlns:gml="http://www.opengis.net/gml${version}" xmlns:xlink="http://www.w3.org/1999/xlink">${more}${members}</c:Set>`;

describe('GML', () => {
  it('2: coordinates and coord, boundaries, feature ids', async () => {
    const [layer] = await open(
      'x.gml',
      gml(
        '',
        `<gml:featureMember><c:ward fid="w.1"><c:code>007</c:code><c:shape><gml:Polygon srsName="EPSG:4326"><gml:outerBoundaryIs><gml:LinearRing><gml:coordinates decimal="," cs=";" ts="|">0,5;0|4;0|4;4|0,5;0</gml:coordinates></gml:LinearRing></gml:outerBoundaryIs><gml:innerBoundaryIs><gml:LinearRing><gml:coordinates>1,1 2,1 2,2 1,1</gml:coordinates></gml:LinearRing></gml:innerBoundaryIs></gml:Polygon></c:shape></c:ward></gml:featureMember>
<gml:featureMember><c:ward fid="w.2"><c:shape><gml:Point><gml:coord><gml:X>-29</gml:X><gml:Y>45</gml:Y></gml:coord></gml:Point></c:shape></c:ward></gml:featureMember>`,
      ),
    );
    const { geometries, rows, ids } = await everything(layer);
    expect(geometries[0]).toEqual({
      type: 'Polygon',
      coordinates: [
        [
          [0.5, 0],
          [4, 0],
          [4, 4],
          [0.5, 0],
        ],
        [
          [1, 1],
          [2, 1],
          [2, 2],
          [1, 1],
        ],
      ],
    });
    expect(geometries[1]).toEqual({ type: 'Point', coordinates: [-29, 45] });
    expect(rows.map((row) => row[0])).toEqual(['007', null]);
    expect(ids).toEqual(['w.1', 'w.2']);
    expect(layer.crs?.code).toBe('EPSG:4326');
  });

  it.each([
    ['EPSG:4326', [-29, 45]],
    ['http://www.opengis.net/gml/srs/epsg.xml#4326', [-29, 45]],
    ['urn:ogc:def:crs:EPSG::4326', [45, -29]],
    ['urn:ogc:def:crs:EPSG:6.9:4326', [45, -29]],
    ['http://www.opengis.net/def/crs/EPSG/0/4326', [45, -29]],
    ['urn:ogc:def:crs:OGC:1.3:CRS84', [-29, 45]],
    ['http://www.opengis.net/def/crs/OGC/1.3/CRS84', [-29, 45]],
    ['urn:ogc:def:crs:EPSG::32626', [400000, 5000000]],
    ['urn:ogc:def:crs:EPSG::3034', [2700000, 4100000]],
  ])('3: the order of axes under %s', async (srsName, pos) => {
    const members = `<gml:featureMember><c:ward><c:at><gml:Point srsName="${srsName}"><gml:pos>${pos.join(' ')}</gml:pos></gml:Point></c:at></c:ward></gml:featureMember>`;
    const [layer] = await open('x.gml', gml('', members));
    const expected =
      Math.abs(pos[0]) < 100 ? [-29, 45] : srsName.endsWith('3034') ? [4100000, 2700000] : [400000, 5000000];
    expect((await everything(layer)).geometries).toEqual([{ type: 'Point', coordinates: expected }]);
  });

  it('3.2: surfaces of patches, curves of segments, arcs as chords, nested and repeated properties, links', async () => {
    const members = `<gml:featureMembers><c:road gml:id="r1"><c:name>Main</c:name><c:owner><c:Body><c:title>Ombrey</c:title></c:Body></c:owner><c:alias>a</c:alias><c:alias>b</c:alias><c:next xlink:href="#r2"/><c:width uom="m">7.5</c:width>
<c:line><gml:Curve srsName="EPSG:32626" srsDimension="2"><gml:segments><gml:LineStringSegment><gml:posList>0 0 10 0</gml:posList></gml:LineStringSegment><gml:Arc><gml:posList>10 0 15 5 10 10</gml:posList></gml:Arc></gml:segments></gml:Curve></c:line></c:road>
<c:yard gml:id="y1"><c:area><gml:MultiSurface srsName="EPSG:32626"><gml:surfaceMember><gml:Surface><gml:patches><gml:PolygonPatch><gml:exterior><gml:Ring><gml:curveMember><gml:LineString><gml:posList>0 0 4 0 4 4</gml:posList></gml:LineString></gml:curveMember><gml:curveMember><gml:LineString><gml:posList>4 4 0 4 0 0</gml:posList></gml:LineString></gml:curveMember></gml:Ring></gml:exterior></gml:PolygonPatch></gml:patches></gml:Surface></gml:surfaceMember><gml:surfaceMember><gml:Polygon><gml:exterior><gml:LinearRing><gml:pos>9 9</gml:pos><gml:pos>10 9</gml:pos><gml:pos>10 10</gml:pos><gml:pos>9 9</gml:pos></gml:LinearRing></gml:exterior></gml:Polygon></gml:surfaceMember></gml:MultiSurface></c:area></c:yard>
<c:note gml:id="n1"><c:words>no geometry</c:words></c:note></gml:featureMembers>`;
    const layers = await open('x.gml', gml('/3.2', members));
    expect(layers.map((layer) => layer.name)).toEqual(['road', 'yard', 'note']);
    const road = await everything(layers[0]);
    expect(Object.fromEntries(road.names.map((name, c) => [name, road.rows[0][c]]))).toEqual({
      name: 'Main',
      'owner.Body.title': 'Ombrey',
      alias: 'a; b',
      next: '#r2',
      width: 7.5,
    });
    expect(layers[0].schema.find((field) => field.name === 'width')?.unit).toBe('m');
    const line = (road.geometries[0] as { coordinates: number[][] }).coordinates;
    expect(line[0]).toEqual([0, 0]);
    expect(line[line.length - 1]).toEqual([10, 10]);
    // Every point of the arc lies on its circle: centre (10, 5), radius 5.
    for (const [x, y] of line.slice(1)) expect(Math.hypot(x - 10, y - 5)).toBeCloseTo(5, 9);
    expect(codes(layers[0])).toEqual(
      expect.arrayContaining(['arcs-as-chords', 'links-kept', 'values-repeated']),
    );
    expect((await everything(layers[1])).geometries[0]).toEqual({
      type: 'MultiPolygon',
      coordinates: [
        [
          [
            [0, 0],
            [4, 0],
            [4, 4],
            [0, 4],
            [0, 0],
          ],
        ],
        [
          [
            [9, 9],
            [10, 9],
            [10, 10],
            [9, 9],
          ],
        ],
      ],
    });
    expect('crs' in layers[2]).toBe(false);
  });

  it('arcs keep both ends, pass through the middle and stay within the chord bound', () => {
    for (const [a, b, c] of [
      [
        [0, 0],
        [1, 1],
        [2, 0],
      ],
      [
        [0, 0],
        [-1, 3],
        [2, 5],
      ],
      [
        [5, 5],
        [4, 5.001],
        [3, 5],
      ],
    ]) {
      const arc = arcThrough([...a, ...b, ...c]);
      expect(arc.slice(0, 2)).toEqual(a);
      expect(arc.slice(-2)).toEqual(c);
      const points = Array.from({ length: arc.length / 2 }, (_, k) => [arc[2 * k], arc[2 * k + 1]]);
      expect(points).toContainEqual(b);
    }
    expect(arcThrough([0, 0, 1, 1, 2, 2])).toEqual([0, 0, 1, 1, 2, 2]);
  });

  it('tells of features in different CRSs, of curves that are not read, and of surplus geometries', async () => {
    const point = (srs: string) => `<gml:Point srsName="${srs}"><gml:pos>1 2</gml:pos></gml:Point>`;
    const [layer] = await open(
      'x.gml',
      gml(
        '/3.2',
        `<gml:featureMember><c:w><c:a>${point('EPSG:4326')}</c:a><c:b>${point('EPSG:4326')}</c:b></c:w></gml:featureMember><gml:featureMember><c:w><c:a>${point('EPSG:32626')}</c:a></c:w></gml:featureMember><gml:featureMember><c:w><c:a><gml:Curve srsName="EPSG:4326"><gml:segments><gml:Clothoid/></gml:segments></gml:Curve></c:a></c:w></gml:featureMember>`,
      ),
    );
    expect(codes(layer)).toEqual(
      expect.arrayContaining(['crs-mixed', 'geometry-surplus', 'gml-curve-unsupported', 'mixed-kinds']),
    );
  });

  it('is written as 3.2 with a schema that keeps types and titles, latitude first for EPSG:4326', async () => {
    const layer = places([
      { type: 'Point', coordinates: [-29, 45] },
      {
        type: 'MultiLineString',
        coordinates: [
          [
            [0, 0],
            [1, 1],
          ],
        ],
      },
    ]);
    const { files, notes } = await saved('halls.gml', [layer]);
    expect([...files.keys()].sort()).toEqual(['halls.gml', 'halls.xsd']);
    for (const [name, bytes] of files) wellFormed(name, bytes);
    expect(new TextDecoder().decode(files.get('halls.gml'))).toContain('<gml:pos>45 -29</gml:pos>');
    expect(notes.join(' ')).toContain('beds (all) is called beds__all_');
    const [{ table }] = await openFiles(files);
    expect(table.schema).toEqual([
      { name: 'id', type: 'text', featureId: 'numbering' },
      { name: 'name', type: 'text' },
      { name: 'beds__all_', type: 'integer', title: 'Beds in all' },
    ]);
    expect((await everything(table)).geometries[0]).toEqual({ type: 'Point', coordinates: [-29, 45] });
  });

  it('writes no srsName for a CRS without a code, and says so', async () => {
    const custom = crsFromText(
      'PROJCS["Ours",GEOGCS["G",DATUM["D",SPHEROID["S",6378137,298.2]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["central_meridian",3],UNIT["metre",1]]',
    );
    const { notes } = await saved('x.gml', [
      { ...places([{ type: 'Point', coordinates: [1, 2] }]), crs: custom } as Layer,
    ]);
    expect(notes.join(' ')).toContain('has no code, so no srsName was written');
  });
});

describe('GPX', () => {
  const gpx = (version: string, body: string) =>
    `<?xml version="1.0"?><gpx version="${version}" creator="x" xmlns="http://www.topografix.com/GPX/${version.replace('.', '/')}" xmlns:r="urn:r">${body}</gpx>`;

  it('1.1: waypoints, routes, tracks with segments, points with times, extensions', async () => {
    const layers = await open(
      'x.gpx',
      gpx(
        '1.1',
        `<metadata><time>2024-05-01T00:00:00Z</time></metadata><wpt lat="45.5" lon="-29.5"><ele>12.5</ele><time>2024-05-01T10:00:00Z</time><name>007</name><sat>9</sat><link href="urn:l"><text>more</text></link><extensions><r:depth>1.5</r:depth></extensions></wpt>
<rte><name>R</name><rtept lat="1" lon="2"/><rtept lat="3" lon="4"/></rte>
<trk><name>T</name><trkseg><trkpt lat="1" lon="2"><ele>1</ele><time>2024-05-01T10:00:00Z</time></trkpt><trkpt lat="1" lon="3"><time>2024-05-01T10:01:00Z</time></trkpt></trkseg><trkseg><trkpt lat="9" lon="9"/></trkseg><trkseg><trkpt lat="5" lon="5"/><trkpt lat="6" lon="6"/></trkseg></trk>`,
      ),
    );
    expect(layers.map((layer) => [layer.name, layer.count])).toEqual([
      ['waypoints', 1],
      ['routes', 1],
      ['route_points', 2],
      ['tracks', 1],
      ['track_points', 5],
    ]);
    const [way] = await Promise.all([everything(layers[0])]);
    expect(Object.fromEntries(way.names.map((name, c) => [name, way.rows[0][c]]))).toEqual({
      time: '2024-05-01T10:00:00Z',
      name: '007',
      sat: 9,
      link: 'urn:l',
      link_text: 'more',
      depth: 1.5,
    });
    expect(way.geometries).toEqual([{ type: 'Point', coordinates: [-29.5, 45.5, 12.5] }]);
    const track = await everything(layers[3]);
    expect(track.geometries).toEqual([
      {
        type: 'MultiLineString',
        coordinates: [
          [
            [2, 1, 1],
            [3, 1],
          ],
          [
            [5, 5],
            [6, 6],
          ],
        ],
      },
    ]);
    expect(codes(layers[3])).toEqual(['segment-short']);
    const points = await everything(layers[4]);
    expect(points.rows.map((row) => row[points.names.indexOf('segment')])).toEqual([1, 1, 2, 3, 3]);
  });

  it('1.0: url, speed and course', async () => {
    const [layer] = await open(
      'x.gpx',
      gpx(
        '1.0',
        '<wpt lat="1" lon="2"><url>urn:u</url><urlname>n</urlname><speed>1.25</speed></wpt><wpt lat="x" lon="2"/>',
      ),
    );
    const { names, rows } = await everything(layer);
    expect(Object.fromEntries(names.map((name, c) => [name, rows[0][c]]))).toEqual({
      link: 'urn:u',
      link_text: 'n',
      speed: 1.25,
    });
    expect(codes(layer)).toEqual(['coordinates-damaged']);
  });

  it('is written with points, tracks of segments and extensions, in the order of its schema', async () => {
    const layer = places([
      { type: 'Point', coordinates: [-29, 45, 3] },
      {
        type: 'MultiLineString',
        coordinates: [
          [
            [0, 0],
            [1, 1],
          ],
          [
            [2, 2],
            [3, 3],
          ],
        ],
      },
      {
        type: 'Polygon',
        coordinates: [
          [
            [0, 0],
            [1, 0],
            [1, 1],
            [0, 0],
          ],
        ],
      },
      null,
    ]);
    const { files, notes } = await saved('x.gpx', [layer]);
    wellFormed('x.gpx', files.get('x.gpx')!);
    const words = new TextDecoder().decode(files.get('x.gpx'));
    expect(words.indexOf('<wpt')).toBeLessThan(words.indexOf('<trk>'));
    const layers = await open('x.gpx', files.get('x.gpx')!);
    expect(layers.map((each) => [each.name, each.count])).toEqual([
      ['waypoints', 1],
      ['tracks', 2],
      ['track_points', 8],
    ]);
    const way = await everything(layers[0]);
    expect(way.names).toEqual(['name', 'beds__all_']);
    expect(way.rows).toEqual([['A & B <"c">', 0]]);
    expect(notes.join(' ')).toContain('1 area was written as tracks');
    expect(notes.join(' ')).toContain('1 feature without geometry');
  });
});
