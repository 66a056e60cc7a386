import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import { snapRound } from '../../../src/core/geometry/overlay/snap-rounding.ts';
import { type Simplification, simplify } from '../../../src/core/geometry/shape/simplify.ts';
import { smooth } from '../../../src/core/geometry/shape/smooth.ts';
import {
  type GeometryArray,
  GeometryMaker,
  geometriesFrom,
  geometryObject,
  hausdorffDistance,
  planarArea,
  planarRuler,
  uniteAreas,
} from '../../../src/core/index.ts';
import { coverageOf } from '../../support/coverage.ts';
import { randomFrom } from '../../support/random.ts';

const ruler = planarRuler();
const all = (array: GeometryArray) => Array.from({ length: array.length }, (_, i) => i);
const sum = (array: GeometryArray) => all(array).reduce((total, i) => total + planarArea(array, i), 0);

/** Area of all features as one: less than their sum where some overlap. */
function unitedArea(array: GeometryArray): { area: number; polygons: number; holes: number } {
  const builder = new GeometryMaker();
  const polygons = uniteAreas(array, all(array), builder);
  const whole = builder.finish();
  return {
    area: planarArea(whole, 0),
    polygons,
    holes: whole.vertexStart.length - 1 - polygons,
  };
}

/** A coverage stays one: every feature valid, no overlap, no gap within. */
function expectCoverage(array: GeometryArray): void {
  for (const i of all(array)) expect(faultsOf(array, i)).toEqual([]);
  const united = unitedArea(array);
  expect(united.polygons).toBe(1);
  expect(united.holes).toBe(0);
  expect(Math.abs(sum(array) - united.area)).toBeLessThan(1e-9 * united.area);
}

describe('simplification of a coverage', () => {
  const ways: readonly (readonly [string, Omit<Simplification, 'ruler'>])[] = [
    ['by distance', { by: 'distance', upTo: 3 }],
    ['by a distance that is far too great', { by: 'distance', upTo: 1000 }],
    ['by effective area', { by: 'area', upTo: 30 }],
    ['to a number of vertices', { by: 'area', upTo: Number.POSITIVE_INFINITY, vertices: 60 }],
    ['to no vertex at all', { by: 'area', upTo: Number.POSITIVE_INFINITY, vertices: 0 }],
  ];
  it.each(ways)('%s leaves no gap and no overlap', (_, how) => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), fc.integer({ min: 1, max: 5 }), (seed, side) => {
        const given = coverageOf(side, 8, randomFrom(seed));
        const { geometry, before, after } = simplify(given, { ...how, ruler });
        expectCoverage(given);
        expectCoverage(geometry);
        expect(after).toBeLessThanOrEqual(before);
        if (how.vertices === 60 && before > 60) expect(after).toBeLessThan(before);
      }),
      { numRuns: 60 },
    );
  });

  it('by distance keeps every border within that distance', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 1e6 }),
        fc.double({ min: 0.1, max: 20, noNaN: true }),
        (seed, upTo) => {
          const given = coverageOf(3, 12, randomFrom(seed));
          const { geometry } = simplify(given, { by: 'distance', upTo, ruler });
          for (const i of all(given))
            expect(hausdorffDistance(given, i, geometry, i, ruler)).toBeLessThanOrEqual(upTo * 1.002);
        },
      ),
      { numRuns: 40 },
    );
  });

  it('keeps islands in their bays, holes in their shells, points on their side', () => {
    const bay = geometriesFrom([
      {
        type: 'Polygon',
        coordinates: [
          [
            [0, 0],
            [100, 0],
            [100, 100],
            [55, 100],
            [54, 50],
            [50, 48],
            [46, 50],
            [45, 100],
            [0, 100],
            [0, 0],
          ],
          [
            [10, 10],
            [20, 10],
            [20, 20],
            [10, 10],
          ],
        ],
      },
      {
        type: 'Polygon',
        coordinates: [
          [
            [49, 60],
            [51, 60],
            [51, 62],
            [49, 60],
          ],
        ],
      },
      { type: 'Point', coordinates: [50, 52] },
    ]);
    const { geometry, held } = simplify(bay, { by: 'distance', upTo: 500, ruler });
    expect(held).toBeGreaterThan(0);
    expect(geometry.length).toBe(3);
    expect(faultsOf(geometry, 0)).toEqual([]);
    // The island and the point still lie in the bay, outside of the land.
    const land = new GeometryMaker();
    expect(uniteAreas(geometry, [0, 1], land)).toBe(2);
    expect(geometry.ringStart[geometry.partStart[1]]).toBe(2);
  });

  it('keeps heights of the vertices that stay', () => {
    const builder = new GeometryMaker();
    builder.feature(2);
    builder.part();
    builder.ring();
    for (let k = 0; k < 5; k++) {
      builder.vertex(k, k % 2 === 0 ? 0 : 0.01);
      builder.height(100 + k);
    }
    const { geometry } = simplify(builder.finish(), { by: 'distance', upTo: 1, ruler });
    expect(geometryObject(geometry, 0)).toEqual({
      type: 'LineString',
      coordinates: [
        [0, 0, 100],
        [4, 0, 104],
      ],
    });
  });

  it('by effective area takes the least triangle first', () => {
    const line = geometriesFrom([
      {
        type: 'LineString',
        coordinates: [
          [0, 0],
          [10, 1],
          [20, 0],
          [30, 5],
          [40, 0],
        ],
      },
    ]);
    const left = (vertices: number) =>
      simplify(line, { by: 'area', upTo: Number.POSITIVE_INFINITY, vertices, ruler }).geometry;
    expect(geometryObject(left(4), 0)).toMatchObject({
      coordinates: [
        [0, 0],
        [20, 0],
        [30, 5],
        [40, 0],
      ],
    });
    // Triangles then: 50 at 30 and 20·5/2 … the lesser one is that of (20, 0).
    expect(geometryObject(left(3), 0)).toMatchObject({
      coordinates: [
        [0, 0],
        [30, 5],
        [40, 0],
      ],
    });
  });
});

describe('corners cut', () => {
  it('keep a coverage one', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 1e6 }),
        fc.integer({ min: 1, max: 4 }),
        fc.integer({ min: 1, max: 3 }),
        (seed, side, rounds) => {
          const given = coverageOf(side, 5, randomFrom(seed));
          const { geometry } = smooth(given, rounds);
          expect(geometry.vertexCount).toBeGreaterThan(given.vertexCount);
          expectCoverage(geometry);
        },
      ),
      { numRuns: 40 },
    );
  });

  it('are a quarter of each edge, and stay where something lies within', () => {
    const path = (extra: [number, number] | null) =>
      smooth(
        geometriesFrom([
          {
            type: 'LineString',
            coordinates: [
              [0, 0],
              [8, 0],
              [8, 8],
            ],
          },
          ...(extra === null ? [] : [{ type: 'Point', coordinates: extra } as const]),
        ]),
        1,
      );
    expect(geometryObject(path(null).geometry, 0)).toEqual({
      type: 'LineString',
      coordinates: [
        [0, 0],
        [6, 0],
        [8, 2],
        [8, 8],
      ],
    });
    expect(path([7.5, 0.5]).held).toBe(1);
    expect(path([7.5, 0.5]).geometry.vertexCount).toBe(4);
  });
});

describe('a chosen grid', () => {
  it('holds every coordinate, keeps a coverage one, and areas valid', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), fc.constantFrom(0.001, 0.1, 1, 5, 20), (seed, cell) => {
        const given = coverageOf(3, 6, randomFrom(seed));
        const { geometry } = snapRound(given, cell);
        for (const value of geometry.xy)
          expect(Math.abs(value / cell - Math.round(value / cell))).toBeLessThan(1e-9);
        const there = all(geometry).filter((i) => geometry.kind[i] !== 0);
        for (const i of there) expect(faultsOf(geometry, i)).toEqual([]);
        const united = unitedArea(geometry);
        expect(Math.abs(sum(geometry) - united.area)).toBeLessThan(1e-9 * united.area);
        expect(united.holes).toBe(0);
        // Whatever moved, moved by half a cell's diagonal at most: areas differ by no more than that along their borders.
        for (const i of there)
          expect(Math.abs(planarArea(geometry, i) - planarArea(given, i))).toBeLessThan(700 * cell);
      }),
      { numRuns: 60 },
    );
  });

  it('leaves what lies on it as it is', () => {
    const given = geometriesFrom([
      {
        type: 'Polygon',
        coordinates: [
          [
            [0, 0],
            [0.3, 0.1],
            [0.2, 0.7],
            [0, 0],
          ],
        ],
      },
      {
        type: 'LineString',
        coordinates: [
          [0.9, 0.1],
          [0.9, 0.3],
        ],
      },
    ]);
    const { geometry, moved, vanished } = snapRound(given, 0.1);
    expect([moved, vanished]).toEqual([0, 0]);
    expect(planarArea(geometry, 0)).toBeCloseTo(planarArea(given, 0), 15);
    expect(geometryObject(geometry, 1)).toEqual(geometryObject(given, 1));
  });
});
