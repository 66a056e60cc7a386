import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  Batch,
  ColumnBuilder,
  crsByEpsg,
  GeometryMaker,
  geometriesFrom,
  geometryObject,
  IsomericError,
  type Layer,
  layerOf,
  type Table,
  tableOf,
} from '../../src/core/index.ts';
import { layerFromColumns, readWktText, WkbWriter, wktText } from '../../src/formats/index.ts';
import { anyGeometry } from '../support/arbitrary.ts';
import { everything, openFiles, partsOf, saved } from '../support/saved.ts';

const csv = async (text: string, geometry?: string): Promise<Layer | Table> =>
  (await openFiles(new Map([['t.csv', new TextEncoder().encode(text)]]), { geometry }))[0].table;
const codes = (table: Table) => table.findings.map((finding) => finding.code);
const read = (text: string) => {
  const builder = new GeometryMaker();
  readWktText(text, builder, 'x');
  return builder.finish();
};

describe('well-known text', () => {
  it('comes back as it was written', () => {
    fc.assert(
      fc.property(
        anyGeometry().filter((each) => each !== null),
        (geometry) => {
          const array = geometriesFrom([geometry]);
          const back = read(wktText(array, 0)!);
          expect(partsOf(geometryObject(back, 0))).toEqual(partsOf(geometry));
          expect(back.kind[0]).toBe(array.kind[0]);
        },
      ),
    );
  });

  it.each([
    ['POINT(1 2)', { type: 'Point', coordinates: [1, 2] }],
    [' srid=4326; point z ( 1 -2.5e1 3 ) '.replace('; ', ';'), { type: 'Point', coordinates: [1, -25, 3] }],
    ['POINTZ (1 2 3)', { type: 'Point', coordinates: [1, 2, 3] }],
    ['POINT (1 2 3)', { type: 'Point', coordinates: [1, 2, 3] }],
    ['POINT M (1 2 3)', { type: 'Point', coordinates: [1, 2] }],
    [
      'MULTIPOINT (1 2, 3 4)',
      {
        type: 'MultiPoint',
        coordinates: [
          [1, 2],
          [3, 4],
        ],
      },
    ],
    [
      'MULTIPOINT ((1 2), (3 4))',
      {
        type: 'MultiPoint',
        coordinates: [
          [1, 2],
          [3, 4],
        ],
      },
    ],
    ['MultiLineString Empty', { type: 'MultiLineString', coordinates: [] }],
    [
      'GEOMETRYCOLLECTION (POINT (1 2), GEOMETRYCOLLECTION (LINESTRING (0 0, 1 1)))',
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
  ])('%s', (text, expected) => {
    expect(geometryObject(read(text), 0)).toEqual(expected);
  });

  it('with measures', () => {
    const array = read('LINESTRING ZM (0 0 5 1, 1 1 6 2)');
    expect([...array.z!]).toEqual([5, 6]);
    expect([...array.m!]).toEqual([1, 2]);
    expect(wktText(array, 0)).toBe('LINESTRING ZM (0 0 5 1, 1 1 6 2)');
  });

  it.each([
    '',
    'POINT',
    'POINT (1)',
    'POINT (1 2',
    'POINT (1 2) x',
    'CURVE (1 2)',
    'POLYGON (1 2)',
    'POINT (a b)',
  ])('damage is told with its place: “%s”', (text) => {
    expect(() => read(text)).toThrowError(IsomericError);
  });

  it('survives any text', () => {
    const words = fc.constantFrom(
      'POINT',
      'POLYGON',
      'Z',
      'EMPTY',
      '(',
      ')',
      ',',
      '1',
      '-2.5',
      ' ',
      'SRID=1;',
      'GEOMETRYCOLLECTION',
    );
    fc.assert(
      fc.property(fc.array(words, { maxLength: 14 }), (parts) => {
        try {
          read(parts.join(''));
        } catch (error) {
          expect(error).toBeInstanceOf(IsomericError);
        }
      }),
    );
  });
});

describe('geometry in the columns of a table', () => {
  it('longitude and latitude by their names, when they are degrees', async () => {
    const layer = (await csv('name,Lon,LAT\na,-29.5,45.5\nb,,\nc,-29,\n')) as Layer;
    expect(layer.crs?.code).toBe('EPSG:4326');
    const { geometries, names } = await everything(layer);
    expect(names).toEqual(['name', 'Lon', 'LAT']);
    expect(geometries).toEqual([{ type: 'Point', coordinates: [-29.5, 45.5] }, null, null]);
    expect(codes(layer)).toEqual(['geometry-from-columns', 'geometry-damaged']);
    expect('crs' in (await csv('lon,lat\n500000,4500000\n'))).toBe(false);
    expect('crs' in (await csv('lon,lat\n1,2\n', 'none'))).toBe(false);
  });

  it('x and y, WKT, EWKT and WKB in hexadecimal', async () => {
    const plane = (await csv('x,y\n500000,4500000\n')) as Layer;
    expect(plane.crs).toBe(null);
    expect(codes(plane)).toEqual(['geometry-from-columns', 'crs-missing']);
    const wkb = new WkbWriter();
    const point = Buffer.from(
      wkb.write(geometriesFrom([{ type: 'Point', coordinates: [1, 2] }]), 0),
    ).toString('hex');
    const ewkb = `0101000020e6100000${point.slice(10)}`;
    for (const [text, crs] of [
      ['the_geom,n\n"POINT (1 2)",7\n', null],
      ['wkt,n\nSRID=32626;POINT(1 2),7\n', 'EPSG:32626'],
      [`geom,n\n${point},7\n`, null],
      [`geom,n\n${ewkb.toUpperCase()},7\n`, 'EPSG:4326'],
    ] as const) {
      const layer = (await csv(text)) as Layer;
      const { geometries, names, rows } = await everything(layer);
      expect([names, rows, geometries, layer.crs?.code ?? null]).toEqual([
        ['n'],
        [[7]],
        [{ type: 'Point', coordinates: [1, 2] }],
        crs,
      ]);
    }
  });

  it('as asked, with an error for what is none', async () => {
    const layer = (await csv('east_m,north_m\n1,2\n', 'east_m, north_m')) as Layer;
    expect((await everything(layer)).geometries).toEqual([{ type: 'Point', coordinates: [1, 2] }]);
    await expect(csv('a,b\n1,x\n', 'a, b')).rejects.toMatchObject({ code: 'geometry-column' });
    await expect(csv('a,b\n1,x\n', 'b')).rejects.toMatchObject({ code: 'geometry-column' });
    await expect(csv('a,b\n1,x\n', 'c')).rejects.toMatchObject({ code: 'field-unknown' });
  });

  it('rows whose text is damaged are kept without, counted, and the first is told', async () => {
    const layer = (await csv('id;wkt\n1;POINT (1 2)\n2;POINT (1\n3;nothing\n')) as Layer;
    expect((await everything(layer)).geometries).toEqual([
      { type: 'Point', coordinates: [1, 2] },
      null,
      null,
    ]);
    const finding = layer.findings.find(({ code }) => code === 'geometry-damaged')!;
    expect(finding.words).toContain('2 rows have no readable geometry');
    expect(finding.words).toContain('row 2');
  });

  it('in a column of bytes, of any table', async () => {
    const blobs = new ColumnBuilder('bytes');
    const bytes = new WkbWriter().write(geometriesFrom([{ type: 'Point', coordinates: [3, 4] }]), 0);
    blobs.raw(bytes, 0, bytes.length);
    const table = tableOf({
      name: 't',
      schema: [{ name: 'shape', type: 'bytes' }],
      batches: [new Batch({ length: 1, first: 0, geometry: null, columns: [blobs.finish()] })],
    });
    const layer = await layerFromColumns(table);
    expect((await everything(layer!)).geometries).toEqual([{ type: 'Point', coordinates: [3, 4] }]);
  });

  it('CSV is written with points in columns and all else as WKT, and comes back', async () => {
    const layer = (kinds: Layer['kinds'], geometries: Parameters<typeof geometriesFrom>[0], crs = 4326) =>
      layerOf({
        name: 't',
        schema: [],
        crs: crsByEpsg(crs)!,
        kinds,
        batches: [
          new Batch({
            length: geometries.length,
            first: 0,
            geometry: geometriesFrom(geometries),
            columns: [],
          }),
        ],
      });
    const points = await saved('t.csv', [
      layer(['Point'], [{ type: 'Point', coordinates: [-29, 45] }, null]),
    ]);
    expect(new TextDecoder().decode(points.files.get('t.csv'))).toBe(
      'longitude,latitude\r\n-29,45\r\n"",\r\n',
    );
    const lines = await saved('t.tsv', [
      layer(
        ['LineString'],
        [
          {
            type: 'LineString',
            coordinates: [
              [0, 0],
              [1, 1],
            ],
          },
        ],
        32626,
      ),
    ]);
    expect(new TextDecoder().decode(lines.files.get('t.tsv'))).toBe('wkt\r\nLINESTRING (0 0, 1 1)\r\n');
    expect(lines.notes[0]).toContain('the file cannot say that its CRS is EPSG:32626');
    const [{ table }] = await openFiles(points.files);
    expect((await everything(table)).geometries).toEqual([{ type: 'Point', coordinates: [-29, 45] }, null]);
  });
});
