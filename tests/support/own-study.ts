import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const square = (west: number, south: number) =>
  `[[[${west},${south}],[${west + 0.1},${south}],[${west + 0.1},${south + 0.1}],[${west},${south + 0.1}],[${west},${south}]]]`;

const feature = (code: string, name: string, west: number, south: number) =>
  `{"type":"Feature","properties":{"code":"${code}","name":"${name}"},"geometry":{"type":"Polygon","coordinates":${square(west, south)}}}`;

/** Two by two wards near Ombrey. */
export const wardsText = `{"type":"FeatureCollection","features":[${[
  feature('0201', 'Ferry Road', -29.9, 45.5),
  feature('0202', 'Mill Yard', -29.8, 45.5),
  feature('0203', 'Old Town', -29.9, 45.6),
  feature('0204', 'Salt Flats', -29.8, 45.6),
].join(',\n')}]}`;

export const housingText = `area_code,households,no_car
0201,1200,310
0202,840,95
0203,1510,460
0204,655,120
`;

/** A study of one's own: a layer, a table, a map. */
export const ownStudyText = `study: Cars in Ombrey

area:
  units:
    of: wards
    code: ['0201', '0202', '0203']

crs: EPSG:32626

sources:
  office:
    kind: files
    at: papers
    agreed: 2026-11-20

gather:
  wards:
    file: wards.geojson
  housing:
    file: housing.csv
    where: households > 0

prepare:
  wards:
    - clip: area
    - join: housing
      on: code = area_code
      columns: [households, no_car]
    - compute:
        no_car_share: share(no_car, households)

check:
  wards: [valid, 'key: code', no_car_share between 0 and 100]

titles:
  no_car_share:
    title: Households without a car
    unit: per cent

draw:
  cars:
    title: Households without a car
    layer: wards
    colour by: no_car_share
    classes: 3 quantile
    colours: lagoon
    over: []
`;

/** A folder with that study and its two files. */
export function ownStudyFolder(text = ownStudyText): string {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-own-'));
  mkdirSync(join(folder, 'papers'));
  writeFileSync(join(folder, 'study.yaml'), text);
  writeFileSync(join(folder, 'wards.geojson'), wardsText);
  writeFileSync(join(folder, 'housing.csv'), housingText);
  return folder;
}
