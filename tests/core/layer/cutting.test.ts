import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import {
  Batch,
  crsByEpsg,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  type Layer,
  layerOf,
  planarArea,
  planarLength,
} from '../../../src/core/index.ts';
import { areaFrom } from '../../../src/core/layer/area.ts';
import { ColumnBuilder } from '../../../src/core/table/column-builder.ts';
import { clip, dissolve, erase, intersect, prepare, repair } from '../../../src/verbs/index.ts';

const grid = crsByEpsg(32626)!;
type Ring = number[][];
const polygon = (...rings: Ring[]): GeometryObject => ({
  type: 'Polygon',
  coordinates: rings.map((ring) => [...ring, ring[0]]),
});
const box = (x: number, y: number, side: number): Ring => [
  [x, y],
  [x + side, y],
  [x + side, y + side],
  [x, y + side],
];

function layer(objects: (GeometryObject | null)[], group?: (string | null)[], numbers?: number[]): Layer {
  const texts = new ColumnBuilder('text');
  const figures = new ColumnBuilder('integer');
  objects.forEach((_, k) => {
    const text = group?.[k] ?? null;
    if (text === null) texts.null();
    else texts.text(text);
    figures.number(numbers?.[k] ?? k);
  });
  return layerOf({
    name: 'things',
    schema: [
      { name: 'group', type: 'text' },
      { name: 'n', type: 'integer' },
    ],
    crs: grid,
    batches: [
      new Batch({
        length: objects.length,
        first: 0,
        geometry: geometriesFrom(objects),
        columns: [texts.finish(), figures.finish()],
      }),
    ],
  });
}

async function read(made: Layer) {
  const left: { id: string | number; geometry: GeometryObject | null; values: unknown[] }[] = [];
  for await (const batch of made.batches())
    for (let i = 0; i < batch.length; i++)
      left.push({
        id: batch.id(i),
        geometry: geometryObject(batch.geometry!, i),
        values: batch.columns.map((column) => (column.isNull(i) ? null : column.value(i))),
      });
  return { left, account: made.accounts.at(-1)! };
}

const areaOf = (object: GeometryObject | null) =>
  object === null ? 0 : planarArea(geometriesFrom([object]), 0);
const lengthOf = (object: GeometryObject | null) =>
  object === null ? 0 : planarLength(geometriesFrom([object]), 0);
const areaFromObjects = (objects: GeometryObject[]) => areaFrom(layer(objects));

describe('erase', () => {
  const area = polygon(box(0, 0, 10), [...box(4, 4, 2)].reverse());

  it('keeps what lies outside, cuts what reaches out, drops what lies within', async () => {
    const { left, account } = await read(
      await prepare(
        layer([
          polygon(box(1, 1, 2)),
          polygon(box(8, 8, 4)),
          polygon(box(20, 20, 1)),
          polygon(box(3, 3, 4)),
          { type: 'Point', coordinates: [5, 5] },
          { type: 'Point', coordinates: [10, 3] },
          { type: 'Point', coordinates: [11, 3] },
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
              [0, 2],
              [0, 8],
            ],
          },
        ]),
        erase(await areaFromObjects([area])),
      ),
    );
    expect(left.map(({ id }) => id)).toEqual([2, 3, 4, 5, 7, 8]);
    expect(areaOf(left[0].geometry)).toBe(12);
    // What shows through the hole.
    expect(areaOf(left[2].geometry)).toBe(4);
    expect(left[5].geometry).toEqual({
      type: 'MultiLineString',
      coordinates: [
        [
          [-5, 5],
          [0, 5],
        ],
        [
          [4, 5],
          [6, 5],
        ],
        [
          [10, 5],
          [15, 5],
        ],
      ],
    });
    expect(account.sentence).toBe('Erase: 9 things in; 3 kept whole, 3 cut, 3 erased.');
  });

  it('and clip make up the whole between them: areas, lengths and points, whatever lies where', async () => {
    const point = fc
      .tuple(fc.integer({ min: 0, max: 9 }), fc.integer({ min: 0, max: 9 }))
      .map(([x, y]) => [x, y]);
    const ring = fc.array(point, { minLength: 3, maxLength: 8 }).map((points) => polygon(points));
    const line = fc
      .array(point, { minLength: 2, maxLength: 6 })
      .filter((points) => points.some(([x, y]) => x !== points[0][0] || y !== points[0][1]))
      .map((coordinates): GeometryObject => ({ type: 'LineString', coordinates }));
    const spot = point.map((coordinates): GeometryObject => ({ type: 'Point', coordinates }));
    await fc.assert(
      fc.asyncProperty(
        ring.filter((object) => faultsOf(geometriesFrom([object]), 0).length === 0),
        fc.array(fc.oneof(ring, line, spot), { minLength: 1, maxLength: 6 }),
        async (within, objects) => {
          const place = await areaFromObjects([within]);
          const sound = (await read(await prepare(layer(objects), repair()))).left.map(
            ({ geometry }) => geometry,
          );
          const [inside, outside] = await Promise.all(
            [clip, erase].map(async (verb) => (await read(await prepare(layer(sound), verb(place)))).left),
          );
          sound.forEach((whole, k) => {
            const parts = [...inside, ...outside].filter(({ id }) => id === k + 1);
            const sum = (measure: (object: GeometryObject | null) => number) =>
              parts.reduce((total, { geometry }) => total + measure(geometry), 0);
            expect(sum(areaOf)).toBeCloseTo(areaOf(whole), 9);
            expect(sum(lengthOf)).toBeCloseTo(lengthOf(whole), 9);
            for (const { geometry } of parts) expect(faultsOf(geometriesFrom([geometry]), 0)).toEqual([]);
            if (whole?.type === 'Point') expect(parts.length).toBe(1);
          });
        },
      ),
      { numRuns: 150 },
    );
  });
});

describe('coordinates that cannot be computed with', () => {
  it.each([
    ['clip', clip],
    ['erase', erase],
  ] as const)('%s leaves their features out, tells which and where, and goes on', async (_, verb) => {
    for (const value of [Number.NaN, Number.POSITIVE_INFINITY, 1e130, -1e120]) {
      const objects = [
        polygon(box(1, 1, 2)),
        polygon([
          [2, 2],
          [3, value],
          [3, 3],
        ]),
        polygon(box(8, 8, 4)),
        { type: 'Point' as const, coordinates: [value, 1] },
      ];
      const { left, account } = await read(
        await prepare(layer(objects), verb(await areaFromObjects([polygon(box(0, 0, 10))]))),
      );
      expect(left.every(({ id }) => id === 1 || id === 3)).toBe(true);
      expect(account.counts.unusable).toBe(2);
      expect(account.findings).toMatchObject([
        { code: 'coordinate-unusable', severity: 'error', feature: 2, at: [2, 2] },
        { code: 'coordinate-unusable', severity: 'error', feature: 4 },
      ]);
      expect(account.findings[0].words).toContain(`Vertex 2 has the coordinate ${value}`);
    }
  });

  it('an area with one is refused with the polygon and the vertex', async () => {
    const area = await areaFromObjects([
      polygon(box(0, 0, 1)),
      polygon([
        [0, 0],
        [5, 0],
        [5, Number.NaN],
      ]),
    ]);
    await expect(prepare(layer([polygon(box(0, 0, 9))]), clip(area))).rejects.toThrow(
      'Polygon 2 of the area has the coordinate NaN at its vertex 3, behind 5 0',
    );
  });
});

describe('fill rule', () => {
  // Winds twice around the middle; two parts that overlap.
  const twice = polygon([...box(0, 0, 10), [0, 0], [2, 2], [8, 2], [8, 8], [2, 8], [2, 2]]);
  const overlapping: GeometryObject = {
    type: 'MultiPolygon',
    coordinates: [[[...box(0, 0, 4), [0, 0]]], [[...box(2, 2, 4), [2, 2]]]],
  };

  it('is non-zero unless asked for, the same in clip, erase, dissolve and repair, and told where it mattered', async () => {
    for (const [rule, first, second] of [
      [undefined, 100, 28],
      ['non-zero', 100, 28],
      ['even-odd', 64, 24],
    ] as const) {
      const whole = await areaFromObjects([
        polygon(box(-1, -1, 5)),
        polygon(box(4, -1, 20)),
        polygon(box(-1, 4, 20)),
      ]);
      const far = await areaFromObjects([polygon(box(9, 9, 20))]);
      const given = layer([twice, overlapping], ['a', 'b']);
      const inside = await read(await prepare(given, clip(whole, { rule })));
      expect(inside.left.map(({ geometry }) => areaOf(geometry))).toEqual(
        // What lies in the area as a whole is not touched.
        [100 + 36, 32].map((area) => expect.closeTo(area, 9) as unknown),
      );
      const outside = await read(await prepare(given, erase(far, { rule })));
      expect(areaOf(outside.left[0].geometry)).toBe(first - 1);
      expect(outside.account.findings).toMatchObject([
        { code: 'fill-rule-matters', severity: 'warning', feature: 1 },
      ]);
      expect(outside.account.findings[0].words).toContain(`it was “${rule ?? 'non-zero'}”`);
      for (const step of [dissolve({}, { by: ['group'], rule }), repair({ rule })])
        expect((await read(await prepare(given, step))).left.map(({ geometry }) => areaOf(geometry))).toEqual(
          [first, second],
        );
    }
  });
});

describe('rings', () => {
  it('run one way where asked for, also of what is kept whole, with their heights', async () => {
    const clockwise: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [1, 1, 5],
          [1, 4, 6],
          [4, 1, 7],
          [1, 1, 5],
        ],
      ],
    };
    const area = await areaFromObjects([polygon(box(0, 0, 10))]);
    const plain = await read(await prepare(layer([clockwise]), clip(area)));
    expect(plain.left[0].geometry).toEqual(clockwise);
    const turned = await read(await prepare(layer([clockwise]), clip(area, { turn: true })));
    expect(turned.left[0].geometry).toEqual({
      type: 'Polygon',
      coordinates: [
        [
          [1, 1, 5],
          [4, 1, 7],
          [1, 4, 6],
          [1, 1, 5],
        ],
      ],
    });
  });
});

describe('dissolve', () => {
  it('unites cells to units without inner borders, with sums, and tells parts that lie apart', async () => {
    const cells = [box(0, 0, 1), box(1, 0, 1), box(0, 1, 1), box(5, 5, 1), box(9, 9, 1)].map((ring) =>
      polygon(ring),
    );
    const made = await prepare(
      layer(cells, ['a', 'a', 'a', 'a', null], [1, 2, 3, 4, 5]),
      dissolve({ total: 'sum(n)', cells: 'count()' }, { by: ['group'] }),
    );
    const { left, account } = await read(made);
    expect(left.map(({ values }) => values)).toEqual([
      ['a', 10, 4],
      [null, 5, 1],
    ]);
    expect(left.map(({ geometry }) => [geometry?.type, areaOf(geometry)])).toEqual([
      ['MultiPolygon', 4],
      ['Polygon', 1],
    ]);
    expect(account.sentence).toBe('Dissolve: 5 things in; 2 units by group.');
    expect(account.notes).toEqual(['1 unit consists of several parts that do not touch.']);
  });

  it('keeps the borders of units the same on both sides, and all of the area', async () => {
    // A quilt with crooked corners.
    const side = 12;
    const corner = (i: number, j: number) => [
      i + 0.3 * Math.sin(7 * i + 3 * j),
      j + 0.3 * Math.cos(5 * i - 2 * j),
    ];
    const cells: GeometryObject[] = [];
    const groups: string[] = [];
    for (let j = 0; j < side; j++)
      for (let i = 0; i < side; i++) {
        cells.push(polygon([corner(i, j), corner(i + 1, j), corner(i + 1, j + 1), corner(i, j + 1)]));
        groups.push(`${Math.floor(i / 5)} ${Math.floor(j / 4)}`);
      }
    const { left } = await read(await prepare(layer(cells, groups), dissolve({}, { by: ['group'] })));
    const before = cells.reduce((sum, cell) => sum + areaOf(cell), 0);
    expect(left.reduce((sum, { geometry }) => sum + areaOf(geometry), 0)).toBeCloseTo(before, 9);
    // Every inner edge is there once in each direction; the outer ones make the outline of the whole.
    const edges = new Map<string, number>();
    for (const { geometry } of left)
      for (const ring of (geometry as { coordinates: Ring[] }).coordinates)
        ring.slice(1).forEach((to, k) => {
          const [from, end] = [String(ring[k]), String(to)];
          edges.set(`${from} ${end}`, (edges.get(`${from} ${end}`) ?? 0) + 1);
        });
    const outer = [...edges.keys()].filter((edge) => !edges.has(edge.split(' ').reverse().join(' ')));
    expect([...edges.values()].every((count) => count === 1)).toBe(true);
    expect(outer.length).toBe(4 * side);
  });

  it('gathers points and paths, and leaves unusable features out of their units', async () => {
    const { left, account } = await read(
      await prepare(
        layer(
          [
            { type: 'Point', coordinates: [1, 1] },
            {
              type: 'MultiPoint',
              coordinates: [
                [2, 2],
                [3, 3],
              ],
            },
            { type: 'Point', coordinates: [Number.NaN, 1] },
            null,
          ],
          ['a', 'a', 'a', 'b'],
        ),
        dissolve({}, { by: ['group'] }),
      ),
    );
    expect(left.map(({ geometry }) => geometry)).toEqual([
      {
        type: 'MultiPoint',
        coordinates: [
          [1, 1],
          [2, 2],
          [3, 3],
        ],
      },
      null,
    ]);
    expect(account.findings).toMatchObject([{ code: 'coordinate-unusable', feature: 3 }]);
  });
});

describe('intersect', () => {
  const zones = () => {
    const made = layer(
      [polygon(box(0, 0, 4)), polygon(box(4, 0, 4)), polygon(box(20, 20, 1))],
      ['west', 'east', 'far'],
    );
    return { ...made, name: 'zones' };
  };

  it('makes a piece of each pair, with the fields of both, where they came from, and their shares', async () => {
    const things = layer(
      [
        polygon(box(2, 1, 4)),
        polygon(box(1, 1, 1)),
        {
          type: 'LineString',
          coordinates: [
            [3, 2],
            [3, -2],
          ],
        },
        { type: 'Point', coordinates: [4, 1] },
        polygon(box(50, 50, 1)),
      ],
      ['a', 'b', 'c', 'd', 'e'],
      [160, 10, 8, 1, 5],
    );
    const { left, account } = await read(await prepare(things, intersect(zones(), { split: ['n'] })));
    expect(left.map(({ values }) => values)).toEqual([
      ['a', 60, 'west', 0, '1', '1', 0.375, 0.375],
      ['a', 60, 'east', 1, '1', '2', 0.375, 0.375],
      ['b', 10, 'west', 0, '2', '1', 1, 0.0625],
      ['c', 4, 'west', 0, '3', '1', 0.5, null],
      // On the border of both.
      ['d', 1, 'west', 0, '4', '1', 1, null],
      ['d', 1, 'east', 1, '4', '2', 1, null],
    ]);
    expect(account.sentence).toBe(
      'Intersect: 5 things by 3 zones; 2 inside one of them, 2 cut, 1 outside: 6 pieces.',
    );
    expect(account.notes.join(' ')).toContain('as if spread evenly over each feature');
    expect(account.notes.join(' ')).toContain('group is called group_2');
  });

  it('keeps the pieces of one or both that meet nothing, where asked for', async () => {
    const things = layer([polygon(box(2, 1, 4)), polygon(box(50, 50, 1))], ['a', 'b'], [1, 2]);
    const given = await read(await prepare(things, intersect(zones(), { pieces: 'given' })));
    expect(given.left.map(({ values, geometry }) => [values[0], values[2], areaOf(geometry)])).toEqual([
      ['a', 'west', 6],
      ['a', 'east', 6],
      ['a', null, 4],
      ['b', null, 1],
    ]);
    const all = await read(await prepare(things, intersect(zones(), { pieces: 'all' })));
    expect(all.left.slice(4).map(({ values, geometry }) => [values[0], values[2], areaOf(geometry)])).toEqual(
      [
        [null, 'west', 10],
        [null, 'east', 10],
        [null, 'far', 1],
      ],
    );
  });

  it('loses and doubles nothing: pieces make up each layer, and borders of pieces are the same on both sides', async () => {
    const point = fc
      .tuple(fc.integer({ min: 0, max: 8 }), fc.integer({ min: 0, max: 8 }))
      .map(([x, y]) => [x, y]);
    const shape = fc
      .array(point, { minLength: 3, maxLength: 7 })
      .map((points) => polygon(points))
      .filter((object) => faultsOf(geometriesFrom([object]), 0).length === 0);
    await fc.assert(
      fc.asyncProperty(
        fc.array(shape, { minLength: 1, maxLength: 3 }),
        fc.array(shape, { minLength: 1, maxLength: 3 }),
        async (one, two) => {
          const { left } = await read(
            await prepare(layer(one), intersect({ ...layer(two), name: 'others' }, { pieces: 'given' })),
          );
          for (const { geometry } of left) expect(faultsOf(geometriesFrom([geometry]), 0)).toEqual([]);
          const { left: apart } = await read(await prepare(layer(one), erase(await areaFromObjects(two))));
          one.forEach((whole, k) => {
            // What is outside of all others is the piece without one, and what erasing leaves.
            const alone = left.find(({ values }) => values[4] === String(k + 1) && values[5] === null);
            const erased = apart.find(({ id }) => id === k + 1);
            expect(areaOf(alone?.geometry ?? null)).toBeCloseTo(areaOf(erased?.geometry ?? null), 9);
            const shares = left.filter(({ values }) => values[4] === String(k + 1));
            for (const { values, geometry } of shares)
              expect(values[6]).toBeCloseTo(areaOf(geometry) / areaOf(whole), 9);
          });
        },
      ),
      { numRuns: 80 },
    );
  });

  it('stops at what cannot be: areas without areas, splits of texts, a CRS that is missing', async () => {
    const points = { ...layer([{ type: 'Point', coordinates: [1, 1] }]), name: 'dots' };
    const made = await prepare(layer([polygon(box(0, 0, 1))]), intersect(points));
    await expect(read(made)).rejects.toThrow('dots holds no areas to intersect with.');
    await expect(
      prepare(layer([polygon(box(0, 0, 1))]), intersect(zones(), { split: ['group'] })),
    ).rejects.toThrow('group holds no numbers, so it cannot be split.');
    await expect(
      prepare(layer([polygon(box(0, 0, 1))]), intersect({ ...zones(), crs: null })),
    ).rejects.toThrow('zones has no CRS');
  });

  it('brings the areas into the CRS of the layer, and says so', async () => {
    const wgs84 = crsByEpsg(4326)!;
    const near = {
      ...layer([
        polygon([
          [-27, 0],
          [-26.9, 0],
          [-26.9, 0.1],
          [-27, 0.1],
        ]),
      ]),
      crs: wgs84,
      name: 'degrees',
    };
    const { left, account } = await read(
      await prepare(
        layer([
          polygon([
            [500_000, 0],
            [500_000, 5000],
            [505_000, 5000],
            [505_000, 0],
          ]),
        ]),
        intersect(near),
      ),
    );
    expect(left.length).toBe(1);
    expect(account.notes.join(' ')).toContain('Reproject');
  });
});

describe('repair', () => {
  it('gives back what is valid bit for bit, and the very batch where all is', async () => {
    const given = layer([polygon([...box(0, 0, 3)].reverse()), { type: 'Point', coordinates: [1, 2] }, null]);
    const batches = [];
    for await (const batch of given.batches()) batches.push(batch);
    const made = await prepare(given, repair());
    for await (const batch of made.batches()) expect(batch).toBe(batches.shift());
    expect(made.accounts.at(-1)!.sentence).toBe('Repair: 3 things in; 3 valid, 0 repaired.');
  });

  it('cuts crossings, drops spikes and what has no extent, and tells what it changed', async () => {
    const bowTie = polygon([
      [0, 0],
      [10, 10],
      [10, 0],
      [0, 10],
    ]);
    const spiked = polygon([
      [0, 0],
      [10, 0],
      [10, 10],
      [5, 10],
      [5, 15],
      [5, 10],
      [0, 10],
    ]);
    const flat = polygon([
      [0, 0],
      [5, 5],
      [2, 2],
    ]);
    const { left, account } = await read(
      await prepare(
        layer([
          bowTie,
          spiked,
          flat,
          {
            type: 'MultiLineString',
            coordinates: [
              [
                [0, 0],
                [1, 1],
              ],
              [
                [2, 2],
                [2, 2],
              ],
            ],
          },
          {
            type: 'MultiPoint',
            coordinates: [
              [1, 1],
              [Number.NaN, 2],
            ],
          },
        ]),
        repair(),
      ),
    );
    expect(left.map(({ geometry }) => geometry?.type ?? null)).toEqual([
      'MultiPolygon',
      'Polygon',
      null,
      'LineString',
      'Point',
    ]);
    expect(left.slice(0, 2).map(({ geometry }) => areaOf(geometry))).toEqual([50, 100]);
    for (const { geometry } of left) expect(faultsOf(geometriesFrom([geometry]), 0)).toEqual([]);
    expect(account.counts).toMatchObject({ in: 5, valid: 0, repaired: 4, emptied: 1 });
    expect(account.findings.map(({ code }) => code)).toEqual([
      'repaired',
      'repaired',
      'repair-emptied',
      'repaired',
      'repaired',
    ]);
    expect(account.findings[0].words).toMatch(
      /^A ring crosses itself: area 0 → [\d.]+ m², parts 1 → 2, vertices 5 → 8\.$/,
    );
  });

  it('leaves nothing invalid, whatever it gets', async () => {
    const point = fc
      .tuple(fc.integer({ min: 0, max: 5 }), fc.integer({ min: 0, max: 5 }))
      .map(([x, y]) => [x, y]);
    const rings = fc.array(fc.array(point, { minLength: 1, maxLength: 7 }), { minLength: 1, maxLength: 3 });
    await fc.assert(
      fc.asyncProperty(
        fc.array(rings, { minLength: 1, maxLength: 3 }),
        fc.constantFrom('non-zero', 'even-odd'),
        async (parts, rule) => {
          const object: GeometryObject = {
            type: 'MultiPolygon',
            coordinates: parts.map((each) => each.map((ring) => [...ring, ring[0]])),
          };
          const { left } = await read(await prepare(layer([object]), repair({ rule: rule as 'even-odd' })));
          expect(faultsOf(geometriesFrom([left[0].geometry]), 0)).toEqual([]);
        },
      ),
      { numRuns: 200 },
    );
  });
});
