import { seeded, seedOf } from './random.ts';
import type { ShapeLayer } from './shapefile.ts';
import { flats, type Point, type Ward, wards } from './units.ts';

const round = (v: number) => Math.round(v * 100) / 100;

/** Wards in and around the Ombrey Flats: what the regional extract covers. */
const region: Ward[] = wards.filter((ward) =>
  flats.some((flat) => Math.hypot(flat.column - ward.column, flat.row - ward.row) < 2.3),
);

/** A wiggly path between two points. */
function path(a: Point, b: Point, seed: number, reach: number, depth = 4): Point[] {
  const own = seeded(seed);
  const bend = (p: Point, q: Point, level: number): Point[] => {
    if (level === 0) return [p];
    const k = reach * (own() - 0.5);
    const middle: Point = [(p[0] + q[0]) / 2 - (q[1] - p[1]) * k, (p[1] + q[1]) / 2 + (q[0] - p[0]) * k];
    return [...bend(p, middle, level - 1), ...bend(middle, q, level - 1)];
  };
  return [...bend(a, b, depth), b].map(([x, y]): Point => [round(x), round(y)]);
}

/** Roads between the centres of neighbouring wards; every third row and column is a main road. */
export function roads(): ShapeLayer {
  const shapes: Point[][][] = [];
  const rows: (string | number | null)[][] = [];
  const at = (c: number, r: number) => region.find((ward) => ward.column === c && ward.row === r);
  for (const ward of region) {
    for (const [dc, dr] of [
      [1, 0],
      [0, 1],
    ]) {
      const other = at(ward.column + dc, ward.row + dr);
      if (other === undefined) continue;
      const main = dc === 1 ? ward.row % 4 === 1 : ward.column % 4 === 2;
      const own = seeded(seedOf('road', ward.code, other.code));
      if (!main && own() < 0.25) continue;
      shapes.push([path(ward.centre, other.centre, seedOf('road path', ward.code, other.code), 0.22)]);
      rows.push([
        5000 + rows.length,
        main ? 'main' : own() < 0.5 ? 'district' : 'local',
        main ? `Route ${dc === 1 ? ward.row : ward.column}` : null,
      ]);
    }
  }
  return {
    type: 3,
    shapes,
    fields: [
      ['ID', 'N', 9, 0],
      ['CLASS', 'C', 10, 0],
      ['NAME', 'C', 24, 0],
    ],
    rows,
  };
}

/** The Omber and its arms: three long water lines across the flats. */
export function waterways(): ShapeLayer {
  const lines: [string, Point, Point][] = [
    ['Omber', [190_500, 103_500], [243_000, 91_500]],
    ['Little Omber', [203_500, 87_500], [221_000, 97_800]],
    ['Sluice Canal', [212_000, 107_500], [214_500, 88_500]],
  ];
  return {
    type: 3,
    shapes: lines.map(([name, a, b]) => [path(a, b, seedOf('water', name), 0.36, 6)]),
    fields: [['NAME', 'C', 24, 0]],
    rows: lines.map(([name]) => [name]),
  };
}

/** Houses around the centres of the wards: turned rectangles, some with a yard; three of them are damaged on purpose. */
export function buildings(): ShapeLayer {
  const shapes: Point[][][] = [];
  const rows: (string | number | null)[][] = [];
  const inFlats: number[] = [];
  for (const ward of region) {
    const own = seeded(seedOf('houses', ward.code));
    const count = flats.includes(ward) ? 70 + Math.floor(60 * own()) : 30;
    for (let k = 0; k < count; k++) {
      const spread = 1500 * Math.sqrt(-Math.log(1 - 0.95 * own()));
      const angle = 2 * Math.PI * own();
      const x = ward.centre[0] + spread * Math.cos(angle);
      const y = ward.centre[1] + spread * Math.sin(angle);
      const turn = own() * Math.PI;
      const w = 5 + 12 * own();
      const h = 5 + 9 * own();
      const point = (u: number, v: number): Point => [
        round(x + u * Math.cos(turn) - v * Math.sin(turn)),
        round(y + u * Math.sin(turn) + v * Math.cos(turn)),
      ];
      // Shells clockwise, yards counter-clockwise.
      const shell = [point(-w, -h), point(-w, h), point(w, h), point(w, -h), point(-w, -h)];
      const parts = [shell];
      if (own() < 0.06)
        parts.push([
          point(-w / 2, -h / 2),
          point(w / 2, -h / 2),
          point(w / 2, h / 2),
          point(-w / 2, h / 2),
          point(-w / 2, -h / 2),
        ]);
      if (flats.includes(ward) && parts.length === 1) inFlats.push(shapes.length);
      shapes.push(parts);
      rows.push([
        100_000 + rows.length,
        own() < 0.8 ? 'house' : own() < 0.6 ? 'barn' : 'works',
        1 + Math.floor(own() ** 2 * 4),
      ]);
    }
  }
  // A bow tie, a spike and a yard outside its house, in wards of the flats.
  const bad = [0.2, 0.5, 0.8].map((share) => inFlats[Math.floor(inFlats.length * share)]);
  const bow = shapes[bad[0]][0];
  shapes[bad[0]] = [[bow[0], bow[2], bow[1], bow[3], bow[0]]];
  const spike = shapes[bad[1]][0];
  shapes[bad[1]] = [
    [
      spike[0],
      spike[1],
      spike[2],
      spike[3],
      [round(2 * spike[3][0] - spike[0][0]), round(2 * spike[3][1] - spike[0][1])],
      spike[3],
      spike[0],
    ],
  ];
  const [hx, hy] = shapes[bad[2]][0][0];
  shapes[bad[2]] = [
    shapes[bad[2]][0],
    [
      [hx + 60, hy],
      [hx + 64, hy],
      [hx + 64, hy + 4],
      [hx + 60, hy + 4],
      [hx + 60, hy],
    ],
  ];
  return {
    type: 5,
    shapes,
    fields: [
      ['ID', 'N', 9, 0],
      ['USE', 'C', 10, 0],
      ['FLOORS', 'N', 3, 0],
    ],
    rows,
  };
}

/** Halls where people go when the water comes: on higher ground, so some wards are far from one. */
export function refugeHalls(): ShapeLayer {
  const own = seeded(seedOf('halls'));
  const chosen = flats.filter((ward) => ward.column % 3 === 1 && (ward.row % 2 === 0 || own() < 0.5));
  return {
    type: 1,
    shapes: chosen.map((ward) => [
      [[round(ward.centre[0] + 700 * (own() - 0.5)), round(ward.centre[1] + 700 * (own() - 0.5))]],
    ]),
    fields: [
      ['NAME', 'C', 30, 0],
      ['PLACES', 'N', 5, 0],
    ],
    rows: chosen.map((ward) => [`${ward.name} Hall`, 80 + 20 * Math.floor(own() * 20)]),
  };
}

/** Foot bridges over the Omber; delivered without a .prj. */
export function footbridges(): ShapeLayer {
  const [omber] = waterways().shapes[0];
  const spots = omber.filter((_, k) => k % 5 === 2);
  return {
    type: 1,
    shapes: spots.map((spot) => [[spot]]),
    fields: [
      ['NO', 'N', 4, 0],
      ['WIDTH', 'N', 5, 1],
    ],
    rows: spots.map((_, k) => [k + 1, 0.9 + (k % 4) * 0.3]),
  };
}
