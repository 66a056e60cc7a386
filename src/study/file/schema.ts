import * as z from 'zod';
import { mostHeaderRows } from '../../core/table/header-rows.ts';
import { usualUnsureAbove } from '../../core/table/margins.ts';
import { isTableFormat, writingFormats } from '../../formats/writing/register.ts';
import { catalogueKinds } from '../../sources/catalogue/kinds.ts';
import { protocolKinds } from '../../sources/kinds.ts';
import { areaSchema } from '../area/schema.ts';
import { obligations } from '../handing-on/licences.ts';
import { stepSchema } from './steps.ts';
import { name, text } from './words.ts';
import type { Written } from './written.ts';

const oneOrMore = z
  .union([text, z.number()])
  .transform(String)
  .or(z.array(z.union([text, z.number()]).transform(String)).min(1));

const someNames = oneOrMore.transform((value) => [value].flat());

const variable = text.describe('Environment variable that holds it; the value is never written down.');

const source = z.strictObject({
  kind: z
    .enum(protocolKinds)
    .describe(
      'features: OGC API – Features; wfs: Web Feature Service; files: plain files; regions: extracts by region; map-features: the read interface of a map database; sdmx, json-stat, rows: statistics; orders: OGC API – Processes; receiver: a position receiver, its folder or what it sends.',
    ),
  at: text.describe(
    'Address of the service, or of the folder of files; for files also a folder of this machine.',
  ),
  licence: text.optional().describe('Licence of all that comes from it; stands in ledger and report.'),
  citation: text.optional().describe('How all that comes from it is cited on maps and in the report.'),
  obligations: z
    .array(z.enum(obligations))
    .optional()
    .describe(
      'What its licence asks: attribution, share alike, state changes, no commerce, no changes; none with []. Known for licences that everybody uses.',
    ),
  attribution: text
    .optional()
    .describe('The line that its licence wants to be shown; the citation when left out.'),
  key: z
    .strictObject({
      header: text.optional().describe('Header that carries the key.'),
      parameter: text.optional().describe('Parameter of addresses that carries the key.'),
      variable,
      scheme: text.optional().describe('Word before the key in its header: Bearer.'),
    })
    .refine(
      (value) => (value.header === undefined) !== (value.parameter === undefined),
      'say either “header:” or “parameter:”',
    )
    .optional()
    .describe('A key, taken from the environment and never written down.'),
  account: z
    .strictObject({ user: variable, password: variable })
    .optional()
    .describe('An account (HTTP Basic), both parts taken from the environment.'),
  terms: text.optional().describe('Address of terms of use that want agreement.'),
  agreed: z
    .string()
    .regex(/^\d{4}-\d{2}-\d{2}$/, 'must be a date like 2026-11-25')
    .optional()
    .describe('Date on which the terms of use were read and agreed to.'),
  'at once': z.int().positive().max(16).optional().describe('Requests at the same time; 2 when left out.'),
  limits: z
    .strictObject({
      'features a month': z.int().positive().optional().describe('Most features in a month.'),
      'bytes a month': z.int().positive().optional().describe('Most bytes in a month.'),
      'square kilometres': z.number().positive().optional().describe('Largest area of one order.'),
      columns: z.int().positive().optional().describe('Most columns in one request.'),
    })
    .default({})
    .describe('What the provider allows.'),
  has: z
    .array(text)
    .min(1)
    .optional()
    .describe(
      'Levels of units that it has and the study does not gather; told where an area asks for finer ones.',
    ),
  agency: text.optional().describe('Agency that keeps the tables of a statistics service.'),
  'quiet after': z
    .number()
    .positive()
    .optional()
    .describe(
      'Seconds without a word after which a receiver is not listened to any longer; 10 when left out.',
    ),
  'listen for': z
    .number()
    .positive()
    .optional()
    .describe('Seconds that a receiver is listened to at most; 600 when left out.'),
  answers: z
    .enum(['csv', 'json', 'xml'])
    .optional()
    .describe('Answers that are preferred, where there is a choice.'),
  parameters: z
    .record(text, text)
    .optional()
    .describe('For rows: what the parameters of the service are called: { columns: get }.'),
  'key columns': z.array(text).min(1).optional().describe('For rows: columns that tell rows apart.'),
  'keys come unasked': z
    .boolean()
    .optional()
    .describe('For rows: the key columns come by themselves, and must not be asked for.'),
  lists: z
    .enum(['commas', 'repeated'])
    .optional()
    .describe(
      'For JSON-stat: several values of a dimension in one parameter, or the parameter several times.',
    ),
});

/** A catalogue: it tells of data that are elsewhere. */
const catalogue = z.strictObject({
  kind: z
    .enum(catalogueKinds)
    .describe(
      'records: OGC API – Records; dcat: DCAT-AP as JSON-LD; folder: a folder of files of this machine.',
    ),
  at: text.describe('Its address, or the folder.'),
  licence: source.shape.licence,
  key: source.shape.key,
  account: source.shape.account,
});

const dataset = z
  .strictObject({
    from: text.optional().describe('Name of a source.'),
    'same as': name
      .optional()
      .describe('Name of another dataset: its files, read in another way, are not gathered twice.'),
    collection: text
      .optional()
      .describe(
        'Collection or feature type of a service, or dataset of an order; the name of the dataset when left out.',
      ),
    ids: z
      .array(z.union([text, z.number()]).transform(String))
      .min(1)
      .optional()
      .describe('Only these features of a service, by id.'),
    'in crs': text
      .optional()
      .describe('CRS that coordinates are asked for in, where the service offers several.'),
    sha256: z
      .string()
      .regex(/^[0-9a-f]{64}$/, 'must be 64 hexadecimal digits')
      .optional()
      .describe('SHA-256 that the file must have.'),
    table: text.optional().describe('Table of a statistics service.'),
    choose: z
      .record(
        text,
        oneOrMore.transform((value) => [value].flat()),
      )
      .optional()
      .describe('Dimension of a table → values, by code or by what they are called.'),
    period: z.union([text, z.number()]).transform(String).optional().describe('“2024” or “2019 to 2024”.'),
    columns: z.array(text).min(1).optional().describe('Columns that are asked for.'),
    levels: z
      .record(
        name,
        z.strictObject({
          units: name.describe('The gathered layer of the units of this level.'),
          choose: z
            .record(
              text,
              oneOrMore.transform((value) => [value].flat()),
            )
            .optional()
            .describe('What is chosen for this level alone.'),
        }),
      )
      .optional()
      .describe(
        'Several levels in one go: level → the gathered layer of its units, and what is chosen for it.',
      ),
    on: text.optional().describe('With levels: UNIT_FIELD = TABLE_FIELD.'),
    process: text.optional().describe('Process of a service that takes orders.'),
    inputs: z.record(text, z.unknown()).optional().describe('Further inputs of the process.'),
    region: text.optional().describe('Region of a source of extracts.'),
    object: z
      .string()
      .regex(/^(node|way|relation)\/\d+$/, 'must be like relation/123')
      .optional()
      .describe('One object of a map-feature server, with its parts.'),
    waypoints: someNames
      .optional()
      .describe('Waypoints of a receiver, by name or by run of names: CUL-001 to CUL-048; or all.'),
    tracks: someNames.optional().describe('Tracks of a receiver, by name; or all.'),
    routes: someNames.optional().describe('Routes of a receiver, by name; or all.'),
    photos: someNames
      .optional()
      .describe('Photos in the folder of a receiver, by the name of the file; or all.'),
    days: someNames
      .optional()
      .describe('Only what was recorded on these days: 2024-06-14, or 2024-06-14 to 2024-06-16.'),
    zone: text.optional().describe('Zone of the days, from UTC: -02:00; UTC when left out.'),
    as: z
      .enum(['points', 'lines', 'both'])
      .optional()
      .describe(
        'Tracks as points or as lines; both: two layers, NAME_points and NAME_lines. points when left out.',
      ),
    'range error': z
      .number()
      .positive()
      .optional()
      .describe(
        'Metres by which a position is off at a dilution of 1, where the receiver does not tell; 5 when left out.',
      ),
    file: text
      .optional()
      .describe('File of a source, or a path in the study folder when there is no source.'),
    'by sheet': z
      .strictObject({
        of: text.describe('A sheet scheme that comes with Isomeric, or a file with one.'),
        level: text.describe('The level of sheets that files are named for.'),
        join: z
          .enum(['key', 'place', 'both'])
          .optional()
          .describe(
            'Which features of different sheets are one: of the same key, those that meet, or both; none when left out.',
          ),
        by: z.array(text).min(1).optional().describe('Fields that are the key.'),
        within: z
          .number()
          .positive()
          .optional()
          .describe('Metres up to which later sheets are drawn to the ones before.'),
      })
      .optional()
      .describe(
        'Files are named by map sheet: “{sheet}” in “file” stands for the codes of those that the area lies on; they are put together.',
      ),
    layer: text.optional().describe('Layer within the file or archive.'),
    class: name.optional().describe('Class of map features of an extract, as “isomeric scheme” lists them.'),
    scheme: text
      .optional()
      .describe('Class scheme in the study folder; the one that comes with Isomeric when left out.'),
    geometry: z
      .enum(['points', 'lines', 'areas'])
      .optional()
      .describe('Which features of the class, where it has several geometries.'),
    tags: z.array(text).min(1).optional().describe('Tags of map features that become columns.'),
    vintage: z
      .union([text, z.number()])
      .transform(String)
      .optional()
      .describe('Year of the boundaries or figures.'),
    crs: text
      .optional()
      .describe('The CRS that the data really have, when they do not say it or say a wrong one.'),
    where: text.optional().describe('CQL2 condition: only these rows.'),
    marks: z
      .record(text, text)
      .optional()
      .describe('What stands in place of figures, with its reason: { "-9999": missing }.'),
    'rows at': text.optional().describe('JSON Pointer to the rows of a JSON document.'),
    'header rows': z
      .number()
      .int()
      .min(0)
      .max(mostHeaderRows)
      .optional()
      .describe('How many rows the header of a table has: 0 for none.'),
    rows: z.enum(['without totals']).optional().describe('Leave out rows that are totals.'),
    level: text.optional().describe('Only units of this level, where a table holds several.'),
    variables: z
      .array(text)
      .min(1)
      .optional()
      .describe(
        'Variables by code or by words of their description; “name = words” gives a name of your own.',
      ),
    'page size': z
      .number()
      .int()
      .positive()
      .optional()
      .describe('Features asked for on one page of a service; as many as it likes when left out.'),
    citation: text.optional().describe('How it is cited on maps and in the report.'),
    licence: text.optional().describe('Its licence, where it is another than that of the source.'),
  })
  .refine(
    (value) => value.from !== undefined || value.file !== undefined || value['same as'] !== undefined,
    'say where it comes from: “from:” a source, “file:” in the study folder, or “same as:” another dataset',
  )
  .refine(
    (value) => (value['by sheet'] !== undefined) === (value.file?.includes('{sheet}') ?? false),
    '“by sheet” goes with a “file” that holds {sheet}',
  )
  .refine(
    ({ waypoints, tracks, routes, photos }) =>
      [waypoints, tracks, routes, photos].filter((each) => each !== undefined).length < 2,
    'say one of “waypoints”, “tracks”, “routes”, “photos”; each is a dataset of its own',
  )
  .refine(
    (value) => value.as === undefined || value.tracks !== undefined || value['same as'] !== undefined,
    '“as” goes with “tracks”',
  )
  .refine(
    (value) => value['by sheet'] === undefined || value.from !== undefined || value['same as'] !== undefined,
    '“by sheet” goes with “from:” a source; a folder of this machine is one, too',
  )
  .refine(
    (value) => (value.levels === undefined) === (value.on === undefined),
    'levels need “on: UNIT_FIELD = TABLE_FIELD”, and only they have it',
  )
  .refine(
    (value) =>
      value.class !== undefined ||
      (value.scheme === undefined && value.geometry === undefined && value.tags === undefined),
    'scheme, geometry and tags go with “class:”',
  );

/** Texts that are written beside the data. */
export const deliveredTexts = ['citations', 'licences', 'methods'] as const;

/** Tables beside the layers, where their format holds tables. */
const withTheLayers = 'with the layers';
const layerFormats = writingFormats.filter(({ name }) => !isTableFormat(name)).map(({ name }) => name);
const tableFormats = writingFormats.filter(({ name }) => isTableFormat(name)).map(({ name }) => name);

function oneOrSeveral(names: readonly string[], usual: string[]) {
  const one = z.enum(names as [string, ...string[]]);
  return one
    .transform((name) => [name])
    .or(z.array(one).min(1))
    .default(usual);
}

const checkItem = z
  .union([text, z.strictObject({ key: text }), z.strictObject({ sure: text })])
  .transform((item) =>
    typeof item === 'string' ? item : 'key' in item ? `key: ${item.key}` : `sure: ${item.sure}`,
  );

const map = z.strictObject({
  title: text.describe('What stands above the map.'),
  subtitle: text.optional().describe('What stands below the title; the title of the study when left out.'),
  layer: name.describe('Prepared layer whose areas are coloured.'),
  'colour by': text.describe('Field that is mapped.'),
  classes: z
    .union([text, z.array(z.number())])
    .transform((value) => (typeof value === 'string' ? value : value.join(', ')))
    .default('5 natural')
    .describe('“5 natural”, “4 quantile”, “6 equal”, or limits by hand; “5 natural” when left out.'),
  colours: text.default('lagoon').describe('lagoon, amber, ember, heather, night, grey'),
  over: z.array(name).default([]).describe('Prepared layers drawn on top, from below to above.'),
  under: z.array(name).default([]).describe('Gathered or prepared layers drawn in grey below.'),
});

/** study.yaml. */
export const studySchema = z.strictObject({
  study: text.describe('Title of the study.'),
  area: areaSchema,
  crs: text.describe(
    'CRS of all prepared layers: an EPSG code, a name, a file with WKT; or best, best for densities, best for distances: chosen for the area, with the reason.',
  ),
  'datum grids': z
    .array(text)
    .default([])
    .describe(
      'Grids of datum shifts (NTv2, .gsb) in the study folder; each is used where it leads between two datums.',
    ),
  sources: z.record(name, source).default({}),
  catalogues: z
    .record(name, catalogue)
    .default({})
    .describe('Where “isomeric find” looks besides the sources.'),
  // A study begins with an area and a look around: datasets come with “isomeric find --add”.
  gather: z.record(name, dataset).default({}),
  prepare: z
    .record(
      name,
      z
        .array(stepSchema)
        .nullable()
        .transform((steps) => steps ?? []),
    )
    .default({}),
  check: z
    .record(name, z.array(checkItem).describe('What must hold for every row of the layer.'))
    .default({}),
  margins: z
    .strictObject({
      confidence: z
        .union([z.literal(90), z.literal(95), z.literal(99)])
        .default(90)
        .describe('Level of the margins of error, per cent.'),
      'unsure above': z
        .number()
        .positive()
        .default(usualUnsureAbove)
        .describe('Coefficient of variation in per cent above which a figure is too unsure to map.'),
    })
    .default({ confidence: 90, 'unsure above': usualUnsureAbove }),
  titles: z
    .record(
      text,
      z
        .union([
          text.describe('What people read in place of the name.'),
          z.strictObject({
            title: text.describe('What people read in place of the name.'),
            unit: text.optional().describe('Unit of its figures.'),
          }),
        ])
        .transform((value) => (typeof value === 'string' ? { title: value, unit: undefined } : value)),
    )
    .default({})
    .describe('Readable titles (and units) of fields and layers.'),
  draw: z.record(name, map).default({}),
  deliver: z
    .strictObject({
      layers: oneOrSeveral(layerFormats, ['geopackage']).describe(
        `Formats of the layers, one or several: ${layerFormats.join(', ')}; geopackage when left out. A format that holds one layer gets a folder with a file for each.`,
      ),
      tables: oneOrSeveral([...tableFormats, withTheLayers] as const, [withTheLayers]).describe(
        'Formats of tables, one or several; with the layers when left out. A format of its own also gets the rows of the layers, without geometry.',
      ),
      pages: z
        .array(z.enum(['report']))
        .default(['report'])
        .describe('Pages: the report, which holds all together; none with [].'),
      crs: z
        .union([text, z.record(text, text)])
        .optional()
        .describe(
          'Another CRS for the delivered layers: one for all, or layer → CRS; maps and pages stay in that of the study.',
        ),
      texts: z
        .array(z.enum(deliveredTexts))
        .default([...deliveredTexts])
        .describe(
          'Texts: citations (to be read, and as CSL-JSON), licences with what they ask, methods; none with [].',
        ),
      bag: z
        .boolean()
        .default(false)
        .describe('All of it once more as one zip archive with checksums (BagIt).'),
    })
    .default({
      layers: ['geopackage'],
      tables: [withTheLayers],
      pages: ['report'],
      texts: [...deliveredTexts],
      bag: false,
    }),
});

/** What a file says, with what is usual put in. */
export type StudyText = z.output<typeof studySchema>;

/** A study as its file says it, with what is usual put in and what is written shortly spelt out. */
export interface Study extends StudyText {
  /** Where each value stands in the file. */
  readonly written: Written;
}
export type StudyDataset = Study['gather'][string];
export type StudyMap = Study['draw'][string];

/** JSON Schema of study.yaml, for editors. */
export function studyJsonSchema(): Record<string, unknown> {
  return { title: 'Isomeric study', ...z.toJSONSchema(studySchema, { io: 'input', unrepresentable: 'any' }) };
}
