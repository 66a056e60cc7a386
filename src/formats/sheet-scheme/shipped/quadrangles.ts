import type { SheetSchemeInput } from '../schema.ts';

/** Quadrangles between meridians and parallels, named by the degrees of their south-western corner. */
export const quadrangles: SheetSchemeInput = {
  sheets: 'Geographic quadrangles',
  crs: 'EPSG:4326',
  levels: [
    {
      name: 'degree',
      title: 'Cells of one degree',
      scale: 250_000,
      grid: {
        columns: {
          from: -180,
          size: 1,
          count: 360,
          label: { degrees: { positive: 'E', negative: 'W', digits: 3 } },
        },
        rows: {
          from: -90,
          size: 1,
          count: 180,
          label: { degrees: { positive: 'N', negative: 'S', digits: 2 } },
        },
      },
      code: '{row}{column}',
    },
    {
      name: '30min',
      title: 'Quadrangles of 30 minutes',
      scale: 100_000,
      divide: { columns: 2, rows: 2, number: 'plain', label: { list: ['NW', 'NE', 'SW', 'SE'] } },
      code: '{parent}-{number}',
    },
    {
      name: '15min',
      title: 'Quadrangles of 15 minutes',
      scale: 50_000,
      divide: { columns: 2, rows: 2, number: 'plain', label: { list: ['NW', 'NE', 'SW', 'SE'] } },
      code: '{parent}-{number}',
    },
    {
      name: '7.5min',
      title: 'Quadrangles of 7.5 minutes',
      scale: 25_000,
      of: 'degree',
      divide: {
        columns: 8,
        rows: 8,
        row: { grow: 'north', label: { letters: 'A-H' } },
        column: { grow: 'west', label: { numbers: {} } },
      },
      code: '{parent}-{row}{column}',
    },
  ],
};
