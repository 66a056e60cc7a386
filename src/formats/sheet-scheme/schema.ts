import * as z from 'zod';
import { corners } from '../../core/sheets/numbering.ts';

const text = z.string().min(1);
/** Columns or rows of one level, at most. */
const mostLines = 100_000;

const numbers = z.strictObject({
  numbers: z.strictObject({
    from: z.number().int().min(0).default(1).describe('The first number; 1 when left out.'),
    digits: z
      .number()
      .int()
      .min(1)
      .max(9)
      .default(1)
      .describe('Digits, with zeros in front; 1 when left out.'),
  }),
});
const letters = z.strictObject({
  letters: z
    .string()
    .regex(/^[A-Za-z]-[A-Za-z]$/, 'must be like A-Z')
    .describe('The first and the last letter: A-Z.'),
  without: z.string().default('').describe('Letters that are left out: IO.'),
});
const list = z.strictObject({ list: z.array(text).min(1).describe('All names, in their order.') });
const roman = z.strictObject({ roman: z.literal(true).describe('I, II, III …') });
const degrees = z.strictObject({
  degrees: z
    .strictObject({
      positive: text.describe('Letter of the half in the north or east.'),
      negative: text.describe('Letter of the half in the south or west.'),
      digits: z.number().int().min(1).max(3),
    })
    .describe('The degrees of its western or southern edge: N45.'),
});

const label = z
  .union([numbers, letters, list, roman])
  .describe('What the names are, in the order of counting.');
const axisLabel = z
  .union([numbers, letters, list, roman, degrees])
  .describe('What columns or rows are called, in the order in which they grow.');

const axis = (grow: readonly [string, string], which: string) =>
  z
    .strictObject({
      from: z.number().optional().describe('The edge that the first one begins at.'),
      size: z.number().positive().optional().describe('How wide or high each is, in units of the CRS.'),
      count: z.number().int().min(1).max(mostLines).optional().describe('How many there are.'),
      edges: z
        .array(z.number())
        .min(2)
        .optional()
        .describe('All edges one after the other, where they are not evenly spaced.'),
      grow: z
        .enum(grow as [string, string])
        .default(grow[0])
        .describe(`Where ${which} grow to; ${grow[0]} when left out.`),
      label: axisLabel,
    })
    .refine(
      (value) =>
        value.edges === undefined
          ? value.from !== undefined && value.size !== undefined && value.count !== undefined
          : value.from === undefined && value.size === undefined && value.count === undefined,
      'say either from, size and count, or edges',
    );

const joined = z
  .array(
    z.strictObject({
      beyond: z.number().min(0).max(90).describe('Latitude, north or south, from which on.'),
      columns: z.number().int().min(2).describe('How many neighbours in a row make one sheet.'),
    }),
  )
  .default([])
  .describe('Where meridians come together: several neighbours make one sheet.');

const grid = z.strictObject({
  columns: axis(['east', 'west'], 'columns'),
  rows: axis(['north', 'south'], 'rows'),
  joined,
  exceptions: z
    .array(
      z.strictObject({
        column: text.describe('Name of its column.'),
        row: text.describe('Name of its row.'),
        west: z.number().optional(),
        east: z.number().optional(),
      }),
    )
    .default([])
    .describe('Cells with other sides than their column; without west and east there is no such cell.'),
});

const divide = z.strictObject({
  columns: z.number().int().min(1).max(1000),
  rows: z.number().int().min(1).max(1000),
  number: z
    .enum(['plain', 'tens', 'snake', 'quadrants'])
    .optional()
    .describe(
      'How cells are counted: row after row, each row with a new ten, every other row back, or four around their middle.',
    ),
  start: z.enum(corners).default('north-west').describe('Corner of the first one; north-west when left out.'),
  along: z.enum(['rows', 'columns']).default('rows').describe('Rows after each other, or columns.'),
  turn: z.enum(['clockwise', 'anticlockwise']).default('clockwise').describe('For quadrants.'),
  label: label.optional().describe('What cells are called, in the order of counting.'),
  row: z
    .strictObject({ grow: z.enum(['north', 'south']).default('north'), label })
    .optional()
    .describe('Names of the rows, where codes are made of row and column.'),
  column: z
    .strictObject({ grow: z.enum(['east', 'west']).default('east'), label })
    .optional()
    .describe('Names of the columns.'),
  joined,
});

const squares = z.strictObject({
  size: z.number().positive().describe('Side of a square, in units of its CRS.'),
  crs: z
    .strictObject({ north: text, south: text })
    .describe('CRS of the squares north and south of the equator; {column} is the name of the column above.'),
  column: z.strictObject({
    label: letters,
    starts: z
      .array(z.number().int().min(0))
      .min(1)
      .describe('Number of the name of square 0 in the first, second … column above.'),
  }),
  row: z.strictObject({ label: letters, starts: z.array(z.number().int().min(0)).min(1) }),
});

const tree = z.strictObject({
  west: z.number(),
  south: z.number(),
  east: z.number(),
  north: z.number(),
  depth: z.number().int().min(1).max(30).describe('How often each tile is quartered.'),
});

const level = z
  .strictObject({
    name: text.describe('Short name, for --level.'),
    title: text.optional().describe('What people read.'),
    scale: z.number().positive().optional().describe('The number that the scale is one over.'),
    of: text.optional().describe('Name of the level that is divided; the one before when left out.'),
    grid: grid.optional().describe('Columns and rows over the plane.'),
    divide: divide.optional().describe('How a sheet of the level above is divided.'),
    squares: squares.optional().describe('Squares of a projected CRS within each sheet of the level above.'),
    'quad-tree': tree
      .optional()
      .describe('Square tiles, each divided in four, and named by depth, column and row.'),
    code: text
      .optional()
      .describe(
        'How its codes are written: {parent}, {number}, {row}, {column}; what stands in [ ] is left out where a row is one sheet.',
      ),
  })
  .refine(
    (value) =>
      [value.grid, value.divide, value.squares, value['quad-tree']].filter((each) => each !== undefined)
        .length === 1,
    'say exactly one of grid, divide, squares, quad-tree',
  )
  .refine(
    (value) => (value.code === undefined) === (value['quad-tree'] !== undefined),
    'say with “code” how codes are written',
  );

/** A sheet scheme as its file says it. */
export const sheetSchemeSchema = z.strictObject({
  sheets: text.describe('Title of the series.'),
  crs: text.describe('CRS of the grid: a code, a name, or WKT.'),
  levels: z
    .array(level)
    .min(1)
    .describe('From the coarsest to the finest; each divides the one before, or the one that “of” names.'),
});

export type SheetSchemeFile = z.output<typeof sheetSchemeSchema>;
export type SheetSchemeInput = z.input<typeof sheetSchemeSchema>;
export type LabelRule = z.output<typeof axisLabel>;

/** JSON Schema of sheet schemes, for editors. */
export function sheetSchemeJsonSchema(): Record<string, unknown> {
  return {
    title: 'Isomeric sheet scheme',
    ...z.toJSONSchema(sheetSchemeSchema, { io: 'input', unrepresentable: 'any' }),
  };
}
