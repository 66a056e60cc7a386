import { seeded, seedOf } from './random.ts';

export type Point = [number, number];

/** A lattice cell on land: the smallest unit, from which wards, districts and provinces are put together. */
export interface Ward {
  column: number;
  row: number;
  code: string;
  name: string;
  district: string;
  province: string;
  centre: Point;
  /** Closed ring in grid metres, counter-clockwise. */
  ring: Point[];
}

export interface Unit {
  code: string;
  name: string;
  parent: string;
  cells: Ward[];
}

const columns = 24;
const rows = 19;
const size = 4500;
const origin: Point = [146_000, 57_500];

const random = seeded(seedOf('Teskaria', 'lattice'));
const corners: Point[] = [];
for (let r = 0; r <= rows; r++) {
  for (let c = 0; c <= columns; c++) {
    corners.push([
      origin[0] + size * (c + 0.62 * (random() - 0.5)),
      origin[1] + size * (r + 0.62 * (random() - 0.5)),
    ]);
  }
}
const corner = (c: number, r: number): Point => corners[r * (columns + 1) + c];

/** Is this cell land? An island with two bays and a cape. */
function isLand(c: number, r: number): boolean {
  if (c < 0 || r < 0 || c >= columns || r >= rows) return false;
  const u = (c + 0.5) / columns - 0.5;
  const v = (r + 0.5) / rows - 0.5;
  const angle = Math.atan2(v, u);
  const reach = 0.455 + 0.03 * Math.sin(3 * angle + 0.6) + 0.025 * Math.sin(5 * angle + 2);
  if (Math.hypot(u, v) > reach) return false;
  const bay = Math.hypot(u - 0.36, v + 0.3) < 0.1 || Math.hypot(u + 0.14, v - 0.44) < 0.08;
  return !bay;
}

/** A wiggly line from a to b, the same whichever neighbour asks; coasts wiggle more than inner borders. */
function border(c0: number, r0: number, c1: number, r1: number, coast: boolean): Point[] {
  const forward = r0 < r1 || (r0 === r1 && c0 < c1);
  const [ac, ar, bc, br] = forward ? [c0, r0, c1, r1] : [c1, r1, c0, r0];
  const own = seeded(seedOf('border', ac, ar, bc, br));
  const bend = (a: Point, b: Point, depth: number): Point[] => {
    if (depth === 0) return [a];
    const reach = (coast ? 0.26 : 0.18) * (own() - 0.5);
    const middle: Point = [
      (a[0] + b[0]) / 2 - (b[1] - a[1]) * reach,
      (a[1] + b[1]) / 2 + (b[0] - a[0]) * reach,
    ];
    return [...bend(a, middle, depth - 1), ...bend(middle, b, depth - 1)];
  };
  const line = [...bend(corner(ac, ar), corner(bc, br), coast ? 4 : 3), corner(bc, br)].map(
    ([x, y]): Point => [Math.round(x * 100) / 100, Math.round(y * 100) / 100],
  );
  return forward ? line : line.reverse();
}

function cellRing(c: number, r: number): Point[] {
  const sides: [number, number, number, number, number, number][] = [
    [c, r, c + 1, r, c, r - 1],
    [c + 1, r, c + 1, r + 1, c + 1, r],
    [c + 1, r + 1, c, r + 1, c, r + 1],
    [c, r + 1, c, r, c - 1, r],
  ];
  const ring: Point[] = [];
  for (const [c0, r0, c1, r1, nc, nr] of sides)
    ring.push(...border(c0, r0, c1, r1, !isLand(nc, nr)).slice(0, -1));
  ring.push(ring[0]);
  return ring;
}

const starts = [
  'Om',
  'Bre',
  'Tar',
  'Vel',
  'Sar',
  'Kel',
  'Ho',
  'Lin',
  'Mar',
  'Esk',
  'Dun',
  'Fal',
  'Pen',
  'Ru',
  'Wes',
  'Al',
  'Gre',
  'Nor',
  'Tis',
  'Cal',
];
const middles = ['ra', 'le', 'no', 'vi', 'sto', 'be', 'da', 'mi', 'ro', 'sse', 'lla', 'ne'];
const ends = [
  'brey',
  'ford',
  'wick',
  'mere',
  'stow',
  'ham',
  'ley',
  'combe',
  'haven',
  'thorpe',
  'den',
  'münde',
  'çal',
  'garth',
];

function nameOf(own: () => number, taken: Set<string>): string {
  for (;;) {
    const name =
      starts[Math.floor(own() * starts.length)] +
      (own() < 0.55 ? middles[Math.floor(own() * middles.length)] : '') +
      ends[Math.floor(own() * ends.length)];
    if (!taken.has(name)) {
      taken.add(name);
      return name;
    }
  }
}

/** Seeds of the districts on the lattice, grouped into provinces. The third group holds the Ombrey Flats. */
const districtSeeds: [code: string, name: string, c: number, r: number][] = [
  ['T101', 'Velhaven', 4.5, 13.5],
  ['T102', 'Upper Karsk', 8.5, 15.5],
  ['T103', 'Lower Karsk', 9.5, 11.5],
  ['T104', 'Westmere', 3.5, 9.5],
  ['T201', 'Port Teska', 13.5, 15.5],
  ['T202', 'Halden Moor', 18, 14],
  ['T203', 'Ombrey Heights', 14, 12],
  ['T204', 'Ombrey Flats West', 13.5, 8.5],
  ['T205', 'Ombrey Flats East', 18, 9.5],
  ['T301', 'Saltreach', 5, 5.5],
  ['T302', 'Dunmere', 9.5, 7.5],
  ['T303', 'Calder Ness', 9, 3.5],
  ['T401', 'Grenwick', 13.5, 4],
  ['T402', 'Easting', 18, 5],
  ['T403', 'Farhaven', 21, 8],
];
const provinceNames: Record<string, string> = {
  '1': 'Karskland',
  '2': 'Ombrey',
  '3': 'Saltlands',
  '4': 'Eastern Reach',
};

export const provinces: Unit[] = [];
export const districts: Unit[] = [];
export const wards: Ward[] = [];

const taken = new Set<string>();
for (const [code, name] of districtSeeds) districts.push({ code, name, parent: `P${code[1]}`, cells: [] });
for (let r = 0; r < rows; r++) {
  for (let c = 0; c < columns; c++) {
    if (!isLand(c, r)) continue;
    let best = 0;
    let least = Infinity;
    districtSeeds.forEach(([, , sc, sr], k) => {
      const distance = Math.hypot(c + 0.5 - sc, r + 0.5 - sr);
      if (distance < least) {
        least = distance;
        best = k;
      }
    });
    const district = districts[best];
    const own = seeded(seedOf('ward', c, r));
    const code = `0${district.code[1]}${district.code.slice(2)}${String(district.cells.length + 1).padStart(2, '0')}`;
    const ring = cellRing(c, r);
    const centre: Point = [0, 0];
    for (const [x, y] of ring.slice(1)) {
      centre[0] += x / (ring.length - 1);
      centre[1] += y / (ring.length - 1);
    }
    const ward: Ward = {
      column: c,
      row: r,
      code,
      name: nameOf(own, taken),
      district: district.code,
      province: district.parent,
      centre,
      ring,
    };
    district.cells.push(ward);
    wards.push(ward);
  }
}
for (const [digit, name] of Object.entries(provinceNames)) {
  provinces.push({
    code: `P${digit}`,
    name,
    parent: 'TK',
    cells: wards.filter((ward) => ward.province === `P${digit}`),
  });
}

/** Wards of the Ombrey Flats, the study area. */
export const flats = wards.filter((ward) => ward.district === 'T204' || ward.district === 'T205');
