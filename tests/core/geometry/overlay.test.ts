import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { GeometryMaker } from '../../../src/core/geometry/geometry-maker.ts';
import { planarArea } from '../../../src/core/geometry/measures.ts';
import { type GeometryObject, geometriesFrom } from '../../../src/core/geometry/object-view.ts';
import type { FillRule } from '../../../src/core/geometry/overlay/fill-rule.ts';
import { type OverlayOperation, overlayAreas } from '../../../src/core/geometry/overlay/overlay.ts';

interface Case {
  id: string;
  rule_a: string;
  rule_b: string;
  areas: Record<string, number>;
  a: GeometryObject;
  b: GeometryObject;
}
const cases: Case[] = readFileSync(new URL('../../truth/overlay-sample.jsonl', import.meta.url), 'utf8')
  .trim()
  .split('\n')
  .map((line) => JSON.parse(line));
const rule = (name: string): FillRule => (name === 'nonzero' ? 'non-zero' : 'even-odd');

function areaOf(
  operation: OverlayOperation,
  a: GeometryObject,
  b: GeometryObject,
  rules: { a?: FillRule; b?: FillRule } = {},
): number {
  const array = geometriesFrom([a, b]);
  const builder = new GeometryMaker();
  return overlayAreas(operation, array, 0, array, 1, builder, { rules }) === 0
    ? 0
    : planarArea(builder.finish(), 0);
}

const operations: [OverlayOperation, string][] = [
  ['intersection', 'intersection'],
  ['union', 'union'],
  ['difference', 'difference'],
  ['symmetric-difference', 'symmetric'],
];

describe('overlay of areas against exact reference areas', () => {
  it.each(cases.map((c) => [c.id, c] as const))('%s', (_, c) => {
    const coordinates = JSON.stringify([c.a, c.b])
      .match(/-?\d[\d.e+-]*/g)!
      .map(Number);
    const size = Math.max(...coordinates.map(Math.abs));
    const scale = Math.max(c.areas.a, c.areas.b);
    // What rounding each vertex to a double may move: half a unit in the last place along the borders.
    const tolerance = 1e-12 * scale + 4 * 2 ** -52 * size * Math.sqrt(scale) * Math.sqrt(coordinates.length);
    for (const [operation, key] of operations) {
      const area = areaOf(operation, c.a, c.b, { a: rule(c.rule_a), b: rule(c.rule_b) });
      expect(Math.abs(area - c.areas[key]), `${operation}: ${area} for ${c.areas[key]}`).toBeLessThanOrEqual(
        tolerance,
      );
    }
    const reverse = areaOf('difference', c.b, c.a, { a: rule(c.rule_b), b: rule(c.rule_a) });
    expect(Math.abs(reverse - c.areas.reverse_difference)).toBeLessThanOrEqual(tolerance);
  });
});

describe('overlay identities over random polygons', () => {
  const grid = (most: number) =>
    fc.array(fc.tuple(fc.integer({ min: 0, max: most }), fc.integer({ min: 0, max: most })), {
      minLength: 3,
      maxLength: 12,
    });
  const polygon = (points: [number, number][]): GeometryObject => ({
    type: 'Polygon',
    coordinates: [[...points, points[0]]],
  });

  it('|A| + |B| = |A ∪ B| + |A ∩ B| and |A − B| = |A| − |A ∩ B|, on small grids where everything touches', () => {
    fc.assert(
      fc.property(grid(6), grid(6), (p, q) => {
        const a = polygon(p);
        const b = polygon(q);
        const areaA = areaOf('union', a, a);
        const areaB = areaOf('union', b, b);
        const both = areaOf('intersection', a, b);
        expect(areaOf('union', a, b) + both).toBeCloseTo(areaA + areaB, 9);
        expect(areaOf('difference', a, b)).toBeCloseTo(areaA - both, 9);
        expect(areaOf('symmetric-difference', a, b)).toBeCloseTo(areaA + areaB - 2 * both, 9);
      }),
      { numRuns: 600 },
    );
  });

  it('holds with crossing points that are no doubles', () => {
    const real = fc.array(
      fc.tuple(fc.double({ min: -1, max: 1, noNaN: true }), fc.double({ min: -1, max: 1, noNaN: true })),
      { minLength: 3, maxLength: 9 },
    );
    fc.assert(
      fc.property(real, real, (p, q) => {
        const a = polygon(p);
        const b = polygon(q);
        const both = areaOf('intersection', a, b);
        expect(areaOf('union', a, b) + both).toBeCloseTo(areaOf('union', a, a) + areaOf('union', b, b), 12);
      }),
      { numRuns: 200 },
    );
  });
});
