/** The corner that counting begins at. */
export const corners = ['north-west', 'north-east', 'south-west', 'south-east'] as const;
export type Corner = (typeof corners)[number];

/** How the cells of a division follow each other. */
export interface Order {
  /**
   * `plain`: row after row (or column after column), each from the same side. `tens`: the same, but each row begins a new ten.
   * `snake`: every other row runs back. `quadrants`: four cells around their middle.
   */
  by: 'plain' | 'tens' | 'snake' | 'quadrants';
  start: Corner;
  /** Rows one after the other, or columns. */
  along: 'rows' | 'columns';
  /** For quadrants. */
  turn: 'clockwise' | 'anticlockwise';
}

/** Clockwise from the north-west: [column from the west, row from the south]. */
const around: readonly (readonly [number, number])[] = [
  [0, 1],
  [1, 1],
  [1, 0],
  [0, 0],
];
const placesAround: Readonly<Record<Corner, number>> = {
  'north-west': 0,
  'north-east': 1,
  'south-east': 2,
  'south-west': 3,
};

/**
 * The number of each cell, from 0: cell [row from the south × columns + column from the west]. With `tens`, the second row
 * begins at 10.
 */
export function numbering(columns: number, rows: number, { by, start, along, turn }: Order): Int32Array {
  const numbers = new Int32Array(columns * rows);
  if (by === 'quadrants') {
    for (let k = 0; k < 4; k++) {
      const at = (placesAround[start] + (turn === 'clockwise' ? k : 4 - k)) % 4;
      const [column, row] = around[at];
      numbers[row * 2 + column] = k;
    }
    return numbers;
  }
  const [north, west] = [start.startsWith('north'), start.endsWith('west')];
  for (let row = 0; row < rows; row++)
    for (let column = 0; column < columns; column++) {
      const down = north ? rows - 1 - row : row;
      const across = west ? column : columns - 1 - column;
      const [line, place, length] = along === 'rows' ? [down, across, columns] : [across, down, rows];
      const turned = by === 'snake' && line % 2 === 1 ? length - 1 - place : place;
      numbers[row * columns + column] = line * (by === 'tens' ? 10 : length) + turned;
    }
  return numbers;
}

const romanDigits: readonly (readonly [number, string])[] = [
  [1000, 'M'],
  [900, 'CM'],
  [500, 'D'],
  [400, 'CD'],
  [100, 'C'],
  [90, 'XC'],
  [50, 'L'],
  [40, 'XL'],
  [10, 'X'],
  [9, 'IX'],
  [5, 'V'],
  [4, 'IV'],
  [1, 'I'],
];

/** `14` → `XIV` */
export function romanNumber(value: number): string {
  let rest = value;
  let text = '';
  for (const [worth, digits] of romanDigits)
    while (rest >= worth) {
      text += digits;
      rest -= worth;
    }
  return text;
}
