import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { afterAll, describe, expect, it } from 'vitest';
import {
  Batch,
  type Box,
  batchLimit,
  ColumnBuilder,
  crsByEpsg,
  crsFromText,
  type Field,
  type GeometryObject,
  geometriesFrom,
  type Layer,
  layerOf,
  tableOf,
} from '../../src/core/index.ts';
import { hilbertNumber, orderOf } from '../../src/formats/geometry/hilbert.ts';
import { type ByteSource, openSource, sourceFromBytes } from '../../src/formats/index.ts';
import { createDatabase, openOne, openPath, saverFor } from '../../src/node/index.ts';
import { everything, now, openFiles, partsOf, saved, savedAndOpened } from '../support/saved.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-binary-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (...parts: string[]) => join(folder, ...parts);
const alone = { around: null, path: 'x', capabilities: {} };

/** Points on a grid of `side` by `side`, one unit apart, numbered row by row. */
function grid(side: number, crs = crsByEpsg(4326)!): Layer {
  const batches: Batch[] = [];
  const count = side * side;
  for (let from = 0; from < count; from += batchLimit) {
    const length = Math.min(batchLimit, count - from);
    const no = new ColumnBuilder('integer');
    const points: GeometryObject[] = [];
    for (let k = from; k < from + length; k++) {
      no.number(k);
      points.push({ type: 'Point', coordinates: [(k % side) / 8, Math.floor(k / side) / 8] });
    }
    batches.push(
      new Batch({ length, first: from, geometry: geometriesFrom(points), columns: [no.finish()] }),
    );
  }
  return layerOf({ name: 'grid', schema: [{ name: 'no', type: 'integer' }], crs, batches, kinds: ['Point'] });
}

function counting(bytes: Uint8Array, name: string): ByteSource & { read: number } {
  const inner = sourceFromBytes(bytes, name);
  const source = {
    ...inner,
    read: 0,
    async bytes(start: number, end: number) {
      const part = await inner.bytes(start, end);
      source.read += part.length;
      return part;
    },
  };
  return source;
}

async function numbersIn(layer: Layer, box?: Box): Promise<number[]> {
  const found: number[] = [];
  for await (const batch of layer.batches(box === undefined ? undefined : { box })) {
    for (let i = 0; i < batch.length; i++) {
      const [x, y] = batch.geometry!.xy.subarray(2 * i, 2 * i + 2);
      if (box === undefined || (x >= box[0] && x <= box[2] && y >= box[1] && y <= box[3]))
        found.push(batch.columns[0].number(i));
    }
  }
  return found.sort((a, b) => a - b);
}

describe('reading by box', () => {
  const side = 200;
  it.each(['x.fgb', 'x.parquet'])('%s finds every feature and touches only what it must', async (name) => {
    const { files } = await saved(name, [grid(side)]);
    const bytes = files.get(name)!;
    const source = counting(bytes, name);
    const [{ table }] = await openSource(source, alone);
    const layer = table as Layer;
    expect(layer.readsByBox).toBe(true);
    const opened = source.read;
    const box: Box = [5, 5, 6, 6];
    const expected = Array.from({ length: side * side }, (_, k) => k).filter((k) => {
      const [x, y] = [(k % side) / 8, Math.floor(k / side) / 8];
      return x >= 5 && x <= 6 && y >= 5 && y <= 6;
    });
    expect(await numbersIn(layer, box)).toEqual(expected);
    // 81 of 40,000 features; the row groups of Parquet are coarser than the nodes of the index.
    expect(source.read - opened).toBeLessThan(bytes.length * (name === 'x.fgb' ? 0.05 : 0.6));
    expect(await numbersIn(layer, [900, 900, 901, 901])).toEqual([]);
    expect((await numbersIn(layer)).length).toBe(side * side);
  });

  it('FlatGeobuf: any boxes, the same as by looking at all', async () => {
    const { files } = await saved('x.fgb', [grid(60)]);
    const [{ table }] = await openSource(sourceFromBytes(files.get('x.fgb')!, 'x.fgb'), alone);
    const side = fc.integer({ min: -8, max: 68 }).map((v) => v / 8);
    await fc.assert(
      fc.asyncProperty(side, side, side, side, async (a, b, c, d) => {
        const box: Box = [Math.min(a, c), Math.min(b, d), Math.max(a, c), Math.max(b, d)];
        const all = await numbersIn(table as Layer);
        const expected = all.filter((k) => {
          const [x, y] = [(k % 60) / 8, Math.floor(k / 60) / 8];
          return x >= box[0] && x <= box[2] && y >= box[1] && y <= box[3];
        });
        expect(await numbersIn(table as Layer, box)).toEqual(expected);
      }),
      { numRuns: 40 },
    );
  });

  it('the Hilbert curve goes from each cell to a neighbour, and through all of them once', () => {
    const side = 32;
    const cells = Array.from({ length: side * side }, (_, k) => [k % side, Math.floor(k / side)]);
    // The first 32 by 32 cells are the first 1024 numbers of the curve.
    const numbers = cells.map(([x, y]) => hilbertNumber(x, y));
    const order = orderOf(Uint32Array.from(numbers));
    for (let k = 1; k < order.length; k++) {
      const [a, b] = [cells[order[k - 1]], cells[order[k]]];
      expect(Math.abs(a[0] - b[0]) + Math.abs(a[1] - b[1])).toBe(1);
    }
    expect(new Set(numbers).size).toBe(side * side);
  });

  it('sorts any keys as they should stand, equal ones in their order', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 2 ** 32 - 1 }), { maxLength: 60 }), (keys) => {
        const expected = keys.map((_, k) => k).sort((a, b) => keys[a] - keys[b] || a - b);
        expect([...orderOf(Uint32Array.from(keys))]).toEqual(expected);
      }),
    );
  });
});

describe('FlatGeobuf', () => {
  it('keeps titles, dates, measures, kinds and a CRS without a code', async () => {
    const crs = crsFromText(
      readFileSync(new URL('../../demo/data/teskaria-grid.wkt', import.meta.url), 'utf8'),
    );
    const day = new ColumnBuilder('date');
    day.number(19_000);
    const schema: Field[] = [
      { name: 'day', type: 'date', title: 'Day of the visit', description: 'as told' },
    ];
    const geometry = geometriesFrom([
      {
        type: 'LineString',
        coordinates: [
          [1, 2],
          [3, 4],
        ],
      },
    ]);
    const measured = new Batch({
      length: 1,
      first: 0,
      geometry: new (geometry.constructor as new (b: object) => typeof geometry)({
        ...geometry.buffers(),
        m: Float64Array.of(0.5, 1.5),
      }),
      columns: [day.finish()],
    });
    const [{ table }] = await savedAndOpened('x.fgb', [
      layerOf({ name: 'walks', schema, crs, batches: [measured] }),
    ]);
    const layer = table as Layer;
    expect(layer.schema).toEqual(schema);
    expect(layer.kinds).toEqual(['LineString']);
    expect(layer.name).toBe('walks');
    expect(layer.crs?.name).toBe(crs.name);
    expect(layer.extent).toEqual([1, 2, 3, 4]);
    const { rows, measures } = await everything(layer);
    expect(rows).toEqual([['2022-01-08']]);
    expect(measures).toEqual([[0.5, 1.5]]);
  });

  it('says what is cut, of another version, or claims too much', async () => {
    const { files } = await saved('x.fgb', [grid(20)]);
    const good = files.get('x.fgb')!;
    const read = async (bytes: Uint8Array) => {
      for (const { table } of await openFiles(new Map([['x.fgb', bytes]]))) await everything(table);
    };
    for (const share of [0.001, 0.02, 0.3, 0.7, 0.999])
      await expect(read(good.subarray(0, Math.floor(share * good.length)))).rejects.toMatchObject({
        code: expect.stringMatching(/flatgeobuf-damaged|format-unknown/),
      });
    const old = good.slice();
    old[3] = 2;
    await expect(read(old)).rejects.toMatchObject({ code: 'flatgeobuf-version' });
    const huge = good.slice();
    new DataView(huge.buffer).setUint32(8, 0x7fffffff, true);
    await expect(read(huge)).rejects.toMatchObject({ code: 'flatgeobuf-damaged' });
  });
});

describe('GeoParquet', () => {
  it('is written in row groups by place, with boxes, kinds, and the CRS as PROJJSON', async () => {
    const crs = crsByEpsg(32626)!;
    const { files } = await saved('x.parquet', [grid(150, crs)]);
    const [{ table }] = await openFiles(files);
    const layer = table as Layer;
    expect(layer.crs?.code).toBe('EPSG:32626');
    expect(layer.kinds).toEqual(['Point']);
    expect(layer.extent).toEqual([0, 0, 149 / 8, 149 / 8]);
    expect(layer.schema).toEqual([{ name: 'no', type: 'integer' }]);
    expect(await numbersIn(layer)).toEqual(Array.from({ length: 22_500 }, (_, k) => k));
  });

  it('reads plain Parquet of other writers as a table, whatever its columns', async () => {
    const bytes = new Uint8Array(
      parquetWriteBuffer({
        columnData: [
          { name: 'code', data: ['007', null, 'x'], type: 'STRING' },
          { name: 'n', data: [1n, 2n ** 60n, null] as never, type: 'INT64' },
          { name: 'share', data: [0.5, 1e300, null] as never, type: 'DOUBLE' },
          { name: 'flag', data: [true, false, null] as never, type: 'BOOLEAN' },
          { name: 'at', data: [new Date(0), new Date(1e12), null] as never, type: 'TIMESTAMP' },
          { name: 'more', data: [{ a: [1, 2] }, 'text', null] as never, type: 'JSON' },
        ],
      }),
    );
    const [{ table, format }] = await openFiles(new Map([['x.dat', bytes]]));
    expect(format).toBe('geoparquet');
    expect(table.schema.map((field) => [field.name, field.type])).toEqual([
      ['code', 'text'],
      ['n', 'text'],
      ['share', 'real'],
      ['flag', 'boolean'],
      ['at', 'timestamp'],
      ['more', 'json'],
    ]);
    const { rows } = await everything(table);
    expect(rows).toEqual([
      ['007', '1', 0.5, true, '1970-01-01T00:00:00Z', { a: [1, 2] }],
      [null, '1152921504606846976', 1e300, false, '2001-09-09T01:46:40Z', 'text'],
      ['x', null, null, null, null, null],
    ]);
    // Whole numbers that doubles do not hold stay text, to the last digit; where the file does not say that there are
    // any, they are told, not bent.
    expect(table.findings).toEqual([]);
    const silent = new Uint8Array(
      parquetWriteBuffer({
        columnData: [{ name: 'n', data: [1n, 2n ** 53n, null] as never, type: 'INT64' }],
        statistics: false,
      }),
    );
    const [{ table: plain }] = await openFiles(new Map([['x.parquet', silent]]));
    expect((await everything(plain)).rows).toEqual([[1], [null], [null]]);
    expect(plain.findings.map((finding) => finding.code)).toEqual(['value-unreadable']);
  });

  it('dates that are beyond every calendar are read and written as they are', async () => {
    const bytes = new Uint8Array(
      parquetWriteBuffer({
        columnData: [
          { name: 'day', data: new Int32Array([0, 2_147_483_647, -2_147_483_648]) },
          { name: 'at', data: [0n, 2n ** 62n, -(2n ** 62n)] },
        ],
        schema: [
          { name: 'root', num_children: 2 },
          { name: 'day', type: 'INT32', repetition_type: 'REQUIRED', converted_type: 'DATE' },
          {
            name: 'at',
            type: 'INT64',
            repetition_type: 'REQUIRED',
            logical_type: { type: 'TIMESTAMP', isAdjustedToUTC: true, unit: 'MICROS' },
          },
        ],
      }),
    );
    const [{ table }] = await openFiles(new Map([['x.parquet', bytes]]));
    expect(table.schema.map((field) => field.type)).toEqual(['date', 'timestamp']);
    const { rows } = await everything(table);
    expect(rows.map(([day]) => day)).toEqual(['1970-01-01', '+5881580-07-11', '-5877641-06-23']);
    expect(String(rows[1][1])).toMatch(/^\+148108-/);
    for (const name of ['x.csv', 'x.xlsx', 'x.parquet', 'x.dbf'])
      expect((await saved(name, [table])).files.size, name).toBeGreaterThan(0);
    const [again] = await openFiles((await saved('x.xlsx', [table])).files);
    expect((await everything(again.table)).rows[1][0]).toBe('+5881580-07-11');
  });

  it('says what is damaged', async () => {
    const { files } = await saved('x.parquet', [grid(10)]);
    const good = files.get('x.parquet')!;
    const read = async (bytes: Uint8Array) => {
      for (const { table } of await openFiles(new Map([['x.parquet', bytes]]))) await everything(table);
    };
    await expect(read(good.subarray(0, good.length - 5))).rejects.toMatchObject({ code: 'parquet-damaged' });
    const bent = good.slice();
    bent.fill(0xff, 40, 90);
    await expect(read(bent)).rejects.toMatchObject({
      code: expect.stringMatching(/parquet-damaged|wkb-damaged/),
    });
  });

  it('keeps a table a table', async () => {
    const name = new ColumnBuilder('text');
    name.text('a');
    const table = tableOf({
      name: 't',
      schema: [{ name: 'name', type: 'text', title: 'Name', unit: 'm' }],
      batches: [new Batch({ length: 1, first: 0, geometry: null, columns: [name.finish()] })],
    });
    const [opened] = await savedAndOpened('t.parquet', [table]);
    expect('crs' in opened.table).toBe(false);
    expect(opened.table.schema).toEqual([{ name: 'name', type: 'text', title: 'Name', unit: 'm' }]);
  });
});

describe('TopoJSON', () => {
  const topology = {
    type: 'Topology',
    transform: { scale: [0.5, 0.25], translate: [10, 20] },
    arcs: [
      [
        [0, 0],
        [2, 0],
        [0, 4],
      ],
      [
        [2, 4],
        [-2, 0],
        [0, -4],
      ],
      [
        [4, 4],
        [0, 4],
      ],
    ],
    objects: {
      wards: {
        type: 'GeometryCollection',
        geometries: [
          { type: 'Polygon', id: 7, properties: { code: '007', n: 1.5 }, arcs: [[0, 1]] },
          { type: 'MultiLineString', properties: { code: 'x', n: null }, arcs: [[2], [-3]] },
          { type: 'Point', coordinates: [2, 4] },
          { type: null },
        ],
      },
      one: { type: 'LineString', arcs: [0, 1] },
    },
  };
  const read = (value: unknown) =>
    openFiles(new Map([['x.json', new TextEncoder().encode(JSON.stringify(value))]]));

  it('reads objects as layers: quantized, reversed and joined arcs, ids, properties', async () => {
    const opened = await read(topology);
    expect(opened.map(({ table, format }) => [table.name, format, table.count])).toEqual([
      ['wards', 'topojson', 4],
      ['one', 'topojson', 1],
    ]);
    const { geometries, rows, ids } = await everything(opened[0].table);
    expect(geometries).toEqual([
      {
        type: 'Polygon',
        coordinates: [
          [
            [10, 20],
            [11, 20],
            [11, 21],
            [10, 21],
            [10, 20],
          ],
        ],
      },
      {
        type: 'MultiLineString',
        coordinates: [
          [
            [12, 21],
            [12, 22],
          ],
          [
            [12, 22],
            [12, 21],
          ],
        ],
      },
      { type: 'Point', coordinates: [11, 21] },
      null,
    ]);
    expect(rows).toEqual([
      ['007', 1.5],
      ['x', null],
      [null, null],
      [null, null],
    ]);
    expect(ids[0]).toBe(7);
  });

  it('says which arc is not there', async () => {
    const bad = structuredClone(topology);
    bad.objects.one.arcs = [9];
    const [, { table }] = await read(bad);
    await expect(everything(table)).rejects.toMatchObject({
      code: 'topojson-damaged',
      message: 'There is no arc 9.',
    });
  });

  it('writes a border that two areas share as one arc', async () => {
    const squares: GeometryObject[] = [0, 1, 2].map((k) => ({
      type: 'Polygon',
      coordinates: [
        [
          [k, 0],
          [k + 1, 0],
          [k + 1, 0.5],
          [k + 1, 1],
          [k, 1],
          [k, 0.5],
          [k, 0],
        ],
      ],
    }));
    const island: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [9, 9],
          [10, 9],
          [10, 10],
          [9, 9],
        ],
      ],
    };
    const layer = layerOf({
      name: 'squares',
      schema: [],
      crs: crsByEpsg(4326)!,
      batches: [
        new Batch({
          length: 5,
          first: 0,
          geometry: geometriesFrom([...squares, island, island]),
          columns: [],
        }),
      ],
    });
    const { files } = await saved('x.topojson', [layer]);
    const document = JSON.parse(new TextDecoder().decode(files.get('x.topojson'))) as {
      arcs: number[][][];
      objects: { squares: { geometries: { arcs: number[][] }[] } };
    };
    // Two borders within, the outside of the ends and of the middle in two halves, and one island for both.
    const used = document.objects.squares.geometries.flatMap(({ arcs }) =>
      arcs.flat().map((a) => (a < 0 ? ~a : a)),
    );
    const times = document.arcs.map((_, a) => used.filter((each) => each === a).length);
    expect(times.filter((n) => n === 2).length).toBe(3);
    expect(Math.max(...times)).toBe(2);
    const vertical = document.arcs.filter((arc) => arc.every(([x]) => x === 1));
    expect(vertical).toHaveLength(1);
    const [{ table }] = await openFiles(files);
    const { geometries } = await everything(table);
    expect(geometries.map((each) => partsOf(each))).toEqual(
      [...squares, island, island].map((each) => partsOf(each)),
    );
  });
});

describe('GeoPackage', () => {
  const path = at('study.gpkg');
  const points = (name: string, count: number) =>
    layerOf({
      name,
      schema: [],
      crs: crsByEpsg(32626)!,
      kinds: ['Point'],
      batches: [
        new Batch({
          length: count,
          first: 0,
          geometry: geometriesFrom(
            Array.from({ length: count }, (_, k) => ({ type: 'Point', coordinates: [k, k] })),
          ),
          columns: [],
        }),
      ],
    });
  const sqlite = (sql: string) => execFileSync('sqlite3', [path, sql], { encoding: 'utf8' }).trim();

  it('takes further layers, and puts a new one in place of an old one; sqlite3 finds it sound', async () => {
    await saverFor(path).save([points('a', 3), points('b', 200)], path, now);
    await saverFor(path).save([points('c', 5)], path, now, { add: true });
    await expect(saverFor(path).save([points('B', 7)], path, now, { add: true })).rejects.toMatchObject({
      code: 'layer-exists',
    });
    await saverFor(path).save([points('b', 7)], path, now, { add: true, replace: true });
    expect((await openPath(path)).map(({ table }) => [table.name, table.count])).toEqual([
      ['a', 3],
      ['c', 5],
      ['b', 7],
    ]);
    expect(
      sqlite('PRAGMA integrity_check; PRAGMA foreign_key_check; PRAGMA user_version; PRAGMA application_id'),
    ).toBe('ok\n10400\n1196444487');
    for (const name of ['a', 'b', 'c']) expect(sqlite(`SELECT rtreecheck('rtree_${name}_geom')`)).toBe('ok');
    expect(sqlite('SELECT count(*) FROM rtree_b_geom WHERE minx BETWEEN 2 AND 4')).toBe('3');
    expect(sqlite('SELECT count(*) FROM gpkg_spatial_ref_sys')).toBe('4');
    expect(sqlite("SELECT count(*) FROM sqlite_master WHERE tbl_name='b' AND type='trigger'")).toBe('6');
    // Others may read it.
    expect(statSync(path).mode & 0o444).toBe(0o444);
  });

  it('adds to nothing but a GeoPackage, and leaves what is there as it was', async () => {
    const other = at('other.gpkg');
    const database = createDatabase(other);
    database.exec('CREATE TABLE t (a)');
    database.close();
    const before = readFileSync(other);
    await expect(saverFor(other).save([points('a', 1)], other, now, { add: true })).rejects.toMatchObject({
      code: 'geopackage-incomplete',
    });
    expect(readFileSync(other).equals(before)).toBe(true);
    await expect(
      saverFor('x.geojson').save([points('a', 1)], at('x.geojson'), now, { add: true }),
    ).rejects.toMatchObject({ code: 'add-unsupported' });
  });

  it('calls layers of one name apart, and says so', async () => {
    const file = at('twice.gpkg');
    const accounts = await saverFor(file).save([points('a', 1), points('A', 2)], file, now);
    expect(accounts[1].notes.join(' ')).toContain('this one is called A_2');
    expect((await openOne(file, 'A_2')).table.count).toBe(2);
  });

  it('reads geometry blobs with every kind of envelope and in both byte orders', async () => {
    const file = at('envelopes.gpkg');
    await saverFor(file).save([points('a', 1)], file, now);
    for (const [kind, doubles] of [0, 4, 6, 6, 8].entries()) {
      for (const little of [true, false]) {
        const blob = new DataView(new ArrayBuffer(8 + 8 * doubles + 21));
        blob.setUint16(0, 0x4750);
        blob.setUint8(3, (kind << 1) | (little ? 1 : 0));
        blob.setInt32(4, 32626, little);
        const from = 8 + 8 * doubles;
        blob.setUint8(from, little ? 1 : 0);
        blob.setUint32(from + 1, 1, little);
        blob.setFloat64(from + 5, 3.5, little);
        blob.setFloat64(from + 13, -4.25, little);
        const hex = Buffer.from(blob.buffer).toString('hex');
        execFileSync('sqlite3', [
          file,
          `DROP TRIGGER IF EXISTS rtree_a_geom_update2; DROP TRIGGER IF EXISTS rtree_a_geom_update1; DROP TRIGGER IF EXISTS rtree_a_geom_update3; DROP TRIGGER IF EXISTS rtree_a_geom_update4; UPDATE a SET geom=x'${hex}'`,
        ]);
        const { geometries } = await everything((await openOne(file)).table);
        expect(geometries).toEqual([{ type: 'Point', coordinates: [3.5, -4.25] }]);
      }
    }
  });

  it('keeps features without geometry out of the index, also where another ends the Hilbert curve', async () => {
    const file = at('blank.gpkg');
    const geometries: (GeometryObject | null)[] = [null, { type: 'MultiPoint', coordinates: [] }];
    for (const x of [0, 5, 10])
      for (const y of [0, 5, 10]) geometries.push({ type: 'Point', coordinates: [x, y] }, null);
    const batch = new Batch({
      length: geometries.length,
      first: 0,
      geometry: geometriesFrom(geometries),
      columns: [],
    });
    const layer = layerOf({ name: 'a', schema: [], crs: crsByEpsg(4326)!, batches: [batch] });
    await saverFor(file).save([layer], file, now);
    const ask = (sql: string) => execFileSync('sqlite3', [file, sql], { encoding: 'utf8' }).trim();
    expect(ask("SELECT rtreecheck('rtree_a_geom')")).toBe('ok');
    expect(ask('SELECT count(*) FROM rtree_a_geom')).toBe('9');
    expect(ask('SELECT count(*) FROM rtree_a_geom WHERE minx >= 9 AND maxy <= 1')).toBe('1');
  });

  it('reads a CRS that only the extension for WKT 2 defines', async () => {
    const file = at('wkt2.gpkg');
    await saverFor(file).save([points('a', 1)], file, now);
    const wkt2 =
      'GEOGCRS["NAD83",DATUM["North American Datum 1983",ELLIPSOID["GRS 1980",6378137,298.257222101]],CS[ellipsoidal,2],AXIS["lat",north],AXIS["lon",east],ANGLEUNIT["degree",0.0174532925199433]]';
    execFileSync('sqlite3', [
      file,
      `ALTER TABLE gpkg_spatial_ref_sys ADD COLUMN definition_12_063 TEXT; UPDATE gpkg_spatial_ref_sys SET organization='NONE', definition='undefined', definition_12_063='${wkt2}' WHERE srs_id=32626`,
    ]);
    const { table } = await openOne(file);
    expect((table as Layer).crs?.code).toBe('EPSG:4269');
  });

  it('does not half-write when a layer breaks in the middle', async () => {
    const broken: Layer = {
      ...points('a', 1),
      // biome-ignore lint/correctness/useYield: it breaks before the first batch
      async *batches() {
        throw new Error('broken');
      },
    };
    const file = at('never.gpkg');
    writeFileSync(file, 'as it was');
    await expect(saverFor(file).save([broken], file, now)).rejects.toThrowError('broken');
    expect(readFileSync(file, 'utf8')).toBe('as it was');
  });
});
