import type { Box } from '../geometry/geometry-array.ts';
import { type DatumShift, shiftOf } from './crs.ts';

interface Row {
  /** Codes of geographic CRSs. */
  codes: string;
  /** tx, ty, tz in metres; rx, ry, rz in arc-seconds (position vector); scale difference in parts per million. */
  shift: readonly number[];
  /** Metres, as published. */
  accuracy: number;
  source: string;
  pivot?: readonly [number, number, number];
  area?: Box;
}

const zero = [0, 0, 0];

/**
 * Shifts to WGS 84 by code of the geographic CRS, all in the position-vector convention (EPSG method 9606; published
 * coordinate-frame rotations have their signs reversed here). One shift a datum: the one for the largest area or, where so
 * noted, the mean. It goes before what the registry holds (audited shifts of the data package: see
 * `scripts/make-registry.ts`). What is in neither has no known shift.
 */
const table: readonly Row[] = [
  { codes: '4326', shift: zero, accuracy: 0, source: 'WGS 84 itself' },
  // Frames that agree with WGS 84 to a metre by their definition: a shift of zero, and within what.
  {
    codes: '4258',
    shift: zero,
    accuracy: 1,
    source: 'taken as zero: ETRS89 and WGS 84 agree to a metre (EPSG operation 1149)',
  },
  {
    codes: '4283',
    shift: zero,
    accuracy: 3,
    source: 'taken as zero: GDA94 and WGS 84 agree to 3 m (EPSG operation 1150)',
  },
  {
    codes: '7844 9309',
    shift: zero,
    accuracy: 3,
    source: 'taken as zero: the frame follows ITRF2014 at 2020.0',
  },
  {
    codes: '4167',
    shift: zero,
    accuracy: 1,
    source: 'taken as zero: NZGD2000 and WGS 84 agree to a metre (EPSG operation 1565)',
  },
  {
    codes: '4171',
    shift: zero,
    accuracy: 1,
    source: 'taken as zero: RGF93 and WGS 84 agree to a metre (EPSG operation 1671)',
  },
  {
    codes:
      '4151 4619 4669 4661 4173 4765 4755 4612 4674 4075 4490 6668 4176 7136 7139 8427 8431 9294 9470 4742 9696 9547 8907 9333 5365 5371 5393 9474 9475',
    shift: zero,
    accuracy: 1,
    source: 'taken as zero: a national frame on ITRF or ETRS89, within a metre of WGS 84',
  },
  {
    codes:
      '8988 8989 8990 8991 8992 8993 8994 8995 8996 8997 8998 8999 9000 9990 9003 9006 9009 9012 9014 9017 9019 9380',
    shift: zero,
    accuracy: 1,
    source: 'taken as zero: an international frame, which WGS 84 follows to less than a metre',
  },
  {
    codes: '9059 9060 9061 9062 9063 9064 9065 9066 9067 9068 9069',
    shift: zero,
    accuracy: 1,
    source: 'taken as zero: a realisation of ETRS89, within a metre of WGS 84',
  },
  {
    codes: '9053 9054 9055 9056 9057 9755 8888',
    shift: zero,
    accuracy: 2,
    source: 'taken as zero: a realisation of WGS 84',
  },
  {
    codes:
      '5360 8949 9148 9153 20041 8972 8973 8974 8975 8976 8977 8978 8979 8980 8981 8982 8983 8984 8985 8986 8987',
    shift: zero,
    accuracy: 1,
    source: 'taken as zero: a realisation of SIRGAS, within a metre of WGS 84',
  },
  {
    codes: '6783 6322 6325 6318 4759 4152 4617 8232 8237 8240 8246 8249 8252 8255 8545 8860 9072 9075',
    shift: zero,
    accuracy: 2,
    source: 'taken as zero: a realisation of NAD83, which differs from WGS 84 by up to 2 m',
  },
  // Three parameters.
  {
    codes: '4267',
    shift: [-8, 160, 176],
    accuracy: 10,
    source: 'NAD27 to WGS 84, mean for the conterminous United States (EPSG operation 1173)',
    area: [-125, 24, -66, 50],
  },
  {
    codes: '4609',
    shift: [-22, 160, 190],
    accuracy: 12,
    source: 'NAD27 to WGS 84, mean for eastern Canada',
    area: [-80, 43, -52, 63],
  },
  {
    codes: '4608',
    shift: [-9, 157, 184],
    accuracy: 16,
    source: 'NAD27 to WGS 84, mean for Manitoba and Ontario',
    area: [-102, 41, -74, 60],
  },
  {
    codes: '4230',
    shift: [-87, -98, -121],
    accuracy: 10,
    source: 'ED50 to WGS 84, mean for western Europe (EPSG operation 1133)',
    area: [-10, 35, 32, 72],
  },
  { codes: '4154', shift: [-117, -132, -164], accuracy: 25, source: 'ED50 to WGS 84, mean for Iran' },
  { codes: '4203', shift: [-134, -48, 149], accuracy: 5, source: 'AGD84 to WGS 84, mean for its country' },
  { codes: '4675', shift: [-100, -248, 259], accuracy: 6, source: 'Guam 1963 to WGS 84' },
  {
    codes: '4135',
    shift: [61, -285, -181],
    accuracy: 35,
    source: 'Old Hawaiian to WGS 84, mean for the islands',
  },
  {
    codes: '4801',
    shift: [674.374, 15.056, 405.346],
    accuracy: 1,
    source: 'CH1903 to WGS 84: the same net, counted from Bern',
  },
  { codes: '4738', shift: [-156, -271, -189], accuracy: 35, source: 'Hong Kong 1963 to WGS 84' },
  { codes: '4225', shift: [-206.05, 168.28, -3.82], accuracy: 5, source: 'Corrego Alegre 1970-72 to WGS 84' },
  { codes: '4275 4807', shift: [-168, -60, 320], accuracy: 2, source: 'NTF to WGS 84 (EPSG operation 1193)' },
  {
    codes: '4162',
    shift: [-145.907, 505.034, 685.756],
    accuracy: 4,
    source: 'translations at the middle of the country, without the small rotations about it',
  },
  {
    codes: '4229',
    shift: [-130, 110, -13],
    accuracy: 12,
    source: 'Egypt 1907 to WGS 84, mean for its country',
  },
  {
    codes: '4695',
    shift: [-103.746, -9.614, -255.95],
    accuracy: 10,
    source: 'Katanga 1955 to WGS 84, mean for its province',
  },
  // Seven parameters, published in the position-vector convention.
  {
    codes: '4277',
    shift: [446.448, -125.157, 542.06, 0.15, 0.247, 0.842, -20.489],
    accuracy: 2,
    source: 'OSGB 1936 to WGS 84 (EPSG operation 1314)',
  },
  {
    codes: '4314',
    shift: [598.1, 73.7, 418.2, 0.202, 0.045, -2.455, 6.7],
    accuracy: 3,
    source: 'DHDN to WGS 84 (EPSG operation 1777)',
  },
  {
    codes: '4745',
    shift: [612.4, 77, 440.2, -0.054, 0.057, -2.797, 2.55],
    accuracy: 3,
    source: 'RD/83 to WGS 84',
  },
  {
    codes: '4746',
    shift: [599.4, 72.4, 419.2, -0.062, -0.022, -2.723, 6.46],
    accuracy: 3,
    source: 'PD/83 to WGS 84',
  },
  {
    codes: '4272',
    shift: [59.47, -5.04, 187.44, 0.47, -0.1, 1.024, -4.5993],
    accuracy: 4,
    source: 'NZGD49 to WGS 84 (EPSG operation 1564)',
  },
  {
    codes: '4312 4805',
    shift: [577.326, 90.129, 463.919, 5.137, 1.474, 5.297, 2.4232],
    accuracy: 1,
    source: 'MGI to WGS 84, Austria (EPSG operation 1618)',
    area: [9.5, 46.3, 17.2, 49.1],
  },
  {
    codes: '4289',
    shift: [565.2369, 50.0087, 465.658, -0.406857, 0.350733, -1.870347, 4.0812],
    accuracy: 1,
    source:
      'Amersfoort to WGS 84 (rotations published in microradians, coordinate frame: 1.9725, −1.7004, 9.0677)',
  },
  {
    codes: '4660',
    shift: [982.6087, 552.753, -540.873, 6.681602, -31.611491, -19.848162, 16.805],
    accuracy: 1,
    source: 'Helle 1954 to WGS 84 (rotations published in microradians: 32.39344, −153.25684, −96.2266)',
  },
  {
    codes: '4247',
    shift: [-270.933, 115.599, -360.226, 5.266, 1.238, -2.381, -5.109],
    pivot: [2464351.59, -5783466.61, 974809.81],
    accuracy: 15,
    source:
      'La Canoa to REGVEN by Molodensky–Badekas (worked example of EPSG Guidance Note 7-2, 4.3.3.3), REGVEN taken as WGS 84',
  },
];

const byCode = new Map<string, DatumShift>();
for (const { codes, shift, accuracy, source, pivot, area } of table)
  for (const code of codes.split(' '))
    byCode.set(code, shiftOf(shift, { accuracy, source, ...(pivot && { pivot }), ...(area && { area }) }));

/** The curated shift for a geographic CRS code (`4277`), or null when none is known. */
export function curatedShift(code: string): DatumShift | null {
  return byCode.get(code) ?? null;
}

/** Codes in the curated table. */
export function curatedCodes(): string[] {
  return [...byCode.keys()];
}
