import geographiclib from 'geographiclib-geodesic';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import {
  type GeometryArray,
  type GeometryObject,
  geometryObject,
  planarArea,
  planarLength,
} from '../../../src/core/index.ts';
import { areaFrom } from '../../../src/core/layer/area.ts';
import {
  antimeridian,
  borders,
  buffer,
  bundle,
  cells,
  clip,
  compare,
  connect,
  densify,
  dissolve,
  enclose,
  erase,
  flatten,
  intersect,
  measure,
  merge,
  mesh,
  nearest,
  parts,
  patch,
  points,
  polygons,
  prepare,
  round,
  simplify,
  smooth,
  snap,
  split,
  tidy,
  triangles,
} from '../../../src/verbs/index.ts';
import { degrees, layerWith, read } from '../../support/layer-of.ts';
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
const areas = (array: GeometryArray) => Array.from({ length: array.length }, (_, i) => planarArea(array, i));
const sum = (values: readonly number[]) => values.reduce((a, b) => a + b, 0);
const valid = (array: GeometryArray) => {
  for (let i = 0; i < array.length; i++) expect(faultsOf(array, i)).toEqual([]);
};
const wgs84 = geographiclib.Geodesic.WGS84;
const far = (ax: number, ay: number, bx: number, by: number) => wgs84.Inverse(ay, ax, by, bx).s12!;

describe('buffers where coordinates are degrees', () => {
  it.each([
    ['on the equator', 10, 0, 1000],
    ['far north', 25, 78, 100_000],
    ['a hundred kilometres', -30, 45.5, 100_000],
    ['a hand', -30, 45.5, 0.1],
  ])('of a point, %s: every vertex lies that far, to a tenth of a millimetre', async (_, x, y, metres) => {
    const { geometry } = await read(
      prepare(layerWith([point(x, y)], {}, { crs: degrees }), buffer({ distance: metres })),
    );
    valid(geometry);
    expect(geometry.vertexCount).toBe(65);
    for (let v = 0; v < geometry.vertexCount; v++)
      expect(Math.abs(far(x, y, geometry.xy[2 * v], geometry.xy[2 * v + 1]) - metres)).toBeLessThan(1e-4);
  });

  it('across the antimeridian are cut there, with all of their area', async () => {
    const made = await read(
      prepare(
        layerWith([point(179.999, 10)], {}, { crs: degrees }),
        buffer({ distance: 1000 }),
        measure(['area']),
      ),
    );
    valid(made.geometry);
    expect(made.geometry.kind[0]).toBe(6);
    const [x0, , x1] = made.geometry.box();
    expect([x0, x1]).toEqual([-180, 180]);
    // A circle of 64 straight pieces.
    expect(made.rows[0].area_m2).toBeCloseTo(32 * Math.sin(Math.PI / 32) * 1e6, -2);
  });

  it('over a pole hold it', async () => {
    const made = await read(
      prepare(
        layerWith([point(0, 89.9), point(40, -89.95)], {}, { crs: degrees }),
        buffer({ distance: 50_000 }),
        measure(['area']),
      ),
    );
    valid(made.geometry);
    expect(made.geometry.boxOf(0)[3]).toBe(90);
    expect(made.geometry.boxOf(1)[1]).toBe(-90);
    for (const { area_m2 } of made.rows)
      expect(Math.abs((area_m2 as number) / (32 * Math.sin(Math.PI / 32) * 25e8) - 1)).toBeLessThan(2e-3);
  });

  it('of lines and areas lie that far from them, and are larger, or smaller, by length and perimeter', async () => {
    const path = line([-30, 45], [-29.6, 45.3]);
    const given = layerWith([path], {}, { crs: degrees });
    const made = await read(prepare(given, buffer({ distance: 2000, ends: 'flat' }), measure(['area'])));
    const [{ length_m }] = (await read(prepare(given, measure(['length'])))).rows;
    valid(made.geometry);
    expect(Math.abs((made.rows[0].area_m2 as number) / ((length_m as number) * 4000) - 1)).toBeLessThan(2e-3);
    const area = layerWith([square(-30, 45, 0.5)], {}, { crs: degrees });
    const sizes: number[] = [];
    for (const step of [
      buffer({ distance: 1000, inwards: true }),
      buffer({ distance: 0.001 }),
      buffer({ distance: 1000, joins: 'mitre' }),
    ])
      sizes.push((await read(prepare(area, step, measure(['area'])))).rows[0].area_m2 as number);
    expect(sizes[0]).toBeLessThan(sizes[1]);
    expect(sizes[1]).toBeLessThan(sizes[2]);
    // Larger by as much as smaller, but for the four corners.
    expect(sizes[2] - sizes[1] - (sizes[1] - sizes[0])).toBeGreaterThan(7.8e6);
    expect(sizes[2] - sizes[1] - (sizes[1] - sizes[0])).toBeLessThan(8.3e6);
  });

  it('in rings part what a buffer of the greatest distance covers', async () => {
    const given = layerWith([point(0, 0), square(100, 100, 10)], { n: ['a', 'b'] });
    const rings = await read(prepare(given, buffer({ rings: [30, 10, 20] })));
    valid(rings.geometry);
    expect(rings.rows.map(({ n, beyond, within }) => [n, beyond, within])).toEqual([
      ['a', 0, 10],
      ['a', 10, 20],
      ['a', 20, 30],
      ['b', 0, 10],
      ['b', 10, 20],
      ['b', 20, 30],
    ]);
    const whole = areas((await read(prepare(given, buffer({ distance: 30 })))).geometry);
    const parted = areas(rings.geometry);
    expect(sum(parted.slice(0, 3))).toBeCloseTo(whole[0], 6);
    expect(sum(parted.slice(3))).toBeCloseTo(whole[1], 6);
    await expect(prepare(given, buffer({ rings: [10, 10] }))).rejects.toMatchObject({ code: 'buffer-rings' });
    await expect(prepare(given, buffer({ rings: [10], distance: 5 }))).rejects.toMatchObject({
      code: 'buffer-distance',
    });
  });
});

describe('layers put together', () => {
  const west = layerWith(
    [square(0, 0, 10), line([2, 20], [10, 20]), point(10, 30), square(0, 40, 10)],
    { code: ['lake', 'road', 'well', 'x'] },
    { name: 'west' },
  );
  const east = layerWith(
    [square(10, 0, 10), line([10, 20], [15, 25]), point(10, 30), square(10, 40, 10)],
    { code: ['lake', 'road', 'well', 'y'], more: [1, 2, 3, 4] },
    { name: 'east' },
  );
  it('as they are, with the fields of both and where each comes from', async () => {
    const { rows, said } = await read(prepare(west, merge([east])));
    expect(said).toBe('Merge: 8 in 2 sheets (west 4, east 4); 8 out.');
    expect(rows.map(({ code, more, sheet }) => [code, more, sheet])).toEqual([
      ...['lake', 'road', 'well', 'x'].map((code) => [code, null, 'west']),
      ...['lake', 'road', 'well', 'y'].map((code, k) => [code, k + 1, 'east']),
    ]);
  });
  it('by key: what has the same is one, whether it touches or not', async () => {
    const { rows, geometry, account } = await read(
      prepare(west, merge([east], { join: 'key', by: ['code'] })),
    );
    expect(rows.map(({ code, sheet }) => [code, sheet])).toEqual([
      ['lake', 'west, east'],
      ['road', 'west, east'],
      ['well', 'west, east'],
      ['x', 'west'],
      ['y', 'east'],
    ]);
    expect(geometryObject(geometry, 0)).toMatchObject({ type: 'Polygon' });
    expect(planarArea(geometry, 0)).toBe(200);
    expect(geometryObject(geometry, 1)).toEqual(line([2, 20], [10, 20], [15, 25]));
    expect(geometryObject(geometry, 2)).toEqual(point(10, 30));
    // The west has no value where the east has one.
    expect(account.findings.map(({ code }) => code)).toEqual(['merge-differs']);
  });
  it('by place: what meets is one, whatever it is called; by both, only what is called the same too', async () => {
    const place = await read(prepare(west, merge([east], { join: 'place' })));
    expect(place.rows.map(({ code }) => code)).toEqual(['lake', 'road', 'well', 'x']);
    const both = await read(prepare(west, merge([east], { join: 'both', by: ['code'] })));
    expect(both.rows.map(({ code }) => code)).toEqual(['lake', 'road', 'well', 'x', 'y']);
  });
  it('drawn to each other first, where their borders do not quite meet', async () => {
    const off = layerWith([square(10.02, 0.01, 10)], { code: ['lake'] }, { name: 'off' });
    const apart = await read(prepare(west, merge([off], { join: 'place' })));
    expect(apart.rows.length).toBe(5);
    const drawn = await read(prepare(west, merge([off], { join: 'place', within: 0.1 })));
    expect(drawn.rows.length).toBe(4);
    valid(drawn.geometry);
    expect(geometryObject(drawn.geometry, 0)).toMatchObject({ type: 'Polygon' });
  });
  it('only with a key that goes with how they are joined', async () => {
    await expect(prepare(west, merge([east], { join: 'key' }))).rejects.toMatchObject({ code: 'merge-key' });
    await expect(prepare(west, merge([east], { by: ['code'] }))).rejects.toMatchObject({ code: 'merge-key' });
    await expect(prepare(west, merge([east], { within: 1 }))).rejects.toMatchObject({ code: 'merge-within' });
  });
});

describe('one layer laid over another', () => {
  it('patched: what lies under goes, what comes in has its own fields', async () => {
    const given = layerWith([square(0, 0, 10), square(20, 0, 10), square(41, 1, 2)], {
      code: ['a', 'b', 'c'],
    });
    const other = layerWith([square(5, 0, 10), square(40, 0, 10)], { code: ['n', 'm'], size: [1, 2] });
    const { rows, geometry, said } = await read(prepare(given, patch(other)));
    expect(rows.map(({ code, size }) => [code, size])).toEqual([
      ['a', null],
      ['b', null],
      ['n', 1],
      ['m', 2],
    ]);
    expect(areas(geometry)).toEqual([50, 100, 100, 100]);
    expect(said).toBe('Patch: 3 things in; 1 kept whole, 1 cut, 1 replaced, 2 of things put in.');
  });
  it('flattened: pieces with how many cover them, and which', async () => {
    const { rows, geometry } = await read(
      prepare(
        layerWith([square(0, 0, 10), square(5, 0, 10), point(1, 1)], { code: ['a', 'b', 'p'] }),
        flatten(),
      ),
    );
    expect(rows).toEqual([
      { code: 'a', covers: 1, features: '1' },
      { code: 'a', covers: 2, features: '1, 2' },
      { code: 'b', covers: 1, features: '2' },
    ]);
    expect(areas(geometry)).toEqual([50, 50, 50]);
  });
  it('split along: areas and lines in pieces, points as they are', async () => {
    const given = layerWith([square(0, 0, 10), line([0, 5], [20, 5]), point(3, 3), square(50, 0, 1)], {
      code: ['a', 'l', 'p', 'o'],
    });
    const { rows, said } = await read(prepare(given, split(layerWith([line([4, -1], [4, 11])]))));
    expect(rows.map(({ code, piece }) => `${code}${piece}`)).toEqual(['a1', 'a2', 'l1', 'l2', 'p1', 'o1']);
    expect(said).toBe('Split: 4 things in; 2 split by things, 2 whole, 6 pieces.');
  });
  it('snapped: borders that ran beside each other are the same, vertex for vertex', async () => {
    const reference = layerWith([
      {
        type: 'Polygon',
        coordinates: [
          [
            [10, 0],
            [20, 0],
            [20, 10],
            [10, 10],
            [10, 5],
            [10, 0],
          ],
        ],
      },
    ]);
    const { geometry, rows } = await read(
      prepare(
        layerWith([square(0.03, 0.02, 9.98), square(30, 30, 1)], { code: ['near', 'far'] }),
        snap(reference, { within: 0.1 }),
      ),
    );
    expect(rows.length).toBe(2);
    const ring = (geometryObject(geometry, 0) as { coordinates: number[][][] }).coordinates[0].map(String);
    for (const corner of ['10,0', '10,5', '10,10']) expect(ring).toContain(corner);
    expect(geometryObject(geometry, 1)).toEqual(square(30, 30, 1));
    valid(geometry);
  });
  it('nearest: the distance to what is nearest, as all pairs say', async () => {
    const random = randomFrom(7);
    const spot = () => point(random() * 1000, random() * 1000);
    const from = Array.from({ length: 60 }, spot);
    const to = Array.from({ length: 40 }, spot);
    const { rows } = await read(
      prepare(
        layerWith(from),
        nearest(layerWith(to, { code: to.map((_, k) => `h${k}`) }, { name: 'halls' }), { columns: ['code'] }),
      ),
    );
    rows.forEach((row, k) => {
      const all = to.map((other) => {
        const [[ax, ay], [bx, by]] = [from[k], other].map(
          (each) => (each as { coordinates: number[] }).coordinates,
        );
        return Math.hypot(ax - bx, ay - by);
      });
      const least = Math.min(...all);
      expect(row.halls_distance).toBe(least);
      expect(row.code).toBe(`h${all.indexOf(least)}`);
    });
  });
  it('nearest of areas and lines: 0 within, to the edge outside, blank beyond reach, geodesic in degrees', async () => {
    const wards = layerWith(
      [square(0, 0, 10), line([100, 0], [100, 50])],
      { code: ['w', 'l'] },
      { name: 'wards' },
    );
    const { rows } = await read(
      prepare(
        layerWith([point(4, 4), point(14, 5), point(90, 30), point(900, 900), null]),
        nearest(wards, { columns: ['code'], within: 200 }),
      ),
    );
    expect(rows.map(({ wards_distance, code }) => [wards_distance, code])).toEqual([
      [0, 'w'],
      [4, 'w'],
      [10, 'l'],
      [null, null],
      [null, null],
    ]);
    const there = await read(
      prepare(
        layerWith([point(-30, 45)], {}, { crs: degrees }),
        nearest(layerWith([point(-29, 45), point(-30, 45.8)], {}, { crs: degrees, name: 'halls' })),
      ),
    );
    // A degree along the parallel is nearer than eight tenths along the meridian.
    expect(there.rows[0].halls_distance).toBeCloseTo(far(-30, 45, -29, 45), 6);
    expect(there.rows[0].halls_nearest).toBe('1');
  });
  it('compared by key: how far borders moved, and what both cover', async () => {
    const before = layerWith([square(0, 0, 10), square(20, 0, 10)], { code: ['a', 'b'] }, { name: 'before' });
    const after = layerWith([square(0, 0, 10), square(21, 0, 10), square(50, 0, 1)], {
      code: ['a', 'b', 'c'],
    });
    const { rows } = await read(prepare(after, compare(before, 'code')));
    expect(rows[0]).toMatchObject({ hausdorff: 0, frechet: 0, in_common: 1 });
    expect(rows[1].hausdorff).toBeCloseTo(1, 2);
    expect(rows[1].in_common).toBeCloseTo(90 / 110, 12);
    expect(rows[2]).toMatchObject({ hausdorff: null, frechet: null, in_common: null });
  });
});

describe('what is cut', () => {
  const area = areaFrom(layerWith([square(0, 0, 10)]));
  const given = layerWith([square(2, 2, 4), square(8, 0, 4), line([5, 5], [25, 5]), square(50, 0, 1)], {
    people: [10, 100, 20, 7],
    name: ['a', 'b', 'c', 'd'],
  });
  it('tells the share that is left, and splits figures by it, said and never unasked', async () => {
    const inside = await read(prepare(given, clip(area, { share: true, split: ['people'] })));
    expect(inside.rows.map(({ name, people, share }) => [name, people, share])).toEqual([
      ['a', 10, 1],
      ['b', 50, 0.5],
      ['c', 5, 0.25],
    ]);
    expect(inside.account.notes).toContain(
      'people was split by the share of what is left of each (in EPSG:32626 (WGS 84 / UTM zone 26N)): as if spread evenly over each feature.',
    );
    const outside = await read(prepare(given, erase(area, { split: ['people'] })));
    expect(outside.rows.map(({ name, people }) => [name, people])).toEqual([
      ['b', 50],
      ['c', 15],
      ['d', 7],
    ]);
    expect((await read(prepare(given, clip(area)))).rows[1]).toEqual({ people: 100, name: 'b' });
    await expect(prepare(given, clip(area, { split: ['name'] }))).rejects.toMatchObject({
      code: 'split-type',
    });
  });
  it('stops at what is invalid when asked, with the place', async () => {
    const bow = layerWith([
      square(1, 1, 1),
      {
        type: 'Polygon',
        coordinates: [
          [
            [0, 0],
            [4, 4],
            [4, 0],
            [0, 4],
            [0, 0],
          ],
        ],
      },
    ]);
    for (const step of [
      clip(area, { strict: true }),
      erase(area, { strict: true }),
      intersect(given, { strict: true }),
      dissolve({}, { strict: true }),
      patch(given, { strict: true }),
      flatten({ strict: true }),
      split(given, { strict: true }),
    ])
      await expect(read(prepare(bow, step))).rejects.toMatchObject({
        code: 'feature-invalid',
        message: expect.stringContaining('Feature 2 of things is invalid: a ring crosses itself, at 2, 2'),
      });
    expect((await read(prepare(bow, clip(area)))).rows.length).toBe(2);
  });
});

describe('shapes made of features', () => {
  it('a point deep inside lies farther from the border than the usual one', async () => {
    const shape: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [0, 0],
          [100, 0],
          [100, 4],
          [40, 4],
          [40, 40],
          [0, 40],
          [0, 0],
        ],
      ],
    };
    const { geometry } = await read(prepare(layerWith([shape]), points('deep inside')));
    const [x, y] = geometry.xy;
    expect(Math.min(x, y, 40 - x, 40 - y)).toBeGreaterThan(19);
  });
  it('parts, of one kind or all, and bundles of them again', async () => {
    const given = layerWith(
      [
        {
          type: 'MultiPolygon',
          coordinates: [
            (square(0, 0, 1) as { coordinates: number[][][] }).coordinates,
            (square(5, 5, 2) as { coordinates: number[][][] }).coordinates,
          ],
        },
        { type: 'GeometryCollection', geometries: [point(1, 1), line([0, 0], [1, 1])] },
      ],
      { code: ['a', 'b'] },
    );
    const all = await read(prepare(given, parts()));
    expect(all.rows.map(({ code, part }) => `${code}${part}`)).toEqual(['a1', 'a2', 'b1', 'b2']);
    const some = await read(prepare(given, parts({ kind: 'areas' })));
    expect(some.said).toBe('Parts: 2 things in; 2 parts, 2 parts are no areas, 1 without areas dropped.');
    const again = await read(prepare(all.layer, bundle({ n: 'count()' }, { by: ['code'] })));
    expect(again.rows).toEqual([
      { code: 'a', n: 2 },
      { code: 'b', n: 2 },
    ]);
    expect(geometryObject(again.geometry, 0)).toMatchObject({ type: 'MultiPolygon' });
    expect(geometryObject(again.geometry, 1)).toEqual({
      type: 'GeometryCollection',
      geometries: [point(1, 1), line([0, 0], [1, 1])],
    });
  });
  it('points at vertices, ends, middles, centroids, and along', async () => {
    const given = layerWith([line([0, 0], [30, 0], [30, 40])], { code: ['a'] });
    const at = async (...args: Parameters<typeof points>) => {
      const { geometry, rows } = await read(prepare(given, points(...args)));
      return rows.map((row, i) => [
        ...geometry.xy.subarray(2 * i, 2 * i + 2),
        row.vertex ?? row.along ?? row.end,
      ]);
    };
    expect(await at('vertices')).toEqual([
      [0, 0, 1],
      [30, 0, 2],
      [30, 40, 3],
    ]);
    expect(await at('ends')).toEqual([
      [0, 0, 'first'],
      [30, 40, 'last'],
    ]);
    expect(await at('middles')).toEqual([[30, 5, 35]]);
    expect(
      (await at('along lines', { every: 20 })).map(([x, y, along]) => [
        Math.round(x as number),
        Math.round(y as number),
        along,
      ]),
    ).toEqual([
      [0, 0, 0],
      [20, 0, 20],
      [30, 10, 40],
      [30, 30, 60],
    ]);
    expect((await at('centroids')).length).toBe(1);
    await expect(prepare(given, points('along lines'))).rejects.toMatchObject({ code: 'points-every' });
  });
  it('figures around them', async () => {
    const given = layerWith(
      [
        {
          type: 'MultiPoint',
          coordinates: [
            [0, 0],
            [10, 0],
            [10, 10],
            [5, 5],
            [0, 10],
          ],
        },
        point(1, 1),
      ],
      {},
    );
    const size = async (...args: Parameters<typeof enclose>) => {
      const { geometry } = await read(prepare(given, enclose(...args)));
      valid(geometry);
      return planarArea(geometry, 0);
    };
    expect(await size('hull')).toBe(100);
    expect(await size('box')).toBe(100);
    expect(await size('rectangle')).toBeCloseTo(100, 9);
    expect(await size('circle')).toBeGreaterThan(Math.PI * 50);
    expect(await size('circle')).toBeLessThan(Math.PI * 50 * 1.001);
    expect(await size('hollow hull', { hollow: 0.1 })).toBeLessThan(100);
    const inner = await read(
      prepare(layerWith([square(0, 0, 10), line([0, 0], [1, 1])]), enclose('inner circle')),
    );
    expect(inner.said).toBe('Enclose: 2 things in; 1 became an inner circle, 1 without area dropped.');
    expect(planarArea(inner.geometry, 0)).toBeLessThan(Math.PI * 25);
    expect(planarArea(inner.geometry, 0)).toBeGreaterThan(Math.PI * 25 * 0.999);
    await expect(
      prepare(layerWith([point(0, 0)], {}, { crs: degrees }), enclose('circle')),
    ).rejects.toMatchObject({ code: 'enclose-degrees' });
  });
  it('borders: each once, with both of its sides; areas come back from them', async () => {
    const given = layerWith([square(0, 0, 10), square(10, 0, 10), square(40, 0, 5)], {
      code: ['a', 'b', 'c'],
    });
    const made = await read(prepare(given, borders({ by: 'code' })));
    const sides = made.rows.map(({ left, right, shared }) => [
      [left, right].map(String).sort().join('|'),
      shared,
    ]);
    expect(sides).toContainEqual(['a|b', true]);
    expect(sides.filter(([, shared]) => shared)).toHaveLength(1);
    let length = 0;
    for (let i = 0; i < made.geometry.length; i++) length += planarLength(made.geometry, i);
    expect(length).toBe(70 + 20);
    const back = await read(prepare(made.layer, polygons()));
    expect(areas(back.geometry).sort((a, b) => a - b)).toEqual([25, 100, 100]);
    const each = await read(
      prepare(
        layerWith([line([0, 0], [4, 0], [4, 4], [0, 0]), line([0, 0], [1, 1])], { n: ['r', 'o'] }),
        polygons({ each: true }),
      ),
    );
    expect(each.rows).toEqual([{ n: 'r' }]);
    expect(each.account.notes).toEqual(['1 path is not closed.']);
  });
  it('lines connected by a field, with how many and what they agree on', async () => {
    const { rows } = await read(
      prepare(
        layerWith([line([0, 0], [1, 0]), line([1, 0], [2, 0]), line([2, 0], [3, 0])], {
          name: ['x', 'x', 'y'],
          lanes: ['1', '2', '1'],
        }),
        connect({ by: ['name'] }),
      ),
    );
    expect(rows).toEqual([
      { name: 'x', lanes: null, lines: 2 },
      { name: 'y', lanes: '1', lines: 1 },
    ]);
  });
  it('cells, triangles and meshes', async () => {
    const halls = layerWith([point(10, 10), point(30, 10), point(10, 10), point(20, 90)], {
      code: ['a', 'b', 'twin', 'c'],
    });
    const area = areaFrom(layerWith([square(0, 0, 100)]));
    const made = await read(prepare(halls, cells(area)));
    expect(made.rows.map(({ code }) => code)).toEqual(['a', 'b', 'c']);
    expect(sum(areas(made.geometry))).toBeCloseTo(10_000, 6);
    expect(made.said).toBe('Cells: 4 things in; 3 cells, 1 at the place of another point.');
    expect((await read(prepare(halls, triangles()))).rows).toEqual([
      { first: expect.any(String), second: expect.any(String), third: expect.any(String) },
    ]);
    for (const shape of ['square', 'hexagon'] as const) {
      const given = layerWith([square(3, 3, 100)]);
      const grid = await read(prepare(given, mesh({ size: 20, shape, cut: true })));
      valid(grid.geometry);
      expect(sum(areas(grid.geometry))).toBeCloseTo(10_000, 6);
      const whole = await read(prepare(given, mesh({ size: 20, shape })));
      const one = shape === 'square' ? 400 : 400 * (Math.sqrt(3) / 2);
      whole.rows.forEach(({ share }, k) => {
        expect(planarArea(whole.geometry, k)).toBeCloseTo(one, 6);
        expect((share as number) * one).toBeCloseTo(planarArea(grid.geometry, k), 6);
      });
    }
    await expect(
      prepare(layerWith([point(0, 0)], {}, { crs: degrees }), mesh({ size: 10 })),
    ).rejects.toMatchObject({ code: 'cells-degrees' });
  });
});

describe('vertices', () => {
  it('are added so that no edge is longer, the same on both sides of a border', async () => {
    const { geometry, said } = await read(
      prepare(layerWith([square(0, 0, 10), square(10, 0, 10)]), densify(3)),
    );
    expect(said).toBe('Densify: 2 things in; 2 out, with 24 vertices more.');
    const corners = (i: number) =>
      new Set(
        (geometryObject(geometry, i) as { coordinates: number[][][] }).coordinates[0]
          .filter(([x]) => x === 10)
          .map(String),
      );
    expect(corners(0)).toEqual(corners(1));
    for (let v = 0; v + 1 < geometry.endVertex(0); v++)
      expect(
        Math.hypot(
          geometry.xy[2 * v + 2] - geometry.xy[2 * v],
          geometry.xy[2 * v + 3] - geometry.xy[2 * v + 1],
        ),
      ).toBeLessThanOrEqual(3);
  });
  it('that repeat, and spikes, are taken out', async () => {
    const { geometry, said } = await read(
      prepare(
        layerWith([
          {
            type: 'Polygon',
            coordinates: [
              [
                [0, 0],
                [10, 0],
                [10, 0],
                [10, 5],
                [20, 5],
                [10, 5],
                [10, 10],
                [0, 10],
                [0, 0],
              ],
            ],
          },
          line([0, 0], [0, 0]),
          line([0, 0], [5, 0], [5, 0.001], [9, 0]),
        ]),
        tidy({ within: 0.01 }),
      ),
    );
    expect(geometryObject(geometry, 0)).toEqual({
      type: 'Polygon',
      coordinates: [
        [
          [0, 0],
          [10, 0],
          [10, 5],
          [10, 10],
          [0, 10],
          [0, 0],
        ],
      ],
    });
    expect(geometryObject(geometry, 1)).toEqual(line([0, 0], [5, 0], [9, 0]));
    expect(said).toMatch(
      /^Tidy: 3 things in; 2 out, \d+ repeated vertices, 1 spike taken out, 1 of which nothing is left dropped/,
    );
  });
  it('simplified, smoothed and rounded layers keep ids and fields, and say what they did', async () => {
    const wave = line(...Array.from({ length: 101 }, (_, k) => [k, Math.sin(k / 3) * 0.4]));
    const given = layerWith([wave, null, point(3, 50)], { code: ['w', 'none', 'p'] });
    const simple = await read(prepare(given, simplify({ within: 1 })));
    expect(simple.rows.map(({ code }) => code)).toEqual(['w', 'p']);
    expect(simple.ids).toEqual([1, 3]);
    expect(simple.said).toBe(
      'Simplify: 3 things in; 102 different vertices, 3 left (2.9 %), 1 without geometry dropped.',
    );
    const scaled = await read(prepare(given, simplify({ scale: 4000 })));
    expect(scaled.geometry.vertexCount).toBe(3);
    const islands = await read(
      prepare(
        layerWith([
          {
            type: 'MultiPolygon',
            coordinates: [square(0, 0, 10), square(20, 0, 1)].map(
              (each) => (each as { coordinates: number[][][] }).coordinates,
            ),
          },
        ]),
        simplify({ vertices: 100, islands: 5 }),
      ),
    );
    expect(geometryObject(islands.geometry, 0)).toMatchObject({ type: 'Polygon' });
    await expect(prepare(given, simplify({}))).rejects.toMatchObject({ code: 'simplify-until' });
    await expect(prepare(given, smooth({ rounds: 9 }))).rejects.toMatchObject({ code: 'smooth-rounds' });
    expect((await read(prepare(given, smooth({ rounds: 1 })))).geometry.vertexCount).toBe(201);
    const rounded = await read(prepare(given, round(0.5)));
    for (const value of rounded.geometry.xy) expect(value * 2).toBe(Math.round(value * 2));
  });
  it('beyond the antimeridian are cut there; jumps are short ways when asked', async () => {
    const fiji: GeometryObject = {
      type: 'Polygon',
      coordinates: [
        [
          [179, -18],
          [-179, -18],
          [-179, -16],
          [179, -16],
          [179, -18],
        ],
      ],
    };
    const beyond = square(179, 10, 2);
    const given = layerWith([fiji, beyond, square(10, 10, 1)], {}, { crs: degrees });
    const plain = await read(prepare(given, antimeridian()));
    expect(plain.said).toBe('Antimeridian: 3 things in; 1 cut or moved.');
    const made = await read(prepare(given, antimeridian({ jumps: true })));
    valid(made.geometry);
    expect(areas(made.geometry)).toEqual([4, 4, 1]);
    expect(made.geometry.box()).toEqual([-180, -18, 180, 12]);
  });
});

describe('measures', () => {
  it('are those of the plane or the ellipsoid, in the units asked for', async () => {
    const given = layerWith([square(500_000, 4_000_000, 1000), line([0, 0], [3000, 4000]), null], {});
    const plane = await read(
      prepare(
        given,
        measure(['area', 'length', 'perimeter', 'compactness', 'inner radius', 'vertices'], {
          areas: 'ha',
          lengths: 'km',
          planar: true,
        }),
      ),
    );
    expect(plane.rows[0]).toEqual({
      area_ha: 100,
      length_km: null,
      perimeter_km: 4,
      compactness: Math.PI / 4,
      inner_radius_km: expect.closeTo(0.5, 3),
      vertices: 5,
    });
    expect(plane.rows[1]).toMatchObject({ area_ha: null, length_km: 5, vertices: 2 });
    expect(plane.rows[2]).toMatchObject({ area_ha: null, vertices: null });
    // UTM at its central meridian: lengths are 0.9996 of those on the ellipsoid.
    const round = await read(prepare(given, measure(['area'], { areas: 'ha' })));
    expect(round.rows[0].area_ha).toBeCloseTo(100 / 0.9996 ** 2, 4);
    await expect(prepare(given, measure(['aera']))).rejects.toMatchObject({
      code: 'measure-unknown',
      advice: expect.stringContaining('“area”'),
    });
    await expect(prepare(given, measure(['area'], { areas: 'hectares' }))).rejects.toMatchObject({
      code: 'unit-unknown',
    });
    await expect(
      prepare(layerWith([point(0, 0)], {}, { crs: degrees }), measure(['area'], { planar: true })),
    ).rejects.toMatchObject({ code: 'measure-degrees' });
  });
});
