import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import {
  AreaIndex,
  Batch,
  type ClipOptions,
  clipLayer,
  crsByEpsg,
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  type Layer,
  layerOf,
  overlayAreas,
  planarArea,
  planarLength,
} from '../../../src/core/index.ts';

const grid = crsByEpsg(32626)!;
const layer = (objects: (GeometryObject | null)[], name = 'things'): Layer =>
  layerOf({
    name,
    schema: [],
    crs: grid,
    batches: [
      new Batch({ length: objects.length, first: 0, geometry: geometriesFrom(objects), columns: [] }),
    ],
  });

async function clipped(objects: (GeometryObject | null)[], area: GeometryObject, options?: ClipOptions) {
  const result = clipLayer(layer(objects), new AreaIndex(geometriesFrom([area])), options);
  const left: { id: string | number; geometry: GeometryObject | null }[] = [];
  for await (const batch of result.batches())
    for (let i = 0; i < batch.length; i++)
      left.push({ id: batch.id(i), geometry: geometryObject(batch.geometry!, i) });
  return { left, account: result.accounts[0] };
}

const square: GeometryObject = {
  type: 'Polygon',
  coordinates: [
    [
      [0, 0],
      [10, 0],
      [10, 10],
      [0, 10],
      [0, 0],
    ],
    [
      [4, 4],
      [4, 6],
      [6, 6],
      [6, 4],
      [4, 4],
    ],
  ],
};

describe('clip', () => {
  it('keeps points inside and on the border, drops those outside and in holes, and cuts multi-points', async () => {
    const { left, account } = await clipped(
      [
        { type: 'Point', coordinates: [1, 1] },
        { type: 'Point', coordinates: [10, 3] },
        { type: 'Point', coordinates: [5, 5] },
        { type: 'Point', coordinates: [4, 5] },
        { type: 'Point', coordinates: [11, 3] },
        {
          type: 'MultiPoint',
          coordinates: [
            [1, 1],
            [20, 20],
            [0, 0],
          ],
        },
        null,
      ],
      square,
    );
    expect(left.map(({ id }) => id)).toEqual([1, 2, 4, 6]);
    expect(left[3].geometry).toEqual({
      type: 'MultiPoint',
      coordinates: [
        [1, 1],
        [0, 0],
      ],
    });
    expect(account.sentence).toBe(
      'Clip: 7 things in; 3 kept whole, 1 cut, 2 outside, 1 without geometry dropped.',
    );
    expect(account.counts).toEqual({
      in: 7,
      whole: 3,
      cut: 1,
      dropped: 0,
      outside: 2,
      withoutGeometry: 1,
      unusable: 0,
    });
  });

  it('cuts lines at the border and around holes, keeps stretches on the border, adds no corners of its own', async () => {
    const { left } = await clipped(
      [
        {
          type: 'LineString',
          coordinates: [
            [-5, 5],
            [15, 5],
          ],
        },
        {
          type: 'LineString',
          coordinates: [
            [0, 0],
            [10, 0],
          ],
        },
        {
          type: 'LineString',
          coordinates: [
            [-1, 3],
            [-1, 20],
          ],
        },
        {
          type: 'LineString',
          coordinates: [
            [1, 1],
            [2, 1],
            [3, 1],
          ],
        },
        {
          type: 'LineString',
          coordinates: [
            [2, 2],
            [2, 8],
            [-2, 8],
            [-2, 9],
            [2, 9],
          ],
        },
      ],
      square,
    );
    expect(left.map(({ geometry }) => geometry)).toEqual([
      {
        type: 'MultiLineString',
        coordinates: [
          [
            [0, 5],
            [4, 5],
          ],
          [
            [6, 5],
            [10, 5],
          ],
        ],
      },
      {
        type: 'LineString',
        coordinates: [
          [0, 0],
          [10, 0],
        ],
      },
      {
        type: 'LineString',
        coordinates: [
          [1, 1],
          [2, 1],
          [3, 1],
        ],
      },
      {
        type: 'MultiLineString',
        coordinates: [
          [
            [2, 2],
            [2, 8],
            [0, 8],
          ],
          [
            [0, 9],
            [2, 9],
          ],
        ],
      },
    ]);
  });

  it('cuts areas, keeps those that only touch outside, and those inside as they were', async () => {
    const whole: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [1, 1],
          [1, 2],
          [2, 2],
          [2, 1],
          [1, 1],
        ],
      ],
    };
    const along: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [0, 0],
          [3, 0],
          [3, 3],
          [0, 3],
          [0, 0],
        ],
      ],
    };
    const { left, account } = await clipped(
      [
        whole,
        along,
        {
          type: 'Polygon',
          coordinates: [
            [
              [10, 0],
              [20, 0],
              [20, 10],
              [10, 10],
              [10, 0],
            ],
          ],
        },
        {
          type: 'Polygon',
          coordinates: [
            [
              [8, 8],
              [12, 8],
              [12, 12],
              [8, 12],
              [8, 8],
            ],
          ],
        },
        {
          type: 'Polygon',
          coordinates: [
            [
              [4, 4],
              [6, 4],
              [6, 6],
              [4, 6],
              [4, 4],
            ],
          ],
        },
        {
          type: 'Polygon',
          coordinates: [
            [
              [-5, -5],
              [15, -5],
              [15, 15],
              [-5, 15],
              [-5, -5],
            ],
          ],
        },
      ],
      square,
    );
    expect(left.map(({ id }) => id)).toEqual([1, 2, 4, 6]);
    expect(left[0].geometry).toEqual(whole);
    expect(left[1].geometry).toEqual(along);
    expect(planarArea(geometriesFrom([left[3].geometry]), 0)).toBe(96);
    expect(account.counts).toMatchObject({ whole: 2, cut: 2, outside: 2 });
  });

  it('keeps what parts of one feature cover, also where they overlap, and both lobes of a bow tie', async () => {
    const part = (x: number): number[][][] => [
      [
        [x, 1],
        [x + 2, 1],
        [x + 2, 3],
        [x, 3],
        [x, 1],
      ],
    ];
    const { left } = await clipped(
      [
        { type: 'MultiPolygon', coordinates: [part(8), part(9)] },
        {
          type: 'Polygon',
          coordinates: [
            [
              [8, 7],
              [12, 9],
              [12, 7],
              [8, 9],
              [8, 7],
            ],
          ],
        },
      ],
      square,
    );
    const areas = left.map(({ geometry }) => planarArea(geometriesFrom([geometry]), 0));
    expect(areas[0]).toBe(4);
    expect(areas[1]).toBeCloseTo(2, 12);
    expect(left.map(({ geometry }) => faultsOf(geometriesFrom([geometry]), 0))).toEqual([[], []]);
  });

  it('keeps whole what reaches across when asked', async () => {
    const across: GeometryObject = {
      type: 'LineString',
      coordinates: [
        [-5, 5],
        [15, 5],
      ],
    };
    const { left, account } = await clipped(
      [
        across,
        {
          type: 'LineString',
          coordinates: [
            [-5, 5],
            [-1, 5],
          ],
        },
      ],
      square,
      { mode: 'whole' },
    );
    expect(left).toEqual([{ id: 1, geometry: across }]);
    expect(account.sentence).toContain('1 kept whole across the border');
  });

  it('cuts collections part by part and interpolates heights at new corners', async () => {
    const { left } = await clipped(
      [
        {
          type: 'GeometryCollection',
          geometries: [
            { type: 'Point', coordinates: [1, 1] },
            {
              type: 'LineString',
              coordinates: [
                [9, 1],
                [12, 1],
              ],
            },
            { type: 'Point', coordinates: [30, 1] },
          ],
        },
        {
          type: 'LineString',
          coordinates: [
            [8, 2, 100],
            [12, 2, 200],
          ],
        },
      ],
      square,
    );
    expect(left[0].geometry).toEqual({
      type: 'GeometryCollection',
      geometries: [
        { type: 'Point', coordinates: [1, 1] },
        {
          type: 'LineString',
          coordinates: [
            [9, 1],
            [10, 1],
          ],
        },
      ],
    });
    expect(left[1].geometry).toEqual({
      type: 'LineString',
      coordinates: [
        [8, 2, 100],
        [10, 2, 150],
      ],
    });
  });

  it('takes coordinates next to zero for zero, in the feature and in its box alike', async () => {
    const area: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [-1e-120, 1],
          [0, 0],
          [1, 0],
          [-1e-120, 1],
        ],
      ],
    };
    const feature: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [5e-324, 1],
          [1, 0],
          [1, 0],
          [5e-324, 0],
          [5e-324, 1],
        ],
      ],
    };
    const { left } = await clipped([feature], area);
    expect(left.length).toBe(1);
    expect(planarArea(geometriesFrom([left[0].geometry]), 0)).toBeCloseTo(0.5, 12);
  });

  it('gives what the plain overlay gives, for random areas and features on small grids and off them', async () => {
    const off = fc.double({ min: -0.4, max: 0.4, noNaN: true });
    const point = fc
      .tuple(
        fc.integer({ min: 0, max: 8 }),
        fc.integer({ min: 0, max: 8 }),
        fc.oneof(fc.constant(0), off),
        fc.oneof(fc.constant(0), off),
      )
      .map(([x, y, dx, dy]) => [x + dx, y + dy]);
    const ring = fc
      .array(point, { minLength: 3, maxLength: 9 })
      .map((points): GeometryObject => ({ type: 'Polygon', coordinates: [[...points, points[0]]] }));
    await fc.assert(
      fc.asyncProperty(ring, fc.array(ring, { minLength: 1, maxLength: 5 }), async (area, features) => {
        const array = geometriesFrom([area, ...features]);
        const probe = new GeometryMaker();
        if (overlayAreas('union', array, 0, array, 0, probe) === 0) return;
        const { left } = await clipped(features, area);
        features.forEach((_, k) => {
          const builder = new GeometryMaker();
          const expected =
            overlayAreas('intersection', array, k + 1, array, 0, builder) === 0
              ? 0
              : planarArea(builder.finish(), 0);
          const got = left.find(({ id }) => id === k + 1);
          if (got === undefined) expect(expected).toBeLessThan(1e-12);
          else {
            const own = geometriesFrom([got.geometry]);
            // A feature kept whole may cross itself: its area is what its ring winds around, as the overlay's is.
            const normal = new GeometryMaker();
            // One whose points all lie on a line is kept too, and covers nothing.
            const parts = overlayAreas('union', own, 0, own, 0, normal);
            expect(parts === 0 ? 0 : planarArea(normal.finish(), 0)).toBeCloseTo(expected, 9);
          }
        });
      }),
      { numRuns: 300 },
    );
  });

  it('leaves lines whose length inside and outside adds up', async () => {
    const point = fc.tuple(fc.integer({ min: -3, max: 13 }), fc.integer({ min: -3, max: 13 }));
    const line = fc
      .array(point, { minLength: 2, maxLength: 7 })
      .filter((points) => points.some((p) => p[0] !== points[0][0] || p[1] !== points[0][1]))
      .map((coordinates): GeometryObject => ({ type: 'LineString', coordinates }));
    const around: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [-9, -9],
          [19, -9],
          [19, 19],
          [-9, 19],
          [-9, -9],
        ],
        ...[(square as { coordinates: number[][][] }).coordinates[0]],
      ],
    };
    const holeArea: GeometryObject = {
      type: 'Polygon',
      coordinates: [(square as { coordinates: number[][][] }).coordinates[1]],
    };
    await fc.assert(
      fc.asyncProperty(line, async (feature) => {
        const length = (objects: { geometry: GeometryObject | null }[]) =>
          objects.reduce((sum, { geometry }) => sum + planarLength(geometriesFrom([geometry]), 0), 0);
        const inside = length((await clipped([feature], square)).left);
        const outside = length((await clipped([feature], around)).left);
        const hole = length((await clipped([feature], holeArea)).left);
        const whole = planarLength(geometriesFrom([feature]), 0);
        const border = onBorder(feature);
        expect(inside + outside + hole - border).toBeCloseTo(whole, 9);
      }),
      { numRuns: 300 },
    );
  });

  it('makes valid areas of the made-up country along its own borders', async () => {
    const { districts, wards } = await import('../../../demo/country/units.ts');
    const flats = districts.find((district) => district.code === 'T204')!;
    const rings = flats.cells.map((cell): GeometryObject => ({ type: 'Polygon', coordinates: [cell.ring] }));
    const area = new AreaIndex(geometriesFrom(rings));
    const all = wards.map((ward): GeometryObject => ({ type: 'Polygon', coordinates: [ward.ring] }));
    const result = clipLayer(layer(all), area);
    for await (const batch of result.batches())
      for (let i = 0; i < batch.length; i++) expect(faultsOf(batch.geometry!, i)).toEqual([]);
    // Wards nest in districts: all of the district's own are kept to the last vertex, none of the others leaves a sliver.
    expect(result.accounts[0].counts).toMatchObject({ whole: flats.cells.length, cut: 0 });
  });
});

/** Length of a line's stretches on the borders of the square with the hole, each counted as often as it is run along. */
function onBorder(feature: GeometryObject): number {
  const { coordinates } = feature as { coordinates: number[][] };
  let sum = 0;
  const shared = (a: number, b: number, low: number, high: number) =>
    Math.max(0, Math.min(Math.max(a, b), high) - Math.max(Math.min(a, b), low));
  for (let k = 0; k + 1 < coordinates.length; k++) {
    const [ax, ay] = coordinates[k];
    const [bx, by] = coordinates[k + 1];
    for (const [at, low, high] of [
      [0, 0, 10],
      [10, 0, 10],
      [4, 4, 6],
      [6, 4, 6],
    ]) {
      if (ax === at && bx === at) sum += shared(ay, by, low, high);
      if (ay === at && by === at) sum += shared(ax, bx, low, high);
    }
  }
  return sum;
}
