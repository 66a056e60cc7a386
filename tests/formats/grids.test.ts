import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  type Grid,
  type GridWindow,
  gridCells,
  gridExtent,
  rowsOf,
  summariseBand,
} from '../../src/core/index.ts';
import {
  type ByteSource,
  lookInside,
  openGeotiff,
  sourceFromBytes,
  surroundingsOf,
} from '../../src/formats/index.ts';
import { lzwTiff } from '../support/lzw-sample.ts';
import { type TiffParts, tiffBytes } from '../support/tiff.ts';

const demo = fileURLToPath(new URL('../../demo/data/map-extracts/flood-depth.tif', import.meta.url));

/** A source that notes which bytes were asked for. */
function watched(bytes: Uint8Array): { source: ByteSource; ranges: [number, number][] } {
  const ranges: [number, number][] = [];
  const plain = sourceFromBytes(bytes, 'grid.tif');
  return {
    ranges,
    source: {
      ...plain,
      bytes: (start, end) => {
        ranges.push([start, Math.min(end, bytes.length)]);
        return plain.bytes(start, end);
      },
      stream: () => {
        throw new Error('The whole file was read.');
      },
    },
  };
}

const open = (parts: TiffParts) => openGeotiff(sourceFromBytes(tiffBytes(parts), 'grid.tif'));

async function allOf(grid: Grid, band = 0): Promise<number[]> {
  return [...(await grid.read(band, { column: 0, row: 0, width: grid.width, height: grid.height }))];
}

/** What the cells of a window should be. */
function expected(parts: TiffParts, band: number, window: GridWindow): number[] {
  const values: number[] = [];
  for (let r = 0; r < window.height; r++)
    for (let c = 0; c < window.width; c++) {
      const value = parts.value(window.column + c, window.row + r, band);
      const stored = parts.type === 'float32' ? Math.fround(value) : value;
      values.push(parts.noData !== undefined && stored === Number(parts.noData) ? NaN : stored);
    }
  return values;
}

const ranges: Record<TiffParts['type'], [number, number]> = {
  uint8: [0, 255],
  int8: [-128, 127],
  uint16: [0, 65_535],
  int16: [-32_768, 32_767],
  uint32: [0, 4_294_967_295],
  int32: [-2_147_483_648, 2_147_483_647],
  uint64: [0, 2 ** 53 - 1],
  int64: [-(2 ** 53) + 1, 2 ** 53 - 1],
  float32: [-1e30, 1e30],
  float64: [-1e300, 1e300],
};

describe('GeoTIFF', () => {
  it('gives back every value of every layout: strips, tiles, bands, types, packings, predictors, byte orders, BigTIFF', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.record({
          width: fc.integer({ min: 1, max: 40 }),
          height: fc.integer({ min: 1, max: 30 }),
          bands: fc.integer({ min: 1, max: 3 }),
          type: fc.constantFrom(...(Object.keys(ranges) as TiffParts['type'][])),
          big: fc.boolean(),
          littleEndian: fc.boolean(),
          tile: fc.option(fc.constantFrom<[number, number]>([16, 16], [32, 16]), { nil: undefined }),
          rowsPerStrip: fc.integer({ min: 1, max: 8 }),
          packing: fc.constantFrom<NonNullable<TiffParts['packing']>>('none', 'zlib', 'deflate', 'packbits'),
          predictor: fc.constantFrom<1 | 2 | 3>(1, 2, 3),
          planar: fc.boolean(),
          seed: fc.integer({ min: 1, max: 1e6 }),
          window: fc.tuple(...[0, 1, 2, 3].map(() => fc.double({ min: 0, max: 0.999, noNaN: true }))),
          band: fc.nat(2),
        }),
        async ({ seed, window: shares, band, ...given }) => {
          const [low, high] = ranges[given.type];
          const float = given.type.startsWith('float');
          const value = (column: number, row: number, b: number) => {
            const share = ((column * 7919 + row * 104_729 + b * 1_299_709 + seed) % 1000) / 999;
            const number = low + share * (high - low);
            return float ? number : Math.round(number);
          };
          const predictor = given.predictor === 3 && !float ? 2 : given.predictor;
          const parts: TiffParts = { ...given, predictor, value };
          const grid = await open(parts);
          const column = Math.floor(shares[0] * parts.width);
          const row = Math.floor(shares[1] * parts.height);
          const window = {
            column,
            row,
            width: 1 + Math.floor(shares[2] * (parts.width - column)),
            height: 1 + Math.floor(shares[3] * (parts.height - row)),
          };
          const b = band % parts.bands!;
          expect([...(await grid.read(b, window))]).toEqual(expected(parts, b, window));
        },
      ),
      { numRuns: 150 },
    );
  });

  it('reads LZW as another program packs it', async () => {
    // 72 × 50 bytes, packed by libtiff: codes of 9 to 11 bits.
    const grid = await openGeotiff(
      sourceFromBytes(Uint8Array.from(Buffer.from(lzwTiff, 'base64')), 'lzw.tif'),
    );
    expect([grid.width, grid.height, grid.layout]).toEqual([72, 50, expect.stringContaining('LZW')]);
    const values = await allOf(grid);
    const cell = (c: number, r: number) => (c * r + 7 * c + r * r) % 61;
    expect(values).toEqual(Array.from({ length: 3600 }, (_, k) => cell(k % 72, Math.floor(k / 72))));
  });

  it('reads only the tiles that a window needs, and keeps them for the next one', async () => {
    const parts: TiffParts = {
      width: 512,
      height: 512,
      type: 'uint16',
      tile: [64, 64],
      packing: 'zlib',
      value: (c, r) => (c * 31 + r * 17) % 60_000,
    };
    const bytes = tiffBytes(parts);
    const { source, ranges: asked } = watched(bytes);
    const grid = await openGeotiff(source);
    const opening = asked.reduce((sum, [from, to]) => sum + to - from, 0);
    expect(opening).toBeLessThan(8000);
    asked.length = 0;
    const window = { column: 70, row: 130, width: 40, height: 30 };
    expect([...(await grid.read(0, window))]).toEqual(expected(parts, 0, window));
    // One tile: its offset, its length, its bytes.
    expect(asked.length).toBe(3);
    expect(asked.reduce((sum, [from, to]) => sum + to - from, 0)).toBeLessThan(bytes.length / 40);
    asked.length = 0;
    await grid.read(0, { ...window, width: 10 });
    expect(asked).toEqual([]);
  });

  it('knows where its cells lie: scale and tie point, matrix, points in the middle of cells', async () => {
    const value = (c: number, r: number) => c + 10 * r;
    const base: TiffParts = {
      width: 4,
      height: 3,
      type: 'uint8',
      value,
      transform: { scale: [10, 20], tie: [0, 0, 500_000, 5_000_000] },
    };
    const utm = [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, 32_626];
    const grid = await open({ ...base, keys: utm });
    expect(grid.crs?.code).toBe('EPSG:32626');
    expect(gridExtent(grid)).toEqual([500_000, 5_000_000 - 60, 500_040, 5_000_000]);
    const points = await open({ ...base, keys: [1, 1, 0, 2, 1025, 0, 1, 2, 3072, 0, 1, 32_626] });
    expect(gridExtent(points)).toEqual([499_995, 5_000_010 - 60, 500_035, 5_000_010]);
    const turned = await open({
      ...base,
      keys: utm,
      transform: { matrix: [0, 5, 0, 100, -5, 0, 0, 200, 0, 0, 0, 0, 0, 0, 0, 1] },
    });
    expect(gridExtent(turned)).toEqual([100, 180, 115, 200]);
    const degrees = await open({ ...base, keys: [1, 1, 0, 2, 1024, 0, 1, 2, 2048, 0, 1, 4326] });
    expect(degrees.crs?.code).toBe('EPSG:4326');
    const bare = await open({ ...base, transform: undefined });
    expect(bare.findings.map((finding) => finding.code).sort()).toEqual(['crs-missing', 'position-missing']);
  });

  it('tells no data and left-out tiles from zero', async () => {
    const grid = await open({
      width: 32,
      height: 16,
      type: 'float32',
      tile: [16, 16],
      noData: '-3.4028234663852886e+38',
      sparse: new Set([1]),
      value: (c, r) => (c === 3 ? -3.4028234663852886e38 : c === 4 ? 0 : c * r),
    });
    const values = await allOf(grid);
    expect(values[3]).toBeNaN();
    expect(values[4]).toBe(0);
    expect(values[20]).toBeNaN();
    const summary = await summariseBand(grid, 0);
    expect(summary).toMatchObject({ cells: 512, blank: 256 + 16, least: 0, greatest: 15 * 15 });
  });

  it('the demo grid lies in the national grid of the study, spelt out in its keys', async () => {
    const contents = await lookInside(sourceFromBytes(readFileSync(demo), 'flood-depth.tif'), {
      around: null,
      path: 'flood-depth.tif',
      capabilities: {},
    });
    const [{ grid, format }] = contents.grids;
    expect(format).toBe('geotiff');
    expect(grid.crs).toMatchObject({
      kind: 'projected',
      method: 'lambert-conic-conformal-2sp',
      parameters: {
        latitudeOfOrigin: 45.6,
        centralMeridian: -30,
        standardParallel1: 45.35,
        standardParallel2: 45.85,
      },
    });
    expect((await summariseBand(grid, 0)).least).toBeGreaterThan(0);
  });

  it('its cells are points, those of a box read by their tiles', async () => {
    const grid = await open({
      width: 40,
      height: 40,
      type: 'int16',
      tile: [16, 16],
      noData: '-1',
      value: (c, r) => (c === 5 ? -1 : c * 100 + r),
      keys: [1, 1, 0, 1, 3072, 0, 1, 32_626],
      transform: { scale: [10, 10], tie: [0, 0, 0, 400] },
    });
    const layer = gridCells(grid);
    let cells = 0;
    for await (const batch of layer.batches({ box: [41, 371, 79, 399] })) {
      for (let i = 0; i < batch.length; i++) {
        const x = batch.geometry!.xy[2 * i];
        const y = batch.geometry!.xy[2 * i + 1];
        expect(batch.columns[0].number(i)).toBe(Math.floor(x / 10) * 100 + Math.floor((400 - y) / 10));
        cells++;
      }
    }
    // Columns 4, 6, 7 (5 has no data), rows 0 to 2.
    expect(cells).toBe(9);
  });

  it('names what it does not read', async () => {
    const parts: TiffParts = { width: 4, height: 4, type: 'uint8', value: () => 1 };
    const patched = (tag: number, value: number) => {
      const bytes = tiffBytes(parts);
      const view = new DataView(bytes.buffer);
      for (let p = 10; p < 10 + 12 * view.getUint16(8, true); p += 12)
        if (view.getUint16(p, true) === tag) view.setUint16(p + 8, value, true);
      return openGeotiff(sourceFromBytes(bytes, 'grid.tif'));
    };
    await expect(patched(259, 7)).rejects.toMatchObject({
      code: 'tiff-packing',
      message: expect.stringContaining('JPEG'),
    });
    await expect(patched(258, 12)).rejects.toMatchObject({ code: 'tiff-samples' });
    await expect(patched(317, 3)).resolves.toBeDefined();
    // More cells than its bytes could ever hold, and blocks larger than what is packed in them.
    const huge = tiffBytes({ width: 4, height: 400, type: 'uint8', value: () => 1 });
    const head = new DataView(huge.buffer);
    for (let p = 10; p < 10 + 12 * head.getUint16(8, true); p += 12)
      if (head.getUint16(p, true) === 256) head.setUint32(p + 8, 2_000_000, true);
    await expect(openGeotiff(sourceFromBytes(huge, 'grid.tif'))).rejects.toMatchObject({
      code: 'tiff-damaged',
    });
    const wide = tiffBytes({
      width: 4000,
      height: 40,
      type: 'uint8',
      rowsPerStrip: 20,
      packing: 'packbits',
      value: () => 1,
    });
    const view = new DataView(wide.buffer);
    for (let p = 10; p < 10 + 12 * view.getUint16(8, true); p += 12)
      if (view.getUint16(p, true) === 279) view.setUint32(view.getUint32(p + 8, true), 3, true);
    const short = await openGeotiff(sourceFromBytes(wide, 'grid.tif'));
    await expect(short.read(0, { column: 0, row: 0, width: 1, height: 1 })).rejects.toMatchObject({
      code: 'tiff-damaged',
    });
    await expect(open({ ...parts, predictor: 3 })).rejects.toMatchObject({ code: 'tiff-damaged' });
    const bytes = tiffBytes(parts);
    const grid = await openGeotiff(sourceFromBytes(bytes, 'grid.tif'));
    await expect(grid.read(0, { column: 2, row: 0, width: 3, height: 1 })).rejects.toMatchObject({
      code: 'window-outside',
    });
    await expect(grid.read(1, { column: 0, row: 0, width: 1, height: 1 })).rejects.toMatchObject({
      code: 'band-unknown',
    });
    const cut = await openGeotiff(sourceFromBytes(bytes.subarray(0, bytes.length - 5), 'grid.tif'));
    await expect(allOf(cut)).rejects.toMatchObject({ code: 'tiff-damaged' });
  });
});

describe('ASCII grid', () => {
  const text = (header: string, rows: number[][], wrap: number) => {
    const values = rows.flat();
    const lines: string[] = [];
    for (let k = 0; k < values.length; k += wrap) lines.push(` ${values.slice(k, k + wrap).join(' ')}`);
    return `${header}${lines.join('\r\n')}\n`;
  };
  const openText = async (content: string, prj?: string) => {
    const source = sourceFromBytes(new TextEncoder().encode(content), 'dem.asc');
    const files = new Map([['dem.asc', source]]);
    if (prj !== undefined) files.set('dem.prj', sourceFromBytes(new TextEncoder().encode(prj), 'dem.prj'));
    const { grids } = await lookInside(source, {
      around: surroundingsOf(files),
      path: 'dem.asc',
      capabilities: {},
    });
    return grids[0].grid;
  };
  const header = (more = '') =>
    `ncols 7\nnrows 20\nxllcorner 1000\nyllcorner 2000\ncellsize 50\nNODATA_value -9999\n${more}`;

  it('is read by window, however its lines are wrapped', async () => {
    const rows = Array.from({ length: 20 }, (_, r) =>
      Array.from({ length: 7 }, (_, c) => (c === 2 ? -9999 : r * 10 + c + 0.5)),
    );
    for (const wrap of [7, 5, 140, 1]) {
      const grid = await openText(text(header(), rows, wrap));
      expect(gridExtent(grid)).toEqual([1000, 2000, 1350, 3000]);
      const values = await grid.read(0, { column: 1, row: 9, width: 3, height: 2 });
      expect([...values]).toEqual([91.5, NaN, 93.5, 101.5, NaN, 103.5]);
    }
  });

  it('takes its CRS from the .prj, the lower left corner from a centre too', async () => {
    const grid = await openText(
      'NCOLS 2\nNROWS 1\nXLLCENTER 25\nYLLCENTER 75\nDX 50\nDY 100\n1 2\n',
      'EPSG:32626',
    );
    expect(grid.crs?.code).toBe('EPSG:32626');
    expect(gridExtent(grid)).toEqual([0, 25, 100, 125]);
    expect(grid.bands[0].noData).toBeNull();
  });

  it('tells how many values are missing', async () => {
    const grid = await openText(`${header()}1 2 3\n`);
    await expect(allOf(grid)).rejects.toMatchObject({
      code: 'grid-damaged',
      message: expect.stringContaining('140'),
    });
    const word = await openText('ncols 2\nnrows 1\nxllcorner 0\nyllcorner 0\ncellsize 1\n1 two\n');
    await expect(allOf(word)).rejects.toMatchObject({
      code: 'grid-damaged',
      message: expect.stringContaining('column 2'),
    });
  });

  it('opens as points for all that works on layers', async () => {
    const grid = await openText(
      'ncols 2\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 10\nnodata_value 0\n1 2\n0 4\n',
      'EPSG:32626',
    );
    const values: unknown[] = [];
    for await (const row of rowsOf(gridCells(grid))) values.push(row.value);
    expect(values).toEqual([1, 2, 4]);
  });
});
