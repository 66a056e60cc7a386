import { cellsOf2019 } from './boundaries.ts';
import { seeded, seedOf } from './random.ts';
import { flats, type Ward, wards } from './units.ts';

/** Made-up counts of one ward. Low ground near the river mouth in the south-east has more of both troubles. */
function counts(ward: Ward): {
  households: number;
  ground: number;
  noCar: number;
  both: number;
  persons: number;
  over65: number;
} {
  const own = seeded(seedOf('census', ward.code));
  const low = Math.max(0, 1 - Math.hypot(ward.centre[0] - 219_000, ward.centre[1] - 96_000) / 42_000);
  const town = Math.max(0, 1 - Math.hypot(ward.centre[0] - 207_500, ward.centre[1] - 97_500) / 9_000);
  const households = Math.round(180 + 900 * own() ** 2 + 2600 * town * (0.6 + 0.4 * own()));
  const ground = Math.round(households * Math.min(0.9, 0.22 + 0.34 * low + 0.2 * (own() - 0.5)));
  const noCar = Math.round(households * Math.min(0.85, 0.1 + 0.22 * low ** 1.5 + 0.25 * town + 0.14 * own()));
  const both = Math.round(Math.min(ground, noCar) * (0.35 + 0.3 * own()));
  const persons = Math.round(households * (1.9 + 0.8 * own()));
  return { households, ground, noCar, both, persons, over65: Math.round(persons * (0.12 + 0.2 * own())) };
}

/** Wards of the flats whose figures the second release corrects, with the factor of their households without a car. */
const corrected: Readonly<Record<number, number>> = { 3: 1.18, 9: 0.86, 15: 1.41, 21: 1.07 };

/**
 * HOUSING by ward, as the statistics office answers: codes whole, one ward missing, one row twice. In its second release the
 * missing ward has come, and some figures are corrected.
 */
export function housing(release: 1 | 2 = 1): string {
  const missing = flats[7].code;
  const twice = flats[12].code;
  const lines = [
    'area_code,area_name,households,households_ground,households_no_car,households_ground_no_car',
  ];
  for (const ward of wards) {
    if (ward.code === missing && release === 1) continue;
    const c = counts(ward);
    const factor = release === 1 ? undefined : corrected[flats.indexOf(ward)];
    if (factor !== undefined) {
      c.noCar = Math.min(c.households, Math.round(c.noCar * factor));
      c.both = Math.min(c.noCar, c.both);
    }
    const line = `${ward.code},"${ward.name}",${c.households},${c.ground},${c.noCar},${c.both}`;
    lines.push(line);
    if (ward.code === twice)
      lines.push(
        `${ward.code},"${ward.name} (revised)",${c.households + 3},${c.ground + 1},${c.noCar},${c.both}`,
      );
  }
  return `${lines.join('\n')}\n`;
}

/** Households of the flats alone, for the study that “isomeric new” begins with; one figure is suppressed. */
export function householdsOfFlats(): string {
  const lines = ['ward,households,no_car'];
  flats.forEach((ward, k) => {
    const c = counts(ward);
    lines.push(`${ward.code},${c.households},${k === 11 ? '*' : c.noCar}`);
  });
  return `${lines.join('\n')}\n`;
}

/** POPULATION as a spreadsheet program left it: semicolons, zeros of the codes lost, a total at the end. */
export function population(): string {
  const lines = ['ward;persons;persons_65_plus'];
  let all = 0;
  let old = 0;
  for (const ward of wards) {
    const c = counts(ward);
    all += c.persons;
    old += c.over65;
    lines.push(`${Number(ward.code)};${c.persons};${c.over65}`);
  }
  lines.push(`999999;${all};${old}`);
  return `${lines.join('\r\n')}\r\n`;
}

/** Residents of 2019 on the wards of then, their codes guarded as office programs do: `="020401"`. */
export function population2019(): string {
  const lines = ['WARD,PERSONS'];
  for (const [code, cells] of cellsOf2019()) {
    const persons = cells.reduce((sum, ward) => {
      const own = seeded(seedOf('census 2019', ward.code));
      return sum + Math.round(counts(ward).persons * (0.9 + 0.18 * own()));
    }, 0);
    lines.push(`"=""${code}""",${persons}`);
  }
  return `${lines.join('\n')}\n`;
}

/** What the statistics office tells of its tables. */
export function catalogue(): string {
  const tables = [
    {
      id: 'HOUSING',
      title: 'Households by floor and car',
      levels: ['ward'],
      year: 2024,
      file: 'HOUSING.csv',
      licence: 'Teskaria Open Statistics Licence 1.0',
      citation: 'Statistics Office of Teskaria (2024): Households by floor and car, table HOUSING.',
      columns: {
        area_code: 'Ward code',
        area_name: 'Ward name',
        households: 'Households',
        households_ground: 'Households on the ground floor',
        households_no_car: 'Households without a car',
        households_ground_no_car: 'Households on the ground floor without a car',
      },
    },
    {
      id: 'POPULATION',
      title: 'Residents by age',
      levels: ['ward'],
      year: 2024,
      file: 'POPULATION.csv',
      licence: 'Teskaria Open Statistics Licence 1.0',
      citation: 'Statistics Office of Teskaria (2024): Residents by age, table POPULATION.',
      columns: { ward: 'Ward code', persons: 'Residents', persons_65_plus: 'Residents aged 65 and over' },
    },
  ];
  tables.push(
    {
      id: 'M24',
      title: 'Mobility of residents aged 16 and over',
      levels: ['country', 'district', 'ward'],
      year: 2024,
      file: 'MOBILITY-2024.zip',
      licence: 'Teskaria Open Statistics Licence 1.0',
      citation: 'Statistics Office of Teskaria (2024): Mobility survey, table M24.',
      columns: { M24_001E: 'Residents aged 16 and over', M24_002E: 'Residents who cannot walk 500 metres' },
    } as never,
    {
      id: 'RESIDENTS',
      title: 'Residents by sex and age',
      levels: ['ward'],
      year: 2024,
      file: 'RESIDENTS.csv',
      licence: 'Teskaria Open Statistics Licence 1.0',
      citation: 'Statistics Office of Teskaria (2024): Residents by sex and age.',
      columns: { OBS_VALUE: 'Residents' },
    } as never,
  );
  return `${JSON.stringify({ tables }, null, 2)}\n`;
}
