import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { faultsOf } from '../../../src/core/checks/validity.ts';
import { GeometryMaker } from '../../../src/core/geometry/geometry-maker.ts';
import { type GeometryObject, geometriesFrom } from '../../../src/core/geometry/object-view.ts';
import { overlayAreas } from '../../../src/core/geometry/overlay/overlay.ts';
import { geometryFromSampleWkt } from '../../support/wkt-geometry.ts';

interface Sample {
  id: string;
  name: string;
  wkt: string;
  valid: boolean;
  reason_accept?: string[];
  locations?: [number, number][];
}
const samples: Sample[] = readFileSync(new URL('../../truth/validity-sample.jsonl', import.meta.url), 'utf8')
  .trim()
  .split('\n')
  .map((line) => JSON.parse(line));

describe('validity against the reference sample', () => {
  it.each(samples.map((s) => [`${s.id} ${s.name}`, s] as const))('%s', (_, sample) => {
    const faults = faultsOf(geometriesFrom([geometryFromSampleWkt(sample.wkt)]), 0);
    if (sample.valid) {
      expect(faults).toEqual([]);
      return;
    }
    const codes = faults.map((fault) => fault.code.replaceAll('-', '_'));
    expect(
      sample.reason_accept!.some((reason) => codes.includes(reason)),
      `${codes} for ${sample.reason_accept}`,
    ).toBe(true);
  });
});

describe('validity and overlay agree', () => {
  it('what the overlay makes of random polygons on a small grid is valid', () => {
    const ring = fc.array(fc.tuple(fc.integer({ min: 0, max: 5 }), fc.integer({ min: 0, max: 5 })), {
      minLength: 3,
      maxLength: 10,
    });
    const polygon = (points: [number, number][]): GeometryObject => ({
      type: 'Polygon',
      coordinates: [[...points, points[0]]],
    });
    fc.assert(
      fc.property(
        ring,
        ring,
        fc.constantFrom('intersection', 'union', 'difference', 'symmetric-difference'),
        (p, q, operation) => {
          const array = geometriesFrom([polygon(p), polygon(q)]);
          const builder = new GeometryMaker();
          if (overlayAreas(operation as 'union', array, 0, array, 1, builder) === 0) return;
          expect(faultsOf(builder.finish(), 0)).toEqual([]);
        },
      ),
      { numRuns: 800 },
    );
  });
});
