import { execFileSync } from 'node:child_process';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  classify,
  classOf,
  crsByEpsg,
  decimalsFor,
  drawSheet,
  geometriesFrom,
  givenClasses,
  luminance,
  parseClasses,
  rampColours,
  rampNames,
} from '../../../src/core/index.ts';
import { northAngle } from '../../../src/core/mapping/orientation.ts';

const values = fc.array(fc.double({ min: -1000, max: 1000, noNaN: true }), { minLength: 1, maxLength: 40 });

/** Least sum of squared deviations over all ways to cut sorted values, by trying them all. */
function bestCost(sorted: number[], classes: number): number {
  const cost = (from: number, end: number) => {
    const part = sorted.slice(from, end);
    const mean = part.reduce((a, b) => a + b, 0) / part.length;
    return part.reduce((sum, v) => sum + (v - mean) ** 2, 0);
  };
  const least = (from: number, left: number): number => {
    if (left === 1) return cost(from, sorted.length);
    let best = Infinity;
    for (let cut = from + 1; cut <= sorted.length - left + 1; cut++)
      best = Math.min(best, cost(from, cut) + least(cut, left - 1));
    return best;
  };
  return least(0, classes);
}

describe('classes', () => {
  it('put every value into one class, whatever the method', () => {
    fc.assert(
      fc.property(
        values,
        fc.constantFrom('equal' as const, 'quantile' as const, 'natural' as const),
        fc.integer({ min: 1, max: 9 }),
        (numbers, method, count) => {
          const classes = classify(numbers, method, count);
          const { breaks } = classes;
          expect(breaks.length - 1).toBeLessThanOrEqual(count);
          for (let k = 1; k < breaks.length; k++) expect(breaks[k]).toBeGreaterThanOrEqual(breaks[k - 1]);
          for (const value of numbers) {
            const k = classOf(classes, value);
            expect(k).toBeGreaterThanOrEqual(0);
            expect(value).toBeLessThanOrEqual(breaks[k + 1]);
            expect(value).toBeGreaterThanOrEqual(breaks[k]);
          }
        },
      ),
    );
  });

  it('natural breaks are the best there are (against trying all)', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 60 }), { minLength: 2, maxLength: 11 }),
        fc.integer({ min: 2, max: 4 }),
        (numbers, count) => {
          const sorted = [...numbers].sort((a, b) => a - b);
          const different = new Set(sorted).size;
          const classes = classify(numbers, 'natural', count);
          if (different === 1) return;
          const groups = Array.from({ length: classes.breaks.length - 1 }, (_, k) =>
            sorted.filter((value) => classOf(classes, value) === k),
          );
          const cost = groups.reduce((sum, part) => {
            const mean = part.reduce((a, b) => a + b, 0) / (part.length || 1);
            return sum + part.reduce((s, v) => s + (v - mean) ** 2, 0);
          }, 0);
          expect(cost).toBeCloseTo(bestCost(sorted, Math.min(count, different)), 6);
        },
      ),
      { numRuns: 300 },
    );
  });

  it('quantiles hold the same number of values when these are all different', () => {
    const classes = classify(
      Array.from({ length: 20 }, (_, k) => k * k),
      'quantile',
      4,
    );
    const counts = [0, 0, 0, 0];
    for (let k = 0; k < 20; k++) counts[classOf(classes, k * k)]++;
    expect(counts).toEqual([5, 5, 5, 5]);
  });

  it('are read from words, and blanks belong to none', () => {
    expect(parseClasses('5 natural')).toEqual({ method: 'natural', count: 5 });
    expect(parseClasses('quantile')).toEqual({ method: 'quantile', count: 5 });
    expect(parseClasses('0, 10, 25.5')).toEqual({ limits: [0, 10, 25.5] });
    expect(() => parseClasses('5 natrual')).toThrowError(/no way “natrual”/);
    expect(classOf(givenClasses([0, 10, 20]), Number.NaN)).toBe(-1);
    expect(classOf(givenClasses([0, 10, 20]), 25)).toBe(-1);
    expect(() => classify([1, 2], 'equal', 0)).toThrowError(/0 classes cannot be drawn/);
  });

  it('limits are told apart with as few decimals as do it', () => {
    expect(decimalsFor([0, 10, 20])).toBe(0);
    expect(decimalsFor([0.001, 0.002, 0.004])).toBe(3);
  });
});

describe('colours', () => {
  it.each(rampNames)('%s falls steadily in lightness, so that it can be read without hues', (name) => {
    for (const count of [2, 5, 9]) {
      const colours = rampColours(name, count);
      expect(new Set(colours).size).toBe(count);
      for (let k = 1; k < count; k++) expect(luminance(colours[k])).toBeLessThan(luminance(colours[k - 1]));
    }
  });
});

describe('sheet', () => {
  it('turns the north arrow by the convergence of the grid', () => {
    const utm = crsByEpsg(32626)!;
    expect(northAngle(utm, [500_000, 5_000_000])).toBeCloseTo(0, 6);
    // γ = arctan(tan Δλ · sin φ): east of the central meridian, true north lies to the left of grid north.
    const east = northAngle(utm, [700_000, 5_000_000]);
    expect(east).toBeLessThan(-1.6);
    expect(east).toBeGreaterThan(-2);
  });

  it('escapes what it is given and leaves out a legend that is not there', () => {
    const sheet: Parameters<typeof drawSheet>[0] = {
      title: 'A <b> & "c"',
      crs: crsByEpsg(32626)!,
      crsWords: 'x',
      extent: [0, 0, 1000, 1000],
      sources: ['S & T.'],
      layers: [
        {
          title: '<i>',
          kind: 'area',
          geometries: [
            geometriesFrom([
              {
                type: 'Polygon',
                coordinates: [
                  [
                    [0, 0],
                    [1000, 0],
                    [1000, 1000],
                    [0, 0],
                  ],
                ],
              },
            ]),
          ],
          fill: '#ffffff',
        },
      ],
    };
    const svg = drawSheet(sheet);
    expect(svg).toContain('A &lt;b&gt; &amp; &quot;c&quot;');
    expect(svg).toContain('&lt;i&gt;');
    expect(svg).not.toContain('over ');
    const withLegend = drawSheet({
      ...sheet,
      legend: {
        title: 'Cars & <vans>',
        unit: '1/km² < 5 & "rare"',
        classes: givenClasses([0, 5, 10]),
        colours: ['#ffffff', '#000000'],
        counts: [1, 0],
        withoutValue: 0,
        methodWords: 'by <hand>',
      },
    });
    expect(withLegend).toContain('Cars &amp; &lt;vans&gt;');
    expect(withLegend).toContain('1/km² &lt; 5 &amp; &quot;rare&quot;');
    expect(withLegend).toContain('by &lt;hand&gt;');
    // Another program reads it.
    execFileSync('xmllint', ['--noout', '-'], { input: withLegend });
  });
});
