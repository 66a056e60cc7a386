import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { AreaSet } from '../../../src/core/geometry/overlay/area-set.ts';
import { PointLocator } from '../../../src/core/geometry/overlay/point-locator.ts';
import { locateInRing } from '../../../src/core/geometry/predicates.ts';
import {
  crsByEpsg,
  type GeometryObject,
  geometriesFrom,
  reprojectLayer,
  tallyFeatures,
  unitsOfFeatures,
  wgs84,
} from '../../../src/core/index.ts';
import { intersectLayers } from '../../../src/core/layer/verbs/intersect.ts';
import { nearestLayer } from '../../../src/core/layer/verbs/nearest.ts';
import { layerWith, plane, read } from '../../support/layer-of.ts';
import { randomFrom } from '../../support/random.ts';

const square = (x: number, y: number, size = 1): GeometryObject => ({
  type: 'Polygon',
  coordinates: [
    [
      [x, y],
      [x + size, y],
      [x + size, y + size],
      [x, y + size],
      [x, y],
    ],
  ],
});
const point = (x: number, y: number): GeometryObject => ({ type: 'Point', coordinates: [x, y] });
const line = (...coordinates: number[][]): GeometryObject => ({ type: 'LineString', coordinates });

describe('finding points in many areas', () => {
  it('gives what a look at every ring gives, on corners and edges too', () => {
    const small = fc.integer({ min: 0, max: 6 });
    const triangle = fc.tuple(small, small, small, small, small, small).map(([a, b, c, d, e, f]) => ({
      type: 'Polygon' as const,
      coordinates: [
        [
          [a, b],
          [c, d],
          [e, f],
          [a, b],
        ],
      ],
    }));
    fc.assert(
      fc.property(fc.array(triangle, { minLength: 1, maxLength: 6 }), (triangles) => {
        const { areas } = new AreaSet(geometriesFrom(triangles));
        const locator = new PointLocator(areas);
        for (let x = 0; x <= 6; x += 0.5)
          for (let y = 0; y <= 6; y += 0.5) {
            const inside: number[] = [];
            const border: number[] = [];
            for (let j = 0; j < areas.length; j++) {
              if (areas.isEmpty(j)) continue;
              const ring = areas.ringStart[areas.partStart[j]];
              const where = locateInRing(
                x,
                y,
                areas.xy,
                areas.vertexStart[ring],
                areas.vertexStart[ring + 1],
              );
              if (where > 0) inside.push(j);
              if (where === 0) border.push(j);
            }
            const found: [number, boolean][] = [];
            locator.each(x, y, (area, within) => found.push([area, within]));
            expect(found.filter(([, within]) => within).map(([area]) => area)).toEqual(inside);
            expect(found.filter(([, within]) => !within).map(([area]) => area)).toEqual(border);
            expect(locator.find(x, y)).toBe([...inside, ...border][0] ?? -1);
          }
      }),
      { numRuns: 60 },
    );
  });

  it('is right in an area with a hole, with islands in it, and of thousands of edges', () => {
    const round = (x: number, y: number, radius: number, edges: number) =>
      Array.from({ length: edges + 1 }, (_, k) => {
        const angle = (2 * Math.PI * (k % edges)) / edges;
        return [x + radius * Math.cos(angle), y + radius * Math.sin(angle)];
      });
    const areas = geometriesFrom([
      { type: 'Polygon', coordinates: [round(0, 0, 10, 5000), round(0, 0, 5, 999).reverse()] },
      { type: 'Polygon', coordinates: [round(0, 0, 3, 30)] },
    ]);
    const locator = new PointLocator(new AreaSet(areas).areas);
    const random = randomFrom(5);
    for (let k = 0; k < 3000; k++) {
      const [x, y] = [24 * random() - 12, 24 * random() - 12];
      const far = Math.hypot(x, y);
      // Circles of many corners are round but for a thousandth.
      if ([10, 5, 3].some((radius) => Math.abs(far - radius) < 0.06)) continue;
      expect(locator.find(x, y)).toBe(far < 3 ? 1 : far > 5 && far < 10 ? 0 : -1);
    }
  });
});

describe('the units of features', () => {
  const units = layerWith([square(0, 0), square(1, 0)], { code: ['A', 'B'], n: [1, 2] }, { name: 'units' });

  it('are one for each point, also on borders: the same as a tally counts', async () => {
    const points = layerWith([point(0.5, 0.5), point(1, 0.5), point(1, 1), point(2, 0), point(5, 5), null], {
      id: ['in', 'edge', 'corner', 'outer corner', 'out', 'blank'],
    });
    const { rows, said } = await read(
      unitsOfFeatures({ ...points, kinds: ['Point'] }, units, { columns: ['code'] }),
    );
    expect(rows.map((row) => row.code)).toEqual(['A', 'A', 'A', 'B', null, null]);
    expect(said).toBe(
      'Within: 6 things in; 4 inside one of the 2 units, 1 outside of all, 1 without usable geometry.',
    );
    const counted = (await read(tallyFeatures(units, points, { as: 'p' }))).rows.map((row) => row.p_count);
    expect(counted).toEqual([3, 1]);
  });

  it('of lines and areas are those with the largest share, which is told', async () => {
    const shapes = layerWith([
      line([0.2, 0.5], [1.6, 0.5]),
      square(0.7, 0.2, 0.5),
      square(0.1, 0.1, 0.2),
      line([3, 3], [4, 4]),
    ]);
    const { rows, said } = await read(
      unitsOfFeatures(shapes, units, { columns: ['code'], unmatched: 'drop' }),
    );
    expect(rows.map(({ code, units_share }) => [code, Math.round(units_share as number)])).toEqual([
      ['A', 57],
      ['A', 60],
      ['A', 100],
    ]);
    expect(said).toBe(
      'Within: 4 things in; 1 inside one of the 2 units, 2 across borders, brought to the largest share, 1 outside of all, dropped.',
    );
  });

  it('or cut them, with figures that keep their sum', async () => {
    const shapes = layerWith([square(0.7, 0.2, 0.5), square(1.9, 0.5, 0.2)], { people: [100, 40] });
    const { rows } = await read(unitsOfFeatures(shapes, units, { across: 'split', split: ['people'] }));
    expect(rows.map(({ code, people }) => [code, people])).toEqual([
      ['A', expect.closeTo(60, 9)],
      ['B', expect.closeTo(40, 9)],
      ['B', expect.closeTo(20, 9)],
      [null, expect.closeTo(20, 9)],
    ]);
  });

  it('may be in another CRS, which is told', async () => {
    const home = layerWith([square(500000, 5000000, 1000)], { code: ['A'] }, { crs: plane, name: 'units' });
    const points = layerWith(
      [point(500500, 5000500), point(400000, 5000500)],
      { id: ['a', 'b'] },
      { crs: plane },
    );
    const moved = reprojectLayer(points, wgs84());
    const { rows, account } = await read(unitsOfFeatures(moved, home, { columns: ['code'] }));
    expect(rows.map((row) => row.code)).toEqual(['A', null]);
    expect(account.notes.join(' ')).toContain('units was brought from');
  });
});

describe('figures of what lies in units', () => {
  const units = layerWith(
    [square(0, 0), square(1, 0), square(7, 7)],
    { code: ['A', 'B', 'C'] },
    { name: 'units' },
  );

  it('are of all kinds', async () => {
    const things = layerWith(
      [point(0.1, 0.1), point(0.2, 0.1), point(0.3, 0.1), point(0.4, 0.1), point(1.5, 0.5)],
      { n: [2, 4, 4, 6, 9], w: [1, 1, 1, 5, 1], kind: ['x', 'y', 'y', 'z', 'x'] },
    );
    const compute = Object.entries({
      total: 'sum(n)',
      average: 'mean(n)',
      weighted: 'mean(n, w)',
      low: 'least(n)',
      high: 'greatest(n)',
      middle: 'median(n)',
      spread: 'deviation(n)',
      kinds: 'list(kind)',
      how_many: 'distinct(kind)',
      most: 'commonest(kind)',
      y: "share(kind = 'y')",
      y_weighted: "share(kind = 'y', w)",
      big: 'count(n)',
    }).map(([name, expression]) => ({ name, expression }));
    const { rows } = await read(tallyFeatures(units, { ...things, kinds: ['Point'] }, { as: 't', compute }));
    expect(rows[0]).toEqual({
      code: 'A',
      t_count: 4,
      total: 16,
      average: 4,
      weighted: 5,
      low: 2,
      high: 6,
      middle: 4,
      spread: Math.SQRT2,
      kinds: 'x; y; z',
      how_many: 3,
      most: 'y',
      y: 50,
      y_weighted: 25,
      big: 4,
    });
    expect(rows[2]).toMatchObject({ t_count: 0, total: 0, average: null, kinds: null, how_many: 0, y: null });
  });

  it('take of what crosses borders the share in each: sums are kept', async () => {
    const size = fc.double({ min: 0.01, max: 0.9, noNaN: true });
    const place = fc.double({ min: -0.5, max: 2, noNaN: true });
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(place, place, size, fc.integer({ min: 1, max: 1000 })), {
          minLength: 1,
          maxLength: 12,
        }),
        async (all) => {
          const whole = layerWith([square(-4, -4, 10)], { code: ['all'] }, { crs: wgs84(), name: 'units' });
          const quarters = layerWith(
            [square(-4, -4, 5), square(1, -4, 5), square(-4, 1, 5), square(1, 1, 5)],
            { code: ['a', 'b', 'c', 'd'] },
            { crs: wgs84(), name: 'units' },
          );
          const things = layerWith(
            all.map(([x, y, side]) => square(x, y, side)),
            { n: all.map(([, , , n]) => n) },
            { crs: wgs84() },
          );
          const compute = [{ name: 'people', expression: 'sum(n)' }];
          const [one] = (await read(tallyFeatures(whole, things, { compute }))).rows;
          const four = (await read(tallyFeatures(quarters, things, { compute }))).rows;
          const total = all.reduce((sum, [, , , n]) => sum + n, 0);
          expect(one.people).toBeCloseTo(total, 9);
          // Pieces are measured along the ground: their shares sum to one all the same.
          expect(four.reduce((sum, row) => sum + (row.people as number), 0)).toBeCloseTo(total, 9);
        },
      ),
      { numRuns: 40 },
    );
  });
});

it('shares of pieces sum to one where edges are cut in degrees', async () => {
  const things = layerWith([square(0, 40, 10)], { n: [1000] }, { crs: wgs84(), name: 'big' });
  const units = layerWith(
    [square(-5, 35, 8), square(3, 35, 30), square(-5, 43, 8)],
    { code: ['a', 'b', 'c'] },
    { crs: wgs84(), name: 'units' },
  );
  for (const pieces of ['given', 'both'] as const) {
    const { rows } = await read(intersectLayers(things, units, { pieces, split: ['n'] }));
    expect(rows.reduce((sum, row) => sum + (row.big_share as number), 0)).toBeCloseTo(1, 12);
    expect(rows.reduce((sum, row) => sum + (row.n as number), 0)).toBeCloseTo(1000, 9);
  }
});

it('the nearest along the ellipsoid is as far as a geodesic says, whatever the plane', async () => {
  const at = (x: number, y: number) =>
    layerWith([point(x, y)], { id: ['a'] }, { crs: wgs84(), name: 'halls' });
  const mercator = (layer: ReturnType<typeof at>) => reprojectLayer(layer, crsByEpsg(3857)!);
  const home = mercator(layerWith([point(10, 60)], {}, { crs: wgs84() }));
  const [row] = (await read(nearestLayer(home, mercator(at(10, 61)), { along: 'ellipsoid' }))).rows;
  // Karney's geodesic between (60, 10) and (61, 10) on WGS 84.
  expect(row.halls_distance).toBeCloseTo(111420.7278697, 4);
  const [flat] = (await read(nearestLayer(home, mercator(at(10, 61))))).rows;
  expect(flat.halls_distance).toBeGreaterThan(220_000);
});
