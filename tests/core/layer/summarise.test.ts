import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { GeometryMaker } from '../../../src/core/geometry/geometry-maker.ts';
import { planarArea } from '../../../src/core/geometry/measures.ts';
import { AreaSet } from '../../../src/core/geometry/overlay/area-set.ts';
import { overlayAreas } from '../../../src/core/geometry/overlay/overlay.ts';
import { CellEdges } from '../../../src/core/grid/coverage.ts';
import {
  type Crs,
  crsByEpsg,
  type GeometryObject,
  type Grid,
  geometriesFrom,
  reprojectLayer,
  summariseGrids,
  wgs84,
} from '../../../src/core/index.ts';
import { layerWith, plane, read } from '../../support/layer-of.ts';
import { randomFrom } from '../../support/random.ts';

/** A grid in memory: rows of values, the first one in the north; cells of one unit from (0, 0) up. */
function gridOf(
  rows: readonly (readonly number[])[],
  {
    crs = plane,
    name = 'depth',
    x = 0,
    y = 0,
    cell = 1,
    bands = [name],
  }: { crs?: Crs; name?: string; x?: number; y?: number; cell?: number; bands?: string[] } = {},
): Grid & { reads: number } {
  return {
    name,
    width: rows[0].length,
    height: rows.length,
    bands: bands.map((each) => ({ name: each, type: 'float64', noData: null, unit: 'cm' })),
    crs,
    transform: [x, cell, 0, y + rows.length * cell, 0, -cell],
    findings: [],
    layout: 'in memory',
    reads: 0,
    async read(band, { column, row, width, height }) {
      this.reads++;
      const values = new Float64Array(width * height);
      for (let r = 0; r < height; r++)
        for (let c = 0; c < width; c++) values[r * width + c] = rows[row + r][column + c] + 1000 * band;
      return values;
    },
  };
}

const ring = (...corners: [number, number][]): GeometryObject => ({
  type: 'Polygon',
  coordinates: [[...corners, corners[0]]],
});
const box = (x0: number, y0: number, x1: number, y1: number) => ring([x0, y0], [x1, y0], [x1, y1], [x0, y1]);
const four = gridOf([
  [1, 2],
  [3, Number.NaN],
]);
const all = [
  'mean',
  'sum',
  'count',
  'least',
  'greatest',
  'median',
  'deviation',
  'above 1.5',
  'majority',
  'covered',
];

describe('figures of cells by unit', () => {
  it('weigh cells by the exact share of them that a unit covers', async () => {
    const units = layerWith([box(0, 0, 2, 2), box(0.5, 0.5, 1.5, 2), box(0, 1.75, 0.25, 2)], {
      code: ['A', 'B', 'C'],
    });
    const { rows, account } = await read(summariseGrids(units, [four], { figures: all }));
    expect(rows[0]).toMatchObject({
      depth_mean: 2,
      depth_sum: 6,
      depth_count: 3,
      depth_least: 1,
      depth_greatest: 3,
      depth_median: 2,
      depth_deviation: expect.closeTo(Math.sqrt(2 / 3), 12),
      depth_above_1_5: expect.closeTo(200 / 3, 9),
      depth_majority: 1,
      depth_covered: 75,
    });
    // Half of the upper cells, a quarter of the lower ones, one of which has no data.
    expect(rows[1]).toMatchObject({
      depth_count: 1.25,
      depth_sum: 2.25,
      depth_mean: 2.25 / 1.25,
      depth_covered: expect.closeTo((100 * 1.25) / 1.5, 9),
    });
    expect(rows[2]).toMatchObject({ depth_count: 0.0625, depth_mean: 1 });
    expect(account.findings.map(({ code }) => code)).toEqual(['unit-under-cell']);
    expect(account.notes.join(' ')).toContain('2 units have data of depth on a part only (1 and 2)');
  });

  it('or count cells whose centre lies in it, each in one of two neighbours', async () => {
    const random = randomFrom(3);
    const rows = Array.from({ length: 12 }, () =>
      Array.from({ length: 12 }, () => Math.round(100 * random())),
    );
    // The border between both runs through centres.
    const units = layerWith(
      [ring([0, 0], [6.5, 0], [6.5, 12], [0, 12]), ring([6.5, 0], [12, 0], [12, 12], [6.5, 12])],
      { code: ['A', 'B'] },
    );
    const grid = gridOf(rows);
    const { rows: made } = await read(
      summariseGrids(units, [grid], { figures: ['count', 'sum'], by: 'centre' }),
    );
    expect(made.map((row) => row.depth_count)).toEqual([72, 72]);
    const left = rows.flatMap((row) => row.slice(0, 6)).reduce((a, b) => a + b);
    expect(made[0].depth_sum).toBe(left);
  });

  it('tell shares of categories, several grids and bands by name', async () => {
    const cover = gridOf(
      [
        [1, 1],
        [2, 7],
      ],
      { name: 'cover' },
    );
    const units = layerWith([box(0, 0, 2, 2), box(0, 0, 1, 2)], { code: ['A', 'B'] });
    const { rows } = await read(summariseGrids(units, [cover], { figures: ['shares', 'majority'] }));
    expect(rows[0]).toMatchObject({
      cover_1_share: 50,
      cover_2_share: 25,
      cover_7_share: 25,
      cover_majority: 1,
    });
    expect(rows[1]).toMatchObject({ cover_1_share: 50, cover_2_share: 50, cover_7_share: 0 });
    const years = [2019, 2024].map((year) => gridOf([[year]], { name: `snow-${year}`, cell: 2 }));
    const series = await read(summariseGrids(units, years, {}));
    expect(series.rows[0]).toMatchObject({ snow_2019_mean: 2019, snow_2024_mean: 2024 });
    const bands = await read(
      summariseGrids(units, [gridOf([[5]], { name: 'g', cell: 2, bands: ['low', 'high'] })], { as: 'wet' }),
    );
    expect(bands.rows[0]).toMatchObject({ wet_low_mean: 5, wet_high_mean: 1005 });
    const many = gridOf([Array.from({ length: 70 }, (_, k) => k)]);
    await expect(summariseGrids(units, [many], { figures: ['shares'] })).rejects.toMatchObject({
      code: 'categories-too-many',
    });
    await expect(summariseGrids(units, [many], { figures: ['average'] })).rejects.toMatchObject({
      code: 'cell-figure-unknown',
    });
  });

  it('of units in another CRS than the grid are those of the same ground', async () => {
    const rows = Array.from({ length: 40 }, (_, r) => Array.from({ length: 40 }, (_, c) => r + 2 * c));
    const grid = gridOf(rows, { x: 500_000, y: 5_000_000, cell: 100 });
    const units = layerWith([box(500_500, 5_000_700, 502_900, 5_003_100)], { code: ['A'] });
    const [own] = (await read(summariseGrids(units, [grid], { figures: ['mean', 'count'] }))).rows;
    const moved = await read(
      summariseGrids(reprojectLayer(units, wgs84()), [grid], { figures: ['mean', 'count'] }),
    );
    expect(moved.rows[0].depth_mean).toBeCloseTo(own.depth_mean as number, 2);
    expect(moved.account.notes.join(' ')).toContain('Units were brought from');
    await expect(
      summariseGrids(layerWith([box(0, 0, 1, 1)], {}, { crs: null }), [grid], {}),
    ).rejects.toMatchObject({ code: 'crs-missing' });
  });

  it('in degrees weigh rows by their ground: a mean over a zone leans to the equator', async () => {
    const rows = Array.from({ length: 90 }, (_, r) => [89.5 - r]);
    const grid = gridOf(rows, { crs: wgs84(), name: 'latitude' });
    const units = layerWith([box(0, 0, 1, 90)], {}, { crs: wgs84() });
    const [row] = (await read(summariseGrids(units, [grid], { figures: ['mean', 'count'] }))).rows;
    // On a sphere the mean latitude of a hemisphere is 90° − 180°/π = 32.70°; the ellipsoid differs by its flattening.
    expect(row.latitude_mean).toBeCloseTo(32.7, 0);
    expect(row.latitude_count).toBeCloseTo(90, 9);
  });

  it('are told where a unit has no data', async () => {
    const units = layerWith([box(50, 50, 51, 51), box(0, 0, 1, 1)], { code: ['far', 'near'] });
    const { rows, account } = await read(summariseGrids(units, [four], {}));
    expect(rows.map((row) => row.depth_mean)).toEqual([null, 3]);
    expect(account.findings[0]).toMatchObject({ code: 'grid-without-data', severity: 'warning' });
    const none = await read(summariseGrids(layerWith([box(50, 50, 51, 51)]), [four], {}));
    expect(none.account.findings[0]).toMatchObject({ code: 'grid-without-data', severity: 'error' });
  });
});

describe('shares of cells', () => {
  const number = fc.double({ min: -1, max: 7, noNaN: true });
  const triangle = fc
    .tuple(number, number, number, number, number, number)
    .map(([a, b, c, d, e, f]) => ring([a, b], [c, d], [e, f]));

  it('are the areas of overlap, to the last digits', () => {
    const grid = gridOf(Array.from({ length: 6 }, () => Array.from({ length: 6 }, () => 0)));
    fc.assert(
      fc.property(triangle, (shape) => {
        const { areas } = new AreaSet(geometriesFrom([shape]));
        const edges = new CellEdges(grid, areas);
        const cells = edges.cellsOf(0, { column: 0, row: 0, width: 6, height: 6 });
        if (areas.isEmpty(0) || cells === null) return;
        const shares = edges.shares(0, cells);
        for (let k = 0; k < shares.length; k++) {
          const [c, r] = [cells.column + (k % cells.width), 6 - cells.row - Math.floor(k / cells.width)];
          const cell = geometriesFrom([box(c, r - 1, c + 1, r)]);
          const maker = new GeometryMaker();
          const area =
            overlayAreas('intersection', areas, 0, cell, 0, maker) === 0 ? 0 : planarArea(maker.finish(), 0);
          expect(shares[k]).toBeCloseTo(area, 9);
        }
      }),
      { numRuns: 150 },
    );
  });

  it('of units that tile the ground sum to the grid, whatever the strips', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 0, max: 1000 }),
        fc.double({ min: 0.1, max: 9.9, noNaN: true }),
        fc.double({ min: 0.1, max: 9.9, noNaN: true }),
        async (seed, x, y) => {
          const random = randomFrom(seed);
          const rows = Array.from({ length: 10 }, () =>
            Array.from({ length: 10 }, () => (random() < 0.1 ? Number.NaN : random())),
          );
          const tiles = layerWith([
            ring([0, 0], [10, 0], [x, y]),
            ring([10, 0], [10, 10], [x, y]),
            ring([10, 10], [0, 10], [x, y]),
            ring([0, 10], [0, 0], [x, y]),
          ]);
          const total = rows
            .flat()
            .filter((value) => !Number.isNaN(value))
            .reduce((a, b) => a + b, 0);
          const there = rows.flat().filter((value) => !Number.isNaN(value)).length;
          for (const by of ['share', 'centre'] as const) {
            const made = (
              await read(summariseGrids(tiles, [gridOf(rows)], { figures: ['sum', 'count'], by }))
            ).rows;
            const over = (name: string) =>
              made.reduce((sum, row) => sum + ((row[name] as number | null) ?? 0), 0);
            expect(over('depth_sum')).toBeCloseTo(total, 9);
            expect(over('depth_count')).toBeCloseTo(there, 9);
          }
        },
      ),
      { numRuns: 40 },
    );
  });
});

describe('values at points', () => {
  const point = (x: number, y: number): GeometryObject => ({ type: 'Point', coordinates: [x, y] });

  it('are those of their cells, or between four centres', async () => {
    const grid = gridOf([
      [1, 2, 3],
      [4, 5, 6],
      [7, 8, Number.NaN],
    ]);
    const points = layerWith([
      point(0.5, 2.5),
      point(1, 2),
      point(2.5, 0.5),
      point(9, 9),
      null,
      point(1.25, 1.5),
    ]);
    const cells = await read(summariseGrids(points, [grid], {}));
    expect(cells.rows.map((row) => row.depth)).toEqual([1, 5, null, null, null, 5]);
    expect(cells.account.notes.join(' ')).toContain('3 points have no value of depth');
    const smooth = await read(summariseGrids(points, [grid], { at: 'between' }));
    expect(smooth.rows.map((row) => row.depth)).toEqual([1, 3, null, null, null, 4.75]);
  });

  it('between centres of a plane are those of the plane', async () => {
    const grid = gridOf(
      Array.from({ length: 300 }, (_, r) =>
        Array.from({ length: 20 }, (_, c) => 3 * (c + 0.5) + 2 * (300 - r - 0.5)),
      ),
    );
    const random = randomFrom(1);
    const places = Array.from({ length: 400 }, () => [0.5 + 19 * random(), 0.5 + 299 * random()]);
    const { rows } = await read(
      summariseGrids(layerWith(places.map(([x, y]) => point(x, y))), [grid], { at: 'between' }),
    );
    rows.forEach((row, k) => {
      expect(row.depth).toBeCloseTo(3 * places[k][0] + 2 * places[k][1], 9);
    });
    expect(grid.reads).toBeLessThan(5);
  });

  it('come from a grid in another CRS', async () => {
    const grid = gridOf([[4]], { x: 500_000, y: 5_000_000, cell: 1000 });
    const points = reprojectLayer(
      layerWith([point(500_500, 5_000_500)], {}, { crs: crsByEpsg(32626)! }),
      wgs84(),
    );
    expect((await read(summariseGrids({ ...points, kinds: ['Point'] }, [grid], {}))).rows[0].depth).toBe(4);
  });
});
