import fc from 'fast-check';
import geographiclib from 'geographiclib-geodesic';
import { describe, expect, it } from 'vitest';
import { areaFacts } from '../../../src/core/area/describe.ts';
import { lengthText, metresFromText } from '../../../src/core/area/length-text.ts';
import { brought, disc, type Shape, united, within, without } from '../../../src/core/area/shape.ts';
import { crsFromText } from '../../../src/core/crs/from-text.ts';
import { wgs84 } from '../../../src/core/crs/registry.ts';
import { transformer } from '../../../src/core/crs/transformer.ts';
import { geodesicMeasure } from '../../../src/core/geometry/geodesic.ts';
import { planarArea } from '../../../src/core/geometry/measures.ts';
import { geometriesFrom } from '../../../src/core/geometry/object-view.ts';
import { AreaIndex } from '../../../src/core/geometry/overlay/area-index.ts';

const geodesic = geographiclib.Geodesic.WGS84;
const distance = (a: readonly number[], b: readonly number[]) =>
  geodesic.Inverse(a[1], a[0], b[1], b[0]).s12!;
const utm = crsFromText('EPSG:32626');
const pole = crsFromText('EPSG:3413');

/** Vertices of a shape in longitudes and latitudes. */
function degreesOf({ geometry, crs }: Shape): [number, number][] {
  const xy = geometry.xy.slice(0, 2 * geometry.vertexCount);
  transformer(crs, wgs84()).transform(xy);
  return Array.from({ length: xy.length / 2 }, (_, k) => [xy[2 * k], xy[2 * k + 1]]);
}

const box = (west: number, south: number, east: number, north: number) =>
  geometriesFrom([
    {
      type: 'Polygon',
      coordinates: [
        [
          [west, south],
          [east, south],
          [east, north],
          [west, north],
          [west, south],
        ],
      ],
    },
  ]);

describe('a radius', () => {
  it.each([
    ['degrees', wgs84(), -29.9, 45.5],
    ['UTM', utm, -29.9, 45.5],
    ['degrees at the antimeridian', wgs84(), 179.95, -17],
    ['degrees at the pole', wgs84(), 40, 89.9],
    ['a polar CRS', pole, 40, 89.9],
    ['a polar CRS', pole, 179.9, 80],
  ])('is a geodesic of its length to each vertex within a millimetre, in %s', async (_, crs, x, y) => {
    for (const metres of [10, 500, 2000, 25_000, 100_000]) {
      const made = await disc([x, y], wgs84(), metres, crs, 'the place');
      // What was cut at the antimeridian or leads around the pole has vertices of its own there.
      const vertices = degreesOf(made).filter(
        ([longitude, latitude]) =>
          Math.abs(Math.abs(longitude) - 180) > 1e-9 && Math.abs(latitude) < 89.9999999,
      );
      expect(vertices.length).toBeGreaterThan(200);
      for (const vertex of vertices) expect(Math.abs(distance(vertex, [x, y]) - metres)).toBeLessThan(0.001);
      expect(geodesicMeasure(crs).area(made.geometry, 0) / (Math.PI * metres ** 2)).toBeCloseTo(1, 3);
    }
  });
});

describe('a margin', () => {
  const far = async (crs: typeof utm | ReturnType<typeof wgs84>, metres: number) => {
    const plain = await brought({ geometry: box(-30, 45, -29.5, 45.3), crs: wgs84() }, crs, 'the box');
    return { plain, made: await within(plain, metres, 'the box') };
  };
  /** Distances from each vertex of a margin to the nearest place on the border of the box that it was made of. */
  const toBorder = ([x, y]: readonly [number, number]) => {
    // The sides of the box are parallels and meridians: the nearest place on each is found by halving.
    const along = (at: (t: number) => [number, number]) => {
      let [low, high] = [0, 1];
      for (let k = 0; k < 80; k++) {
        const [a, b] = [low + (high - low) / 3, high - (high - low) / 3];
        if (distance(at(a), [x, y]) < distance(at(b), [x, y])) high = b;
        else low = a;
      }
      return distance(at((low + high) / 2), [x, y]);
    };
    const [w, s, e, n] = [-30, 45, -29.5, 45.3];
    const sides: ((t: number) => [number, number])[] = [
      (t) => [w + (e - w) * t, s],
      (t) => [w + (e - w) * t, n],
      (t) => [w, s + (n - s) * t],
      (t) => [e, s + (n - s) * t],
    ];
    return Math.min(...sides.map(along));
  };

  it.each([
    ['degrees', wgs84(), 500],
    ['degrees', wgs84(), 5000],
    ['degrees', wgs84(), 100_000],
    ['degrees', wgs84(), -500],
    ['UTM', utm, 500],
    ['UTM', utm, 5000],
    ['UTM', utm, 100_000],
    ['UTM', utm, -2000],
  ])('lies at its distance from the border within a millimetre, in %s: %s, %s m', async (_, crs, metres) => {
    const { plain, made } = await far(crs, metres);
    const vertices = degreesOf(made);
    expect(vertices.length).toBeGreaterThan(4);
    const off = vertices.map((vertex) => Math.abs(toBorder(vertex) - Math.abs(metres)));
    // A vertex stands at right angles on a piece of the border; where pieces meet, on a corner of two that are nearly in line.
    expect(Math.max(...off)).toBeLessThan(0.001);
    const measure = geodesicMeasure(crs);
    expect(measure.area(made.geometry, 0) > measure.area(plain.geometry, 0)).toBe(metres > 0);
  });

  it('has no cracks, however many vertices the border has', async () => {
    const ring = Array.from({ length: 1201 }, (_, k) => {
      const angle = (2 * Math.PI * (k % 1200)) / 1200;
      const reach = 20_000 + 400 * Math.sin(37 * angle);
      return [500_000 + reach * Math.cos(angle), 5_050_000 + reach * Math.sin(angle)];
    });
    const shape = { geometry: geometriesFrom([{ type: 'Polygon', coordinates: [ring] }]), crs: utm };
    for (const metres of [250, 800, -250]) {
      const { geometry } = await within(shape, metres, 'the area');
      const parts = geometry.partStart[1];
      expect([parts, geometry.ringStart[parts]]).toEqual([1, 1]);
    }
  });

  it('does not begin at the antimeridian, where an area is cut', async () => {
    const geometry = geometriesFrom([
      {
        type: 'MultiPolygon',
        coordinates: [
          [
            [
              [179, -17],
              [180, -17],
              [180, -16],
              [179, -16],
              [179, -17],
            ],
          ],
          [
            [
              [-180, -17],
              [-179, -17],
              [-179, -16],
              [-180, -16],
              [-180, -17],
            ],
          ],
        ],
      },
    ]);
    const inner = await within({ geometry, crs: wgs84() }, -1000, 'the area');
    const index = new AreaIndex(inner.geometry);
    expect(index.locate(179.9999, -16.5)).toBeGreaterThan(0);
    expect(index.locate(-179.9999, -16.5)).toBeGreaterThan(0);
    expect(index.locate(179.005, -16.5)).toBeLessThan(0);
  });

  it('of more than there is leaves nothing, and says so', async () => {
    await expect(
      within({ geometry: box(-30, 45, -29.99, 45.01), crs: wgs84() }, -5000, 'the box'),
    ).rejects.toMatchObject({ code: 'area-empty' });
  });
});

describe('edges in another CRS', () => {
  it('keep their course to a millimetre', async () => {
    const shape = await brought({ geometry: box(-31, 44, -27, 47), crs: wgs84() }, utm, 'the box');
    const { geometry } = shape;
    const back = transformer(utm, wgs84());
    let worst = 0;
    for (let v = 0; v + 1 < geometry.vertexCount; v += 7) {
      const middle = Float64Array.of(
        (geometry.xy[2 * v] + geometry.xy[2 * v + 2]) / 2,
        (geometry.xy[2 * v + 1] + geometry.xy[2 * v + 3]) / 2,
      );
      back.transform(middle);
      // The sides of the box are meridians and parallels: a place on them has one of the four values.
      const off = Math.min(
        Math.abs(middle[0] + 31) * 78_000,
        Math.abs(middle[0] + 27) * 78_000,
        Math.abs(middle[1] - 44) * 111_000,
        Math.abs(middle[1] - 47) * 111_000,
      );
      worst = Math.max(worst, off);
    }
    expect(worst).toBeLessThan(0.001);
  });
});

describe('unions and differences', () => {
  const small = fc.tuple(
    fc.integer({ min: 0, max: 40 }),
    fc.integer({ min: 0, max: 40 }),
    fc.integer({ min: 1, max: 20 }),
    fc.integer({ min: 1, max: 20 }),
  );
  const of = ([x, y, w, h]: [number, number, number, number]) => box(x, y, x + w, y + h);
  const size = (array: ReturnType<typeof box>) => (array.length === 0 ? 0 : planarArea(array, 0));

  it('|A| + |B| = |A ∪ B| + |A ∩ B|, and |A − B| = |A ∪ B| − |B|', () => {
    fc.assert(
      fc.property(small, small, (one, other) => {
        const [a, b] = [of(one), of(other)];
        const both = united([a, b]);
        const covered =
          Math.max(0, Math.min(one[0] + one[2], other[0] + other[2]) - Math.max(one[0], other[0])) *
          Math.max(0, Math.min(one[1] + one[3], other[1] + other[3]) - Math.max(one[1], other[1]));
        expect(size(both)).toBeCloseTo(size(a) + size(b) - covered, 9);
        if (covered >= size(a)) expect(() => without(a, [b], 'A')).toThrow(/Nothing of A is left/);
        else expect(size(without(a, [b], 'A'))).toBeCloseTo(size(both) - size(b), 9);
      }),
    );
  });
});

describe('lengths', () => {
  it.each([
    ['500 m', 500],
    ['2 km', 2000],
    ['2km', 2000],
    ['-200 m', -200],
    ['−200 m', -200],
    ['0.5 mi', 804.672],
    ['1 nmi', 1852],
    ['750', 750],
  ])('%s', (text, metres) => {
    expect(metresFromText(text)).toBeCloseTo(metres, 9);
  });
  it.each(['', 'far', '5 parsecs', '1e9e9', '500 m around'])('“%s” is none', (text) => {
    expect(() => metresFromText(text)).toThrow();
  });
  it('are written as people do', () => {
    expect([500, 2000, 12_500, 0.5].map(lengthText)).toEqual(['500 m', '2 km', '12.5 km', '0.5 m']);
  });
});

describe('the size of an area in degrees', () => {
  /** Area of an ellipsoid between two parallels, all around (Snyder, Map Projections, USGS 1395, equation 3-12). */
  const belt = (south: number, north: number) => {
    const { a, f } = { a: 6_378_137, f: 1 / 298.257223563 };
    const e = Math.sqrt(f * (2 - f));
    const q = (degrees: number) => {
      const s = Math.sin((degrees * Math.PI) / 180);
      return (1 - e * e) * (s / (1 - e * e * s * s) - Math.log((1 - e * s) / (1 + e * s)) / (2 * e));
    };
    return Math.PI * a * a * (q(north) - q(south));
  };

  it.each([
    [-180, 40, 180, 60],
    [-180, 88, 180, 90],
    [-30, 45, -29, 46],
    [0, 0, 90, 10],
    [-100, -60, 120, 60],
    [-180, -90, 180, 90],
    [-180, -80, 170, 90],
  ])('is that between its meridians and parallels: %s, %s, %s, %s', (west, south, east, north) => {
    const facts = areaFacts({ geometry: box(west, south, east, north), crs: wgs84() });
    expect(facts.squareMetres / ((belt(south, north) * (east - west)) / 360)).toBeCloseTo(1, 6);
  });
});
