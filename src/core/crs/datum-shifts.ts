import type { DatumShift } from './crs.ts';

type Row = readonly [
  codes: string,
  tx: number,
  ty: number,
  tz: number,
  rx: number,
  ry: number,
  rz: number,
  ppm: number,
  accuracy: number,
  source: string,
];

/**
 * Shifts to WGS 84 by code of the geographic CRS, all in the position-vector convention (EPSG method 9606; published
 * coordinate-frame rotations have their signs reversed here). Metres, arc-seconds, parts per million; accuracy in metres
 * as published. One shift a datum: the one for the largest area or, where so noted, the mean. It goes before what the
 * registry holds (audited shifts of the data package: see `scripts/make-registry.ts`). What is in neither has no known
 * shift.
 */
const table: readonly Row[] = [
  // Datums realised to within a metre of WGS 84: by definition of the EPSG operations named, no shift.
  ['4258', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1149, ETRS89 to WGS 84'],
  ['4283', 0, 0, 0, 0, 0, 0, 0, 3, 'EPSG operation 1150, GDA94 to WGS 84'],
  ['4167', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1565, NZGD2000 to WGS 84'],
  ['4612', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1826, JGD2000 to WGS 84'],
  ['4674', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 15485, SIRGAS 2000 to WGS 84'],
  ['4171', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1671, RGF93 to WGS 84'],
  ['4151', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1509, CHTRF95 to WGS 84'],
  ['4619', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1879, SWEREF99 to WGS 84'],
  ['4669', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1958, LKS94 to WGS 84'],
  ['4661', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1959, LKS92 to WGS 84'],
  ['4173', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 1678, IRENET95 to WGS 84'],
  ['4765', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 3914, Slovenia 1996 to WGS 84'],
  ['4755', 0, 0, 0, 0, 0, 0, 0, 1, 'EPSG operation 15912, DGN95 to WGS 84'],
  // Three parameters.
  [
    '4267',
    -8,
    160,
    176,
    0,
    0,
    0,
    0,
    10,
    'NAD27 to WGS 84, mean for the conterminous United States (EPSG operation 1173)',
  ],
  ['4230', -87, -98, -121, 0, 0, 0, 0, 10, 'ED50 to WGS 84, mean for western Europe (EPSG operation 1133)'],
  ['4225', -206.05, 168.28, -3.82, 0, 0, 0, 0, 5, 'Corrego Alegre 1970-72 to WGS 84 (EPSG operation 6192)'],
  ['4275 4807', -168, -60, 320, 0, 0, 0, 0, 2, 'NTF to WGS 84 (EPSG operation 1193)'],
  // Seven parameters, published in the position-vector convention.
  [
    '4277',
    446.448,
    -125.157,
    542.06,
    0.15,
    0.247,
    0.842,
    -20.489,
    2,
    'OSGB 1936 to WGS 84 (EPSG operation 1314)',
  ],
  ['4314', 598.1, 73.7, 418.2, 0.202, 0.045, -2.455, 6.7, 3, 'DHDN to WGS 84 (EPSG operation 1777)'],
  ['4272', 59.47, -5.04, 187.44, 0.47, -0.1, 1.024, -4.5993, 4, 'NZGD49 to WGS 84 (EPSG operation 1564)'],
  [
    '4312',
    577.326,
    90.129,
    463.919,
    5.137,
    1.474,
    5.297,
    2.4232,
    1,
    'MGI to WGS 84, Austria (EPSG operation 1618)',
  ],
  [
    '4289',
    565.2369,
    50.0087,
    465.658,
    -0.406857,
    0.350733,
    -1.870347,
    4.0812,
    1,
    'Amersfoort to WGS 84 (EPSG operation 15739; rotations published in microradians, coordinate frame: 1.9725, −1.7004, 9.0677)',
  ],
];

const byCode = new Map<string, DatumShift>();
for (const [codes, tx, ty, tz, rx, ry, rz, ppm, accuracy, source] of table) {
  for (const code of codes.split(' ')) byCode.set(code, { tx, ty, tz, rx, ry, rz, ppm, accuracy, source });
}
byCode.set('4326', {
  tx: 0,
  ty: 0,
  tz: 0,
  rx: 0,
  ry: 0,
  rz: 0,
  ppm: 0,
  accuracy: 0,
  source: 'WGS 84 itself',
});

/** The curated shift for a geographic CRS code (`4277`), or null when none is known. */
export function curatedShift(code: string): DatumShift | null {
  return byCode.get(code) ?? null;
}

/** Codes in the curated table. */
export function curatedCodes(): string[] {
  return [...byCode.keys()];
}
