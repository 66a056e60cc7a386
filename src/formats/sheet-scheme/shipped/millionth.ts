import type { SheetSchemeInput } from '../schema.ts';

const letters = [...'ABCDEFGHIJKLMNOPQRSTUV'];
/** Rows from the south pole to the north pole; the caps beyond 88° are one sheet each. */
const rows = [
  'SZ',
  ...letters.toReversed().map((row) => `S${row}`),
  ...letters.map((row) => `N${row}`),
  'NZ',
];
const edges = [-90, ...Array.from({ length: 45 }, (_, k) => -88 + 4 * k), 90];

const quarters = { columns: 2, rows: 2, number: 'plain' } as const;
/** Beyond 60° two neighbours are printed on one sheet, beyond 76° more. */
const pairs = [{ beyond: 60, columns: 2 }];

/** The International Map of the World 1:1,000,000 (rows of 4°, columns of 6°) and the usual divisions of its sheets. */
export const millionth: SheetSchemeInput = {
  sheets: 'International map 1:1,000,000',
  crs: 'EPSG:4326',
  levels: [
    {
      name: '1000k',
      title: 'Sheets 1:1,000,000',
      scale: 1_000_000,
      grid: {
        columns: { from: -180, size: 6, count: 60, label: { numbers: { digits: 2 } } },
        rows: { edges, label: { list: rows } },
        joined: [
          { beyond: 60, columns: 2 },
          { beyond: 76, columns: 4 },
          { beyond: 88, columns: 60 },
        ],
      },
      code: '{row}[-{column}]',
    },
    {
      name: '500k',
      title: 'Quarters 1:500,000',
      scale: 500_000,
      of: '1000k',
      divide: { ...quarters, label: { letters: 'A-D' }, joined: pairs },
      code: '{parent}-{number}',
    },
    {
      name: '250k',
      title: 'Twelfths 1:250,000',
      scale: 250_000,
      of: '1000k',
      divide: { columns: 3, rows: 4, number: 'plain', label: { numbers: { digits: 2 } } },
      code: '{parent}-{number}',
    },
    {
      name: '200k',
      title: 'Sheets 1:200,000',
      scale: 200_000,
      of: '1000k',
      divide: {
        columns: 6,
        rows: 6,
        number: 'plain',
        label: { roman: true },
        joined: [
          { beyond: 60, columns: 2 },
          { beyond: 76, columns: 3 },
        ],
      },
      code: '{parent}-{number}',
    },
    {
      name: '100k',
      title: 'Sheets 1:100,000',
      scale: 100_000,
      of: '1000k',
      divide: {
        columns: 12,
        rows: 12,
        number: 'plain',
        label: { numbers: { digits: 3 } },
        joined: [
          { beyond: 60, columns: 2 },
          { beyond: 76, columns: 4 },
        ],
      },
      code: '{parent}-{number}',
    },
    {
      name: '50k',
      title: 'Sheets 1:50,000',
      scale: 50_000,
      of: '100k',
      divide: { ...quarters, label: { letters: 'A-D' }, joined: pairs },
      code: '{parent}-{number}',
    },
    {
      name: '25k',
      title: 'Sheets 1:25,000',
      scale: 25_000,
      of: '50k',
      divide: { ...quarters, label: { letters: 'a-d' }, joined: pairs },
      code: '{parent}-{number}',
    },
  ],
};
