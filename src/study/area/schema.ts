import * as z from 'zod';
import { metresFromText } from '../../core/area/length-text.ts';

const text = z.string().min(1);

const oneOrMore = z
  .union([text, z.number()])
  .transform(String)
  .or(z.array(z.union([text, z.number()]).transform(String)).min(1))
  .transform((value) => [value].flat());

function isLength(value: string): boolean {
  try {
    return Number.isFinite(metresFromText(value));
  } catch {
    return false;
  }
}

const length = z
  .union([text, z.number()])
  .transform(String)
  .refine(isLength, 'must be a length like 500 m or 2 km');

/** Keys of a layer of units, with the same word for all levels or one for each. */
const perLevel = z.union([text, z.record(text, text)]);

const units = z
  .strictObject({
    of: z
      .union([text, z.array(text).min(1)])
      .transform((value) => [value].flat())
      .describe(
        'The gathered layer that holds the units; or several, from the coarsest level to the finest.',
      ),
    code: oneOrMore.optional().describe('Code or codes of the units that make up the area.'),
    name: oneOrMore
      .optional()
      .describe(
        'Name or names of the units, in any letter case, with or without accents; “Weir End, Ombrey” with the unit above.',
      ),
    level: text
      .optional()
      .describe('The layer in which codes and names are looked for; all of them when left out.'),
    'down to': text
      .optional()
      .describe('The layer to go down to, or finest: all units of it that lie in those chosen.'),
    by: perLevel
      .default('code')
      .describe('Field that holds the codes; for several layers also one for each.'),
    'named by': perLevel.default('name').describe('Field that holds the names.'),
    parent: perLevel
      .optional()
      .describe(
        'How units know the one above: “field NAME” with its code, “codes” that begin with its code, or “place”; found out when left out.',
      ),
    where: text.optional().describe('CQL2 condition on the finest layer: only these units.'),
  })
  .refine(
    ({ code, name, where, 'down to': down }) => [code, name, where, down].some((each) => each !== undefined),
    'say which units: “code:”, “name:” or “where:”',
  )
  .describe('Units picked by code or name from gathered layers.');

const sides = z.strictObject({
  west: z.number().describe('Longitude of its western side.'),
  south: z.number().describe('Latitude of its southern side.'),
  east: z.number().describe('Longitude of its eastern side.'),
  north: z.number().describe('Latitude of its northern side.'),
});

const box = z
  .union([
    sides,
    z
      .tuple([z.number(), z.number(), z.number(), z.number()])
      .transform(([west, south, east, north]) => ({ west, south, east, north })),
  ])
  .describe(
    'A box in degrees on WGS 84; across the antimeridian west is greater than east. With “in crs”, in its coordinates.',
  );

const placeNamed = z
  .strictObject({
    of: text.describe('The gathered layer that holds the place.'),
    code: oneOrMore.optional().describe('Its code.'),
    name: oneOrMore.optional().describe('Its name.'),
    by: text.default('code').describe('Field with codes.'),
    'named by': text.default('name').describe('Field with names.'),
  })
  .refine(({ code, name }) => (code === undefined) !== (name === undefined), 'say either “code:” or “name:”')
  .describe('A place of a gathered layer, by name; with “radius”.');

const sheets = z
  .strictObject({
    of: text.describe('A sheet scheme that comes with Isomeric, or a file with one.'),
    code: oneOrMore.describe('Codes of sheets; the beginning of codes stands for all of them.'),
  })
  .describe('Map sheets by their codes.');

/** The ways to say an area: exactly one of them. */
const areaWays = ['units', 'box', 'point', 'place', 'polygon', 'layer', 'sheets'] as const;

const keys = {
  units: units.optional(),
  box: box.optional(),
  point: z
    .tuple([z.number(), z.number()])
    .optional()
    .describe('Longitude and latitude of a point on WGS 84; with “radius”. With “in crs”, its coordinates.'),
  place: placeNamed.optional(),
  polygon: z
    .union([text, z.record(z.string(), z.unknown())])
    .optional()
    .describe(
      'A polygon drawn by hand: WKT, GeoJSON, or a file that holds it; in degrees, or with “in crs”.',
    ),
  layer: text.optional().describe('All areas of a gathered layer.'),
  where: text.optional().describe('CQL2 condition: only these features of “layer”.'),
  sheets: sheets.optional(),
  radius: length.optional().describe('How far around a point or place: 2 km, along geodesics.'),
  'in crs': text.optional().describe('CRS of the coordinates of “box”, “point” or “polygon”.'),
  margin: length
    .optional()
    .describe(
      'What is added around the area, in metres on the ground whatever the CRS: 500 m; -200 m takes away.',
    ),
};

interface Part {
  units?: unknown;
  box?: z.output<typeof box>;
  point?: unknown;
  place?: unknown;
  polygon?: unknown;
  layer?: unknown;
  where?: unknown;
  sheets?: unknown;
  radius?: unknown;
  'in crs'?: unknown;
  together?: unknown;
}

interface Rule {
  holds(part: Part): boolean;
  words: string;
  /** The key that is told. */
  at?: string;
}

const waysIn = (part: Part) => areaWays.filter((way) => part[way] !== undefined);
const round = (part: Part) => part.point !== undefined || part.place !== undefined;
const inDegrees = ({ box: own, 'in crs': crs }: Part) => (crs === undefined ? own : undefined);

const rules: readonly Rule[] = [
  {
    holds: (part) => round(part) === (part.radius !== undefined),
    words: '“radius” goes with “point” and “place”, and they need it',
  },
  {
    holds: (part) => part.where === undefined || part.layer !== undefined,
    words: '“where” goes with “layer”; units have one of their own',
  },
  {
    holds: (part) =>
      part['in crs'] === undefined ||
      part.box !== undefined ||
      part.point !== undefined ||
      part.polygon !== undefined,
    words: '“in crs” goes with “box”, “point” and “polygon”',
  },
  {
    holds: (part) => {
      const own = inDegrees(part);
      if (own === undefined) return true;
      return [own.west, own.east].every((value) => value >= -180 && value <= 180) && own.west !== own.east;
    },
    words:
      'west and east are longitudes from -180 to 180 and differ; across the antimeridian west is greater than east',
    at: 'box',
  },
  {
    holds: (part) => {
      const own = inDegrees(part);
      return own === undefined || (own.south >= -90 && own.north <= 90 && own.south < own.north);
    },
    words: 'south and north are latitudes from -90 to 90, south the lesser one',
    at: 'box',
  },
];

function withRules<T extends z.ZodType>(schema: T): T {
  return rules.reduce(
    (made, { holds, words, at }) =>
      made.refine((value) => holds(value as Part), {
        error: words,
        ...(at === undefined ? {} : { path: [at] }),
      }),
    schema,
  );
}

const part = withRules(
  z
    .strictObject(keys)
    .refine((value) => waysIn(value).length === 1, `say exactly one of ${areaWays.join(', ')}`),
);

/** The study area. */
export const areaSchema = withRules(
  z
    .strictObject({
      ...keys,
      together: z
        .array(part)
        .min(2)
        .optional()
        .describe('Several areas that make up one, each said in one of the ways above.'),
      without: z
        .array(part)
        .min(1)
        .optional()
        .describe('What is taken away from the area again, said in the same ways.'),
      'on sheets': z
        .strictObject({
          of: text.describe('A sheet scheme that comes with Isomeric, or a file with one.'),
          level: text.describe('The level of sheets.'),
        })
        .optional()
        .describe('The map sheets that it lies on are told.'),
    })
    .refine(
      (value) => waysIn(value).length + (value.together === undefined ? 0 : 1) === 1,
      `say exactly one of ${areaWays.join(', ')}, together`,
    ),
);

export type AreaText = z.output<typeof areaSchema>;
export type AreaPart = z.output<typeof part>;

/** The parts that an area is made of, those that are taken away among them. */
export function partsOfArea(area: AreaText): { part: AreaPart; path: (string | number)[] }[] {
  const { together, without } = area;
  const main =
    together === undefined
      ? [{ part: area as AreaPart, path: [] }]
      : together.map((each, k) => ({ part: each, path: ['together', k] }));
  return [...main, ...(without ?? []).map((each, k) => ({ part: each, path: ['without', k] }))];
}

/** Names of the layers that an area is made of, each once. */
export function layersOfArea(area: AreaText): string[] {
  const names = partsOfArea(area).flatMap(({ part: own }) => [
    ...(own.units?.of ?? []),
    ...(own.place === undefined ? [] : [own.place.of]),
    ...(own.layer === undefined ? [] : [own.layer]),
  ]);
  return [...new Set(names)];
}
