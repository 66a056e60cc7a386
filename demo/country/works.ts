import { degrees } from './grid.ts';
import { seeded, seedOf } from './random.ts';
import { flats, type Point } from './units.ts';

interface Work {
  id: string;
  geometry: { type: 'LineString' | 'Point'; coordinates: unknown };
  properties: Record<string, string | number>;
}

const collection = (works: readonly Work[]) =>
  `{"type":"FeatureCollection","features":[\n${works
    .map((work) => JSON.stringify({ type: 'Feature', ...work }))
    .join(',\n')}\n]}\n`;

const placed = (point: Point) => degrees(point).map((value) => Math.round(value * 1e7) / 1e7);

/** Embankments: a line through every second ward of the flats into the next one, so that pieces of an area share some. */
export function embankments(): string {
  const works: Work[] = [];
  flats.forEach((ward, k) => {
    const next = flats[(k + 1) % flats.length];
    if (k % 2 === 1 || Math.hypot(next.column - ward.column, next.row - ward.row) > 2) return;
    const own = seeded(seedOf('embankment', ward.code));
    const line: Point[] = [];
    for (let s = 0; s <= 12; s++) {
      const t = s / 12;
      line.push([
        ward.centre[0] + (next.centre[0] - ward.centre[0]) * t + 260 * (own() - 0.5),
        ward.centre[1] + (next.centre[1] - ward.centre[1]) * t + 260 * (own() - 0.5),
      ]);
    }
    works.push({
      id: `E${String(works.length + 1).padStart(3, '0')}`,
      geometry: { type: 'LineString', coordinates: line.map(placed) },
      properties: {
        ref: `E${String(works.length + 1).padStart(3, '0')}`,
        crest_m: Math.round((2.1 + 1.6 * own()) * 10) / 10,
        surveyed: `20${20 + Math.floor(4 * own())}-0${1 + Math.floor(9 * own())}-15`,
      },
    });
  });
  return collection(works);
}

/** Pumping stations, one in every third ward of the flats. */
export function pumps(): string {
  const works: Work[] = [];
  flats.forEach((ward, k) => {
    if (k % 3 !== 0) return;
    const own = seeded(seedOf('pump', ward.code));
    const at: Point = [ward.centre[0] + 900 * (own() - 0.5), ward.centre[1] + 900 * (own() - 0.5)];
    works.push({
      id: `P${String(works.length + 1).padStart(2, '0')}`,
      geometry: { type: 'Point', coordinates: placed(at) },
      properties: {
        ref: `P${String(works.length + 1).padStart(2, '0')}`,
        litres_per_second: 50 * (2 + Math.floor(14 * own())),
        power: own() < 0.6 ? 'grid' : 'diesel',
      },
    });
  });
  return collection(works);
}
