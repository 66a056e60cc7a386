import { brotliCompressSync, gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { parquetMetadata, parquetReadObjects } from 'hyparquet';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { describe, expect, it } from 'vitest';
import { Batch, type Table } from '../../src/core/index.ts';
import { unpackPage } from '../../src/formats/parquet/unpack.ts';
import { anyRows } from '../support/arbitrary.ts';
import { everything, openFiles, saved } from '../support/saved.ts';

type Options = Parameters<typeof parquetWriteBuffer>[0];
type Source = Options['columnData'][number];

const written = (columnData: Source[], more: Partial<Options> = {}) =>
  new Uint8Array(parquetWriteBuffer({ columnData, ...more }));

async function rowsOf(bytes: Uint8Array): Promise<unknown[][]> {
  const [{ table }] = await openFiles(new Map([['x.parquet', bytes]]));
  return (await everything(table)).rows;
}

/** Packers for the codecs that the writing package leaves to others. */
const compressors = {
  GZIP: (bytes: Uint8Array) => new Uint8Array(gzipSync(bytes)),
  BROTLI: (bytes: Uint8Array) => new Uint8Array(brotliCompressSync(bytes)),
  LZ4_RAW: (bytes: Uint8Array) => lz4Literals(bytes),
};

/** An LZ4 block of nothing but literals, which is a block all the same (its block format description). */
function lz4Literals(bytes: Uint8Array): Uint8Array {
  const head = [Math.min(15, bytes.length) << 4];
  for (let left = bytes.length - 15; left >= 0; left -= 255) head.push(Math.min(255, left));
  return Uint8Array.from([...head, ...bytes]);
}

const codecs = ['UNCOMPRESSED', 'SNAPPY', 'GZIP', 'BROTLI', 'LZ4_RAW'] as const;

const whole = fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 });
const columns = {
  INT32: {
    values: whole,
    encodings: ['PLAIN', 'RLE_DICTIONARY', 'DELTA_BINARY_PACKED', 'BYTE_STREAM_SPLIT'],
  },
  INT64: {
    values: fc.maxSafeInteger().map(BigInt),
    encodings: ['PLAIN', 'RLE_DICTIONARY', 'DELTA_BINARY_PACKED', 'BYTE_STREAM_SPLIT'],
  },
  DOUBLE: {
    values: fc.double({ noNaN: true, noDefaultInfinity: true }).filter((value) => !Object.is(value, -0)),
    encodings: ['PLAIN', 'RLE_DICTIONARY', 'BYTE_STREAM_SPLIT'],
  },
  BOOLEAN: { values: fc.boolean(), encodings: ['PLAIN', 'RLE'] },
  STRING: {
    values: fc.string({ unit: 'grapheme', maxLength: 12 }),
    encodings: ['PLAIN', 'RLE_DICTIONARY', 'DELTA_LENGTH_BYTE_ARRAY', 'DELTA_BYTE_ARRAY'],
  },
} as const;

const oneColumn = fc.constantFrom(...(Object.keys(columns) as (keyof typeof columns)[])).chain((type) =>
  fc.record({
    type: fc.constant(type),
    encoding: fc.constantFrom(...columns[type].encodings),
    codec: fc.constantFrom(...codecs),
    // Few different values in long runs, and many.
    data: fc.oneof(
      fc.array(fc.option(columns[type].values as fc.Arbitrary<unknown>, { freq: 4 }), {
        minLength: 1,
        maxLength: 300,
      }),
      fc
        .tuple(columns[type].values as fc.Arbitrary<unknown>, columns[type].values as fc.Arbitrary<unknown>)
        .chain(([a, b]) => fc.array(fc.constantFrom(a, a, a, b, null), { minLength: 1, maxLength: 2000 })),
    ),
    pageSize: fc.constantFrom(64, 1000, 1 << 20),
  }),
);

describe('Parquet', () => {
  it('of every encoding and packing is read to the last digit', async () => {
    await fc.assert(
      fc.asyncProperty(oneColumn, async ({ type, encoding, codec, data, pageSize }) => {
        const bytes = written([{ name: 'c', data: data as never, type, encoding } as Source], {
          codec,
          pageSize,
          compressors: compressors as never,
        });
        const expected = data.map((value) => [typeof value === 'bigint' ? Number(value) : value]);
        expect(await rowsOf(bytes)).toEqual(expected);
      }),
      { numRuns: 300 },
    );
  });

  it('of lists, structures and maps becomes JSON, as another reader finds it', async () => {
    const list = fc.array(fc.option(whole, { freq: 3 }), { maxLength: 4 });
    const row = fc.record({
      list: fc.option(list),
      inner: fc.option(fc.record({ a: whole, b: fc.option(fc.string()) })),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(row, { minLength: 1, maxLength: 40 }), async (rows) => {
        const bytes = written(
          [
            { name: 'list', data: rows.map((each) => each.list) as never },
            { name: 'inner', data: rows.map((each) => each.inner) as never },
          ],
          {
            schema: [
              { name: 'root', num_children: 2 },
              { name: 'list', repetition_type: 'OPTIONAL', num_children: 1, converted_type: 'LIST' },
              { name: 'list', repetition_type: 'REPEATED', num_children: 1 },
              { name: 'element', repetition_type: 'OPTIONAL', type: 'INT32' },
              { name: 'inner', repetition_type: 'OPTIONAL', num_children: 2 },
              { name: 'a', repetition_type: 'REQUIRED', type: 'INT32' },
              { name: 'b', repetition_type: 'OPTIONAL', type: 'BYTE_ARRAY', converted_type: 'UTF8' },
            ],
          },
        );
        const other = await parquetReadObjects({ file: bytes.buffer.slice(0) as ArrayBuffer });
        const own = await rowsOf(bytes);
        const plain = (value: unknown) => JSON.parse(JSON.stringify(value ?? null)) as unknown;
        expect(own).toEqual(other.map((each) => [plain(each.list), plain(each.inner)]));
        expect(own).toEqual(rows.map((each) => [plain(each.list), plain(each.inner)]));
      }),
      { numRuns: 60 },
    );
  });

  it('means what its types say: decimals, unsigned numbers, time stamps to the nanosecond', async () => {
    const required = { repetition_type: 'REQUIRED' } as const;
    const bytes = written(
      [
        { name: 'price', data: [1234567.89, -0.05] as never },
        { name: 'count', data: [4_294_967_295, 7] as never },
        { name: 'at', data: [1_700_000_000_123_000_000n, -1n] as never },
        { name: 'id', data: [new Uint8Array(16).fill(0xab), new Uint8Array(16)] as never },
      ],
      {
        schema: [
          { name: 'root', num_children: 4 },
          { name: 'price', type: 'INT64', converted_type: 'DECIMAL', scale: 2, precision: 18, ...required },
          { name: 'count', type: 'INT32', converted_type: 'UINT_32', ...required },
          {
            name: 'at',
            type: 'INT64',
            logical_type: { type: 'TIMESTAMP', isAdjustedToUTC: true, unit: 'NANOS' },
            ...required,
          },
          {
            name: 'id',
            type: 'FIXED_LEN_BYTE_ARRAY',
            type_length: 16,
            logical_type: { type: 'UUID' },
            ...required,
          },
        ],
      },
    );
    expect(await rowsOf(bytes)).toEqual([
      [1234567.89, 4_294_967_295, '2023-11-14T22:13:20.123Z', 'abababab-abab-abab-abab-abababababab'],
      [-0.05, 7, '1969-12-31T23:59:59.999Z', '00000000-0000-0000-0000-000000000000'],
    ]);
  });

  it('that is written is read by another reader: any values, in groups and pages, with bounds that hold', async () => {
    await fc.assert(
      fc.asyncProperty(
        anyRows(['integer', 'real', 'text', 'boolean', 'date', 'timestamp', 'bytes', 'json'], 1),
        async (rows) => {
          const { fields, columns: made } = rows;
          const table: Table = {
            name: 'x',
            schema: fields,
            findings: [],
            accounts: [],
            async *batches() {
              yield new Batch({ length: rows.rows.length, first: 0, geometry: null, columns: made });
            },
          };
          const bytes = (await saved('x.parquet', [table])).files.get('x.parquet')!;
          const own = await rowsOf(bytes);
          const found = await parquetReadObjects({ file: bytes.buffer.slice(0) as ArrayBuffer, utf8: false });
          const plain = (value: unknown): unknown =>
            typeof value === 'bigint'
              ? Number(value)
              : value instanceof Date
                ? value.getTime()
                : value instanceof Uint8Array
                  ? Buffer.from(value).toString('hex')
                  : (value ?? null);
          fields.forEach((field, c) => {
            const other = found.map((row) => plain(row[field.name]));
            const ours = own.map((row) => {
              const value = row[c];
              if (value === null) return null;
              if (field.type === 'date' || field.type === 'timestamp') return Date.parse(String(value));
              if (field.type === 'text') return String(value);
              return plain(value);
            });
            if (
              field.type === 'date' ||
              field.type === 'timestamp' ||
              field.type === 'integer' ||
              field.type === 'boolean'
            )
              expect(ours.map((value) => (Number.isNaN(value) ? null : value))).toEqual(
                other.map((value) => (Number.isNaN(value) ? null : value)),
              );
            if (field.type === 'text') expect(ours).toEqual(other);
          });
          // Statistics say what is there.
          const meta = parquetMetadata(bytes.buffer.slice(0) as ArrayBuffer);
          for (const { meta_data: chunk } of meta.row_groups[0].columns) {
            const c = fields.findIndex((field) => field.name === chunk!.path_in_schema[0]);
            const blank = own.filter((row) => row[c] === null).length;
            expect(Number(chunk!.statistics!.null_count)).toBe(blank);
            const { min_value: least, max_value: greatest } = chunk!.statistics!;
            if (fields[c].type !== 'integer' || least === undefined) continue;
            const values = own.flatMap((row) => (row[c] === null ? [] : [Number(row[c])]));
            expect([Number(least), Number(greatest)]).toEqual([Math.min(...values), Math.max(...values)]);
          }
        },
      ),
      { numRuns: 100 },
    );
  });

  it('is unpacked as the programs of the packings pack', () => {
    // “tidewatch ” a hundred times, by zstd 1.5 and lz4 1.9 (its raw block).
    const text = new TextEncoder().encode('tidewatch '.repeat(100));
    const zstd = Buffer.from('KLUv/WToAo0AAFB0aWRld2F0Y2ggAQDbWxUkbzh+fA==', 'base64');
    expect(Buffer.from(unpackPage(zstd, text.length, 6)).toString()).toBe(Buffer.from(text).toString());
    const lz4 = Buffer.from([
      0xaf,
      ...text.subarray(0, 10),
      10,
      0,
      255,
      255,
      255,
      201,
      0x50,
      ...text.subarray(5, 10),
    ]);
    expect(Buffer.from(unpackPage(lz4, text.length, 7)).toString()).toBe(Buffer.from(text).toString());
  });

  it('that claims more than it can hold is refused before anything is made', async () => {
    expect(() => unpackPage(new Uint8Array(20), 2 ** 31, 1)).toThrow(/claims to unpack/);
    expect(() => unpackPage(new Uint8Array(20), 1000, 1)).toThrow();
    const packed = gzipSync('tidewatch');
    packed[packed.length - 6] ^= 1;
    expect(() => unpackPage(packed, 9, 2)).toThrow(/checksum/);
    const good = written([{ name: 'c', data: [1, 2, 3] as never, type: 'INT32' }]);
    await expect(rowsOf(good.slice(0, -9))).rejects.toMatchObject({ code: 'parquet-damaged' });
  });
});
