import { degrees } from './grid.ts';
import { seeded, seedOf } from './random.ts';
import { flats, type Point } from './units.ts';

/** The codes of the units; several areas have the same. */
const codes = [11, 12, 21, 22, 31, 32, 40];
const size = 3000;

const west = Math.min(...flats.map((ward) => ward.centre[0])) - 4000;
const south = Math.min(...flats.map((ward) => ward.centre[1])) - 4000;
const columns = Math.ceil((Math.max(...flats.map((ward) => ward.centre[0])) + 4000 - west) / size);
const rows = Math.ceil((Math.max(...flats.map((ward) => ward.centre[1])) + 4000 - south) / size);

const random = seeded(seedOf('flood frequency', 'corners'));
const corners: Point[] = Array.from({ length: (columns + 1) * (rows + 1) }, (_, k) => [
  west + size * ((k % (columns + 1)) + 0.5 * (random() - 0.5)),
  south + size * (Math.floor(k / (columns + 1)) + 0.5 * (random() - 0.5)),
]);
const corner = (c: number, r: number) => corners[r * (columns + 1) + c];

/** The cell in the midst of the flats whose code is in no look-up. */
const missing = flats[20].centre.map((value, k) => Math.floor((value - [west, south][k]) / size));

/** The unit of a cell: low ground near the river mouth floods often; one code (40) is in no look-up. */
function codeOf(c: number, r: number): number {
  const [x, y] = corner(c, r);
  const far = Math.hypot(x - 219_000, (y - 96_000) * 1.3) / 6500;
  const own = seeded(seedOf('flood frequency', c, r))();
  if (c === missing[0] && r === missing[1]) return 40;
  return codes[Math.min(5, Math.max(0, Math.floor(far + 1.4 * own - 0.6)))];
}

/** Flood-frequency units of the flats: areas with a numeric code, longitude and latitude. */
export function frequencyUnits(): string {
  const features: string[] = [];
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const ring = [corner(c, r), corner(c + 1, r), corner(c + 1, r + 1), corner(c, r + 1), corner(c, r)];
      const coordinates = ring.map((point) => degrees(point).map((value) => Math.round(value * 1e7) / 1e7));
      features.push(
        JSON.stringify({
          type: 'Feature',
          properties: { UNIT: codeOf(c, r), SHEET: `${'ABCDEFGH'[r % 8]}${c + 1}` },
          geometry: { type: 'Polygon', coordinates: [coordinates] },
        }),
      );
    }
  return `{"type":"FeatureCollection","name":"frequency-units","features":[\n${features.join(',\n')}\n]}\n`;
}

/** Shares of ground by how often it floods, of each part of a unit. */
const parts: readonly (readonly [
  code: number,
  part: string,
  share: number,
  often: number,
  seldom: number,
])[] = [
  [11, 'open marsh', 65, 82, 15],
  [11, 'reclaimed pasture', 25, 41, 44],
  [11, 'banks', 10, 6, 30],
  [12, 'reclaimed pasture', 80, 46, 41],
  [12, 'old channels', 20, 77, 20],
  [21, 'low meadow', 55, 22, 61],
  [21, 'reclaimed pasture', 45, 38, 47],
  [22, 'low meadow', 70, 18, 58],
  [22, 'terrace', 30, 4, 27],
  [31, 'terrace', 90, 3, 24],
  [31, 'old channels', 10, 70, 24],
  [32, 'high ground', 100, 0, 6],
];

/** The look-up table of the units, as the flood office keeps it: long codes, many rows a code, parts of 100 %. */
export function frequencyParts(): string {
  const lines = ['FUNIT,PART,SHARE,OFTEN,SELDOM,NEVER'];
  for (const [code, part, share, often, seldom] of parts)
    lines.push(
      `FU-${String(code).padStart(4, '0')},${part},${share},${often},${seldom},${100 - often - seldom}`,
    );
  return `${lines.join('\n')}\n`;
}

/** How a unit is classed by its three percentages. */
export function frequencyClasses(): string {
  return `# Classes of flood frequency, in order: the first rule that holds counts.
often flooded: OFTEN >= 40
flooded in wet years: OFTEN < 40 AND OFTEN + SELDOM >= 40
seldom flooded: OFTEN < 40 AND OFTEN + SELDOM < 40
`;
}
