import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
  crsByEpsg,
  figuresBy,
  type GeometryObject,
  geometriesFrom,
  innerPoints,
  type Layer,
  layerOf,
  reprojectLayer,
  tallyFeatures,
  textColumn,
  wgs84,
} from '../../../src/core/index.ts';
import { Batch } from '../../../src/core/layer/batch.ts';
import { featuresOf } from '../../support/extract-made.ts';

function made(name: string, objects: (GeometryObject | null)[], crs = wgs84()): Layer {
  return layerOf({
    name,
    schema: [{ name: 'code', type: 'text' }],
    crs,
    batches: [
      new Batch({
        length: objects.length,
        first: 0,
        geometry: geometriesFrom(objects),
        columns: [textColumn(objects.map((_, k) => `${name}${k}`))],
      }),
    ],
  });
}

const square = (x: number, y: number, side = 1): GeometryObject => ({
  type: 'Polygon',
  coordinates: [
    [
      [x, y],
      [x + side, y],
      [x + side, y + side],
      [x, y + side],
      [x, y],
    ],
  ],
});
const units = made('units', [square(0, 0), square(1, 0)]);

describe('tally', () => {
  test('counts and measures what lies in each unit, cut at the borders', async () => {
    const things = made('things', [
      { type: 'Point', coordinates: [0.5, 0.5] },
      { type: 'Point', coordinates: [1, 0.5] },
      { type: 'Point', coordinates: [9, 9] },
      {
        type: 'LineString',
        coordinates: [
          [0.5, 0],
          [1.5, 0],
        ],
      },
      square(0.25, 0.25, 0.5),
      null,
    ]);
    const result = tallyFeatures(units, things, { as: 'n' });
    const rows = (await featuresOf([result])).units;
    // Half a degree of the equator of WGS 84: π/360 of 6378.137 km.
    const half = (Math.PI / 360) * 6378.137;
    expect(rows.map((row) => row.n_count)).toEqual([4, 1]);
    expect(rows.map((row) => row.n_km)).toEqual([expect.closeTo(half, 6), expect.closeTo(half, 6)]);
    expect(rows[1].n_km2).toBe(0);
    expect(rows[0].n_km2).toBeGreaterThan(3000);
    expect(result.accounts.at(-1)!.sentence).toBe(
      'Tally: 2 units in; 3 things inside one of them, 1 across borders, counted in each and measured by parts, 1 outside, 1 without usable geometry or a collection of several kinds, not counted.',
    );
  });

  test('lengths in units that tile a region add up to the lengths in it', async () => {
    const cell = fc.double({ min: 0.01, max: 3.99, noNaN: true });
    const line = fc.array(fc.tuple(cell, cell), { minLength: 2, maxLength: 6 });
    await fc.assert(
      fc.asyncProperty(fc.array(line, { minLength: 1, maxLength: 4 }), async (lines) => {
        const tiles = made(
          'tiles',
          Array.from({ length: 16 }, (_, k) => square(k % 4, Math.floor(k / 4))),
        );
        const things = made(
          'roads',
          lines.map((coordinates): GeometryObject => ({ type: 'LineString', coordinates })),
        );
        const sum = async (layer: Layer) =>
          (await featuresOf([tallyFeatures(layer, things)]))[layer.name].reduce(
            (total, row) => total + Number(row.roads_km),
            0,
          );
        const [parts, whole] = [await sum(tiles), await sum(made('whole', [square(0, 0, 4)]))];
        // Pieces of a geodesic lie a little beside the straight line in degrees that is cut.
        expect(Math.abs(parts - whole)).toBeLessThan(1e-3 * whole + 1e-9);
      }),
      { numRuns: 30 },
    );
  });

  test('the other layer is brought into the CRS of the units', async () => {
    const things = reprojectLayer(
      made('things', [{ type: 'Point', coordinates: [0.5, 0.5] }]),
      crsByEpsg(32631)!,
    );
    expect((await featuresOf([tallyFeatures(units, things)])).units.map((row) => row.things_count)).toEqual([
      1, 0,
    ]);
    expect(() => tallyFeatures(units, { ...things, crs: null })).toThrow(/no CRS/);
  });
});

describe('figures and points', () => {
  test('figures by value', async () => {
    const layer = made('things', [square(0, 0), square(5, 5), { type: 'Point', coordinates: [1, 1] }]);
    const figures = await figuresBy(layer, 'code');
    expect(figures.map(({ value, count }) => [value, count])).toEqual([
      ['things0', 1],
      ['things1', 1],
      ['things2', 1],
    ]);
    // A square degree at the equator, from the published area of such a cell (12,308.8 km²).
    expect(figures[0].squareKilometres).toBeCloseTo(12_308.8, 0);
  });

  test('areas become points, the others stay', async () => {
    const layer = made('things', [square(0, 0), { type: 'Point', coordinates: [1, 1] }, null]);
    const result = innerPoints(layer);
    const { things } = await featuresOf([result]);
    expect(things.map((row) => row.geometry)).toEqual([
      { type: 'Point', coordinates: [0.5, 0.5] },
      { type: 'Point', coordinates: [1, 1] },
      null,
    ]);
    expect(result.accounts[0].sentence).toBe('Inner points: 3 things in; 1 area became a point.');
  });
});
