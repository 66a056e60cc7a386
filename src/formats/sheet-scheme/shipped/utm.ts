import type { SheetSchemeInput } from '../schema.ts';

/** Zones of 6° and latitude bands of 8° (the northernmost of 12°), and the squares of 100 km of their projections. */
export const utm: SheetSchemeInput = {
  sheets: 'UTM zones and 100 km squares',
  crs: 'EPSG:4326',
  levels: [
    {
      name: 'zones',
      title: 'Zones with latitude bands',
      grid: {
        columns: { from: -180, size: 6, count: 60, label: { numbers: { digits: 2 } } },
        rows: {
          edges: [...Array.from({ length: 20 }, (_, k) => -80 + 8 * k), 84],
          label: { letters: 'C-X', without: 'IO' },
        },
        exceptions: [
          { row: 'V', column: '31', west: 0, east: 3 },
          { row: 'V', column: '32', west: 3, east: 12 },
          { row: 'X', column: '31', west: 0, east: 9 },
          { row: 'X', column: '32' },
          { row: 'X', column: '33', west: 9, east: 21 },
          { row: 'X', column: '34' },
          { row: 'X', column: '35', west: 21, east: 33 },
          { row: 'X', column: '36' },
          { row: 'X', column: '37', west: 33, east: 42 },
        ],
      },
      code: '{column}{row}',
    },
    {
      name: 'squares',
      title: 'Squares of 100 km',
      squares: {
        size: 100_000,
        crs: { north: 'EPSG:326{column}', south: 'EPSG:327{column}' },
        // Square 1 is the first (eastings begin at 100 km): its letter is A, J or S in turn.
        column: { label: { letters: 'A-Z', without: 'IO' }, starts: [23, 7, 15] },
        row: { label: { letters: 'A-V', without: 'IO' }, starts: [0, 5] },
      },
      code: '{parent}{column}{row}',
    },
  ],
};
