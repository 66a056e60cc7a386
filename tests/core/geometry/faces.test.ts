import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import { coverSets } from '../../../src/core/geometry/overlay/cover-sets.ts';
import { polygonsFromLines, splitArea } from '../../../src/core/geometry/overlay/polygons-from-lines.ts';
import { splitLine } from '../../../src/core/geometry/overlay/split-lines.ts';
import { connectPaths } from '../../../src/core/geometry/shape/connect.ts';
import { delaunay } from '../../../src/core/geometry/shape/delaunay.ts';
import { voronoiCells } from '../../../src/core/geometry/shape/voronoi.ts';
import {
  type GeometryArray,
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  overlayAreas,
  planarArea,
  planarLength,
  uniteAreas,
} from '../../../src/core/index.ts';
import { randomFrom } from '../../support/random.ts';

const all = (array: GeometryArray) => Array.from({ length: array.length }, (_, i) => i);
const sum = (array: GeometryArray) => all(array).reduce((total, i) => total + planarArea(array, i), 0);
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

describe('pieces that areas cut each other into', () => {
  it('have the right sets: each place is covered by those that say so', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), fc.integer({ min: 1, max: 9 }), (seed, count) => {
        const random = randomFrom(seed);
        // On whole numbers, so that borders run along each other and corners meet.
        const whole = () => Math.floor(random() * 8);
        const given = geometriesFrom(
          Array.from({ length: count }, () => square(whole(), whole(), 1 + Math.floor(random() * 4))),
        );
        const { geometry, sets } = coverSets(given);
        for (const i of all(geometry)) expect(faultsOf(geometry, i)).toEqual([]);
        // Every area is the sum of the pieces that it covers.
        for (const i of all(given)) {
          const own = sets.reduce(
            (total, set, k) => total + (set.includes(i) ? planarArea(geometry, k) : 0),
            0,
          );
          expect(own).toBe(planarArea(given, i));
        }
        const united = new GeometryMaker();
        uniteAreas(given, all(given), united);
        expect(sum(geometry)).toBe(planarArea(united.finish(), 0));
        // No set stands twice, and squares on whole numbers make whole areas.
        expect(new Set(sets.map((set) => set.join(' '))).size).toBe(sets.length);
      }),
      { numRuns: 300 },
    );
  });

  it('count holes, rings within rings, and areas that are the same', () => {
    const ring = geometriesFrom([
      {
        type: 'Polygon',
        coordinates: [
          (square(0, 0, 10) as { coordinates: number[][][] }).coordinates[0],
          (square(3, 3, 4) as { coordinates: number[][][] }).coordinates[0],
        ],
      },
      square(3, 3, 4),
      square(3, 3, 4),
      square(4, 4, 1),
    ]);
    const { sets, geometry } = coverSets(ring);
    expect(sets.map((set, k) => [set.join(''), planarArea(geometry, k)]).sort()).toEqual([
      ['0', 84],
      ['12', 15],
      ['123', 1],
    ]);
  });
});

describe('areas from lines', () => {
  it('are all that lines enclose, and nothing else', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), fc.integer({ min: 3, max: 14 }), (seed, count) => {
        const random = randomFrom(seed);
        const lines = geometriesFrom(
          Array.from({ length: count }, () =>
            line([random(), random()], [random(), random()], [random(), random()]),
          ),
        );
        const made = polygonsFromLines(lines);
        for (const i of all(made)) expect(faultsOf(made, i)).toEqual([]);
        // They do not overlap.
        const united = new GeometryMaker();
        if (made.length > 0) uniteAreas(made, all(made), united);
        expect(Math.abs(sum(made) - (made.length === 0 ? 0 : planarArea(united.finish(), 0)))).toBeLessThan(
          1e-12,
        );
        // No line passes through the inside of one: cutting it changes nothing.
        for (const i of all(made)) expect(splitArea(made, i, lines, all(lines), new GeometryMaker())).toBe(1);
      }),
      { numRuns: 120 },
    );
  });

  it('have holes where others lie apart in them, and no part of what ends in the open', () => {
    const made = polygonsFromLines(
      geometriesFrom([
        line([0, 0], [10, 0], [10, 10], [0, 10], [0, 0]),
        line([2, 2], [4, 2], [4, 4], [2, 4], [2, 2]),
        line([6, 6], [8, 8]),
        line([4, 4], [5, 5]),
      ]),
    );
    expect(
      all(made)
        .map((i) => planarArea(made, i))
        .sort((a, b) => a - b),
    ).toEqual([4, 96]);
  });
});

describe('what is split', () => {
  it('adds up to what there was', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), (seed) => {
        const random = randomFrom(seed);
        const area = geometriesFrom([square(0, 0, 1)]);
        const lines = geometriesFrom(
          Array.from({ length: 4 }, () =>
            line([random() * 3 - 1, -0.5], [random() * 3 - 1, random()], [random(), 1.5]),
          ),
        );
        const builder = new GeometryMaker();
        const made = splitArea(area, 0, lines, all(lines), builder);
        const pieces = builder.finish();
        expect(pieces.length).toBe(made);
        expect(sum(pieces)).toBeCloseTo(1, 12);
        for (const i of all(pieces)) expect(faultsOf(pieces, i)).toEqual([]);
        const cut = new GeometryMaker();
        splitLine(lines, 0, area, [0], cut);
        const paths = cut.finish();
        expect(all(paths).reduce((length, i) => length + planarLength(paths, i), 0)).toBeCloseTo(
          planarLength(lines, 0),
          12,
        );
      }),
      { numRuns: 100 },
    );
  });

  it('lines are cut where others cross, touch or begin to run along, and at points', () => {
    const parts = (...by: GeometryObject[]) => {
      const builder = new GeometryMaker();
      const other = geometriesFrom(by);
      splitLine(geometriesFrom([line([0, 0], [5, 0], [10, 0])]), 0, other, all(other), builder);
      const made = builder.finish();
      return all(made).map((i) => planarLength(made, i));
    };
    expect(parts(line([2, -1], [2, 1]))).toEqual([2, 8]);
    expect(parts(line([2, 0], [2, 1]))).toEqual([2, 8]);
    expect(parts(line([2, 3], [2, 0], [7, 0], [7, 3]))).toEqual([2, 5, 3]);
    expect(parts({ type: 'Point', coordinates: [5, 0] })).toEqual([5, 5]);
    expect(parts({ type: 'Point', coordinates: [4, 0] })).toEqual([4, 6]);
    expect(parts(line([0, 5], [10, 5]))).toEqual([10]);
  });
});

describe('lines joined end to end', () => {
  const joined = (lines: GeometryObject[], groupOf: (k: number) => number = () => 0) => {
    const builder = new GeometryMaker();
    const members: (readonly number[])[] = [];
    connectPaths(geometriesFrom(lines), groupOf, builder, (own) => {
      members.push(own);
    });
    const made = builder.finish();
    return { members, shapes: all(made).map((i) => geometryObject(made, i)) };
  };
  it('run on whichever way they are written', () => {
    const { shapes, members } = joined([line([2, 0], [1, 0]), line([2, 0], [3, 0]), line([0, 0], [1, 0])]);
    expect(members).toEqual([[1, 0, 2]].map((own) => expect.arrayContaining(own)));
    const { coordinates } = shapes[0] as { coordinates: number[][] };
    expect(
      coordinates.map(([x]) => x).join('') === '0123' || coordinates.map(([x]) => x).join('') === '3210',
    ).toBe(true);
  });
  it('end where three meet, where another group goes on, and close to rings', () => {
    expect(joined([line([0, 0], [1, 0]), line([1, 0], [2, 0]), line([1, 0], [1, 1])]).members.length).toBe(3);
    expect(joined([line([0, 0], [1, 0]), line([1, 0], [2, 0])], (k) => k).members.length).toBe(2);
    const ring = joined([line([0, 0], [1, 0]), line([1, 0], [1, 1]), line([1, 1], [0, 0])]);
    expect(ring.members.length).toBe(1);
    expect((ring.shapes[0] as { coordinates: number[][] }).coordinates.length).toBe(4);
  });
});

describe('triangles and cells of points', () => {
  const pointsOf = (seed: number, count: number, whole: boolean) => {
    const random = randomFrom(seed);
    return Float64Array.from({ length: 2 * count }, () => (whole ? Math.floor(random() * 6) : random()));
  };
  it('fill the hull of the points, and no circle holds a point', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 1e6 }),
        fc.integer({ min: 3, max: 40 }),
        fc.boolean(),
        (seed, count, whole) => {
          const xy = pointsOf(seed, count, whole);
          const { corners, twins } = delaunay(xy);
          for (let t = 0; t < corners.length; t += 3) {
            const [a, b, c] = corners.subarray(t, t + 3);
            const [bx, by] = [xy[2 * b] - xy[2 * a], xy[2 * b + 1] - xy[2 * a + 1]];
            const [cx, cy] = [xy[2 * c] - xy[2 * a], xy[2 * c + 1] - xy[2 * a + 1]];
            const d = 2 * (bx * cy - by * cx);
            expect(d).toBeGreaterThan(0);
            const [bb, cc] = [bx * bx + by * by, cx * cx + cy * cy];
            const [x, y] = [xy[2 * a] + (cy * bb - by * cc) / d, xy[2 * a + 1] + (bx * cc - cx * bb) / d];
            const radius = Math.hypot(x - xy[2 * a], y - xy[2 * a + 1]);
            for (let p = 0; p < count; p++)
              expect(Math.hypot(xy[2 * p] - x, xy[2 * p + 1] - y)).toBeGreaterThan(
                radius * (1 - 1e-6) - 1e-9,
              );
            for (let k = t; k < t + 3; k++) if (twins[k] >= 0) expect(twins[twins[k]]).toBe(k);
          }
        },
      ),
      { numRuns: 150 },
    );
  });

  it('cells tile the area, and each holds what is nearest to its point', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 1e6 }),
        fc.integer({ min: 1, max: 30 }),
        fc.boolean(),
        (seed, count, whole) => {
          const xy = pointsOf(seed, count, whole);
          const size = whole ? 6 : 1;
          const cells = voronoiCells(xy, [0, 0, size, size]);
          const area = geometriesFrom([square(0, 0, size)]);
          let total = 0;
          for (const p of all(cells)) {
            if (cells.kind[p] === 0) continue;
            const builder = new GeometryMaker();
            if (overlayAreas('intersection', cells, p, area, 0, builder) === 0) continue;
            const cell = builder.finish();
            expect(faultsOf(cell, 0)).toEqual([]);
            total += planarArea(cell, 0);
            for (let v = 0; v < cell.vertexCount; v++) {
              const far = (q: number) =>
                Math.hypot(cell.xy[2 * v] - xy[2 * q], cell.xy[2 * v + 1] - xy[2 * q + 1]);
              for (let q = 0; q < count; q++) expect(far(p)).toBeLessThan(far(q) + 1e-6);
            }
          }
          expect(total).toBeCloseTo(size * size, 8);
        },
      ),
      { numRuns: 100 },
    );
  });
});
