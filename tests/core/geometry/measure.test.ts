import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import { locateInRing } from '../../../src/core/geometry/predicates.ts';
import {
  centroid,
  concaveHull,
  convexHull,
  crsByEpsg,
  frechetDistance,
  type GeometryObject,
  geometriesFrom,
  greatestCircleWithin,
  hausdorffDistance,
  leastCircle,
  leastRectangle,
  nearestPlaces,
  planarRuler,
  rulerFor,
} from '../../../src/core/index.ts';
import { randomFrom } from '../../support/random.ts';

const ruler = planarRuler();
const one = (object: GeometryObject) => geometriesFrom([object]);
const line = (...coordinates: number[][]): GeometryObject => ({ type: 'LineString', coordinates });
const polygon = (...rings: number[][][]): GeometryObject => ({
  type: 'Polygon',
  coordinates: rings.map((ring) => [...ring, ring[0]]),
});
const points = (seed: number, count: number, whole = false) => {
  const random = randomFrom(seed);
  return Float64Array.from({ length: 2 * count }, () => (whole ? Math.floor(random() * 5) : random()));
};
const ringOf = (xy: Float64Array, hull: readonly number[]) =>
  Float64Array.from([...hull, hull[0]].flatMap((p) => [xy[2 * p], xy[2 * p + 1]]));
const seeds = fc.integer({ min: 1, max: 1e6 });

describe('figures around points', () => {
  it('a hull holds all of them and turns left at every corner', () => {
    fc.assert(
      fc.property(seeds, fc.integer({ min: 1, max: 60 }), fc.boolean(), (seed, count, whole) => {
        const xy = points(seed, count, whole);
        const hull = convexHull(xy);
        if (hull.length < 3) return;
        const ring = ringOf(xy, hull);
        for (let p = 0; p < count; p++)
          expect(locateInRing(xy[2 * p], xy[2 * p + 1], ring, 0, ring.length / 2)).toBeGreaterThanOrEqual(0);
        hull.forEach((_, k) => {
          const [a, b, c] = [0, 1, 2].map((n) => hull[(k + n) % hull.length]);
          const turn =
            (xy[2 * b] - xy[2 * a]) * (xy[2 * c + 1] - xy[2 * b + 1]) -
            (xy[2 * b + 1] - xy[2 * a + 1]) * (xy[2 * c] - xy[2 * b]);
          expect(turn).toBeGreaterThan(0);
        });
      }),
    );
  });

  it('a hollow hull is simple, holds all of them, and is the hull at 1', () => {
    fc.assert(
      fc.property(
        seeds,
        fc.integer({ min: 3, max: 60 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (seed, count, share) => {
          const xy = points(seed, count);
          const hull = concaveHull(xy, share);
          const ring = ringOf(xy, hull);
          const coordinates = Array.from({ length: ring.length / 2 }, (_, k) => [
            ring[2 * k],
            ring[2 * k + 1],
          ]);
          expect(faultsOf(one({ type: 'Polygon', coordinates: [coordinates] }), 0)).toEqual([]);
          for (let p = 0; p < count; p++)
            expect(locateInRing(xy[2 * p], xy[2 * p + 1], ring, 0, ring.length / 2)).toBeGreaterThanOrEqual(
              0,
            );
          expect(concaveHull(xy, 1).length).toBe(convexHull(xy).length);
        },
      ),
    );
  });

  it('the least circle holds all, and is no larger than one through two or three of them', () => {
    fc.assert(
      fc.property(seeds, fc.integer({ min: 1, max: 9 }), fc.boolean(), (seed, count, whole) => {
        const xy = points(seed, count, whole);
        const circle = leastCircle(xy)!;
        const far = (p: number) => Math.hypot(xy[2 * p] - circle.x, xy[2 * p + 1] - circle.y);
        const distances = Array.from({ length: count }, (_, p) => far(p));
        for (const distance of distances)
          expect(distance).toBeLessThanOrEqual(circle.radius * (1 + 1e-9) + 1e-12);
        // Those on it are not all on one side of a line through its centre: else it could shrink.
        const on = distances.flatMap((distance, p) => (distance > circle.radius * (1 - 1e-9) ? [p] : []));
        for (let k = 0; k < 64 && circle.radius > 0; k++) {
          const [ux, uy] = [Math.cos((k * Math.PI) / 32), Math.sin((k * Math.PI) / 32)];
          const least = Math.min(
            ...on.map((p) => (xy[2 * p] - circle.x) * ux + (xy[2 * p + 1] - circle.y) * uy),
          );
          expect(least).toBeLessThan(1e-7 * circle.radius);
        }
      }),
    );
  });

  it('the least rectangle is no larger than any turned box', () => {
    fc.assert(
      fc.property(seeds, fc.integer({ min: 3, max: 12 }), (seed, count) => {
        const xy = points(seed, count);
        const corners = leastRectangle(xy)!;
        const area =
          Math.hypot(corners[2] - corners[0], corners[3] - corners[1]) *
          Math.hypot(corners[4] - corners[2], corners[5] - corners[3]);
        for (let k = 0; k < 90; k++) {
          const [ux, uy] = [Math.cos((k * Math.PI) / 180), Math.sin((k * Math.PI) / 180)];
          const along: number[] = [];
          const across: number[] = [];
          for (let p = 0; p < count; p++) {
            along.push(xy[2 * p] * ux + xy[2 * p + 1] * uy);
            across.push(xy[2 * p + 1] * ux - xy[2 * p] * uy);
          }
          const turned =
            (Math.max(...along) - Math.min(...along)) * (Math.max(...across) - Math.min(...across));
          expect(area).toBeLessThanOrEqual(turned * (1 + 1e-9));
        }
      }),
    );
  });

  it('the greatest circle within an L lies in its corner', () => {
    const shape = one(
      polygon([
        [0, 0],
        [10, 0],
        [10, 2],
        [2, 2],
        [2, 10],
        [0, 10],
      ]),
    );
    const circle = greatestCircleWithin(shape, 0, 1e-6)!;
    // It touches both outer sides and the inner corner: r = (2 − r)·√2 → r = 2√2/(1 + √2).
    expect(circle.radius).toBeCloseTo((2 * Math.SQRT2) / (1 + Math.SQRT2), 4);
    const ring = one(
      polygon(
        [
          [0, 0],
          [10, 0],
          [10, 10],
          [0, 10],
        ],
        [
          [4, 4],
          [6, 4],
          [6, 6],
          [4, 6],
        ],
      ),
    );
    const inRing = greatestCircleWithin(ring, 0, 1e-6)!;
    // In a corner of the ring: r·√2 + r = 4·√2.
    expect(inRing.radius).toBeCloseTo((4 * Math.SQRT2) / (1 + Math.SQRT2), 4);
  });

  it('centroids are those of areas less holes, of lines, of points', () => {
    expect(
      centroid(
        one(
          polygon(
            [
              [0, 0],
              [4, 0],
              [4, 4],
              [0, 4],
            ],
            [
              [2, 0],
              [4, 0],
              [4, 4],
              [2, 4],
            ],
          ),
        ),
        0,
      ),
    ).toEqual([1, 2]);
    expect(centroid(one(line([0, 0], [4, 0], [4, 4])), 0)).toEqual([3, 1]);
    expect(
      centroid(
        one({
          type: 'MultiPoint',
          coordinates: [
            [0, 0],
            [3, 0],
            [0, 3],
          ],
        }),
        0,
      ),
    ).toEqual([1, 1]);
  });
});

describe('distances', () => {
  it.each([
    ['a point and a line', { type: 'Point', coordinates: [5, 3] }, line([0, 0], [10, 0]), 3],
    ['lines that cross', line([0, 0], [2, 2]), line([0, 2], [2, 0]), 0],
    [
      'a point in an area',
      polygon([
        [0, 0],
        [9, 0],
        [9, 9],
        [0, 9],
      ]),
      { type: 'Point', coordinates: [4, 4] },
      0,
    ],
    [
      'an area in a hole',
      polygon(
        [
          [0, 0],
          [9, 0],
          [9, 9],
          [0, 9],
        ],
        [
          [2, 2],
          [7, 2],
          [7, 7],
          [2, 7],
        ],
      ),
      polygon([
        [4, 4],
        [5, 4],
        [5, 5],
      ]),
      2,
    ],
    [
      'areas that touch',
      polygon([
        [0, 0],
        [1, 0],
        [1, 1],
        [0, 1],
      ]),
      polygon([
        [1, 0],
        [2, 0],
        [2, 1],
      ]),
      0,
    ],
  ] as [string, GeometryObject, GeometryObject, number][])('%s', (_, a, b, far) => {
    expect(nearestPlaces(one(a), 0, one(b), 0, ruler)!.distance).toBe(far);
    expect(nearestPlaces(one(b), 0, one(a), 0, ruler)!.distance).toBe(far);
  });

  it('the nearest places lie that far from each other, and no vertex lies nearer', () => {
    fc.assert(
      fc.property(seeds, (seed) => {
        const random = randomFrom(seed);
        const path = (shift: number) =>
          line(...Array.from({ length: 6 }, () => [random() + shift, random()]));
        const [a, b] = [one(path(0)), one(path(1.2))];
        const { distance, from, to } = nearestPlaces(a, 0, b, 0, ruler)!;
        expect(Math.hypot(from[0] - to[0], from[1] - to[1])).toBeCloseTo(distance, 12);
        for (let v = 0; v < 6; v++)
          for (let w = 0; w < 6; w++)
            expect(distance).toBeLessThanOrEqual(
              Math.hypot(a.xy[2 * v] - b.xy[2 * w], a.xy[2 * v + 1] - b.xy[2 * w + 1]),
            );
      }),
    );
  });

  it('Hausdorff counts places between vertices; Fréchet the way along', () => {
    // The middle of the long edge lies farthest from the two short ones.
    const flat = one(line([0, 0], [10, 0]));
    const forked = one(line([0, 0], [0, 1]));
    expect(hausdorffDistance(flat, 0, forked, 0, ruler)).toBeCloseTo(10, 3);
    const notched = one(line([0, 0], [5, 4], [10, 0]));
    expect(hausdorffDistance(flat, 0, notched, 0, ruler)).toBeCloseTo(4, 2);
    expect(frechetDistance(flat, 0, notched, 0, ruler)).toBeCloseTo(Math.hypot(5, 4), 12);
    // Turned around, the same places lie far apart along the way.
    const back = one(line([10, 0], [0, 0]));
    expect(hausdorffDistance(flat, 0, back, 0, ruler)).toBe(0);
    expect(frechetDistance(flat, 0, back, 0, ruler)).toBe(10);
  });

  it('Hausdorff is the greatest of the distances of very many places', () => {
    fc.assert(
      fc.property(seeds, (seed) => {
        const random = randomFrom(seed);
        const path = () => line(...Array.from({ length: 4 }, () => [random(), random()]));
        const [a, b] = [one(path()), one(path())];
        const dense = (array: typeof a) =>
          Array.from({ length: 3 }, (_, e) => e).flatMap((e) =>
            Array.from({ length: 201 }, (_, k) => [
              array.xy[2 * e] + ((array.xy[2 * e + 2] - array.xy[2 * e]) * k) / 200,
              array.xy[2 * e + 1] + ((array.xy[2 * e + 3] - array.xy[2 * e + 1]) * k) / 200,
            ]),
          );
        const directed = (from: typeof a, to: typeof a) =>
          Math.max(
            ...dense(from).map(
              ([x, y]) =>
                nearestPlaces(one({ type: 'Point', coordinates: [x, y] }), 0, to, 0, ruler)!.distance,
            ),
          );
        const expected = Math.max(directed(a, b), directed(b, a));
        const got = hausdorffDistance(a, 0, b, 0, ruler);
        expect(got).toBeGreaterThan(expected * 0.998 - 1e-9);
        expect(got).toBeLessThan(expected * 1.002 + 0.01);
      }),
      { numRuns: 15 },
    );
  });

  it('on the ellipsoid are those of geodesics', async () => {
    const geographic = await rulerFor({ name: 'x', crs: crsByEpsg(4326)! });
    // A degree of latitude at the equator and at 45° (Karney 2013, meridian arcs on WGS 84).
    expect(geographic.distance(0, 0, 0, 1)).toBeCloseTo(110574.3886, 3);
    expect(geographic.distance(10, 45, 11, 45)).toBeCloseTo(78846.3351, 3);
    const there = new Float64Array(2);
    geographic.away(179.9, 0, 1, 0, 50_000, there);
    expect(there[0]).toBeGreaterThan(180);
    expect(geographic.distance(179.9, 0, there[0], there[1])).toBeCloseTo(50_000, 6);
  });
});
