import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type ByteSource, openSource, sourceFromBytes } from '../../src/formats/index.ts';
import { everything, openFiles } from '../support/saved.ts';

const context = { around: null, path: 'x', capabilities: {} };
const encode = (text: string) => new TextEncoder().encode(text);
const open = async (bytes: Uint8Array, name = 'x.json') => {
  const [{ table, format }] = await openFiles(new Map([[name, bytes]]));
  expect(format).toBe('geojson');
  return { table, ...(await everything(table)) };
};
const feature = (n: number) =>
  `{"type":"Feature","id":${n},"properties":{"n":${n},"name":"Gr\u00e9brey ${n}"},"geometry":{"type":"Point","coordinates":[${n},2]}}`;
const points = (count: number) =>
  Array.from({ length: count }, (_, k) => ({ type: 'Point', coordinates: [k + 1, 2] }));
const features = (count: number) => Array.from({ length: count }, (_, k) => feature(k + 1));

/** Text as UTF-16, with a byte-order mark or without. */
function utf16(text: string, little: boolean, mark: boolean): Uint8Array {
  const bytes = Buffer.from(mark ? `\ufeff${text}` : text, 'utf16le');
  return new Uint8Array(little ? bytes : bytes.swap16());
}

describe('GeoJSON in all its forms', () => {
  it.each([
    ['a feature a line', `${features(3).join('\n')}\n`],
    ['a feature a line, blank lines and carriage returns between', `\r\n${features(3).join('\r\n\r\n')}`],
    [
      'a text sequence (RFC 8142)',
      features(3)
        .map((each) => `\u001e${each}\n`)
        .join(''),
    ],
    [
      'a text sequence without line ends',
      features(3)
        .map((each) => `\u001e${each}`)
        .join(''),
    ],
    ['a collection', `{"type":"FeatureCollection","features":[${features(3).join(',')}]}`],
    [
      'a collection behind a byte-order mark',
      `\ufeff{"type":"FeatureCollection","features":[${features(3).join(',')}]}`,
    ],
    [
      'a collection whose type comes last',
      `{"features":[${features(3).join(',')}],"type":"FeatureCollection"}`,
    ],
  ])('%s', async (_, text) => {
    const { geometries, rows, ids, names } = await open(encode(text));
    expect(geometries).toEqual(points(3));
    expect(names).toEqual(['n', 'name']);
    expect(rows).toEqual([1, 2, 3].map((n) => [n, `Grébrey ${n}`]));
    expect(ids).toEqual([1, 2, 3]);
  });

  it.each([true, false])('UTF-16, little-endian: %s', async (little) => {
    for (const mark of [true, false]) {
      const text = `{"type":"FeatureCollection","features":[${features(2).join(',')}]}`;
      const { rows } = await open(utf16(text, little, mark));
      expect(rows).toEqual([1, 2].map((n) => [n, `Grébrey ${n}`]));
    }
  });

  it('geometries and features mixed in a sequence, members in any order', async () => {
    const text = [
      '{"coordinates":[1,2],"type":"Point"}',
      '{"geometry":{"type":"Point","coordinates":[2,2]},"properties":{"a":1},"type":"Feature"}',
      '{"type":"Feature","properties":null,"geometry":null}',
    ].join('\n');
    const { geometries, rows } = await open(encode(text));
    expect(geometries).toEqual([...points(2), null]);
    expect(rows).toEqual([[null], [1], [null]]);
  });

  it('in pieces of any size', async () => {
    const bytes = encode(
      features(4)
        .map((each) => `\u001e${each}\n`)
        .join(''),
    );
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 1, max: 70 }), async (step) => {
        const source: ByteSource = {
          ...sourceFromBytes(bytes, 'x.geojsons'),
          async *stream() {
            for (let at = 0; at < bytes.length; at += step) yield bytes.slice(at, at + step);
          },
        };
        const [{ table }] = await openSource(source, context);
        expect((await everything(table)).geometries).toEqual(points(4));
      }),
      { numRuns: 40 },
    );
  });

  it('__proto__ and constructor are field names like others; nested values stay JSON', async () => {
    const text =
      '{"type":"Feature","properties":{"__proto__":{"polluted":true},"constructor":"x","list":[1,{"a":null}]},"geometry":null}';
    const { names, rows } = await open(encode(text));
    expect(names).toEqual(['__proto__', 'constructor', 'list']);
    expect(rows[0][1]).toBe('x');
    expect(rows[0][2]).toEqual([1, { a: null }]);
    expect(({} as { polluted?: boolean }).polluted).toBeUndefined();
  });

  it('old files with a crs member, before the features or after', async () => {
    const crs = '"crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::32626"}}';
    for (const text of [
      `{"type":"FeatureCollection",${crs},"features":[${feature(1)}]}`,
      `{"type":"FeatureCollection","features":[${feature(1)}],${crs}}`,
    ]) {
      const { table } = await open(encode(text));
      expect('crs' in table && (table.crs as { code?: string } | null)?.code).toBe('EPSG:32626');
    }
  });

  it.each([
    [
      'a collection inside a sequence',
      `${feature(1)}\n{"type":"FeatureCollection","features":[]}`,
      'json-syntax',
    ],
    ['something else inside a sequence', `${feature(1)}\n{"type":"Wards"}`, 'json-syntax'],
    ['a sequence that is cut', `${feature(1)}\n${feature(2).slice(0, 40)}`, 'json-syntax'],
    [
      'a second document after a collection',
      `{"type":"FeatureCollection","features":[]}${feature(1)}`,
      'json-syntax',
    ],
  ])('%s is told', async (_, text, code) => {
    await expect(open(encode(text))).rejects.toMatchObject({ code });
  });
});
