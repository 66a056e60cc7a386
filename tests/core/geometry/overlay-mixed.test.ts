import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import {
  type GeometryArray,
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  type OverlayOperation,
  overlayAreas,
  overlayGeometries,
  planarArea,
  planarLength,
  relate,
} from '../../../src/core/index.ts';
import { randomFrom } from '../../support/random.ts';

const point = (x: number, y: number): GeometryObject => ({ type: 'Point', coordinates: [x, y] });
const line = (...coordinates: number[][]): GeometryObject => ({ type: 'LineString', coordinates });
const square = (x: number, y: number, side: number): GeometryObject => ({
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
function laid(operation: OverlayOperation, a: GeometryObject, b: GeometryObject): GeometryArray | null {
  const builder = new GeometryMaker();
  const made = overlayGeometries(operation, geometriesFrom([a]), 0, geometriesFrom([b]), 0, builder);
  return made === 0 ? null : builder.finish();
}
const object = (...args: Parameters<typeof laid>) => {
  const made = laid(...args);
  return made === null ? null : geometryObject(made, 0);
};
const kindOf = (...args: Parameters<typeof laid>) => object(...args)?.type ?? null;

describe('geometries of every kind laid over each other', () => {
  it.each<[string, OverlayOperation, GeometryObject, GeometryObject, GeometryObject | null]>([
    [
      'squares side by side have a border in common',
      'intersection',
      square(0, 0, 1),
      square(1, 0, 1),
      line([1, 0], [1, 1]),
    ],
    [
      'squares at a corner have a point in common',
      'intersection',
      square(0, 0, 1),
      square(1, 1, 1),
      point(1, 1),
    ],
    ['lines that cross', 'intersection', line([0, 0], [2, 2]), line([0, 2], [2, 0]), point(1, 1)],
    [
      'lines that run along',
      'intersection',
      line([0, 0], [3, 0]),
      line([1, 0], [5, 0]),
      line([1, 0], [3, 0]),
    ],
    [
      'a line and an area',
      'intersection',
      line([-1, 0.5], [3, 0.5]),
      square(0, 0, 1),
      line([0, 0.5], [1, 0.5]),
    ],
    [
      'a line less an area',
      'difference',
      line([0.5, 0.5], [3, 0.5]),
      square(0, 0, 1),
      line([1, 0.5], [3, 0.5]),
    ],
    ['an area less a line', 'difference', square(0, 0, 1), line([0.2, 0.2], [0.8, 0.8]), square(0, 0, 1)],
    ['a point in an area', 'intersection', point(0.5, 0.5), square(0, 0, 1), point(0.5, 0.5)],
    ['a point on a line is of it', 'union', point(1, 0), line([0, 0], [2, 0]), line([0, 0], [1, 0], [2, 0])],
    ['a point less itself', 'difference', point(1, 1), point(1, 1), null],
    [
      'points, in either but not both',
      'symmetric-difference',
      {
        type: 'MultiPoint',
        coordinates: [
          [0, 0],
          [1, 1],
        ],
      },
      point(1, 1),
      point(0, 0),
    ],
  ])('%s', (_, operation, a, b, expected) => {
    expect(object(operation, a, b)).toEqual(expected);
  });

  it('collect what is of different kinds', () => {
    expect(kindOf('union', square(0, 0, 1), line([0.5, 0.5], [3, 0.5]))).toBe('GeometryCollection');
    expect(kindOf('union', square(0, 0, 1), point(5, 5))).toBe('GeometryCollection');
    expect(kindOf('union', square(0, 0, 1), point(0.5, 0.5))).toBe('Polygon');
    const touching = laid(
      'intersection',
      {
        type: 'MultiPolygon',
        coordinates: [square(0, 0, 2), square(5, 2, 1)].map(
          (each) => (each as { coordinates: number[][][] }).coordinates,
        ),
      },
      {
        type: 'MultiPolygon',
        coordinates: [square(1, 1, 1), square(6, 3, 1), square(5, 1, 1)].map(
          (each) => (each as { coordinates: number[][][] }).coordinates,
        ),
      },
    );
    expect(geometryObject(touching!, 0)).toMatchObject({
      type: 'GeometryCollection',
      geometries: [{ type: 'Polygon' }, { type: 'LineString' }, { type: 'Point' }],
    });
  });

  it('of areas are the same as the overlay of areas, by area', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), (seed) => {
        const random = randomFrom(seed);
        const some = () =>
          square(Math.floor(random() * 6), Math.floor(random() * 6), 1 + Math.floor(random() * 4));
        const [a, b] = [some(), some()];
        for (const operation of ['intersection', 'union', 'difference', 'symmetric-difference'] as const) {
          const builder = new GeometryMaker();
          const polygons = overlayAreas(operation, geometriesFrom([a]), 0, geometriesFrom([b]), 0, builder);
          const made = laid(operation, a, b);
          const area = made === null ? 0 : planarArea(made, 0);
          expect(area).toBe(polygons === 0 ? 0 : planarArea(builder.finish(), 0));
          if (made !== null) expect(faultsOf(made, 0)).toEqual([]);
        }
      }),
    );
  });

  it('of lines: lengths add up, and relations say the same', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), (seed) => {
        const random = randomFrom(seed);
        const whole = () => Math.floor(random() * 5);
        const path = () => {
          const coordinates = [[whole(), whole()]];
          while (coordinates.length < 4) {
            const [x, y] = coordinates[coordinates.length - 1];
            const next = [whole(), whole()];
            if (next[0] !== x || next[1] !== y) coordinates.push(next);
          }
          return line(...coordinates);
        };
        const [a, b] = [path(), random() < 0.5 ? path() : square(whole(), whole(), 1 + whole())];
        const length = (made: GeometryArray | null) => (made === null ? 0 : planarLength(made, 0));
        const whole2 = length(laid('union', a, a));
        const common = laid('intersection', a, b);
        const rest = laid('difference', a, b);
        expect(length(common) + length(rest)).toBeCloseTo(whole2, 9);
        const matrix = relate(geometriesFrom([a]), 0, geometriesFrom([b]), 0);
        expect(common === null).toBe(/^FF.FF/.test(matrix));
      }),
      { numRuns: 300 },
    );
  });
});
