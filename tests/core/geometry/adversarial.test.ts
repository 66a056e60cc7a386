import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import type { GeometryArray } from '../../../src/core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../../src/core/geometry/geometry-maker.ts';
import { planarArea } from '../../../src/core/geometry/measures.ts';
import {
  type GeometryObject,
  geometriesFrom,
  geometryObject,
} from '../../../src/core/geometry/object-view.ts';
import { runsLeft } from '../../../src/core/geometry/overlay/fill-rule.ts';
import { type OverlayOperation, overlayAreas } from '../../../src/core/geometry/overlay/overlay.ts';
import { exactAreas, type Rule } from '../../support/exact-areas.ts';
import { randomFrom } from '../../support/random.ts';

type Ring = number[][];
const operations = ['intersection', 'union', 'difference', 'symmetric-difference'] as const;

const polygon = (rings: Ring[]): GeometryObject => ({
  type: 'Polygon',
  coordinates: rings.map((ring) => [...ring, ring[0]]),
});

function overlay(operation: OverlayOperation, a: Ring[], b: Ring[], rule: Rule = 'non-zero') {
  const array = geometriesFrom([polygon(a), polygon(b)]);
  const maker = new GeometryMaker();
  const rules = { a: rule, b: rule };
  return overlayAreas(operation, array, 0, array, 1, maker, { rules }) === 0 ? null : maker.finish();
}

/** Nothing wrong with it, shells to the left, holes to the right. */
function expectSound(result: GeometryArray | null, what: string): void {
  if (result === null) return;
  expect(faultsOf(result, 0), what).toEqual([]);
  for (let p = result.partStart[0]; p < result.partStart[1]; p++)
    for (let r = result.ringStart[p]; r < result.ringStart[p + 1]; r++)
      expect(runsLeft(result.xy, result.vertexStart[r], result.vertexStart[r + 1]), what).toBe(
        r === result.ringStart[p],
      );
}

const doubles = new Float64Array(1);
const bits = new BigInt64Array(doubles.buffer);

/** Shapes that are known to break overlays, made from a seed. */
function shapes(random: () => number) {
  const real = (low: number, high: number) => low + (high - low) * random();
  const whole = (low: number, high: number) => Math.floor(real(low, high + 1));
  const many = (low: number, high: number) => Array.from({ length: whole(low, high) }, (_, k) => k);
  /** A few units in the last place away. */
  const nudged = (value: number) => {
    if (Math.abs(value) < 1e-3) return value;
    doubles[0] = value;
    bits[0] += BigInt(whole(-3, 3));
    return doubles[0];
  };
  const kinds: Record<string, () => Ring> = {
    any: () => many(3, 9).map(() => [real(-100, 100), real(-100, 100)]),
    comb: () => {
      const width = real(0.001, 1);
      const teeth = many(3, 7);
      return [
        ...teeth.flatMap((k) => [
          [k, real(5, 10)],
          [k + width / 2, real(-1, 1)],
        ]),
        [teeth.length, -5],
        [0, -5],
      ];
    },
    fan: () => [
      [0, 0],
      ...many(2, 5).flatMap((k) => [
        [nudged(100), nudged(100) + k * real(0, 1e-13)],
        [nudged(50), nudged(50)],
      ]),
      [0, 50],
    ],
    star: () => {
      const points = many(3, 12);
      return points.map((k) => {
        const angle = (2 * Math.PI * k) / points.length;
        const reach = k % 2 ? real(1, 10) : real(20, 50);
        return [reach * Math.cos(angle), reach * Math.sin(angle)];
      });
    },
    lattice: () => many(3, 10).map(() => [whole(0, 5), whole(0, 5)]),
    line: () => {
      const [slope, height] = [real(-1, 1), real(-10, 10)];
      return many(3, 8).map(() => {
        const x = real(-50, 50);
        return [x, nudged(slope * x + height)];
      });
    },
    fuzzyLattice: () =>
      many(3, 8).map(() => [whole(0, 3) + real(-1e-15, 1e-15), whole(0, 3) + real(-1e-15, 1e-15)]),
  };
  const names = Object.keys(kinds);
  const pick = <T>(list: readonly T[]) => list[whole(0, list.length - 1)];
  const offset = pick([0, 0, 5e5, 1e7, 1e12]);
  const scale = pick([1, 1, 1e-3, 1e6]);
  const placed = (ring: Ring): Ring => ring.map(([x, y]) => [x * scale + offset, y * scale + 0.7 * offset]);
  const one = () => {
    const rings = [kinds[pick(names)]()];
    if (random() < 0.3) rings.push(kinds[pick(names)]());
    return rings.map(placed);
  };
  const a = one();
  // Often the same once more, a few units in the last place away.
  const b = random() < 0.3 ? a.map((ring) => ring.map(([x, y]) => [nudged(x), nudged(y)])) : one();
  return { a, b, size: offset + 100 * scale, scale, rule: pick(['even-odd', 'non-zero'] as const) };
}

describe('overlay of what is hard to overlay', () => {
  it('gives two parts that share no edge, however crossings are rounded', () => {
    const a = [
      [0, 0],
      [74.50391042674892, 27.14742145035416],
      [6.597312353551388, 80.21579119376838],
    ];
    const b = [
      [68.3336452698067, 24.8991261901928],
      [20.847151560347406, 7.596197383553298],
      [32.71234753774479, -71.38531766831875],
    ];
    const result = overlay('symmetric-difference', [a], [b]);
    expectSound(result, 'symmetric difference');
    const exact = exactAreas([a], [b], 'non-zero');
    expect(planarArea(result!, 0)).toBeCloseTo(exact['symmetric-difference'], 9);
  });

  it('is valid, runs one way, keeps every vertex and has the exact areas, for combs, fans, stars and lattices', () => {
    const random = randomFrom(20261130);
    for (let n = 0; n < 120; n++) {
      const { a, b, size, rule } = shapes(random);
      const what = `shape ${n}`;
      const exact = exactAreas(a, b, rule);
      const vertices = [...a, ...b].flat().length;
      for (const operation of operations) {
        const result = overlay(operation, a, b, rule);
        expectSound(result, `${what}: ${operation}`);
        const area = result === null ? 0 : planarArea(result, 0);
        const extent = Math.sqrt(Math.max(exact.union, 0)) + Math.max(...spread(a), ...spread(b));
        // Half a unit in the last place at every vertex, along borders as long as the whole is large.
        const tolerance = 1e-12 * exact.union + 2 ** -50 * size * extent * vertices;
        expect(Math.abs(area - exact[operation]), `${what}: ${operation}`).toBeLessThanOrEqual(tolerance);
      }
    }
  });

  it('is the same whichever way rings run, wherever they begin, and whichever operand is first', () => {
    const random = randomFrom(7);
    const corners = (result: GeometryArray | null) =>
      result === null ? [] : [...result.xy].map((_, k, xy) => (k % 2 ? '' : `${xy[k]} ${xy[k + 1]}`)).sort();
    for (let n = 0; n < 120; n++) {
      const { a, b } = shapes(random);
      const turned = (rings: Ring[]) =>
        rings.map((ring) => [...ring.slice(2), ...ring.slice(0, 2)].reverse());
      for (const operation of ['intersection', 'union', 'symmetric-difference'] as const) {
        const plain = new Set(corners(overlay(operation, a, b, 'even-odd')));
        expect(new Set(corners(overlay(operation, turned(b), turned(a), 'even-odd')))).toEqual(plain);
      }
    }
  });

  it('puts every point on the right side', () => {
    const random = randomFrom(99);
    let inside = 0;
    for (let n = 0; n < 150; n++) {
      const { a, b, rule } = shapes(random);
      const results = operations.map((operation) => overlay(operation, a, b, rule));
      const [x0, x1] = extent([...a, ...b].flat().map(([x]) => x));
      const [y0, y1] = extent([...a, ...b].flat().map(([, y]) => y));
      for (let k = 0; k < 20; k++) {
        const x = x0 + (x1 - x0) * random();
        const y = y0 + (y1 - y0) * random();
        // Nothing can be said of what lies within rounding of a border.
        if (
          [...a, ...b].some(
            (ring) =>
              distanceTo(ring, x, y) < 1e-9 * (x1 - x0 + y1 - y0) + 1e-14 * (Math.abs(x) + Math.abs(y)),
          )
        )
          continue;
        const [inA, inB] = [a, b].map((rings) => windsAround(rings, x, y, rule));
        const expected = [inA && inB, inA || inB, inA && !inB, inA !== inB];
        results.forEach((result, o) => {
          const holds = result !== null && windsAround(ringsOf(result), x, y, 'even-odd');
          if (holds) inside++;
          expect(holds, `shape ${n}: ${operations[o]} at ${x} ${y}`).toBe(expected[o]);
        });
      }
    }
    expect(inside).toBeGreaterThan(300);
  });

  it('takes time in proportion to what there is: sixteen thousand islands against as many', () => {
    const islands = (offset: number): GeometryObject => ({
      type: 'MultiPolygon',
      coordinates: Array.from({ length: 16_000 }, (_, k) => {
        const [x, y] = [(k % 127) + offset, Math.floor(k / 127) + offset];
        return [
          [
            [x, y],
            [x + 0.6, y],
            [x + 0.6, y + 0.6],
            [x, y + 0.6],
            [x, y],
          ],
        ];
      }),
    });
    const array = geometriesFrom([islands(0), islands(0.3)]);
    for (const [operation, parts, area] of [
      ['intersection', 16_000, 16_000 * 0.09],
      ['union', 16_000, 16_000 * 0.63],
      ['difference', 16_000, 16_000 * 0.27],
    ] as const) {
      const maker = new GeometryMaker();
      expect(overlayAreas(operation, array, 0, array, 1, maker)).toBe(parts);
      expect(planarArea(maker.finish(), 0)).toBeCloseTo(area, 6);
    }
    // One with as many holes: each finds its shell.
    const maker = new GeometryMaker();
    const frame = polygon([
      [
        [-1, -1],
        [200, -1],
        [200, 200],
        [-1, 200],
      ],
    ]);
    const both = geometriesFrom([frame, islands(0)]);
    expect(overlayAreas('difference', both, 0, both, 1, maker)).toBe(1);
    const cut = maker.finish();
    expect(cut.ringStart[1]).toBe(16_001);
    expect(planarArea(cut, 0)).toBeCloseTo(201 * 201 - 16_000 * 0.36, 6);
  });

  it('leaves nothing of what is no wider than the last digit: neighbours rounded apart', () => {
    // −29.9 + 0.1 is not −29.8.
    const west = polygon([
      [
        [-29.9, 45.5],
        [-29.9 + 0.1, 45.5],
        [-29.9 + 0.1, 45.6],
        [-29.9, 45.6],
      ],
    ]);
    const east = polygon([
      [
        [-29.8, 45.5],
        [-29.7, 45.5],
        [-29.7, 45.6],
        [-29.8, 45.6],
      ],
    ]);
    expect(-29.9 + 0.1).not.toBe(-29.8);
    const array = geometriesFrom([west, east]);
    expect(overlayAreas('intersection', array, 0, array, 1, new GeometryMaker())).toBe(0);
    const maker = new GeometryMaker();
    expect(overlayAreas('union', array, 0, array, 1, maker)).toBe(1);
    expectSound(maker.finish(), 'neighbours');
  });

  it('gives holes that touch each other to the shell around them', () => {
    // Two triangles that meet tip to tip, in a square: both are holes of it.
    const square = [
      [0, 0],
      [10, 0],
      [10, 10],
      [0, 10],
    ];
    const tips: GeometryObject = {
      type: 'MultiPolygon',
      coordinates: [
        [
          [
            [5, 5],
            [3, 7],
            [7, 7],
            [5, 5],
          ],
        ],
        [
          [
            [5, 5],
            [7, 3],
            [3, 3],
            [5, 5],
          ],
        ],
      ],
    };
    const array = geometriesFrom([polygon([square]), tips]);
    const maker = new GeometryMaker();
    expect(overlayAreas('difference', array, 0, array, 1, maker)).toBe(1);
    const result = maker.finish();
    expectSound(result, 'touching holes');
    expect((geometryObject(result, 0) as { coordinates: unknown[] }).coordinates.length).toBe(3);
  });
});

const extent = (values: number[]): [number, number] => [Math.min(...values), Math.max(...values)];
const spread = (rings: Ring[]) =>
  [0, 1].map((axis) => {
    const [low, high] = extent(rings.flat().map((point) => point[axis]));
    return high - low;
  });

function ringsOf(result: GeometryArray): Ring[] {
  const object = geometryObject(result, 0)!;
  const { coordinates } = object as { coordinates: number[][][] | number[][][][] };
  const polygons = (object.type === 'Polygon' ? [coordinates] : coordinates) as number[][][][];
  return polygons.flat().map((ring) => ring.slice(0, -1));
}

/** Plain winding numbers, in doubles: for points that are not near a border. */
function windsAround(rings: Ring[], x: number, y: number, rule: Rule): boolean {
  let winding = 0;
  rings.forEach((ring, r) => {
    let own = 0;
    let twice = 0;
    ring.forEach(([ax, ay], k) => {
      const [bx, by] = ring[(k + 1) % ring.length];
      twice += (ax - ring[0][0]) * (by - ring[0][1]) - (bx - ring[0][0]) * (ay - ring[0][1]);
      if (ay <= y === by <= y) return;
      const side = (bx - ax) * (y - ay) - (x - ax) * (by - ay);
      if (by > ay && side > 0) own++;
      else if (by <= ay && side < 0) own--;
    });
    winding += rule === 'non-zero' && twice < 0 !== r > 0 ? -own : own;
  });
  return rule === 'non-zero' ? winding !== 0 : winding % 2 !== 0;
}

function distanceTo(ring: Ring, x: number, y: number): number {
  return Math.min(
    ...ring.map(([ax, ay], k) => {
      const [bx, by] = ring[(k + 1) % ring.length];
      const [dx, dy] = [bx - ax, by - ay];
      const t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
      return Math.hypot(ax + t * dx - x, ay + t * dy - y);
    }),
  );
}
