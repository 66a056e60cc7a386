import * as z from 'zod';
import { columnKinds, shapeNames } from '../../core/class-scheme/scheme.ts';

const text = z.string().min(1);
const name = z
  .string()
  .regex(/^[\p{L}][\p{L}\p{N}_]*$/u, 'must begin with a letter and hold only letters, digits and _');
const colour = z.string().regex(/^#[0-9a-fA-F]{6}$/, 'must be a colour like #2f74a8');
const importance = z.number().int().min(0).max(100);

const style = z
  .strictObject({
    stroke: colour.optional().describe('Colour of lines and borders.'),
    fill: colour.optional().describe('Colour of areas and points.'),
    width: z.number().positive().max(20).optional().describe('Width of lines, in points.'),
    size: z.number().positive().max(40).optional().describe('Diameter of points, in points.'),
  })
  .describe('How it is drawn when nobody says otherwise.');

const column = z.union([
  z.enum(columnKinds),
  z.strictObject({
    tag: text.optional().describe('Key of the tag; the name of the column when left out.'),
    as: z.enum(columnKinds).default('text'),
    title: text.optional(),
  }),
]);

const rule = z.strictObject({
  name: name.describe('Name of the sub-class.'),
  title: text.optional(),
  where: text.describe('CQL2 over tags, geometry (point, line, area) and object (node, way, relation).'),
  importance: importance.optional(),
  style: style.optional(),
});

const schemeClass = z.strictObject({
  title: text.optional(),
  geometry: z
    .array(z.enum(shapeNames))
    .min(1)
    .describe('Geometries that it holds; each makes a layer of its own.'),
  'areas as points': z.boolean().default(false).describe('Areas become points inside them.'),
  importance: importance.default(50),
  style: style.default({}),
  columns: z
    .record(name, column)
    .default({})
    .describe('Tags that become columns; the others stay together in one.'),
  rules: z.array(rule).min(1).describe('In order: the first that fits counts.'),
});

/** A class scheme: which tags make which class. */
export const schemeSchema = z.strictObject({
  scheme: text.describe('Title of the scheme.'),
  classes: z
    .record(name, schemeClass)
    .refine((value) => Object.keys(value).length > 0, 'name at least one class'),
});

export type SchemeFile = z.output<typeof schemeSchema>;

/** JSON Schema of class schemes, for editors. */
export function schemeJsonSchema(): Record<string, unknown> {
  return {
    title: 'Isomeric class scheme',
    ...z.toJSONSchema(schemeSchema, { io: 'input', unrepresentable: 'any' }),
  };
}
