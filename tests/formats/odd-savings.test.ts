import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import {
  Batch,
  ColumnBuilder,
  crsByEpsg,
  type Field,
  GeometryMaker,
  Kind,
  type Layer,
  layerOf,
  tableOf,
} from '../../src/core/index.ts';
import { wktText } from '../../src/formats/geometry/wkt.ts';
import { FeaturePlaces } from '../../src/formats/writing/feature-boxes.ts';
import { inOrder } from '../../src/formats/writing/in-order.ts';
import { MemoryScratch, type Scratch } from '../../src/formats/writing/target.ts';
import { valueText } from '../../src/formats/xml/value-text.ts';
import { isXmlName, xmlNames } from '../../src/formats/xml/write-xml.ts';
import { zipped } from '../../src/formats/zip/write.ts';
import { everything, openFiles, saved, savedAndOpened } from '../support/saved.ts';

const folder = mkdtempSync(join(tmpdir(), 'isomeric-odd-savings-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const wgs84 = crsByEpsg(4326)!;
const decoder = new TextDecoder();

/** Points, each with a height and a measure or none (NaN). */
function points(
  rows: [x: number, y: number, z: number, m: number][],
  fields: Field[] = [],
  columns: ColumnBuilder[] = [],
): Layer {
  const builder = new GeometryMaker();
  for (const [x, y, z, m] of rows) {
    builder.feature(Kind.Point);
    builder.part();
    builder.ring();
    builder.vertex(x, y);
    if (!Number.isNaN(z)) builder.height(z);
    if (!Number.isNaN(m)) builder.measure(m);
  }
  return layerOf({
    name: 'halls',
    schema: fields,
    crs: wgs84,
    kinds: ['Point'],
    batches: [
      new Batch({
        length: rows.length,
        first: 0,
        geometry: builder.finish(),
        columns: columns.map((each) => each.finish()),
      }),
    ],
  });
}

function column(type: Field['type'], values: (string | number | null)[]): ColumnBuilder {
  const builder = new ColumnBuilder(type);
  for (const value of values) {
    if (value === null) builder.null();
    else if (typeof value === 'number') builder.number(value);
    else builder.text(value);
  }
  return builder;
}

describe('heights and measures', () => {
  it('of points stand in columns of a CSV, and come back', async () => {
    const layer = points([
      [1, 2, NaN, 5],
      [3, 4, 10.5, NaN],
    ]);
    const { files, notes } = await saved('x.csv', [layer]);
    expect(decoder.decode(files.get('x.csv'))).toBe(
      'longitude,latitude,z,measure\r\n1,2,,5\r\n3,4,10.5,\r\n',
    );
    expect(notes[0]).toContain('longitude, latitude, z and measure');
    const [{ table }] = await openFiles(files);
    const back = await everything(table);
    expect(back.geometries).toEqual([
      { type: 'Point', coordinates: [1, 2] },
      { type: 'Point', coordinates: [3, 4, 10.5] },
    ]);
    expect(back.measures).toEqual([[5], [NaN]]);
  });

  it('in WKT are those of all vertices, whichever comes first; missing ones are 0, and told', async () => {
    const builder = new GeometryMaker();
    builder.feature(Kind.LineString);
    builder.part();
    builder.ring();
    for (const [x, m] of [
      [0, NaN],
      [1, 7],
    ]) {
      builder.vertex(x, 0);
      if (!Number.isNaN(m)) builder.measure(m);
    }
    expect(wktText(builder.finish(), 0)).toBe('LINESTRING M (0 0 0, 1 0 7)');
    const line = points([[0, 0, NaN, NaN]]);
    const measured = {
      ...line,
      kinds: undefined,
      async *batches() {
        builder.feature(Kind.LineString);
        builder.part();
        builder.ring();
        builder.vertex(0, 0);
        builder.vertex(1, 0);
        builder.height(4);
        for await (const batch of line.batches()) yield batch.with({ geometry: builder.finish() });
      },
    };
    for (const [name, format] of [
      ['x.csv', 'WKT'],
      ['x.xlsx', 'WKT'],
      ['x.gml', 'GML'],
      ['x.shp', 'A shapefile'],
    ]) {
      const { notes } = await saved(name, [measured]);
      expect(notes.join(' '), name).toMatch(
        new RegExp(`${format} has heights? .*1 vertex without one got 0`),
      );
    }
  });
});

describe('names', () => {
  it('are XML names for any text, all different, and another program reads them', async () => {
    fc.assert(
      fc.property(fc.array(fc.string({ unit: 'binary', maxLength: 6 }), { maxLength: 8 }), (names) => {
        const made = xmlNames(names);
        expect(new Set(made).size).toBe(names.length);
        for (const name of made) expect(isXmlName(name)).toBe(true);
      }),
    );
    const odd = ['Fläche m²', '½ ª µ', '³x', '÷', '×', '名', 'a·b', 'ͅx', '1', '-', 'xmlA', '', '\u{10000}'];
    expect(xmlNames(odd).slice(0, 2)).toEqual(['Fläche_m2', '_1_2_a_μ']);
    const layer = points(
      [[1, 2, NaN, NaN]],
      odd.map((name) => ({ name, type: 'integer' })),
      odd.map((_, k) => column('integer', [k])),
    );
    for (const name of ['x.gml', 'x.gpx', 'x.kml']) {
      const { files, notes } = await saved(name, [layer]);
      writeFileSync(join(folder, name), files.get(name)!);
      execFileSync('xmllint', ['--noout', join(folder, name)]);
      if (name !== 'x.kml') expect(notes.join(' ')).toContain('Fläche m² is called Fläche_m2');
      const [{ table }] = await openFiles(files);
      const { rows } = await everything(table);
      expect(
        [...rows[0]]
          .map(Number)
          .sort((a, b) => a - b)
          .filter((n) => n < odd.length),
      ).toEqual(odd.map((_, k) => k));
    }
  });

  it('that are blank are given one, and that is told', async () => {
    const table = tableOf({
      name: 'x',
      schema: [
        { name: '', type: 'text' },
        { name: 'b', type: 'text' },
      ],
      batches: [
        new Batch({
          length: 1,
          first: 0,
          geometry: null,
          columns: [column('text', ['p']).finish(), column('text', ['q']).finish()],
        }),
      ],
    });
    for (const name of ['x.csv', 'x.tsv', 'x.xlsx']) {
      const { notes, files } = await saved(name, [table]);
      expect(notes).toContain('1 field without a name is called column_1.');
      const [{ table: back }] = await openFiles(files);
      expect(back.schema.map((field) => field.name)).toEqual(['column_1', 'b']);
    }
    const layer = points([[1, 2, NaN, NaN]], [{ name: '', type: 'text' }], [column('text', ['p'])]);
    const [{ table: back }] = await savedAndOpened('x.kml', [layer]);
    expect((await everything(back)).rows).toEqual([['p']]);
  });
});

describe('values', () => {
  it('keep blanks on their own line in XML; indentation is the document’s', async () => {
    expect(valueText(' a ')).toBe(' a ');
    expect(valueText('\n    a b \n  ')).toBe('a b');
    expect(valueText(' \n ')).toBe('');
    const layer = points(
      [[1, 2, NaN, NaN]],
      [{ name: 't', type: 'text' }],
      [column('text', ['  two before, one after '])],
    );
    for (const name of ['x.kml', 'x.gml', 'x.gpx']) {
      const [{ table }] = await savedAndOpened(name, [layer]);
      const back = await everything(table);
      expect(back.rows[0][back.names.indexOf('t')], name).toBe('  two before, one after ');
    }
  });

  it('of several types go into texts without the quotes of JSON, and that is told', async () => {
    const json =
      '{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"a":"x"},"geometry":null},{"type":"Feature","properties":{"a":5},"geometry":null},{"type":"Feature","properties":{"a":{"b":[1]}},"geometry":null}]}';
    const [{ table }] = await openFiles(new Map([['x.geojson', new TextEncoder().encode(json)]]));
    const { files, notes } = await saved('x.csv', [table]);
    expect(decoder.decode(files.get('x.csv')).split('\r\n').slice(1, 4)).toEqual([
      'x,',
      '5,',
      '"{""b"":[1]}",',
    ]);
    expect(notes.join(' ')).toMatch(/1 text among values of several types is written as plain text/);
  });

  it('with a mark are counted where they are written', async () => {
    const [{ table }] = await openFiles(
      new Map([['x.csv', new TextEncoder().encode('a,n\nx,5\ny,*\nz,..\n')]]),
    );
    const { notes } = await saved('y.csv', [table]);
    expect(notes.join(' ')).toMatch(/2 values are blank.*suppressed and missing/);
  });
});

describe('GPX', () => {
  it('says how many waypoints became of features with several points, and counts what it holds', async () => {
    const json = `{"type":"FeatureCollection","features":[{"type":"Feature","properties":{},"geometry":{"type":"MultiPoint","coordinates":[[1,2],[3,4],[5,6]]}},{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[1,2]}},{"type":"Feature","properties":{},"geometry":null}]}`;
    const [{ table }] = await openFiles(new Map([['x.geojson', new TextEncoder().encode(json)]]));
    const { notes, sentences, files } = await saved('x.gpx', [table]);
    expect(notes).toContain('1 feature of several points became 3 waypoints: GPX has one point each.');
    expect(sentences[0]).toContain('Write: 2 x written');
    expect(decoder.decode(files.get('x.gpx')).match(/<wpt/g)).toHaveLength(4);
  });
});

describe('features put aside', () => {
  /** A scratch that counts how often it is read: each time, a disk would go to another place. */
  class Counted implements Scratch {
    private readonly memory = new MemoryScratch();
    reads = 0;
    gone = false;
    append(bytes: Uint8Array) {
      return this.memory.append(bytes);
    }
    read(start: number, end: number) {
      this.reads++;
      return this.memory.read(start, end);
    }
    remove() {
      this.gone = true;
    }
  }

  it('come back in any order, with a reading a megabyte and not one a feature', () => {
    const length = 20_000;
    const count = 5000;
    const scratch = new Counted();
    const places = new FeaturePlaces();
    const bytes = new Uint8Array(length);
    for (let k = 0; k < count; k++) {
      new DataView(bytes.buffer).setUint32(0, k);
      places.add(scratch.append(bytes), length - (k % 7));
    }
    const order = Uint32Array.from({ length: count }, (_, k) => (k * 1237) % count);
    const lent: Counted[] = [];
    let n = 0;
    for (const each of inOrder(scratch, places, order, {
      scratch: () => {
        lent.push(new Counted());
        return lent[lent.length - 1];
      },
    })) {
      expect(new DataView(each.buffer, each.byteOffset).getUint32(0)).toBe(order[n]);
      expect(each.length).toBe(length - (order[n] % 7));
      n++;
    }
    expect(n).toBe(count);
    expect(lent.length).toBeGreaterThan(1);
    expect(scratch.reads + lent.reduce((sum, each) => sum + each.reads, 0)).toBeLessThan(200);
    expect([scratch, ...lent].every(({ gone }) => gone)).toBe(true);
  });
});

describe('archives that are written', () => {
  it('are read by another program, with every part to the last byte', async () => {
    const parts = ['a.txt', 'ä/b.bin', 'empty'].map((path, k) => ({
      path,
      chunks:
        k === 2
          ? []
          : [new TextEncoder().encode('tidewatch '.repeat(5000 * (k + 1))), Uint8Array.of(0, 255, k)],
    }));
    const chunks: Uint8Array[] = [];
    for await (const chunk of zipped(parts)) chunks.push(chunk);
    writeFileSync(join(folder, 'x.zip'), Buffer.concat(chunks));
    const told = execFileSync(
      'python3',
      [
        '-c',
        'import zipfile,sys,zlib\nz=zipfile.ZipFile(sys.argv[1])\nassert z.testzip() is None\nfor i in z.infolist(): print(i.filename, i.file_size, zlib.crc32(z.read(i)))',
        join(folder, 'x.zip'),
      ],
      { encoding: 'utf8' },
    );
    expect(
      told
        .trim()
        .split('\n')
        .map((line) => line.split(' ').slice(0, 2)),
    ).toEqual([
      ['a.txt', '50003'],
      ['ä/b.bin', '100003'],
      ['empty', '0'],
    ]);
  });
});
