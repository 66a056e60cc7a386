import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import { locateInRing } from '../../../src/core/geometry/predicates.ts';
import { type BufferStyle, bufferFeature } from '../../../src/core/geometry/shape/buffer.ts';
import {
  Batch,
  crsByEpsg,
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  type Layer,
  layerOf,
  planarArea,
} from '../../../src/core/index.ts';
import { ColumnBuilder } from '../../../src/core/table/column-builder.ts';
import { buffer, prepare } from '../../../src/verbs/index.ts';

function made(object: GeometryObject, distance: number, style?: BufferStyle) {
  const builder = new GeometryMaker();
  return bufferFeature(geometriesFrom([object]), 0, distance, builder, style) === 0 ? null : builder.finish();
}
function areaOf(object: GeometryObject, distance: number, style?: BufferStyle) {
  const result = made(object, distance, style);
  return result === null ? 0 : planarArea(result, 0);
}
/** A circle of 64 straight pieces, as arcs are drawn. */
const circle = 32 * Math.sin(Math.PI / 32);

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
  ],
};
const bend: GeometryObject = {
  type: 'LineString',
  coordinates: [
    [0, 0],
    [10, 0],
    [10, 10],
  ],
};

describe('buffers whose areas are known', () => {
  it.each([
    ['a point', { type: 'Point', coordinates: [3, 4] }, 2, {}, 4 * circle],
    ['a point, square', { type: 'Point', coordinates: [3, 4] }, 2, { ends: 'square' }, 16],
    ['a square', square, 1, {}, 140 + circle],
    ['a square, mitred', square, 1, { joins: 'mitre' }, 144],
    ['a square, bevelled', square, 1, { joins: 'bevel' }, 142],
    ['a square, mitred below the limit', square, 1, { joins: 'mitre', mitreLimit: 1.2 }, 142],
    ['a square, inwards', square, -1, {}, 64],
    ['a square, inwards to nothing', square, -5, {}, 0],
    ['a line', bend, 1, {}, 39 + circle / 4 + circle],
    ['a line with flat ends', bend, 1, { ends: 'flat' }, 39 + circle / 4],
    ['a line with square ends, mitred', bend, 1, { ends: 'square', joins: 'mitre' }, 44],
    ['the left of a line', bend, 1, { side: 'left', ends: 'flat' }, 19],
    ['the right of a line', bend, 1, { side: 'right', ends: 'flat' }, 20 + circle / 4],
    ['a line inwards', bend, -1, {}, 0],
    ['a square by nothing', square, 0, {}, 100],
    [
      'a hole that closes',
      {
        type: 'Polygon',
        coordinates: [
          ...square.coordinates,
          [
            [4, 4],
            [4, 6],
            [6, 6],
            [6, 4],
            [4, 4],
          ],
        ],
      },
      1,
      { joins: 'mitre' },
      144,
    ],
    [
      'a hole that grows',
      {
        type: 'Polygon',
        coordinates: [
          ...square.coordinates,
          [
            [4, 4],
            [4, 6],
            [6, 6],
            [6, 4],
            [4, 4],
          ],
        ],
      },
      -1,
      { joins: 'mitre' },
      64 - 16,
    ],
    [
      'two points that overlap and one apart',
      {
        type: 'MultiPoint',
        coordinates: [
          [0, 0],
          [0, 0],
          [100, 0],
        ],
      },
      1,
      {},
      2 * circle,
    ],
  ] as [string, GeometryObject, number, BufferStyle, number][])('%s', (_, object, distance, style, area) => {
    expect(areaOf(object, distance, style)).toBeCloseTo(area, 9);
  });

  it('a long path in strokes: as the path in one piece', () => {
    // A spiral of 1,000 corners whose turns touch, and a straight line of as many.
    const spiral = Array.from({ length: 1000 }, (_, k) => {
      const angle = k / 15;
      return [(1 + angle / 6) * Math.cos(angle), (1 + angle / 6) * Math.sin(angle)];
    });
    const result = made({ type: 'LineString', coordinates: spiral }, 0.6)!;
    expect(faultsOf(result, 0)).toEqual([]);
    const straight: GeometryObject = {
      type: 'LineString',
      coordinates: Array.from({ length: 1000 }, (_, k) => [k, 0]),
    };
    expect(areaOf(straight, 2, { ends: 'flat' })).toBeCloseTo(999 * 4, 6);
    expect(areaOf(straight, 2, { ends: 'flat', side: 'left' })).toBeCloseTo(999 * 2, 6);
    const round = Array.from({ length: 901 }, (_, k) => {
      const angle = (2 * Math.PI * (k % 900)) / 900;
      return [10 * Math.cos(angle), 10 * Math.sin(angle)];
    });
    const disc: GeometryObject = { type: 'Polygon', coordinates: [round] };
    expect(Math.sqrt(areaOf(disc, 2) / Math.PI)).toBeCloseTo(12, 3);
    expect(Math.sqrt(areaOf(disc, -2) / Math.PI)).toBeCloseTo(8, 3);
  });
});

describe('buffers of anything', () => {
  const point = fc
    .tuple(fc.double({ min: 0, max: 6, noNaN: true }), fc.integer({ min: 0, max: 6 }))
    .map(([x, y]) => [x, y]);
  const points = fc.array(point, { minLength: 3, maxLength: 9 });
  const object = fc.oneof(
    points.map((coordinates): GeometryObject => ({ type: 'LineString', coordinates })),
    points.map((ring): GeometryObject => ({ type: 'Polygon', coordinates: [[...ring, ring[0]]] })),
    points.map((coordinates): GeometryObject => ({ type: 'MultiPoint', coordinates })),
  );

  it('hold what lies nearer and nothing that lies further', () => {
    fc.assert(
      fc.property(
        object,
        fc.double({ min: 0.05, max: 2, noNaN: true }),
        fc.array(point, { minLength: 30, maxLength: 30 }),
        (thing, distance, places) => {
          const result = made(thing, distance)!;
          expect(faultsOf(result, 0)).toEqual([]);
          for (const [x, y] of places.map(([u, v]) => [1.5 * u - 1.5, 1.5 * v - 1.5 + u / 100])) {
            const away = distanceTo(thing, x, y);
            // Arcs are drawn by chords, 0.12 % of the distance within them.
            if (away < distance * 0.998) expect(holds(result, x, y)).toBe(true);
            if (away > distance * 1.000001) expect(holds(result, x, y)).toBe(false);
          }
        },
      ),
      { numRuns: 150 },
    );
  });

  it('are valid in every style, outwards and inwards, far from the origin too', () => {
    fc.assert(
      fc.property(
        object,
        fc.double({ min: 0.01, max: 3, noNaN: true }),
        fc.boolean(),
        fc.constantFrom(0, 1e6, 1e9),
        fc.record({
          ends: fc.constantFrom('round' as const, 'flat' as const, 'square' as const),
          joins: fc.constantFrom('round' as const, 'mitre' as const, 'bevel' as const),
          side: fc.constantFrom('both' as const, 'left' as const, 'right' as const),
        }),
        (thing, distance, inwards, offset, style) => {
          const moved = JSON.parse(JSON.stringify(thing), (_, value) =>
            Array.isArray(value) && typeof value[0] === 'number'
              ? value.map((each: number) => each + offset)
              : value,
          ) as GeometryObject;
          const result = made(moved, inwards ? -distance : distance, style);
          if (result !== null) expect(faultsOf(result, 0)).toEqual([]);
        },
      ),
      { numRuns: 200 },
    );
  });
});

describe('the verb', () => {
  const layer = (crs: Layer['crs'] = crsByEpsg(32626)!): Layer => {
    const metres = new ColumnBuilder('real');
    for (const value of [1, null, -2, 3]) value === null ? metres.null() : metres.number(value);
    return layerOf({
      name: 'things',
      schema: [{ name: 'metres', type: 'real' }],
      crs,
      batches: [
        new Batch({
          length: 4,
          first: 0,
          geometry: geometriesFrom([square, square, square, { type: 'Point', coordinates: [Number.NaN, 0] }]),
          columns: [metres.finish()],
        }),
      ],
    });
  };
  const read = async (step: ReturnType<typeof buffer>, given = layer()) => {
    const result = await prepare(given, step);
    const areas: [string | number, number][] = [];
    for await (const batch of result.batches())
      for (let i = 0; i < batch.length; i++) areas.push([batch.id(i), planarArea(batch.geometry!, i)]);
    return { areas, account: result.accounts.at(-1)! };
  };

  it('takes one distance, or that of each feature, and counts what it drops', async () => {
    const { areas, account } = await read(buffer({ distance: 1, joins: 'mitre' }));
    expect(areas).toEqual([1, 2, 3].map((id) => [id, 144]));
    expect(account.sentence).toBe(
      'Buffer: 4 things in; 3 made larger, 1 with unusable coordinates left out.',
    );
    const byField = await read(buffer({ field: 'metres', joins: 'mitre' }));
    expect(byField.areas).toEqual([[1, 144]]);
    expect(byField.account.counts).toMatchObject({ made: 1, without: 2, unusable: 1 });
    const gone = await read(buffer({ distance: 6, inwards: true }));
    expect(gone.areas).toEqual([]);
    expect(gone.account.sentence).toContain('3 of which nothing is left');
  });

  it('measures in metres whatever the unit of the CRS', async () => {
    const feet = crsByEpsg(2236)!;
    expect(feet.kind === 'projected' && feet.unit).toBeCloseTo(0.3048006, 6);
    const { areas } = await read(buffer({ distance: 0.3048006096, joins: 'mitre' }), layer(feet));
    expect(areas[0][1]).toBeCloseTo(144, 6);
  });

  it('stops where metres mean nothing, or too much', async () => {
    await expect(read(buffer({ distance: 1 }), layer(null))).rejects.toThrow('has no CRS');
    await expect(read(buffer({}))).rejects.toThrow('one of the three');
    await expect(read(buffer({ distance: 1, field: 'metres' }))).rejects.toThrow('one of the three');
    await expect(read(buffer({ field: 'nothing' }))).rejects.toThrow('There is no field “nothing”');
  });
});

function paths(object: GeometryObject): number[][][] {
  if (object.type === 'Point') return [[object.coordinates]];
  if (object.type === 'LineString') return [object.coordinates];
  if (object.type === 'MultiPoint') return object.coordinates.map((each) => [each]);
  return (object as { coordinates: number[][][] }).coordinates;
}

/** To the nearest point of an object; 0 inside areas (by what rings wind around). */
function distanceTo(object: GeometryObject, x: number, y: number): number {
  if (object.type === 'Polygon') {
    let winding = 0;
    for (const ring of object.coordinates)
      ring.slice(1).forEach(([bx, by], k) => {
        const [ax, ay] = ring[k];
        if (ay <= y === by <= y) return;
        const side = (bx - ax) * (y - ay) - (x - ax) * (by - ay);
        if (by > ay ? side > 0 : side < 0) winding += by > ay ? 1 : -1;
      });
    if (winding !== 0) return 0;
  }
  return Math.min(
    ...paths(object).flatMap((path) =>
      path.map(([ax, ay], k) => {
        const [bx, by] = path[Math.min(k + 1, path.length - 1)];
        const [dx, dy] = [bx - ax, by - ay];
        const t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
        return Math.hypot(ax + t * dx - x, ay + t * dy - y);
      }),
    ),
  );
}

function holds(result: ReturnType<GeometryMaker['finish']>, x: number, y: number): boolean {
  let inside = 0;
  for (let r = 0; r < result.ringStart[result.partStart[1]]; r++)
    if (locateInRing(x, y, result.xy, result.vertexStart[r], result.vertexStart[r + 1]) > 0) inside++;
  return inside % 2 === 1;
}
