/** Files as other writers make them: parts of the formats that our own writers do not use. */

import { gzipSync } from 'fflate';
import { Builder } from 'flatbuffers';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { describe, expect, it } from 'vitest';
import { projjsonFromCrs } from '../../src/core/crs/projjson.ts';
import { crsByEpsg, type GeometryObject, geometriesFrom, type Layer } from '../../src/core/index.ts';
import { WkbWriter } from '../../src/formats/index.ts';
import { everything, openFiles } from '../support/saved.ts';

const encode = (text: string) => new TextEncoder().encode(text);
const open = async (files: Record<string, Uint8Array>) =>
  (await openFiles(new Map(Object.entries(files)))).map(({ table }) => table as Layer);

describe('FlatGeobuf of other writers', () => {
  const types = [
    'byte',
    'ubyte',
    'bool',
    'short',
    'ushort',
    'int',
    'uint',
    'long',
    'ulong',
    'float',
    'double',
    'string',
    'json',
    'datetime',
    'binary',
  ];

  /** A file without index and without a kind: columns of every type, one feature for each message. */
  function made(features: ((builder: Builder) => [geometry: number, properties: Uint8Array])[]): Uint8Array {
    const builder = new Builder();
    const columns = types.map((name, type) => {
      const text = builder.createString(name);
      builder.startObject(11);
      builder.addFieldOffset(0, text, 0);
      builder.addFieldInt8(1, type, 0);
      return builder.endObject();
    });
    builder.startVector(4, columns.length, 4);
    for (const column of [...columns].reverse()) builder.addOffset(column);
    const vector = builder.endVector();
    builder.startObject(14);
    builder.addFieldOffset(7, vector, 0);
    builder.addFieldInt16(9, 0, 16);
    builder.finishSizePrefixed(builder.endObject());
    const parts = [Uint8Array.of(0x66, 0x67, 0x62, 3, 0x66, 0x67, 0x62, 0), builder.asUint8Array().slice()];
    for (const make of features) {
      const message = new Builder();
      const [geometry, properties] = make(message);
      const bytes = properties.length === 0 ? 0 : message.createByteVector(properties);
      message.startObject(3);
      message.addFieldOffset(0, geometry, 0);
      message.addFieldOffset(1, bytes, 0);
      message.finishSizePrefixed(message.endObject());
      parts.push(message.asUint8Array().slice());
    }
    return new Uint8Array(Buffer.concat(parts));
  }

  function geometry(
    builder: Builder,
    parts: { type: number; xy?: number[]; ends?: number[]; members?: number[] },
  ): number {
    const doubles = (values: number[]) => {
      builder.startVector(8, values.length, 8);
      for (const value of [...values].reverse()) builder.addFloat64(value);
      return builder.endVector();
    };
    const offsets = (values: number[], add: (value: number) => void) => {
      builder.startVector(4, values.length, 4);
      for (const value of [...values].reverse()) add(value);
      return builder.endVector();
    };
    const xy = parts.xy === undefined ? 0 : doubles(parts.xy);
    const ends = parts.ends === undefined ? 0 : offsets(parts.ends, (value) => builder.addInt32(value));
    const members =
      parts.members === undefined ? 0 : offsets(parts.members, (value) => builder.addOffset(value));
    builder.startObject(8);
    builder.addFieldOffset(0, ends, 0);
    builder.addFieldOffset(1, xy, 0);
    builder.addFieldInt8(6, parts.type, 0);
    builder.addFieldOffset(7, members, 0);
    return builder.endObject();
  }

  const value = (column: number, bytes: ArrayLike<number>) => [column, 0, ...Array.from(bytes)];
  const number = (column: number, size: number, set: (view: DataView) => void) => {
    const view = new DataView(new ArrayBuffer(size));
    set(view);
    return value(column, new Uint8Array(view.buffer));
  };
  const text = (column: number, words: string) => {
    const bytes = encode(words);
    return value(column, [bytes.length, 0, 0, 0, ...bytes]);
  };

  it('columns of every type, geometry of every kind, nothing that names a CRS', async () => {
    const properties = Uint8Array.from([
      ...value(0, [0xfe]),
      ...value(1, [0xfe]),
      ...value(2, [1]),
      ...number(3, 2, (view) => view.setInt16(0, -300, true)),
      ...number(4, 2, (view) => view.setUint16(0, 65_000, true)),
      ...number(5, 4, (view) => view.setInt32(0, -70_000, true)),
      ...number(6, 4, (view) => view.setUint32(0, 4_000_000_000, true)),
      ...number(7, 8, (view) => view.setBigInt64(0, -5n, true)),
      ...number(8, 8, (view) => view.setBigUint64(0, 2n ** 63n, true)),
      ...number(9, 4, (view) => view.setFloat32(0, 1.5, true)),
      ...number(10, 8, (view) => view.setFloat64(0, 0.1, true)),
      ...text(11, 'Grébrey'),
      ...text(12, '{"a":[1]}'),
      ...text(13, '2024-05-01T10:00:00'),
      ...value(14, [2, 0, 0, 0, 7, 8]),
    ]);
    const nothing = new Uint8Array(0);
    const [layer] = await open({
      'x.fgb': made([
        (b) => [geometry(b, { type: 1, xy: [1, 2] }), properties],
        (b) => [
          geometry(b, { type: 3, xy: [0, 0, 9, 0, 9, 9, 0, 0, 1, 1, 2, 1, 2, 2, 1, 1], ends: [4, 8] }),
          nothing,
        ],
        (b) => [geometry(b, { type: 5, xy: [0, 0, 1, 1, 2, 2, 3, 3], ends: [2, 4] }), nothing],
        (b) => [
          geometry(b, {
            type: 7,
            members: [
              geometry(b, { type: 4, xy: [1, 1, 2, 2] }),
              geometry(b, { type: 6, members: [geometry(b, { type: 3, xy: [0, 0, 1, 0, 1, 1, 0, 0] })] }),
            ],
          }),
          nothing,
        ],
        () => [0, nothing],
      ]),
    });
    const { rows, geometries } = await everything(layer);
    expect(rows[0]).toEqual([
      -2,
      254,
      true,
      -300,
      65_000,
      -70_000,
      4_000_000_000,
      -5,
      null,
      1.5,
      0.1,
      'Grébrey',
      { a: [1] },
      '2024-05-01T10:00:00Z',
      Uint8Array.of(7, 8),
    ]);
    expect(rows[1].every((each) => each === null)).toBe(true);
    expect(geometries).toEqual([
      { type: 'Point', coordinates: [1, 2] },
      {
        type: 'Polygon',
        coordinates: [
          [
            [0, 0],
            [9, 0],
            [9, 9],
            [0, 0],
          ],
          [
            [1, 1],
            [2, 1],
            [2, 2],
            [1, 1],
          ],
        ],
      },
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
        type: 'GeometryCollection',
        geometries: [
          { type: 'Point', coordinates: [1, 1] },
          { type: 'Point', coordinates: [2, 2] },
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
        ],
      },
      null,
    ]);
    expect(layer.crs).toBe(null);
    expect(layer.findings.map((finding) => finding.code)).toEqual(['crs-missing', 'value-unreadable']);
  });

  it('offsets that point outside, ends that run backwards, columns that are not there', async () => {
    const bad = async (make: (builder: Builder) => [number, Uint8Array]) => {
      const [layer] = await open({ 'x.fgb': made([make]) });
      return everything(layer);
    };
    const damaged = { code: 'flatgeobuf-damaged' };
    await expect(
      bad((b) => [geometry(b, { type: 5, xy: [0, 0, 1, 1], ends: [2, 1] }), new Uint8Array(0)]),
    ).rejects.toMatchObject(damaged);
    await expect(
      bad((b) => [geometry(b, { type: 5, xy: [0, 0, 1, 1], ends: [9] }), new Uint8Array(0)]),
    ).rejects.toMatchObject(damaged);
    await expect(
      bad((b) => [geometry(b, { type: 2, xy: [0, 0, 1] }), new Uint8Array(0)]),
    ).rejects.toMatchObject(damaged);
    await expect(bad(() => [0, Uint8Array.from(value(99, [1]))])).rejects.toMatchObject(damaged);
    await expect(bad(() => [0, Uint8Array.from(value(11, [255, 255, 255, 127]))])).rejects.toMatchObject(
      damaged,
    );
    const { geometries } = await bad((b) => [geometry(b, { type: 14, xy: [0, 0] }), new Uint8Array(0)]);
    expect(geometries).toEqual([null]);
  });
});

describe('GeoParquet of other writers', () => {
  const blob = (object: GeometryObject) => new WkbWriter().write(geometriesFrom([object]), 0).slice();
  const file = (geo: unknown, codec: 'GZIP' | 'UNCOMPRESSED' | 'SNAPPY' = 'SNAPPY') =>
    new Uint8Array(
      parquetWriteBuffer({
        codec,
        compressors: { GZIP: (input) => gzipSync(input) },
        columnData: [
          { name: 'name', data: ['a', 'b', null], type: 'STRING' },
          {
            name: 'shape',
            data: [
              blob({ type: 'Point', coordinates: [1, 2] }),
              null,
              blob({
                type: 'LineString',
                coordinates: [
                  [0, 0],
                  [1, 1],
                ],
              }),
            ],
            type: 'BYTE_ARRAY',
          },
        ],
        kvMetadata: [{ key: 'geo', value: JSON.stringify(geo) }],
      }),
    );
  const column = (more: object) => ({
    version: '1.0.0',
    primary_column: 'shape',
    columns: { shape: { encoding: 'WKB', geometry_types: [], ...more } },
  });

  it.each(['SNAPPY', 'GZIP', 'UNCOMPRESSED'] as const)('packed with %s, without boxes', async (codec) => {
    const [layer] = await open({ 'x.parquet': file(column({}), codec) });
    expect(layer.crs?.code).toBe('EPSG:4326');
    expect(layer.readsByBox).toBe(false);
    const { geometries, rows, names } = await everything(layer);
    expect(names).toEqual(['name']);
    expect(rows).toEqual([['a'], ['b'], [null]]);
    expect(geometries.map((each) => each?.type ?? null)).toEqual(['Point', null, 'LineString']);
  });

  it('with a CRS, with none, with one that is not read', async () => {
    const crsOf = async (crs: unknown) => {
      const [layer] = await open({ 'x.parquet': file(column({ crs })) });
      return [layer.crs?.code ?? null, layer.findings.map((finding) => finding.code)];
    };
    expect(await crsOf(projjsonFromCrs(crsByEpsg(3034)!))).toEqual(['EPSG:3034', []]);
    expect(await crsOf({ type: 'GeographicCRS', id: { authority: 'OGC', code: 'CRS84' } })).toEqual([
      'EPSG:4326',
      [],
    ]);
    expect(await crsOf(null)).toEqual([null, ['crs-missing']]);
    expect(await crsOf({ type: 'EngineeringCRS' })).toEqual([null, ['crs-unreadable']]);
  });

  it.each([
    ['an encoding that is not read', column({ encoding: 'point' }), 'geometry-unsupported'],
    [
      'a primary column that is not there',
      { version: '1.1.0', primary_column: 'no', columns: {} },
      'geo-metadata-damaged',
    ],
    ['metadata that are no object', 7, 'geo-metadata-damaged'],
  ])('%s makes it a table, and is told', async (_, geo, code) => {
    const files = new Map([['x.parquet', file(geo)]]);
    const [{ table }] = await openFiles(files, { geometry: 'none' });
    expect('crs' in table).toBe(false);
    expect(table.findings.map((finding) => finding.code)).toContain(code);
    // The column is there all the same, and its name and values say what it holds.
    const [found] = await open({ 'x.parquet': file(geo) });
    expect((await everything(found)).geometries[0]).toEqual({ type: 'Point', coordinates: [1, 2] });
    expect(found.crs).toBe(null);
  });
});

describe('GML of other writers', () => {
  const gml = (geometry: string) =>
    encode(
      `<?xml version="1.0"?><wfs:FeatureCollection xmlns:wfs="http://www.opengis.net/wfs/2.0" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:c="urn:c"><wfs:boundedBy><gml:Envelope srsName="urn:ogc:def:crs:EPSG::32626"><gml:lowerCorner>0 0</gml:lowerCorner></gml:Envelope></wfs:boundedBy><wfs:member><c:w gml:id="w1"><gml:boundedBy><gml:Envelope><gml:lowerCorner>1 1</gml:lowerCorner></gml:Envelope></gml:boundedBy><c:g>${geometry}</c:g></c:w></wfs:member></wfs:FeatureCollection>`,
    );
  const read = async (geometry: string) => {
    const [layer] = await open({ 'x.xml': gml(geometry) });
    expect(layer.crs?.code).toBe('EPSG:32626');
    return (await everything(layer)).geometries[0];
  };
  const line = (...values: number[]) =>
    `<gml:LineString><gml:posList>${values.join(' ')}</gml:posList></gml:LineString>`;
  const square = (x: number) =>
    `<gml:exterior><gml:LinearRing><gml:posList>${x} 0 ${x + 1} 0 ${x + 1} 1 ${x} 0</gml:posList></gml:LinearRing></gml:exterior>`;
  const ring = (x: number) => [
    [x, 0],
    [x + 1, 0],
    [x + 1, 1],
    [x, 0],
  ];

  it.each([
    [
      'MultiPoint',
      '<gml:MultiPoint><gml:pointMembers><gml:Point><gml:pos>1 2</gml:pos></gml:Point><gml:Point><gml:pos>3 4</gml:pos></gml:Point></gml:pointMembers></gml:MultiPoint>',
      {
        type: 'MultiPoint',
        coordinates: [
          [1, 2],
          [3, 4],
        ],
      },
    ],
    [
      'MultiCurve',
      `<gml:MultiCurve><gml:curveMember>${line(0, 0, 1, 1)}</gml:curveMember><gml:curveMember>${line(2, 2, 3, 3)}</gml:curveMember></gml:MultiCurve>`,
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
    ],
    [
      'CompositeCurve',
      `<gml:CompositeCurve><gml:curveMember>${line(0, 0, 1, 1)}</gml:curveMember><gml:curveMember>${line(1, 1, 3, 3)}</gml:curveMember></gml:CompositeCurve>`,
      {
        type: 'LineString',
        coordinates: [
          [0, 0],
          [1, 1],
          [3, 3],
        ],
      },
    ],
    [
      'a curve of curves',
      `<gml:OrientableCurve orientation="+"><gml:baseCurve>${line(0, 0, 5, 5)}</gml:baseCurve></gml:OrientableCurve>`,
      {
        type: 'LineString',
        coordinates: [
          [0, 0],
          [5, 5],
        ],
      },
    ],
    [
      'positions as points',
      '<gml:LineString><gml:pointProperty><gml:Point><gml:pos>0 0</gml:pos></gml:Point></gml:pointProperty><gml:pos>2 2</gml:pos></gml:LineString>',
      {
        type: 'LineString',
        coordinates: [
          [0, 0],
          [2, 2],
        ],
      },
    ],
    [
      'MultiPolygon',
      `<gml:MultiPolygon><gml:polygonMember><gml:Polygon>${square(0)}</gml:Polygon></gml:polygonMember><gml:polygonMember><gml:Polygon>${square(5)}</gml:Polygon></gml:polygonMember></gml:MultiPolygon>`,
      { type: 'MultiPolygon', coordinates: [[ring(0)], [ring(5)]] },
    ],
    [
      'a surface of two patches',
      `<gml:Surface><gml:patches><gml:PolygonPatch>${square(0)}</gml:PolygonPatch><gml:PolygonPatch>${square(1)}</gml:PolygonPatch></gml:patches></gml:Surface>`,
      { type: 'MultiPolygon', coordinates: [[ring(0)], [ring(1)]] },
    ],
    [
      'mixed members',
      `<gml:MultiGeometry><gml:geometryMember><gml:Point><gml:pos>1 2</gml:pos></gml:Point></gml:geometryMember><gml:geometryMember>${line(0, 0, 1, 1)}</gml:geometryMember></gml:MultiGeometry>`,
      {
        type: 'GeometryCollection',
        geometries: [
          { type: 'Point', coordinates: [1, 2] },
          {
            type: 'LineString',
            coordinates: [
              [0, 0],
              [1, 1],
            ],
          },
        ],
      },
    ],
    [
      'heights by srsDimension',
      '<gml:LineString srsDimension="3"><gml:posList>0 0 5 1 1 6</gml:posList></gml:LineString>',
      {
        type: 'LineString',
        coordinates: [
          [0, 0, 5],
          [1, 1, 6],
        ],
      },
    ],
    [
      'heights by count',
      '<gml:LineString><gml:posList count="2">0 0 5 1 1 6</gml:posList></gml:LineString>',
      {
        type: 'LineString',
        coordinates: [
          [0, 0, 5],
          [1, 1, 6],
        ],
      },
    ],
  ] as const)('%s', async (_, geometry, expected) => {
    expect(await read(geometry)).toEqual(expected);
  });

  it.each([
    ['Circle', '<gml:Circle><gml:posList>5 0 0 5 -5 0</gml:posList></gml:Circle>', true],
    [
      'CircleByCenterPoint',
      '<gml:CircleByCenterPoint numArc="1"><gml:pos>0 0</gml:pos><gml:radius uom="m">5</gml:radius></gml:CircleByCenterPoint>',
      true,
    ],
    [
      'ArcByCenterPoint',
      '<gml:ArcByCenterPoint numArc="1"><gml:pos>0 0</gml:pos><gml:radius uom="m">5</gml:radius><gml:startAngle uom="deg">0</gml:startAngle><gml:endAngle uom="deg">90</gml:endAngle></gml:ArcByCenterPoint>',
      false,
    ],
    ['ArcString', '<gml:ArcString><gml:posList>5 0 3 4 0 5 -3 4 -5 0</gml:posList></gml:ArcString>', false],
  ])('%s: all points on the circle', async (_, segment, closed) => {
    const geometry = (await read(`<gml:Curve><gml:segments>${segment}</gml:segments></gml:Curve>`)) as {
      coordinates: number[][];
    };
    const points = geometry.coordinates;
    expect(points.length).toBeGreaterThan(20);
    for (const [x, y] of points) expect(Math.hypot(x, y)).toBeCloseTo(5, 9);
    expect(points[0]).toEqual([5, 0]);
    if (closed) expect(points[points.length - 1]).toEqual([5, 0]);
    // No chord leaves its circle by more than it says: 3 degrees at most.
    for (let k = 1; k < points.length; k++)
      expect(Math.hypot(points[k][0] - points[k - 1][0], points[k][1] - points[k - 1][1])).toBeLessThan(
        2 * 5 * Math.sin((1.51 * Math.PI) / 180),
      );
  });

  it.each([
    ['urn:ogc:def:crs:EPSG::4326', [15, 120], [120, 15], []],
    // Latitude cannot be 120: whoever wrote it put the longitude first all the same.
    ['urn:ogc:def:crs:EPSG::4326', [120, 15], [120, 15], ['axis-order']],
    ['urn:ogc:def:crs:EPSG::25832', [500_000, 5_600_000], [500_000, 5_600_000], []],
    ['urn:ogc:def:crs:EPSG::25832', [5_600_000, 500_000], [500_000, 5_600_000], ['axis-order']],
    ['http://www.opengis.net/def/crs/EPSG/0/3034', [2_700_000, 4_100_000], [4_100_000, 2_700_000], []],
    ['EPSG:25832', [5_600_000, 500_000], [500_000, 5_600_000], ['axis-order']],
  ])('coordinates that contradict their srsName are told: %s, %j', async (srs, pos, expected, told) => {
    const document = `<c:S xmlns:c="urn:c" xmlns:gml="http://www.opengis.net/gml"><gml:featureMember><c:w><c:g><gml:Point srsName="${srs}"><gml:pos>${pos.join(' ')}</gml:pos></gml:Point></c:g></c:w></gml:featureMember></c:S>`;
    const [layer] = await open({ 'w.gml': encode(document) });
    expect((await everything(layer)).geometries).toEqual([{ type: 'Point', coordinates: expected }]);
    expect(layer.findings.map((finding) => finding.code)).toEqual(told);
  });

  it('types of a schema beside it go before what values look like', async () => {
    const schema = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"><xs:element name="w" type="c:wType"/><xs:complexType name="wType"><xs:complexContent><xs:extension base="gml:AbstractFeatureType"><xs:sequence><xs:element name="code" type="xs:string"/><xs:element name="share"><xs:simpleType><xs:restriction base="xs:decimal"/></xs:simpleType></xs:element><xs:element name="never" type="xs:date"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType></xs:schema>`;
    const document = encode(
      '<c:S xmlns:c="urn:c" xmlns:gml="http://www.opengis.net/gml"><gml:featureMember><c:w><c:code>12</c:code><c:share>7</c:share></c:w></gml:featureMember></c:S>',
    );
    const [typed] = await open({ 'w.gml': document, 'w.xsd': encode(schema) });
    expect(typed.schema.map((field) => [field.name, field.type])).toEqual([
      ['code', 'text'],
      ['share', 'real'],
      ['never', 'date'],
    ]);
    const [guessed] = await open({ 'w.gml': document, 'w.xsd': encode('<broken') });
    expect(guessed.schema.map((field) => [field.name, field.type])).toEqual([
      ['code', 'integer'],
      ['share', 'integer'],
    ]);
  });
});
