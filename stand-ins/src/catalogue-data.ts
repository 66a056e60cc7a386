import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { csvRows } from './statistics-data.ts';

/** One thing that the catalogue of Teskaria tells of. */
export interface CatalogueRecord {
  id: string;
  title: string;
  description: string;
  keywords: string[];
  theme: string;
  level: string;
  year: number;
  provider: string;
  licence: string;
  universe?: string;
  breakdowns: string[];
  series?: string;
  columns: { name: string; title: string; unit?: string }[];
  /** Ways to it: relation, media type, and where it is below an office. */
  links: {
    rel: string;
    type?: string;
    title?: string;
    format?: string;
    office: 'catalogue' | 'statistics' | 'boundary' | 'none';
    path: string;
    bytes?: number;
  }[];
  updated: string;
}

/** Addresses of the offices that the catalogue tells of. */
export interface OfficeAddresses {
  catalogue: string;
  statistics: string;
  boundary: string;
}

const whole: [number, number, number, number] = [-30.7, 45.2, -29.2, 46];
export const countryBox = whole;

interface Topic {
  id: string;
  title: string;
  theme: string;
  provider: string;
  universe: string;
  breakdowns: string[];
  keywords: string[];
  columns: { name: string; title: string; unit?: string }[];
}

const office = 'Statistics Office of Teskaria';
const topics: readonly Topic[] = [
  {
    id: 'births',
    title: 'Births by age of the mother',
    theme: 'population',
    provider: office,
    universe: 'live births',
    breakdowns: ['age of mother'],
    keywords: ['fertility'],
    columns: [
      { name: 'births', title: 'Live births' },
      { name: 'births_under_20', title: 'Live births of mothers under 20' },
    ],
  },
  {
    id: 'deaths',
    title: 'Deaths by cause',
    theme: 'population',
    provider: office,
    universe: 'deaths',
    breakdowns: ['cause'],
    keywords: ['mortality'],
    columns: [
      { name: 'deaths', title: 'Deaths' },
      { name: 'deaths_heart', title: 'Deaths from diseases of the heart' },
    ],
  },
  {
    id: 'residents-sex-age',
    title: 'Residents by sex and age',
    theme: 'population',
    provider: office,
    universe: 'all residents',
    breakdowns: ['sex', 'age'],
    keywords: ['census'],
    columns: [
      { name: 'women', title: 'Women' },
      { name: 'men', title: 'Men' },
      { name: 'aged_65', title: 'Residents aged 65 and over' },
    ],
  },
  {
    id: 'moves',
    title: 'Moves within the country',
    theme: 'population',
    provider: office,
    universe: 'residents who moved',
    breakdowns: [],
    keywords: ['migration'],
    columns: [
      { name: 'arrivals', title: 'Arrivals' },
      { name: 'departures', title: 'Departures' },
    ],
  },
  {
    id: 'income',
    title: 'Income of households by source',
    theme: 'economy',
    provider: office,
    universe: 'private households',
    breakdowns: ['source of income'],
    keywords: ['earnings'],
    columns: [
      { name: 'income_mean', title: 'Mean income', unit: 'marks a year' },
      { name: 'income_low', title: 'Households below half of the mean income' },
    ],
  },
  {
    id: 'jobs',
    title: 'Employment by branch and sex',
    theme: 'economy',
    provider: office,
    universe: 'residents aged 16 to 64',
    breakdowns: ['branch', 'sex'],
    keywords: ['labour'],
    columns: [
      { name: 'employed', title: 'Employed residents' },
      { name: 'unemployed', title: 'Residents without work' },
    ],
  },
  {
    id: 'schools',
    title: 'Pupils by kind of school',
    theme: 'education',
    provider: 'Ministry of Schools',
    universe: 'pupils',
    breakdowns: ['kind of school'],
    keywords: ['education'],
    columns: [
      { name: 'pupils', title: 'Pupils' },
      { name: 'classes', title: 'Classes' },
    ],
  },
  {
    id: 'clinics',
    title: 'Visits to clinics by age',
    theme: 'health',
    provider: 'Health Board of Teskaria',
    universe: 'visits',
    breakdowns: ['age'],
    keywords: ['health'],
    columns: [{ name: 'visits', title: 'Visits' }],
  },
  {
    id: 'buses',
    title: 'Departures of buses',
    theme: 'transport',
    provider: 'Transport Board',
    universe: 'departures on a working day',
    breakdowns: [],
    keywords: ['public transport'],
    columns: [{ name: 'departures', title: 'Departures a day' }],
  },
  {
    id: 'floods',
    title: 'Flooded buildings',
    theme: 'hazards',
    provider: 'Water Works of Teskaria',
    universe: 'buildings',
    breakdowns: ['depth'],
    keywords: ['inundation', 'damage'],
    columns: [
      { name: 'flooded', title: 'Flooded buildings' },
      { name: 'flooded_1m', title: 'Buildings flooded deeper than a metre' },
    ],
  },
  {
    id: 'noise',
    title: 'Residents in noise by road class',
    theme: 'environment',
    provider: 'Environment Board',
    universe: 'residents',
    breakdowns: ['road class'],
    keywords: ['traffic'],
    columns: [{ name: 'noise_55', title: 'Residents above 55 decibels' }],
  },
  {
    id: 'dwellings',
    title: 'Dwellings by number of rooms',
    theme: 'housing',
    provider: office,
    universe: 'dwellings',
    breakdowns: ['rooms'],
    keywords: ['housing'],
    columns: [
      { name: 'dwellings', title: 'Dwellings' },
      { name: 'one_room', title: 'Dwellings of one room' },
    ],
  },
  {
    id: 'heating',
    title: 'Dwellings by heating',
    theme: 'housing',
    provider: office,
    universe: 'dwellings',
    breakdowns: ['heating'],
    keywords: ['energy'],
    columns: [
      { name: 'wood', title: 'Heated with wood' },
      { name: 'current', title: 'Heated with current' },
    ],
  },
];
const levels = ['country', 'province', 'district', 'ward'] as const;

/** Censuses of which HOUSING is there; the oldest ones knew nothing of cars, and called things otherwise. */
const housingYears = [2004, 2009, 2014, 2019, 2024];

function housingColumns(year: number): CatalogueRecord['columns'] {
  const households = { name: year < 2014 ? 'HH_TOTAL' : 'households', title: 'Households' };
  const ground = {
    name: year < 2014 ? 'HH_GROUND' : 'households_ground',
    title: 'Households on the ground floor',
  };
  const cars = [
    { name: 'households_no_car', title: 'Households without a car' },
    { name: 'households_ground_no_car', title: 'Households on the ground floor without a car' },
  ];
  return [
    { name: 'area_code', title: 'Ward code' },
    { name: 'area_name', title: 'Ward name' },
    households,
    ground,
    ...(year < 2009 ? [] : year < 2014 ? cars.slice(0, 1) : cars),
  ];
}

const open = 'Teskaria Open Statistics Licence 1.0';

function housingRecords(): CatalogueRecord[] {
  return housingYears.map((year) => ({
    id: `HOUSING-${year}`,
    title: `Households by floor and car ${year}`,
    description: `Households of the census of ${year}, by the floor they live on and whether they have a car.`,
    keywords: ['census', 'housing', 'ward'],
    theme: 'housing',
    level: year < 2009 ? 'district' : 'ward',
    year,
    provider: office,
    licence: open,
    universe: year < 2014 ? 'all households' : 'private households',
    breakdowns: ['floor', 'car'],
    series: 'HOUSING',
    columns: housingColumns(year),
    links: [
      year === 2024
        ? { rel: 'enclosure', type: 'text/csv', office: 'statistics' as const, path: 'files/HOUSING.csv' }
        : {
            rel: 'enclosure',
            type: 'text/csv',
            office: 'catalogue' as const,
            path: `files/HOUSING-${year}.csv`,
          },
    ],
    updated: `${year + 1}-03-15`,
  }));
}

/** Things that are told of and cannot be had, each for another reason. */
function deadEnds(): CatalogueRecord[] {
  const base = {
    keywords: ['flood'],
    theme: 'hazards',
    level: 'ward',
    year: 2019,
    provider: 'Water Works of Teskaria',
    licence: open,
    breakdowns: [],
    columns: [],
    updated: '2020-02-01',
  };
  return [
    {
      ...base,
      id: 'flood-plan',
      title: 'Plan of evacuation',
      description: 'The plan as it was decided, to be read.',
      links: [
        {
          rel: 'enclosure',
          type: 'application/pdf',
          office: 'none',
          path: 'https://plans.example/evacuation.pdf',
        },
      ],
    },
    {
      ...base,
      id: 'flood-portal',
      title: 'Portal of flood marks',
      description: 'A page on which flood marks can be looked at one by one.',
      links: [{ rel: 'enclosure', type: 'text/html', office: 'none', path: 'https://marks.example/portal' }],
    },
    {
      ...base,
      id: 'flood-survey',
      title: 'Survey of refuges',
      description: 'On request at the counter of the Water Works.',
      links: [],
    },
    {
      ...base,
      id: 'flood-pictures',
      title: 'Flood depth as pictures',
      description: 'A service of map pictures.',
      links: [
        {
          rel: 'service',
          format: 'OGC:WMS',
          office: 'none',
          path: 'https://pictures.example/wms?service=WMS',
        },
      ],
    },
  ];
}

/** Two tables of one name that are not the same. */
function namesakes(): CatalogueRecord[] {
  const base = {
    title: 'Households without a car',
    keywords: ['mobility'],
    level: 'ward',
    year: 2024,
    licence: open,
    columns: [
      { name: 'code', title: 'Ward code' },
      { name: 'no_car', title: 'Households without a car' },
    ],
    updated: '2024-10-01',
  };
  return [
    {
      ...base,
      id: 'no-car-census',
      description: 'Counted in the census.',
      theme: 'housing',
      provider: office,
      universe: 'private households',
      breakdowns: [],
      links: [{ rel: 'enclosure', type: 'text/csv', office: 'catalogue', path: 'files/no-car-census.csv' }],
    },
    {
      ...base,
      id: 'no-car-survey',
      description: 'Estimated from a survey of 4,000 households.',
      theme: 'transport',
      provider: 'Transport Board',
      universe: 'households with a member aged 18 and over',
      breakdowns: [],
      links: [{ rel: 'enclosure', type: 'text/csv', office: 'catalogue', path: 'files/no-car-survey.csv' }],
    },
  ];
}

function boundaries(): CatalogueRecord[] {
  return ['provinces', 'districts', 'wards'].map((name) => ({
    id: `boundaries-${name}`,
    title: `Boundaries of ${name}`,
    description: `Outlines of the ${name} of Teskaria with codes and names.`,
    keywords: ['administrative', name],
    theme: 'boundaries',
    level: name.slice(0, -1),
    year: 2024,
    provider: 'Boundary Office of Teskaria',
    licence: 'Teskaria Boundaries Licence 2.1',
    breakdowns: [],
    columns: [
      { name: 'code', title: 'Code' },
      { name: 'name', title: 'Name' },
    ],
    links: [
      {
        rel: 'items',
        type: 'application/geo+json',
        office: 'boundary' as const,
        path: `collections/${name}-2024/items`,
      },
    ],
    updated: '2024-01-01',
  }));
}

/** All that the catalogue tells of: some hundred tables, and what is planted among them. */
export function catalogueRecords(): CatalogueRecord[] {
  const many = topics.flatMap((topic) =>
    levels.flatMap((level) =>
      [2009, 2012, 2015, 2018, 2019, 2021, 2023, 2024].map((year): CatalogueRecord => {
        const id = `${topic.id}-${level}-${year}`;
        return {
          id,
          title: `${topic.title}, ${level === 'country' ? 'whole country' : `by ${level}`}`,
          description: `${topic.title} of ${year}. Universe: ${topic.universe}.`,
          keywords: [...topic.keywords, level],
          theme: topic.theme,
          level,
          year,
          provider: topic.provider,
          licence: topic.provider === office ? open : 'Open Data Teskaria 1.0',
          universe: topic.universe,
          breakdowns: topic.breakdowns,
          series: `${topic.id}-${level}`,
          columns: [{ name: 'code', title: `Code of the ${level}` }, ...topic.columns],
          links: [
            {
              rel: 'enclosure',
              type: 'text/csv',
              office: 'catalogue',
              path: `files/${id}.csv`,
              bytes: 2000 + 13 * id.length * (year - 2000),
            },
          ],
          updated: `${year + 1}-06-30`,
        };
      }),
    ),
  );
  return [...housingRecords(), ...namesakes(), ...boundaries(), ...deadEnds(), ...many];
}

/** A table of the catalogue as CSV: made-up figures for the wards, or for what lies above them. */
export function catalogueTable(record: CatalogueRecord, folder: string): string {
  const [, ...rows] = csvRows(readFileSync(join(folder, 'HOUSING.csv'), 'utf8'));
  const digits =
    record.level === 'ward' ? 6 : record.level === 'district' ? 4 : record.level === 'province' ? 2 : 0;
  const codes = [...new Set(rows.map(([code]) => (digits === 0 ? 'TS' : code.slice(0, digits))))];
  const [key, ...figures] = record.columns.filter(({ name }) => name !== 'area_name');
  // Figures that depend on nothing but code, column and year.
  const figure = (code: string, column: string) => {
    let hash = 7;
    for (const sign of `${code} ${column} ${record.id}`) hash = (hash * 31 + sign.charCodeAt(0)) % 9973;
    return hash % 900;
  };
  const lines = codes.map((code) =>
    [code, ...figures.map(({ name }) => String(figure(code, name)))].join(','),
  );
  return `${[key.name, ...figures.map(({ name }) => name)].join(',')}\n${lines.join('\n')}\n`;
}
