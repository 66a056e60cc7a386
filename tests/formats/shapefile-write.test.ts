import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import {
  Batch,
  ColumnBuilder,
  crsByEpsg,
  type Field,
  type GeometryObject,
  geometriesFrom,
  type Layer,
  layerOf,
  tableOf,
} from '../../src/core/index.ts';
import { openOne, openPath, saverFor } from '../../src/node/index.ts';
import { dbaseBytes, shapeBytes } from '../support/hand-made.ts';
import { everything, now, openFiles, saved, savedAndOpened } from '../support/saved.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-shp-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (...parts: string[]) => join(folder, ...parts);
const wgs84 = crsByEpsg(4326)!;
const square = (x: number): number[][] => [
  [x, 0],
  [x + 1, 0],
  [x + 1, 1],
  [x, 1],
  [x, 0],
];

function layerFrom(
  geometries: (GeometryObject | null)[],
  fields: Field[] = [],
  columns: ColumnBuilder[] = [],
): Layer {
  return layerOf({
    name: 'mixed',
    schema: fields,
    crs: wgs84,
    batches: [
      new Batch({
        length: geometries.length,
        first: 0,
        geometry: geometriesFrom(geometries),
        columns: columns.map((column) => column.finish()),
      }),
    ],
  });
}

function texts(values: (string | null)[]): ColumnBuilder {
  const builder = new ColumnBuilder('text');
  for (const value of values) value === null ? builder.null() : builder.text(value);
  return builder;
}

describe('writing shapefiles', () => {
  const mixed: (GeometryObject | null)[] = [
    { type: 'Point', coordinates: [1, 2] },
    {
      type: 'LineString',
      coordinates: [
        [0, 0],
        [1, 1],
      ],
    },
    { type: 'Polygon', coordinates: [square(0)] },
    null,
    {
      type: 'GeometryCollection',
      geometries: [
        { type: 'Point', coordinates: [5, 5] },
        { type: 'Polygon', coordinates: [square(7)] },
      ],
    },
  ];

  it('writes mixed kinds as one set a kind, and says how many went where', async () => {
    const layer = layerFrom(mixed, [{ name: 'name', type: 'text' }], [texts(['a', 'b', 'c', 'd', 'e'])]);
    const { files, notes, sentences } = await saved('mixed.shp', [layer]);
    expect([...files.keys()].filter((name) => name.endsWith('.shp')).sort()).toEqual([
      'mixed_areas.shp',
      'mixed_lines.shp',
      'mixed_points.shp',
    ]);
    expect(sentences[0]).toContain('5 mixed written to mixed_points.shp, mixed_lines.shp, mixed_areas.shp');
    expect(notes.join(' ')).toContain('mixed_points.shp (3), mixed_lines.shp (1), mixed_areas.shp (2)');
    expect(notes.join(' ')).toContain('1 collection was divided by kind');
    const opened = await openFiles(files);
    const rows = await Promise.all(opened.map(({ table }) => everything(table)));
    expect(opened.map(({ table }, k) => [table.name, rows[k].rows.map((row) => row[0])])).toEqual([
      ['mixed_points', ['a', 'd', 'e']],
      ['mixed_lines', ['b']],
      ['mixed_areas', ['c', 'e']],
    ]);
    expect(opened.every(({ table }) => table.findings.length === 0)).toBe(true);
  });

  it('cuts nothing silently: names, long texts, types', async () => {
    const fields: Field[] = [
      { name: 'a very long name', type: 'text' },
      { name: 'a very longer', type: 'text' },
      { name: 'Gebäudeüber', type: 'timestamp' },
    ];
    const time = new ColumnBuilder('timestamp');
    time.number(0);
    const layer = layerFrom([mixed[0]], fields, [texts(['ł'.repeat(200)]), texts(['x']), time]);
    const { files, notes } = await saved('x.shp', [layer]);
    expect(notes.join(' ')).toContain(
      'a very long name is called a very lon, a very longer is called a very l_1',
    );
    expect(notes.join(' ')).toContain('1 text was cut to the 254 bytes');
    expect(notes.join(' ')).toContain('Gebäudeüber (timestamp)');
    const [{ table }] = await openFiles(files);
    const { rows, names } = await everything(table);
    expect(names).toEqual(['a very lon', 'a very l_1', 'Gebäudeü']);
    // Never half a character.
    expect(rows[0][0]).toBe('ł'.repeat(127));
    expect(rows[0][2]).toBe('1970-01-01T00:00:00Z');
  });

  it('refuses what would pass the limits of the format, before anything is written', async () => {
    const wide = Array.from({ length: 256 }, (_, k): Field => ({ name: `f${k}`, type: 'integer' }));
    const columns = wide.map(() => {
      const builder = new ColumnBuilder('integer');
      builder.number(1);
      return builder;
    });
    const path = at('wide.shp');
    await expect(
      saverFor(path).save([layerFrom([mixed[0]], wide, columns)], path, now),
    ).rejects.toMatchObject({
      code: 'dbase-too-wide',
    });
    // The same batch twenty thousand times: 2.6 GB of vertices, which are counted and never written.
    const many = geometriesFrom([
      { type: 'LineString', coordinates: Array.from({ length: 8000 }, (_, k) => [k / 100, k / 100]) },
    ]);
    const batch = new Batch({ length: 1, first: 0, geometry: many, columns: [] });
    const huge: Layer = {
      ...layerFrom([]),
      async *batches() {
        for (let k = 0; k < 20_000; k++) yield batch;
      },
    };
    await expect(saverFor(path).save([huge], path, now)).rejects.toMatchObject({
      code: 'shapefile-too-large',
    });
    expect(readdirSync(folder)).toEqual([]);
  });

  it('takes a .prj of an earlier layer away when the new one has no CRS', async () => {
    const path = at('again.shp');
    await saverFor(path).save([layerFrom([mixed[0]])], path, now);
    expect(existsSync(at('again.prj'))).toBe(true);
    await saverFor(path).save([{ ...layerFrom([mixed[0]]), crs: null } as Layer], path, now);
    expect(existsSync(at('again.prj'))).toBe(false);
    expect((await openOne(path)).table.findings.map((finding) => finding.code)).toEqual(['crs-missing']);
    expect(readdirSync(folder).filter((name) => name.includes('part-'))).toEqual([]);
  });

  it('writes a .dbf that another program reads as it was meant', async () => {
    const real = new ColumnBuilder('real');
    const whole = new ColumnBuilder('integer');
    const day = new ColumnBuilder('date');
    const flag = new ColumnBuilder('boolean');
    for (const [a, b, c, d] of [
      [1.5, 7, 19_000, 1],
      [-0.25, -12345, 0, 0],
    ]) {
      real.number(a);
      whole.number(b);
      day.number(c);
      flag.number(d);
    }
    const table = tableOf({
      name: 'visits',
      schema: [
        { name: 'code', type: 'text' },
        { name: 'share', type: 'real' },
        { name: 'n', type: 'integer' },
        { name: 'day', type: 'date' },
        { name: 'open', type: 'boolean' },
      ],
      batches: [
        new Batch({
          length: 2,
          first: 0,
          geometry: null,
          columns: [texts(['007', 'Grébrey']), real, whole, day, flag].map((column) => column.finish()),
        }),
      ],
    });
    const path = at('visits.dbf');
    await saverFor(path).save([table], path, now);
    await saverFor(at('visits2.csv')).save([table], at('visits2.csv'), now);
    // Without a window the office program cannot ask for the code page, so it is told: 1 is windows-1252.
    for (const [file, filter] of [
      [path, 'dBase:1'],
      [at('visits2.csv'), 'Text - txt - csv (StarCalc):44,34,76'],
    ])
      execFileSync(
        'soffice',
        [
          '--headless',
          `-env:UserInstallation=file://${at('office')}`,
          `--infilter=${filter}`,
          '--convert-to',
          'csv:Text - txt - csv (StarCalc):44,34,76',
          '--outdir',
          at('seen'),
          file,
        ],
        { stdio: 'pipe', timeout: 100_000 },
      );
    const lines = readFileSync(at('seen', 'visits.csv'), 'utf8')
      .replace(/^\ufeff/, '')
      .trim()
      .split(/\r?\n/);
    expect(lines[0]).toContain('code,C');
    expect(lines.slice(1).map((line) => line.split(',').map((cell) => cell.replaceAll('"', '')))).toEqual([
      [
        '007',
        '1.50',
        '7',
        expect.stringMatching(/^01\/08\/(20)?22$|2022-01-08/),
        expect.stringMatching(/TRUE|1/i),
      ],
      ['Grébrey', '-0.25', '-12345', expect.stringMatching(/1970|70/), expect.stringMatching(/FALSE|0/i)],
    ]);
    expect(readFileSync(at('seen', 'visits2.csv'), 'utf8')).toContain('Grébrey');
  });
});

describe('numbers that need an exponent', () => {
  it('come back with their sign, however many digits they have', async () => {
    const numbers = [
      -0.0000010632097024657981, -1.5e-7, 1.25, -123456.789012345, -1e-10, 5e-324, -1.7976931348623157e308,
    ];
    const builder = new ColumnBuilder('real');
    for (const number of numbers) builder.number(number);
    const table = tableOf({
      name: 't',
      schema: [{ name: 'r', type: 'real' }],
      batches: [new Batch({ length: numbers.length, first: 0, geometry: null, columns: [builder.finish()] })],
    });
    const [{ table: back }] = await savedAndOpened('t.dbf', [table]);
    const found: number[] = [];
    for await (const batch of back.batches())
      for (let i = 0; i < batch.length; i++) found.push(batch.columns[0].number(i));
    expect(found).toEqual(numbers);
  });
});

describe('reading what is incomplete or odd', () => {
  const ring = [
    [0, 0],
    [0, 1],
    [1, 1],
    [1, 0],
    [0, 0],
  ];
  const shp = shapeBytes(5, [[ring], [ring.map(([x, y]) => [x + 5, y])]]);
  const dbf = dbaseBytes(
    [['NAME', 'C', 8, 0]],
    [
      [' ', 'a'],
      [' ', 'b'],
    ],
    3,
  );

  it('a set without .shp gives its rows, a set without .dbf its shapes, each told', async () => {
    writeFileSync(at('half.dbf'), dbf);
    writeFileSync(at('half.shx'), shp.subarray(0, 100));
    const opened = (await openPath(folder)).filter(({ table }) => table.name === 'half');
    expect(opened[0].table.findings[0]).toMatchObject({ code: 'part-missing', severity: 'error' });
    rmSync(at('half.shx'));
    rmSync(at('half.dbf'));
    const files = new Map([['w.shp', shp]]);
    const [{ table }] = await openFiles(files);
    expect(table.schema).toEqual([]);
    expect(table.findings.map((finding) => finding.code)).toEqual([
      'part-missing',
      'part-missing',
      'crs-missing',
    ]);
  });

  it('several sets in nested folders, upper-case endings, parts grouped', async () => {
    const files = new Map<string, Uint8Array>([
      ['a/W.SHP', shp],
      ['a/W.DBF', dbf],
      ['a/w.cpg', new TextEncoder().encode('1252')],
      ['b/c/w.shp', shp],
      ['b/c/w.dbf', dbf],
      ['b/c/w.shp.xml', new TextEncoder().encode('<x/>')],
      ['b/readme.pdf', new TextEncoder().encode('%PDF-1.4')],
    ]);
    const opened = await openFiles(files);
    expect(opened.map(({ within, parts, table }) => [within, parts, table.schema.length])).toEqual([
      ['a/W.SHP', ['W.SHP', 'W.DBF', 'w.cpg'], 1],
      ['b/c/w.shp', ['w.shp', 'w.dbf', 'w.shp.xml'], 1],
    ]);
  });

  it('a wrong length in the header is told and does not matter', async () => {
    const bent = shp.slice();
    new DataView(bent.buffer).setInt32(24, 50);
    const [{ table }] = await openFiles(
      new Map([
        ['w.shp', bent],
        ['w.dbf', dbf],
      ]),
    );
    expect((await everything(table)).rows).toEqual([['a'], ['b']]);
    expect(table.findings.map((finding) => finding.code)).toContain('length-wrong');
  });

  it('code pages as asked go before what the file says', async () => {
    const latin = dbaseBytes(
      [['NAME', 'C', 8, 0]],
      [
        [' ', new Uint8Array([0xe9, 0x31])],
        [' ', 'b'],
      ],
      1,
    );
    const files = new Map([
      ['w.shp', shp],
      ['w.dbf', latin],
    ]);
    const first = async (encoding?: string) =>
      (await everything((await openFiles(files, { encoding }))[0].table)).rows[0][0];
    expect(await first()).toBe('Θ1');
    expect(await first('cp1252')).toBe('é1');
    expect(await first('iso-8859-5')).toBe('щ1');
    await expect(first('klingon')).rejects.toMatchObject({ code: 'encoding-unknown' });
  });

  it.each([
    [
      'dBASE III',
      't.dbt',
      10,
      (text: string) => Buffer.concat([Buffer.from(text), Buffer.from([0x1a, 0x1a])]),
      512,
    ],
    [
      'dBASE IV',
      't.dbt',
      10,
      (text: string) => {
        const head = Buffer.from([0xff, 0xff, 8, 0, 0, 0, 0, 0]);
        head.writeUInt32LE(text.length + 8, 4);
        return Buffer.concat([head, Buffer.from(text)]);
      },
      512,
    ],
    [
      'later programs',
      't.fpt',
      4,
      (text: string) => {
        const head = Buffer.from([0, 0, 0, 1, 0, 0, 0, 0]);
        head.writeUInt32BE(text.length, 4);
        return Buffer.concat([head, Buffer.from(text)]);
      },
      64,
    ],
  ] as const)('long texts in the memo file of %s', async (_, name, width, encode, block) => {
    const long = 'a long text '.repeat(60);
    const memo = Buffer.alloc(block * 40);
    if (name.endsWith('.fpt')) memo.writeUInt16BE(block, 6);
    encode('first').copy(memo, block * 9);
    encode(long).copy(memo, block * 12);
    const number = (n: number) => {
      if (width === 10) return String(n).padStart(10);
      const bytes = Buffer.alloc(4);
      bytes.writeUInt32LE(n);
      return new Uint8Array(bytes);
    };
    const table = dbaseBytes(
      [
        ['ID', 'C', 3, 0],
        ['NOTE', 'M', width, 0],
      ],
      [
        [' ', 'a', number(9)],
        [' ', 'b', number(12)],
        [' ', 'c', number(0)],
        [' ', 'd', number(9999)],
      ],
      3,
    );
    const opened = await openFiles(
      new Map([
        ['t.dbf', table],
        [name, new Uint8Array(memo)],
      ]),
    );
    const { rows } = await everything(opened[0].table);
    expect(rows.map((row) => row[1])).toEqual(['first', long, null, null]);
    const [{ table: without }] = await openFiles(new Map([['t.dbf', table]]));
    expect((await everything(without)).rows.map((row) => row[1])).toEqual([null, null, null, null]);
    expect(without.findings.map((finding) => finding.code)).toContain('part-missing');
  });
});
