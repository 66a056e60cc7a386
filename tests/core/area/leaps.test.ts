import { describe, expect, it } from 'vitest';
import { withoutLeaps } from '../../../src/core/area/leaps.ts';
import { united } from '../../../src/core/area/shape.ts';
import { wgs84 } from '../../../src/core/crs/registry.ts';
import { planarArea } from '../../../src/core/geometry/measures.ts';
import { geometriesFrom } from '../../../src/core/geometry/object-view.ts';

const polygon = (...ring: number[][]) =>
  geometriesFrom([{ type: 'Polygon', coordinates: [[...ring, ring[0]]] }]);

async function taken(array: ReturnType<typeof polygon>): Promise<{ cut: number; size: number }> {
  const { geometry, cut } = await withoutLeaps(array, wgs84());
  return { cut, size: planarArea(united([geometry]), 0) };
}

describe('edges across the antimeridian', () => {
  it('are taken the short way where they run from one edge of the map to the other', async () => {
    expect(await taken(polygon([179, -17], [-179, -17], [-179, -16], [179, -16]))).toEqual({
      cut: 1,
      size: 2,
    });
    // Exactly from edge to edge: 1° beside it, not a belt of 360°.
    expect(
      await taken(
        polygon([179, 0], [180, 0], [-180, 0], [-179, 0], [-179, 1], [-180, 1], [180, 1], [179, 1]),
      ),
    ).toEqual({ cut: 1, size: 2 });
  });

  it('stay as they are in belts around the globe and wide areas; rings around a pole are closed at it', async () => {
    expect(await taken(polygon([-180, 40], [180, 40], [180, 60], [-180, 60]))).toEqual({
      cut: 0,
      size: 7200,
    });
    expect(await taken(polygon([-100, 0], [110, 0], [110, 10], [-100, 10]))).toEqual({ cut: 0, size: 2100 });
    const around = Array.from({ length: 36 }, (_, k) => [-180 + 10 * k, -70]);
    // Led to the pole and back: 20° high all around, less what the last edge takes away.
    const closed = await taken(polygon(...around, [179.9, -70]));
    expect(closed.cut).toBe(1);
    expect(closed.size).toBeCloseTo(360 * 20, 6);
  });
});
