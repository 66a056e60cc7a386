import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { segmentsMeet } from '../../../src/core/geometry/intersects.ts';
import { Clipped, settleByBox } from '../../../src/core/geometry/overlay/clipping.ts';
import { AreaIndex, type Box, geometriesFrom } from '../../../src/core/index.ts';
import { randomFrom } from '../../support/random.ts';

/** What lies where, edge by edge: does the border meet a box, and is its corner within? */
function slowly(area: AreaIndex, [x0, y0, x1, y1]: Box): number {
  const { ends } = area;
  const sides = [
    [x0, y0, x1, y0],
    [x1, y0, x1, y1],
    [x1, y1, x0, y1],
    [x0, y1, x0, y0],
  ];
  for (let k = 0; k < ends.length; k += 4) {
    const [ax, ay, bx, by] = ends.subarray(k, k + 4);
    if (ax >= x0 && ax <= x1 && ay >= y0 && ay <= y1) return Clipped.Undecided;
    for (const [cx, cy, dx, dy] of sides)
      if (segmentsMeet(ax, ay, bx, by, cx, cy, dx, dy)) return Clipped.Undecided;
  }
  return area.locate(x0, y0) > 0 ? Clipped.Whole : Clipped.Outside;
}

describe('boxes settled by the raster of an area', () => {
  it.each([
    ['near the origin', 0, 1],
    ['far from it', 1e7, 1],
    ['very far and very small', 4e6, 1e-4],
    ['huge', -3e12, 1e9],
  ])('%s lie where the border says', (_, offset, size) => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), fc.integer({ min: 3, max: 400 }), (seed, corners) => {
        const random = randomFrom(seed);
        const snap = random() < 0.5 ? 64 : 0;
        const place = (value: number) => offset + size * (snap > 0 ? Math.round(value * snap) / snap : value);
        const ring = Array.from({ length: corners }, (__, k) => {
          const angle = (2 * Math.PI * k) / corners;
          const reach = 0.3 + 0.7 * random();
          return [place(reach * Math.cos(angle)), place(reach * Math.sin(angle))];
        });
        let area: AreaIndex;
        try {
          area = new AreaIndex(geometriesFrom([{ type: 'Polygon', coordinates: [[...ring, ring[0]]] }]));
        } catch (error) {
          // So coarse a grid may leave nothing of it.
          expect(error).toMatchObject({ code: 'area-empty' });
          return;
        }
        for (let k = 0; k < 60; k++) {
          const [x, y] = [place(2.2 * random() - 1.1), place(2.2 * random() - 1.1)];
          const wide = size * 0.5 ** Math.floor(random() * 14) * (random() < 0.2 ? 0 : random());
          const box: Box = [x, y, x + wide, y + wide * random()];
          const settled = settleByBox(area, box);
          // Undecided says nothing; a verdict must be right.
          if (settled !== Clipped.Undecided) expect(settled).toBe(slowly(area, box));
        }
      }),
      { numRuns: 150 },
    );
  });
});
