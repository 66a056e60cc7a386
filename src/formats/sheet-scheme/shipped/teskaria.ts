import type { SheetSchemeInput } from '../schema.ts';

const nationalGrid =
  'PROJCS["Teskaria National Grid",GEOGCS["Teskaria 1931",DATUM["Teskaria_1931",SPHEROID["International 1924",6378388,297],' +
  'TOWGS84[-112.4,86.3,-58.7,0.412,-0.287,0.935,-2.16]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],' +
  'PROJECTION["Lambert_Conformal_Conic_2SP"],PARAMETER["latitude_of_origin",45.6],PARAMETER["central_meridian",-30],' +
  'PARAMETER["standard_parallel_1",45.35],PARAMETER["standard_parallel_2",45.85],PARAMETER["false_easting",200000],' +
  'PARAMETER["false_northing",100000],UNIT["metre",1],AXIS["Easting",EAST],AXIS["Northing",NORTH]]';

/** The map series of the made-up country of the demo: sheets of 32 by 24 km, a snake of 16, quarters clockwise, quarters of quarters. */
export const teskaria: SheetSchemeInput = {
  sheets: 'Teskaria map series',
  crs: nationalGrid,
  levels: [
    {
      name: '80k',
      title: 'National sheets 1:80,000',
      scale: 80_000,
      grid: {
        columns: { from: 136_000, size: 32_000, count: 5, grow: 'east', label: { numbers: { digits: 2 } } },
        rows: {
          from: 148_000,
          size: 24_000,
          count: 5,
          grow: 'south',
          label: { letters: 'E-K', without: 'I' },
        },
      },
      code: 'T{row}{column}',
    },
    {
      name: '20k',
      title: 'Sheets 1:20,000',
      scale: 20_000,
      divide: {
        columns: 4,
        rows: 4,
        number: 'snake',
        start: 'north-east',
        label: { numbers: { digits: 2 } },
      },
      code: '{parent}-{number}',
    },
    {
      name: '10k',
      title: 'Quarters 1:10,000',
      scale: 10_000,
      divide: {
        columns: 2,
        rows: 2,
        number: 'quadrants',
        start: 'north-east',
        turn: 'clockwise',
        label: { letters: 'a-d' },
      },
      code: '{parent}{number}',
    },
    {
      name: '5k',
      title: 'Quarters of quarters 1:5,000',
      scale: 5_000,
      divide: {
        columns: 2,
        rows: 2,
        number: 'quadrants',
        start: 'north-east',
        turn: 'clockwise',
        label: { numbers: {} },
      },
      code: '{parent}{number}',
    },
    {
      name: '2k',
      title: 'Town sheets 1:2,000',
      scale: 2_000,
      of: '20k',
      divide: {
        columns: 8,
        rows: 6,
        number: 'tens',
        start: 'south-west',
        label: { numbers: { from: 0, digits: 2 } },
      },
      code: '{parent}.{number}',
    },
  ],
};
