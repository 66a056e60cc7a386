import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { planarArea, planarLength, ringDoubleArea } from '../../../src/core/geometry/measures.ts';
import {
  crossingPoint,
  nearestDouble,
  rationalCrossing,
} from '../../../src/core/geometry/noding/crossing.ts';
import { geometriesFrom } from '../../../src/core/geometry/object-view.ts';
import {
  leastExponent,
  locateInRing,
  orientation,
  scaledInteger,
  turnSign,
} from '../../../src/core/geometry/predicates.ts';

/** Coordinates where differences cancel: whole numbers, and neighbours of them in the last place. */
const next = (value: number, steps: number) => {
  const view = new DataView(new ArrayBuffer(8));
  view.setFloat64(0, value);
  view.setBigInt64(0, view.getBigInt64(0) + BigInt(value < 0 ? -steps : steps));
  return value === 0 ? steps * 2 ** -60 : view.getFloat64(0);
};
const tricky = fc
  .tuple(
    fc.integer({ min: -8, max: 8 }),
    fc.integer({ min: -2, max: 2 }),
    fc.constantFrom(1, 1024, 1e6, 1e-7),
  )
  .map(([n, steps, scale]) => next(n * scale, steps));

/** Exact value of a double as a fraction over 2^1100. */
const exact = (value: number) => scaledInteger(value, 1100);
const signOf = (value: bigint) => (value > 0n ? 1 : value < 0n ? -1 : 0);

describe('predicates against whole numbers of any length', () => {
  it('orientation', () => {
    fc.assert(
      fc.property(fc.array(tricky, { minLength: 6, maxLength: 6 }), ([ax, ay, bx, by, cx, cy]) => {
        const [Ax, Ay, Bx, By, Cx, Cy] = [ax, ay, bx, by, cx, cy].map(exact);
        expect(Math.sign(orientation(ax, ay, bx, by, cx, cy)) + 0).toBe(
          signOf((Bx - Ax) * (Cy - Ay) - (By - Ay) * (Cx - Ax)),
        );
      }),
      { numRuns: 3000 },
    );
  });

  it('turn of one direction against another', () => {
    fc.assert(
      fc.property(fc.array(tricky, { minLength: 8, maxLength: 8 }), ([ax, ay, bx, by, cx, cy, dx, dy]) => {
        const [Ax, Ay, Bx, By, Cx, Cy, Dx, Dy] = [ax, ay, bx, by, cx, cy, dx, dy].map(exact);
        expect(Math.sign(turnSign(ax, ay, bx, by, cx, cy, dx, dy)) + 0).toBe(
          signOf((Bx - Ax) * (Dy - Cy) - (By - Ay) * (Dx - Cx)),
        );
      }),
      { numRuns: 3000 },
    );
  });

  it('doubles as whole numbers, there and back', () => {
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true }), (value) => {
        const shift = value === 0 ? 0 : -leastExponent(value);
        const whole = scaledInteger(value, shift);
        expect(nearestDouble(whole, 1n, shift)).toBe(value + 0);
        if (value !== 0) expect(whole % 2n === 0n).toBe(false);
      }),
      { numRuns: 2000 },
    );
  });
});

describe('crossing point', () => {
  it('is the true one, rounded to the nearest double, and inside both boxes', () => {
    fc.assert(
      fc.property(fc.array(tricky, { minLength: 8, maxLength: 8 }), (v) => {
        const [px, py, qx, qy, rx, ry, sx, sy] = v;
        const cross = (a: number, b: number) => (a > 0 && b < 0) || (a < 0 && b > 0);
        fc.pre(
          cross(orientation(px, py, qx, qy, rx, ry), orientation(px, py, qx, qy, sx, sy)) &&
            cross(orientation(rx, ry, sx, sy, px, py), orientation(rx, ry, sx, sy, qx, qy)),
        );
        const point = new Float64Array(2);
        crossingPoint(v, point);
        const [x, y] = point;
        const [X, Y, W] = rationalCrossing(v, 1100);
        expect([x, y]).toEqual([nearestDouble(X, W, 1100) + 0, nearestDouble(Y, W, 1100) + 0]);
        const turned = new Float64Array(2);
        crossingPoint([sx, sy, rx, ry, qx, qy, px, py], turned);
        expect([...turned]).toEqual([x, y]);
        expect(x).toBeGreaterThanOrEqual(Math.max(Math.min(px, qx), Math.min(rx, sx)));
        expect(x).toBeLessThanOrEqual(Math.min(Math.max(px, qx), Math.max(rx, sx)));
        expect(y).toBeGreaterThanOrEqual(Math.max(Math.min(py, qy), Math.min(ry, sy)));
        expect(y).toBeLessThanOrEqual(Math.min(Math.max(py, qy), Math.max(ry, sy)));
      }),
      { numRuns: 2000 },
    );
  });
});

describe('place in a ring', () => {
  const ring = Float64Array.from([0, 0, 4, 0, 4, 4, 2, 2, 0, 4, 0, 0]);
  const cases: [number, number, number][] = [
    [1, 1, 1],
    [2, 3, -1],
    [2, 2, 0],
    [0, 2, 0],
    [4, 4, 0],
    [3, 3, 0],
    [5, 1, -1],
    [2, 0, 0],
    [0, 4, 0],
    [-1, 4, -1],
    [1, 4, -1],
  ];
  it.each(cases)('(%d, %d) → %d', (x, y, where) => expect(locateInRing(x, y, ring, 0, 6)).toBe(where));
});

describe('measures', () => {
  it('areas of polygons less their holes, whichever way rings run; lengths of lines', () => {
    const array = geometriesFrom([
      {
        type: 'MultiPolygon',
        coordinates: [
          [
            [
              [0, 0],
              [10, 0],
              [10, 10],
              [0, 10],
              [0, 0],
            ],
            [
              [2, 2],
              [2, 4],
              [4, 4],
              [4, 2],
              [2, 2],
            ],
          ],
          [
            [
              [20, 0],
              [20, 1],
              [21, 0],
              [20, 0],
            ],
          ],
        ],
      },
      {
        type: 'MultiLineString',
        coordinates: [
          [
            [0, 0],
            [3, 4],
          ],
          [
            [0, 0],
            [0, 1],
            [1, 1],
          ],
        ],
      },
      { type: 'Point', coordinates: [1, 1] },
      null,
    ]);
    expect([0, 1, 2, 3].map((i) => planarArea(array, i))).toEqual([96.5, 0, 0, 0]);
    expect([0, 1, 2, 3].map((i) => planarLength(array, i))).toEqual([0, 7, 0, 0]);
  });

  it('do not lose digits far from the origin', () => {
    const x = 5e6;
    const ring = Float64Array.from([x, x, x + 0.01, x, x + 0.01, x + 0.01, x, x + 0.01, x, x]);
    const side = x + 0.01 - x;
    expect(ringDoubleArea(ring, 0, 5) / 2).toBeCloseTo(side * side, 15);
  });
});
