import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { intersectsWith } from '../../../src/core/geometry/intersects.ts';
import { type GeometryObject, geometriesFrom } from '../../../src/core/geometry/object-view.ts';
import { greatestDimension, matches, relate, relations } from '../../../src/core/geometry/overlay/relate.ts';

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
const line = (...coordinates: number[][]): GeometryObject => ({ type: 'LineString', coordinates });
const point = (x: number, y: number): GeometryObject => ({ type: 'Point', coordinates: [x, y] });
const matrix = (a: GeometryObject, b: GeometryObject) => {
  const array = geometriesFrom([a, b]);
  return relate(array, 0, array, 1);
};
/** Names of the relations that hold. */
const named = (a: GeometryObject, b: GeometryObject) => {
  const array = geometriesFrom([a, b]);
  const m = relate(array, 0, array, 1);
  return Object.keys(relations)
    .filter((name) => relations[name](m, greatestDimension(array, 0), greatestDimension(array, 1)))
    .sort();
};
const holed: GeometryObject = {
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

describe('dimensions of what two geometries have in common', () => {
  it.each([
    ['areas that overlap', square(0, 0, 4), square(2, 2, 4), '212101212', ['intersects', 'overlaps']],
    ['areas that share an edge', square(0, 0, 4), square(4, 0, 4), 'FF2F11212', ['intersects', 'touches']],
    ['areas that share a corner', square(0, 0, 4), square(4, 4, 4), 'FF2F01212', ['intersects', 'touches']],
    ['areas apart', square(0, 0, 1), square(4, 4, 1), 'FF2FF1212', ['disjoint']],
    ['an area in another', square(1, 1, 1), square(0, 0, 4), '2FF1FF212', ['intersects', 'within']],
    ['an area around another', square(0, 0, 4), square(1, 1, 1), '212FF1FF2', ['contains', 'intersects']],
    [
      'an area in another, at its border',
      square(0, 0, 2),
      square(0, 0, 4),
      '2FF11F212',
      ['intersects', 'within'],
    ],
    [
      'the same area',
      square(0, 0, 4),
      square(0, 0, 4),
      '2FFF1FFF2',
      ['contains', 'equals', 'intersects', 'within'],
    ],
    ['an area in the hole of another', square(4.5, 4.5, 1), holed, 'FF2FF1212', ['disjoint']],
    ['what fills the hole', square(4, 4, 2), holed, 'FF2F1F212', ['intersects', 'touches']],
    ['a line across an area', line([-1, 2], [5, 2]), square(0, 0, 4), '101FF0212', ['crosses', 'intersects']],
    ['a line in an area', line([1, 1], [2, 2]), square(0, 0, 4), '1FF0FF212', ['intersects', 'within']],
    ['a line along a border', line([0, 1], [0, 3]), square(0, 0, 4), 'F1FF0F212', ['intersects', 'touches']],
    [
      'a line that ends at a border',
      line([-3, 1], [0, 1]),
      square(0, 0, 4),
      'FF1F00212',
      ['intersects', 'touches'],
    ],
    ['lines that cross', line([0, 0], [4, 4]), line([0, 4], [4, 0]), '0F1FF0102', ['crosses', 'intersects']],
    ['lines end to end', line([0, 0], [4, 4]), line([4, 4], [8, 0]), 'FF1F00102', ['intersects', 'touches']],
    [
      'lines that share a stretch',
      line([0, 0], [4, 0]),
      line([2, 0], [6, 0]),
      '1010F0102',
      ['intersects', 'overlaps'],
    ],
    [
      'a closed line has no ends',
      line([0, 0], [4, 0], [0, 4], [0, 0]),
      point(0, 0),
      '0F1FFFFF2',
      ['contains', 'intersects'],
    ],
    [
      'a point at the end of a line',
      point(4, 4),
      line([0, 0], [4, 4]),
      'F0FFFF102',
      ['intersects', 'touches'],
    ],
    ['a point on a line', point(2, 2), line([0, 0], [4, 4]), '0FFFFF102', ['intersects', 'within']],
    ['a point in an area', point(2, 2), square(0, 0, 4), '0FFFFF212', ['intersects', 'within']],
    ['a point on a border', point(0, 2), square(0, 0, 4), 'F0FFFF212', ['intersects', 'touches']],
    ['a point in a hole', point(5, 5), holed, 'FF0FFF212', ['disjoint']],
    [
      'points, some the same',
      {
        type: 'MultiPoint',
        coordinates: [
          [0, 0],
          [1, 1],
        ],
      },
      {
        type: 'MultiPoint',
        coordinates: [
          [1, 1],
          [2, 2],
        ],
      },
      '0F0FFF0F2',
      ['intersects', 'overlaps'],
    ],
  ] as [string, GeometryObject, GeometryObject, string, string[]][])('%s', (_, a, b, expected, names) => {
    expect(matrix(a, b)).toBe(expected);
    expect(named(a, b)).toEqual(names);
    const turned = [0, 3, 6, 1, 4, 7, 2, 5, 8].map((k) => expected[k]).join('');
    expect(matrix(b, a)).toBe(turned);
  });

  it('two line ends at one place are no end (the mod-2 rule)', () => {
    const ends: GeometryObject = {
      type: 'MultiLineString',
      coordinates: [
        [
          [0, 0],
          [4, 4],
        ],
        [
          [4, 4],
          [8, 0],
        ],
      ],
    };
    expect(matrix(ends, point(4, 4))).toBe('0F1FF0FF2');
    expect(matches('0F1FF0FF2', 'T*****FF*')).toBe(true);
  });
});

describe('relations of anything', () => {
  const position = fc
    .tuple(fc.integer({ min: 0, max: 5 }), fc.integer({ min: 0, max: 5 }))
    .map(([x, y]) => [x, y]);
  const some = fc.array(position, { minLength: 3, maxLength: 7 });
  const object = fc.oneof(
    some.map((points) => line(...points)),
    some.map((points): GeometryObject => ({ type: 'Polygon', coordinates: [[...points, points[0]]] })),
    some.map((coordinates): GeometryObject => ({ type: 'MultiPoint', coordinates })),
  );

  it('are the same turned round, agree with each other and with the plain test of meeting', () => {
    fc.assert(
      fc.property(object, object, (a, b) => {
        const array = geometriesFrom([a, b]);
        const m = relate(array, 0, array, 1);
        const back = relate(array, 1, array, 0);
        expect([0, 3, 6, 1, 4, 7, 2, 5, 8].map((k) => m[k]).join('')).toBe(back);
        const [da, db] = [greatestDimension(array, 0), greatestDimension(array, 1)];
        const holds = (name: string) => relations[name](m, da, db);
        expect(holds('disjoint')).toBe(!holds('intersects'));
        expect(holds('within')).toBe(relations.contains(back, db, da));
        if (holds('equals')) expect(holds('within') && holds('contains')).toBe(true);
        for (const name of ['touches', 'within', 'contains', 'overlaps', 'crosses', 'equals'])
          if (holds(name)) expect(holds('intersects')).toBe(true);
        // Rings without extent enclose nothing here, and count as borders there.
        if (a.type !== 'Polygon' && b.type !== 'Polygon')
          expect(holds('intersects')).toBe(intersectsWith(array, 1)(array, 0));
      }),
      { numRuns: 500 },
    );
  });
});
