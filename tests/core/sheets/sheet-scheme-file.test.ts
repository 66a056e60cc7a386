import { describe, expect, it } from 'vitest';
import { IsomericError } from '../../../src/core/errors.ts';
import { codeOf } from '../../../src/core/sheets/codes.ts';
import { numbering, romanNumber } from '../../../src/core/sheets/numbering.ts';
import { CodeReader } from '../../../src/core/sheets/reading-codes.ts';
import { readSheetScheme } from '../../../src/formats/sheet-scheme/read.ts';
import { sheetSchemeJsonSchema } from '../../../src/formats/sheet-scheme/schema.ts';
import { shippedSchemes } from '../../../src/formats/sheet-scheme/shipped/register.ts';

const scheme = (levels: unknown[], crs = 'EPSG:32626') =>
  JSON.stringify({ sheets: 'Own series', crs, levels }, null, 2);
const grid = {
  name: 'large',
  grid: {
    columns: { from: 0, size: 1000, count: 3, label: { letters: 'A-Z', without: 'B' } },
    rows: { from: 3000, size: 1000, count: 3, grow: 'south', label: { numbers: { digits: 2 } } },
  },
  code: '{column}{row}',
};

function told(text: string): IsomericError {
  try {
    readSheetScheme(text, 'own.json');
  } catch (error) {
    if (error instanceof IsomericError) return error;
    throw error;
  }
  throw new Error('it was read');
}

describe('a sheet scheme in a file', () => {
  it('leaves letters out, grows to the south, and reads padded and unpadded codes', () => {
    const own = readSheetScheme(scheme([grid]), 'own.json');
    const codes = [...own.within(0, null)].map((sheet) => codeOf(own, sheet));
    expect(codes).toEqual(['A01', 'C01', 'D01', 'A02', 'C02', 'D02', 'A03', 'C03', 'D03']);
    const reader = new CodeReader(own);
    expect(own.box(reader.read('c1').sheets[0])).toEqual([1000, 2000, 2000, 3000]);
    expect(reader.read('C').sheets).toHaveLength(3);
    expect(() => reader.read('B01')).toThrow(/its codes begin with one of A, C, D/);
  });

  it('divides by row and column, by tens and with other corners', () => {
    const own = readSheetScheme(
      scheme([
        grid,
        {
          name: 'tens',
          divide: {
            columns: 4,
            rows: 2,
            number: 'tens',
            start: 'south-east',
            label: { numbers: { from: 11, digits: 2 } },
          },
          code: '{parent}/{number}',
        },
        {
          name: 'named',
          of: 'large',
          divide: {
            columns: 2,
            rows: 2,
            row: { grow: 'south', label: { list: ['upper', 'lower'] } },
            column: { label: { list: ['left', 'right'] } },
          },
          code: '{parent} {row} {column}',
        },
      ]),
      'own.json',
    );
    const reader = new CodeReader(own);
    expect(own.box(reader.read('A01/11').sheets[0])).toEqual([750, 2000, 1000, 2500]);
    expect(own.box(reader.read('A01/24').sheets[0])).toEqual([0, 2500, 250, 3000]);
    expect(own.box(reader.read('a01 upper right').sheets[0])).toEqual([500, 2500, 1000, 3000]);
    expect(() => reader.read('A01/15')).toThrow(/comes a number from 11 to 24/);
    expect(() => reader.read('A01/15')).toThrow(IsomericError);
  });

  it.each([
    [
      'no grid at first',
      scheme([
        { name: 'x', divide: { columns: 2, rows: 2, label: { numbers: {} } }, code: '{parent}{number}' },
      ]),
      /the first level is a grid/,
    ],
    [
      'too few letters',
      scheme([
        { ...grid, grid: { ...grid.grid, columns: { ...grid.grid.columns, label: { letters: 'A-B' } } } },
      ]),
      /there are 3 of them, and only 2 names/,
    ],
    [
      'a name twice',
      scheme([
        {
          ...grid,
          grid: { ...grid.grid, columns: { ...grid.grid.columns, label: { list: ['a', 'b', 'A'] } } },
        },
      ]),
      /“A” stands twice/,
    ],
    [
      'quadrants of nine',
      scheme([
        grid,
        {
          name: 'y',
          divide: { columns: 3, rows: 3, number: 'quadrants', label: { numbers: {} } },
          code: '{parent}{number}',
        },
      ]),
      /quadrants are two columns and two rows/,
    ],
    [
      'no parent in a code',
      scheme([
        grid,
        { name: 'y', divide: { columns: 2, rows: 2, label: { numbers: {} } }, code: '{number}' },
      ]),
      /hold that of the sheet above/,
    ],
    [
      'an unknown word in a code',
      scheme([{ ...grid, code: '{column}{line}' }]),
      /in braces stands one of parent, number, row, column/,
    ],
    [
      'edges that turn',
      scheme([{ ...grid, grid: { ...grid.grid, rows: { edges: [0, 2, 1], label: { numbers: {} } } } }]),
      /do not grow to the north/,
    ],
    ['another key', scheme([{ ...grid, collor: 'red' }]), /collor/],
    ['an unknown CRS', scheme([grid], 'EPSG:1'), /EPSG/],
    ['no text', '', /Begin one with “isomeric sheets/],
  ])('tells %s', (_, text, words) => {
    const error = told(text);
    expect(`${error.message} ${error.advice}`).toMatch(words);
    expect(error.blame).toBe('usage');
  });

  it('tells where in the file a level is wrong', () => {
    const error = told(
      scheme([
        grid,
        {
          name: 'y',
          divide: { columns: 3, rows: 3, number: 'quadrants', label: { numbers: {} } },
          code: '{parent}{number}',
        },
      ]),
    );
    expect(error.place).toMatchObject({ file: 'own.json' });
    expect(error.place.line).toBeGreaterThan(30);
  });

  it('is what those that come with Isomeric are: each reads as its own JSON, and a JSON Schema describes them', () => {
    for (const [name, input] of Object.entries(shippedSchemes)) {
      const text = JSON.stringify(input);
      const own = readSheetScheme(text, `${name}.json`);
      expect(own.rules.title).toBe(input.sheets);
    }
    expect(sheetSchemeJsonSchema()).toMatchObject({ title: 'Isomeric sheet scheme', type: 'object' });
  });

  it('numbers cells as told', () => {
    const order = (by: 'plain' | 'snake' | 'tens', along: 'rows' | 'columns' = 'rows') =>
      Array.from(numbering(3, 2, { by, start: 'north-west', along, turn: 'clockwise' }));
    // From the south, then from the west.
    expect(order('plain')).toEqual([3, 4, 5, 0, 1, 2]);
    expect(order('snake')).toEqual([5, 4, 3, 0, 1, 2]);
    expect(order('tens')).toEqual([10, 11, 12, 0, 1, 2]);
    expect(order('plain', 'columns')).toEqual([1, 3, 5, 0, 2, 4]);
    expect(order('snake', 'columns')).toEqual([1, 2, 5, 0, 3, 4]);
    expect([1, 4, 9, 14, 36, 1994].map(romanNumber)).toEqual(['I', 'IV', 'IX', 'XIV', 'XXXVI', 'MCMXCIV']);
  });
});

describe('wrong codes', () => {
  const own = readSheetScheme(JSON.stringify(shippedSchemes.teskaria), 't.json');
  const reader = new CodeReader(own);
  const advice = (code: string) => {
    try {
      reader.read(code);
    } catch (error) {
      return (error as IsomericError).advice ?? '';
    }
    return 'read';
  };

  it.each([
    ['TG03-17', 'TG03-16'],
    ['TG06', 'TG05'],
    ['TI03', 'TH03'],
    ['TG03-07b5', 'TG03-07b4'],
    ['TG03-07e', 'TG03-07d'],
    ['TG03-7x', 'TG03-07'],
  ])('%s: the nearest right code is %s', (wrong, right) => {
    expect(advice(wrong)).toContain(right);
  });

  it('of any length and kind end in an error, quickly', () => {
    for (const wrong of [
      '',
      ' ',
      '-',
      'T'.repeat(5000),
      '1'.repeat(99),
      'T-'.repeat(49),
      '\u0000',
      '{parent}',
      'TG03-07b'.repeat(12),
    ])
      expect(() => reader.read(wrong), wrong.slice(0, 20)).toThrow(IsomericError);
  });
});
