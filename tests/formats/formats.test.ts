import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import {
  Batch,
  crsByEpsg,
  type Field,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  IsomericError,
  type Layer,
  layerOf,
  tableOf,
  type Value,
} from '../../src/core/index.ts';
import {
  type ByteSource,
  openSource,
  sourceFromBytes,
  surroundingsOf,
  writeDelimited,
  writeGeojson,
} from '../../src/formats/index.ts';
import { openOne, openPath, saverFor } from '../../src/node/index.ts';
import { anyGeometry, anyRows } from '../support/arbitrary.ts';
import { dbaseBytes, shapeBytes } from '../support/hand-made.ts';
import { everything } from '../support/saved.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-formats-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const wgs84 = crsByEpsg(4326)!;
const bytesOf = (text: string) => new TextEncoder().encode(text);
const alone = { around: null, path: 'x', capabilities: {} };
const open = async (text: string, name = 'x.geojson') =>
  (await openSource(sourceFromBytes(bytesOf(text), name), alone))[0].table as Layer;

/** The same bytes in chunks of a few bytes, so that every boundary falls inside something. */
function choppy(bytes: Uint8Array, step: number, name = 'x'): ByteSource {
  return {
    ...sourceFromBytes(bytes, name),
    async *stream() {
      for (let at = 0; at < bytes.length; at += step) yield bytes.slice(at, at + step);
    },
  };
}

async function textOf(chunks: AsyncIterable<Uint8Array>): Promise<string> {
  const decoder = new TextDecoder();
  let text = '';
  for await (const chunk of chunks) text += decoder.decode(chunk, { stream: true });
  return text;
}

const layerFrom = (fields: Field[], columns: Batch['columns'], geometries: (GeometryObject | null)[]) =>
  layerOf({
    name: 'things',
    schema: fields,
    crs: wgs84,
    batches: [
      new Batch({ length: geometries.length, first: 0, geometry: geometriesFrom(geometries), columns }),
    ],
  });

describe('GeoJSON', () => {
  it('reads what JSON.parse reads, in chunks of any size', async () => {
    const properties = fc.dictionary(
      fc.string({ maxLength: 5 }).filter((key) => key !== ''),
      fc.oneof(
        fc.string({ unit: 'grapheme' }),
        fc.maxSafeInteger(),
        fc.double({ noNaN: true, noDefaultInfinity: true }),
        fc.boolean(),
        fc.constant(null),
        fc.array(fc.integer(), { maxLength: 2 }),
      ),
      { maxKeys: 4 },
    );
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(anyGeometry(), properties), { maxLength: 8 }),
        fc.integer({ min: 1, max: 90 }),
        fc.boolean(),
        async (features, step, pretty) => {
          const document = {
            type: 'FeatureCollection',
            features: features.map(([geometry, own]) => ({ type: 'Feature', geometry, properties: own })),
          };
          const bytes = bytesOf(JSON.stringify(document, null, pretty ? 1 : undefined));
          const [{ table }] = await openSource(choppy(bytes, step), alone);
          const read = await everything(table);
          expect(read.geometries).toEqual(features.map(([geometry]) => geometry));
          const names = table.schema.map((field) => field.name);
          features.forEach(([, own], i) => {
            names.forEach((name, c) => {
              const wanted = Object.hasOwn(own, name) ? (own as Record<string, Value>)[name] : null;
              const got = read.rows[i][c];
              if (table.schema[c].type === 'text' && wanted !== null && typeof wanted !== 'string')
                expect(got).toBe(JSON.stringify(wanted));
              else expect(Object.is(got, -0) ? 0 : got).toEqual(Object.is(wanted, -0) ? 0 : wanted);
            });
          });
        },
      ),
      { numRuns: 150 },
    );
  });

  it('reads every number as JSON.parse does, to the last bit', async () => {
    const digits = fc
      .tuple(fc.bigInt({ min: 0n, max: 10n ** 22n }), fc.integer({ min: 0, max: 24 }))
      .map(([n, point]) => {
        const text = n.toString().padStart(point + 1, '0');
        return point === 0 ? text : `${text.slice(0, -point)}.${text.slice(-point)}`;
      });
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.oneof(digits, fc.double({ noNaN: true, noDefaultInfinity: true }).map(String)), {
          minLength: 2,
          maxLength: 40,
        }),
        async (numbers) => {
          const pairs = numbers.slice(0, numbers.length & ~1).map((text) => text.replace('e+', 'e'));
          const positions = pairs.flatMap((x, k) => (k % 2 === 0 ? [`[${x},${pairs[k + 1]}]`] : []));
          const layer = await open(`{"type":"MultiPoint","coordinates":[${positions.join(',')}]}`);
          const { geometries } = await everything(layer);
          expect(geometries[0]).toEqual({
            type: 'MultiPoint',
            coordinates: positions.map((text) => JSON.parse(text)),
          });
        },
      ),
      { numRuns: 300 },
    );
  });

  it('takes the type after the coordinates, ids of both kinds, a crs member, a single feature, foreign members', async () => {
    const layer = await open(
      '{"extra":{"a":[1,"]"]},"features":[{"id":"a1","geometry":{"coordinates":[1,2],"type":"Point"},"properties":null,"type":"Feature"},{"id":7,"type":"Feature","geometry":null,"properties":{"__proto__":"x","n":12345678901234567890}}],"crs":{"type":"name","properties":{"name":"EPSG:32626"}},"type":"FeatureCollection"}',
    );
    const read = await everything(layer);
    expect(layer.crs?.code).toBe('EPSG:32626');
    expect(read.ids).toEqual(['a1', '7']);
    expect(layer.schema.map((field) => [field.name, field.type])).toEqual([
      ['id', 'text'],
      ['__proto__', 'text'],
      ['n', 'text'],
    ]);
    expect(read.rows[1]).toEqual(['x', '12345678901234567890']);
    const single = await everything(
      await open(
        '\uFEFF {"type":"Feature","geometry":{"type":"Point","coordinates":[1,2,3]},"properties":{"a":true}}',
      ),
    );
    expect(single.geometries).toEqual([{ type: 'Point', coordinates: [1, 2, 3] }]);
    expect(single.rows).toEqual([[true]]);
  });

  it('says where it is damaged', async () => {
    const good =
      '{"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"Point","coordinates":[1,2]},"properties":{"a":"b"}}]}';
    for (let cut = 1; cut < good.length; cut++) {
      await expect(open(good.slice(0, cut)), good.slice(0, cut)).rejects.toBeInstanceOf(IsomericError);
    }
    await expect(open(good.replace('[1,2]', '[1;2]')).then(everything)).rejects.toThrowError(/expected/);
    await expect(open(good.replace('[1,2]', '[01,2]')).then(everything)).rejects.toThrowError(
      /begins with 0/,
    );
    await expect(open(`${good} x`)).rejects.toThrowError(/follows the end/);
  });

  it('writes RFC 7946 that reads back the same', async () => {
    await fc.assert(
      fc.asyncProperty(
        anyRows(['integer', 'real', 'text', 'boolean', 'json']),
        fc.infiniteStream(anyGeometry()),
        async ({ fields, rows, columns }, stream) => {
          // Within the longitudes that there are: what reaches beyond is cut.
          const within = (_: string, value: unknown) =>
            Array.isArray(value) && typeof value[0] === 'number' ? value.map((each) => each * 1e-4) : value;
          const geometries = rows.map(() =>
            turned(JSON.parse(JSON.stringify(stream.next().value ?? null), within) as GeometryObject | null),
          );
          const text = await textOf(writeGeojson(layerFrom(fields, columns, geometries)));
          const document = JSON.parse(text);
          expect(document.features.map((f: { geometry: unknown }) => f.geometry)).toEqual(geometries);
          expect(
            document.features.map((f: { properties: Record<string, unknown> }) =>
              fields.map((field) => f.properties[field.name]),
            ),
          ).toEqual(rows);
        },
      ),
      { numRuns: 100 },
    );
  });
});

/** Shells counter-clockwise, holes clockwise: how RFC 7946 has them. */
function turned(object: GeometryObject | null): GeometryObject | null {
  if (object === null) return null;
  const ring = (points: number[][], left: boolean) => {
    let twice = 0;
    const [x0, y0] = points[0];
    for (let k = 0; k + 1 < points.length; k++)
      twice += (points[k][0] - x0) * (points[k + 1][1] - y0) - (points[k + 1][0] - x0) * (points[k][1] - y0);
    return (left ? twice < 0 : twice > 0) ? [...points].reverse() : points;
  };
  const polygon = (rings: number[][][]) => rings.map((points, k) => ring(points, k === 0));
  if (object.type === 'Polygon') return { ...object, coordinates: polygon(object.coordinates) };
  if (object.type === 'MultiPolygon') return { ...object, coordinates: object.coordinates.map(polygon) };
  if (object.type === 'GeometryCollection')
    return { ...object, geometries: object.geometries.map((member) => turned(member)!) };
  return object;
}

describe('GeoPackage', () => {
  it('gives back everything, and a full SQLite finds its R-tree sound', async () => {
    let run = 0;
    await fc.assert(
      fc.asyncProperty(
        anyRows(['integer', 'real', 'text', 'boolean', 'date', 'timestamp', 'bytes', 'json']),
        fc.infiniteStream(anyGeometry()),
        async ({ fields, rows, columns }, stream) => {
          const path = join(folder, `random-${run++}.gpkg`);
          const geometries = rows.map(() => stream.next().value ?? null);
          await saverFor(path).save(
            [layerFrom(fields, columns, geometries)],
            path,
            '2026-01-01T00:00:00.000Z',
          );
          const { table } = await openOne(path);
          const read = await everything(table);
          expect(read.geometries).toEqual(geometries);
          expect(read.rows).toEqual(rows);
          expect((table as Layer).crs?.code).toBe('EPSG:4326');
          if (run % 2 === 0) expect(sqlite(path, "select rtreecheck('rtree_things_geom')")).toBe('ok');
        },
      ),
      { numRuns: 40 },
    );
  });

  it('has an index of several levels that another SQLite program uses, also by box and after an edit', async () => {
    const path = join(folder, 'many.gpkg');
    const geometries = Array.from(
      { length: 9000 },
      (_, k): GeometryObject => ({
        type: 'Point',
        coordinates: [(k % 100) / 3 - 40, Math.floor(k / 100) / 7 + 40],
      }),
    );
    await saverFor(path).save([layerFrom([], [], geometries)], path, '2026-01-01T00:00:00.000Z');
    expect(sqlite(path, "select rtreecheck('rtree_things_geom')")).toBe('ok');
    expect(
      sqlite(
        path,
        'select count(*) from rtree_things_geom where maxx >= -40 and minx <= -39 and maxy >= 40 and miny <= 41',
      ),
    ).toBe('32');
    expect(sqlite(path, 'pragma integrity_check')).toBe('ok');
    expect(sqlite(path, 'pragma foreign_key_check')).toBe('');
    expect(
      sqlite(path, 'delete from rtree_things_geom where id=5; select count(*) from rtree_things_geom'),
    ).toBe('8999');
    const { table } = await openOne(path);
    let seen = 0;
    for await (const batch of table.batches({ box: [-40, 40, -39, 41] })) seen += batch.length;
    expect(seen).toBe(32);
  });

  it('leaves nothing behind when writing fails', async () => {
    const path = join(folder, 'broken.gpkg');
    const broken = {
      ...layerFrom([], [], []),
      async *batches() {
        yield* [];
        throw new IsomericError('test', 'broken');
      },
    } as Layer;
    await expect(saverFor(path).save([broken], path, '2026-01-01T00:00:00.000Z')).rejects.toThrowError(
      'broken',
    );
    expect(execFileSync('ls', [folder]).toString()).not.toContain('broken');
  });
});

function sqlite(path: string, sql: string): string {
  return execFileSync('/usr/bin/sqlite3', [path, sql]).toString().trim();
}

describe('delimited text', () => {
  const read = async (text: string | Uint8Array, step = 7) => {
    const bytes = typeof text === 'string' ? bytesOf(text) : text;
    const [{ table }] = await openSource(choppy(bytes, step, 'x.csv'), alone);
    return { table, ...(await everything(table)) };
  };

  it('works out types over the whole column and keeps codes as text', async () => {
    const { table, rows } = await read(
      'code;n;share;day;ok;long\r\n00123;1;0.5;2024-05-01;true;9007199254740993\r\n00007;;1e3;2024-05-02;FALSE;1\r\n01200;-3;7;;true;2\r\n',
    );
    expect(table.schema.map((field) => field.type)).toEqual([
      'text',
      'integer',
      'real',
      'date',
      'boolean',
      'text',
    ]);
    expect(rows).toEqual([
      ['00123', 1, 0.5, '2024-05-01', true, '9007199254740993'],
      ['00007', null, 1000, '2024-05-02', false, '1'],
      ['01200', -3, 7, null, true, '2'],
    ]);
  });

  it('reads a table of one column when its name says that it is one', async () => {
    const { table, rows } = await read('code\n0101\n0102\n');
    expect(table.schema).toEqual([{ name: 'code', type: 'text', role: 'code' }]);
    expect(rows).toEqual([['0101'], ['0102']]);
    await expect(
      openSource(sourceFromBytes(bytesOf('only words\nand more'), 'x.md'), alone),
    ).rejects.toMatchObject({ code: 'format-unknown' });
  });

  it('reads back what it writes: quotes, line ends, commas, any text', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.array(
            fc.string({
              unit: fc.constantFrom('a', '"', ',', '\n', '\r', ' ', 'é', '7'),
              minLength: 1,
              maxLength: 6,
            }),
            { minLength: 3, maxLength: 3 },
          ),
          { minLength: 1, maxLength: 12 },
        ),
        fc.integer({ min: 1, max: 30 }),
        async (rows, step) => {
          // A word over nothing but figures is a second header row.
          const figure = /^\s*[7,]+\s*$/;
          fc.pre(
            rows.length < 3 ||
              !rows[0].some(
                (cell, c) => !figure.test(cell) && rows.slice(1).every((row) => figure.test(row[c])),
              ),
          );
          const fields: Field[] = ['a', 'b', 'c'].map((name) => ({ name, type: 'text' }));
          const { columnsOf } = await import('../support/hand-made.ts');
          const table = tableOf({
            name: 't',
            schema: fields,
            batches: [new Batch({ length: rows.length, first: 0, geometry: null, columns: columnsOf(rows) })],
          });
          const back = await read(await textOf(writeDelimited(table)), step);
          expect(back.rows.map((row) => row.map(String))).toEqual(
            rows
              .map((row) =>
                row.map((cell) =>
                  /^-?\d+$/.test(cell)
                    ? String(back.table.schema.every((f) => f.type === 'text') ? cell : cell)
                    : cell,
                ),
              )
              .map((row, i) =>
                row.map((cell, c) => (back.table.schema[c].type === 'text' ? cell : String(back.rows[i][c]))),
              ),
          );
        },
      ),
      { numRuns: 200 },
    );
  });

  it('finds other encodings and delimiters, and tells of ragged rows and repeated names', async () => {
    const { table, rows } = await read(
      Uint8Array.from([
        ...bytesOf('name\tname\nM'),
        0xfc,
        ...bytesOf('hle\tx\nb\tc\nd\te\nf\tg\nh\ti\nj\tk\nl\tm\nn\to\np\tq\nx\ty\tz\nz\n'),
      ]),
    );
    expect(rows[0]).toEqual(['Mühle', 'x']);
    expect(table.findings.map((finding) => finding.code).sort()).toEqual([
      'column-twice',
      'encoding-guessed',
      'rows-ragged',
    ]);
    await expect(read('a,b\n1,2\n3,4\n5,6\n7,8\n9,"1\n3,4\n')).rejects.toThrowError(/never closed/);
  });
});

describe('Shapefile', () => {
  const square = (x: number, y: number, size: number, clockwise: boolean): number[][] => {
    const ring = [
      [x, y],
      [x, y + size],
      [x + size, y + size],
      [x + size, y],
      [x, y],
    ];
    return clockwise ? ring : ring.reverse();
  };
  const setOf = (parts: Record<string, Uint8Array>) =>
    surroundingsOf(
      new Map(Object.entries(parts).map(([name, bytes]) => [name, sourceFromBytes(bytes, name)])),
    );
  const openSet = async (parts: Record<string, Uint8Array>) => {
    const around = setOf(parts);
    const [{ table }] = await openSource(await around.open('w.shp'), {
      around,
      path: 'w.shp',
      capabilities: {},
    });
    return table as Layer;
  };

  it('gives holes to the shells that contain them, and believes places over wrong directions', async () => {
    const right = shapeBytes(5, [
      [
        square(0, 0, 10, true),
        square(20, 0, 10, true),
        square(22, 2, 2, false),
        square(2, 2, 6, false),
        square(4, 4, 1, true),
      ],
    ]);
    const wrong = shapeBytes(5, [[square(0, 0, 10, true), square(2, 2, 6, true)]]);
    const read = await everything(await openSet({ 'w.shp': right }));
    const shape = read.geometries[0] as { type: string; coordinates: unknown[][] };
    expect(shape.coordinates.map((rings) => rings.length)).toEqual([2, 2, 1]);
    const layer = await openSet({ 'w.shp': wrong });
    const repaired = (await everything(layer)).geometries[0] as { type: string; coordinates: unknown[][] };
    expect(repaired.type).toBe('Polygon');
    expect(repaired.coordinates.length).toBe(2);
    expect(layer.findings.map((finding) => finding.code)).toContain('ring-direction');
  });

  it('reads types, code pages, deleted rows, asterisks and long numbers of the .dbf', async () => {
    const dbf = dbaseBytes(
      [
        ['NAME', 'C', 8, 0],
        ['N', 'N', 6, 0],
        ['R', 'N', 8, 2],
        ['D', 'D', 8, 0],
        ['OK', 'L', 1, 0],
        ['LONG', 'N', 18, 0],
      ],
      [
        [
          ' ',
          Uint8Array.from([0x4d, 0x81, 0x68, 0x6c, 0x65]),
          '12',
          '3.25',
          '20240501',
          'T',
          '9007199254740993',
        ],
        ['*', 'gone', '1', '1', '20240101', 'F', '1'],
        [' ', '', '******', '', '', '?', '2'],
      ],
      0x02,
    );
    const points = shapeBytes(1, [[[[1, 2]]], [[[3, 4]]], [[[5, 6]]]]);
    const layer = await openSet({ 'w.shp': points, 'W.DBF': dbf });
    const { rows, geometries } = await everything(layer);
    const coordinates = geometries.map(
      (geometry) => (geometry as unknown as { coordinates: number[] }).coordinates,
    );
    expect(layer.schema.map((field) => field.type)).toEqual([
      'text',
      'integer',
      'real',
      'date',
      'boolean',
      'text',
    ]);
    expect(rows).toEqual([
      ['Mühle', 12, 3.25, '2024-05-01', true, '9007199254740993'],
      [null, null, null, null, null, '2'],
    ]);
    expect(coordinates).toEqual([
      [1, 2],
      [5, 6],
    ]);
    expect(layer.findings.map((finding) => finding.code)).toEqual(
      expect.arrayContaining(['crs-missing', 'number-overflow', 'rows-deleted']),
    );
  });

  it('survives any damage with an error of ours, never with a crash or a hang', async () => {
    const shp = shapeBytes(5, [[square(0, 0, 10, true), square(2, 2, 6, false)], [square(20, 0, 10, true)]]);
    const dbf = dbaseBytes(
      [
        ['NAME', 'C', 8, 0],
        ['N', 'N', 16, 0],
      ],
      [
        [' ', 'a', '1'],
        [' ', 'b', '2'],
      ],
      0,
    );
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.boolean(), fc.nat(), fc.integer({ min: 0, max: 255 })), {
          minLength: 1,
          maxLength: 4,
        }),
        fc.nat(40),
        async (edits, cut) => {
          const bytes = [shp.slice(), dbf.slice()];
          for (const [which, at, value] of edits)
            bytes[Number(which)][at % bytes[Number(which)].length] = value;
          try {
            await everything(
              await openSet({ 'w.shp': bytes[0].subarray(0, bytes[0].length - cut), 'w.dbf': bytes[1] }),
            );
          } catch (error) {
            expect(error).toBeInstanceOf(IsomericError);
          }
        },
      ),
      { numRuns: 1500 },
    );
  });
});

describe('opening by content', () => {
  it('does not mind a wrong ending, and says so', async () => {
    const path = join(folder, 'wards.csv');
    writeFileSync(path, '{"type":"FeatureCollection","features":[]}');
    const [{ format, table }] = await openPath(path);
    expect(format).toBe('geojson');
    expect(table.findings[0].code).toBe('ending-wrong');
  });

  it('names what is wrong with a path', async () => {
    writeFileSync(join(folder, 'empty.csv'), '');
    writeFileSync(
      join(folder, 'noise.bin'),
      Uint8Array.from({ length: 500 }, (_, k) => (k * 37) % 256),
    );
    await expect(openPath(join(folder, 'empty.csv'))).rejects.toMatchObject({ code: 'file-empty' });
    await expect(openPath(join(folder, 'noise.bin'))).rejects.toMatchObject({ code: 'format-unknown' });
    await expect(openPath(join(folder, 'ward.csv'))).rejects.toMatchObject({
      code: 'file-missing',
      advice: 'Did you mean “wards.csv”?',
    });
    expect(readFileSync(join(folder, 'wards.csv'), 'utf8')).toContain('Feature');
  });
});

describe('Shapefile with heights and measures', () => {
  /** One record with Z (type 11–18) or M (21–28) made by hand after the white paper of 1998. */
  function recordOf(type: number, parts: number[][][]): Uint8Array {
    const points = parts.flat();
    const n = points.length;
    const plain = type % 10;
    const hasZ = type < 20;
    const head = plain === 1 ? 4 : plain === 8 ? 40 : 44 + 4 * parts.length;
    const size =
      plain === 1 ? 4 + 16 + (hasZ ? 16 : 8) : head + 16 * n + (hasZ ? 16 + 8 * n : 0) + 16 + 8 * n;
    const view = new DataView(new ArrayBuffer(size));
    view.setInt32(0, type, true);
    if (plain === 1) {
      [points[0][0], points[0][1], ...(hasZ ? [points[0][2], points[0][3]] : [points[0][3]])].forEach(
        (v, k) => {
          view.setFloat64(4 + 8 * k, v, true);
        },
      );
      return new Uint8Array(view.buffer);
    }
    if (plain === 8) view.setInt32(36, n, true);
    else {
      view.setInt32(36, parts.length, true);
      view.setInt32(40, n, true);
      let start = 0;
      parts.forEach((part, k) => {
        view.setInt32(44 + 4 * k, start, true);
        start += part.length;
      });
    }
    points.forEach(([x, y, z, m], k) => {
      view.setFloat64(head + 16 * k, x, true);
      view.setFloat64(head + 16 * k + 8, y, true);
      const afterXY = head + 16 * n;
      if (hasZ) view.setFloat64(afterXY + 16 + 8 * k, z, true);
      const afterZ = hasZ ? afterXY + 16 + 8 * n : afterXY;
      view.setFloat64(afterZ + 16 + 8 * k, m, true);
    });
    return new Uint8Array(view.buffer);
  }

  function fileOf(type: number, records: Uint8Array[]): Uint8Array {
    const bytes = new Uint8Array(100 + records.reduce((sum, record) => sum + 8 + record.length, 0));
    const view = new DataView(bytes.buffer);
    view.setInt32(0, 9994);
    view.setInt32(24, bytes.length / 2);
    view.setInt32(28, 1000, true);
    view.setInt32(32, type, true);
    let at = 100;
    records.forEach((record, k) => {
      view.setInt32(at, k + 1);
      view.setInt32(at + 4, record.length / 2);
      bytes.set(record, at + 8);
      at += 8 + record.length;
    });
    return bytes;
  }

  async function readOf(type: number, parts: number[][][]) {
    const source = sourceFromBytes(
      fileOf(type, [recordOf(type, parts), Uint8Array.from([0, 0, 0, 0])]),
      'w.shp',
    );
    const [{ table }] = await openSource(source, {
      around: surroundingsOf(new Map([['w.shp', source]])),
      path: 'w.shp',
      capabilities: {},
    });
    for await (const batch of table.batches())
      return { geometry: batch.geometry!, objects: [0, 1].map((i) => geometryObject(batch.geometry!, i)) };
    throw new Error('no batch');
  }

  const square = [
    [0, 0, 1, 10],
    [0, 4, 2, 20],
    [4, 4, 3, 30],
    [4, 0, 4, 40],
    [0, 0, 1, 10],
  ];
  const hole = [
    [1, 1, 5, 50],
    [2, 1, 6, 60],
    [2, 2, 7, -1e39],
    [1, 1, 5, 50],
  ];
  const cases: [string, number, number[][][], GeometryObject['type']][] = [
    ['points', 11, [[[1, 2, 3, 4]]], 'Point'],
    [
      'lines',
      13,
      [
        [
          [0, 0, 1, 2],
          [1, 1, 3, 4],
        ],
        [
          [5, 5, 6, 7],
          [6, 6, 8, 9],
        ],
      ],
      'MultiLineString',
    ],
    [
      'one line',
      13,
      [
        [
          [0, 0, 1, 2],
          [1, 1, 3, 4],
        ],
      ],
      'LineString',
    ],
    ['areas', 15, [square, hole], 'Polygon'],
    [
      'multi-points',
      18,
      [
        [
          [0, 0, 1, 2],
          [1, 1, 3, 4],
        ],
      ],
      'MultiPoint',
    ],
  ];
  it.each(cases)('%s with heights', async (_, type, parts, kind) => {
    const { geometry, objects } = await readOf(type, parts);
    expect(objects[0]?.type).toBe(kind);
    expect(objects[1]).toBeNull();
    const flat = parts.flat();
    expect([...geometry.z!]).toEqual(flat.map((point) => point[2]));
    expect([...geometry.m!]).toEqual(flat.map((point) => (point[3] < -1e38 ? Number.NaN : point[3])));
    expect([...geometry.xy]).toEqual(flat.flatMap((point) => point.slice(0, 2)));
  });

  it.each(cases)('%s with measures only', async (_, type, parts, kind) => {
    const { geometry, objects } = await readOf(type + 10, parts);
    expect(objects[0]?.type).toBe(kind);
    expect(geometry.z).toBeNull();
    expect([...geometry.m!]).toEqual(parts.flat().map((point) => (point[3] < -1e38 ? Number.NaN : point[3])));
  });

  it('refuses multipatches by name', async () => {
    const source = sourceFromBytes(fileOf(31, []), 'w.shp');
    await expect(openSource(source, { around: null, path: 'w.shp', capabilities: {} })).rejects.toMatchObject(
      { code: 'shape-type-unsupported' },
    );
  });
});
