import { readFileSync } from 'node:fs';
import { join } from 'node:path';

export interface Cube {
  id: string;
  title: string;
  /** In the order of the key; the last one is time. */
  dimensions: { id: string; name: string; values: Map<string, string> }[];
  /** Codes of each dimension, then the figure and its status. */
  observations: { codes: string[]; value: string; status: string }[];
}

/** Cells of a CSV without line ends inside quotes: all that the made-up tables have. */
export function csvRows(text: string, separator = ','): string[][] {
  return text
    .trimEnd()
    .split(/\r?\n/)
    .map((line) =>
      [...line.matchAll(new RegExp(`(?:^|${separator})(?:"((?:[^"]|"")*)"|([^${separator}]*))`, 'g'))].map(
        ([, quoted, bare]) => quoted?.replaceAll('""', '"') ?? bare,
      ),
    );
}

const split = (cell: string): [string, string] => {
  const at = cell.indexOf(': ');
  return at < 0 ? [cell, cell] : [cell.slice(0, at), cell.slice(at + 2)];
};

/** Residents by sex and age as a cube, from the table that the office also hands out. */
export function residentsCube(folder: string): Cube {
  const [head, ...rows] = csvRows(readFileSync(join(folder, 'RESIDENTS.csv'), 'utf8'));
  const at = (id: string) => head.findIndex((cell) => split(cell)[0] === id);
  const ids = ['REF_AREA', 'SEX', 'AGE', 'TIME_PERIOD'];
  const dimensions = ids.map((id) => ({
    id,
    name: split(head[at(id)])[1],
    values: new Map<string, string>(),
  }));
  const observations = rows.map((row) => ({
    codes: ids.map((id, d) => {
      const [code, label] = split(row[at(id)]);
      dimensions[d].values.set(code, label);
      return code;
    }),
    value: row[at('OBS_VALUE')],
    status: split(row[at('OBS_STATUS')])[0],
  }));
  return { id: 'RESIDENTS', title: 'Residents by sex and age', dimensions, observations };
}

/** Households by kind as a cube: wards by indicators. */
export function householdsCube(folder: string): Cube {
  const [head, ...rows] = csvRows(readFileSync(join(folder, 'HOUSING.csv'), 'utf8'));
  const titles: Record<string, string> = {
    households: 'All households',
    households_ground: 'Households on the ground floor',
    households_no_car: 'Households without a car',
    households_ground_no_car: 'Households on the ground floor without a car',
  };
  const wards = new Map<string, string>();
  const observations = new Map<string, Cube['observations'][number]>();
  for (const row of rows) {
    const [code, name] = row;
    // A ward may come twice, revised: a cube has room for one figure, the later.
    wards.set(code, name.replace(/ \(revised\)$/, ''));
    head.slice(2).forEach((indicator, k) => {
      const codes = [code, indicator, '2024'];
      observations.set(codes.join(), { codes, value: row[k + 2], status: 'A' });
    });
  }
  return {
    id: 'HOUSEHOLDS',
    title: 'Households by floor and car',
    dimensions: [
      { id: 'AREA', name: 'Ward', values: wards },
      { id: 'KIND', name: 'Kind of household', values: new Map(Object.entries(titles)) },
      { id: 'YEAR', name: 'Year', values: new Map([['2024', '2024']]) },
    ],
    observations: [...observations.values()],
  };
}

/** Cars by district and by ward, made from the households of the wards: a table of many columns. */
export function carsTable(
  folder: string,
): { level: 'district' | 'ward'; code: string; name: string; values: number[] }[] {
  const [, ...rows] = csvRows(readFileSync(join(folder, 'HOUSING.csv'), 'utf8'));
  const found: ReturnType<typeof carsTable> = [];
  const districts = new Map<string, number[]>();
  const seen = new Map<string, string[]>(rows.map((row) => [row[0], row]));
  for (const [code, row] of seen) {
    const households = Number(row[2]);
    const none = Number(row[4]);
    const one = Math.round((households - none) * 0.7);
    const values = [
      households,
      none,
      one,
      households - none - one,
      Math.round(one * 0.06),
      Math.round(one * 0.11),
    ];
    found.push({ level: 'ward', code, name: row[1].replace(/ \(revised\)$/, ''), values });
    const district = `T${Number(code.slice(0, 2))}${code.slice(2, 4)}`;
    const sums = districts.get(district) ?? values.map(() => 0);
    districts.set(
      district,
      sums.map((sum, k) => sum + values[k]),
    );
  }
  for (const [code, values] of [...districts].sort())
    found.push({ level: 'district', code, name: code, values });
  return found;
}

export const carsColumns = ['CAR_001', 'CAR_002', 'CAR_003', 'CAR_004', 'CAR_005', 'CAR_006'];
