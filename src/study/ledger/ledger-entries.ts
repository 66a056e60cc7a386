import * as z from 'zod';

const time = z.string().describe('ISO 8601.');

const file = z
  .object({
    kind: z.literal('file'),
    what: z.string().describe('Source and what it was asked for.'),
    datasets: z.array(z.string()).default([]).describe('Datasets of the study that it belongs to.'),
    role: z.enum(['data', 'structure']).default('data').describe('Data, or what explains them.'),
    path: z.string().describe('Path in the study folder.'),
    url: z.string().describe('Address without secrets.'),
    at: time.describe('When it was received.'),
    bytes: z.number(),
    sha256: z.string(),
    etag: z.string().optional(),
    lastModified: z.string().optional(),
    next: z.string().optional().describe('Address of the page that follows.'),
    features: z.number().optional().describe('Features or rows in it, where they were counted.'),
    matched: z.number().optional().describe('Features in all, as the service announced them.'),
    crs: z.string().optional().describe('CRS of the coordinates, where the file itself does not say it.'),
    licence: z.string().optional(),
    citation: z.string().optional(),
  })
  .describe('A file as it was received.');

const dataset = z
  .object({
    kind: z.literal('dataset'),
    name: z.string(),
    source: z.string(),
    state: z.enum(['begun', 'done']),
    at: time,
    request: z.record(z.string(), z.unknown()).describe('What was asked for.'),
    paths: z.array(z.string()).describe('Files that it is made of, in their order.'),
    seconds: z.number().optional().describe('How long it took.'),
    findings: z
      .array(
        z.object({
          code: z.string(),
          severity: z.enum(['error', 'warning', 'note']),
          words: z.string(),
          repair: z.string().optional(),
        }),
      )
      .optional()
      .describe('What is to be known of what came.'),
  })
  .describe('A dataset of the study: begun, or received whole.');

const gathering = z
  .object({ kind: z.literal('gathering'), state: z.enum(['begun', 'done']), at: time })
  .describe('A run of the gathering: begun, or done with every dataset.');

const terms = z
  .object({
    kind: z.literal('terms'),
    source: z.string(),
    url: z.string(),
    title: z.string().optional(),
    agreed: z.string().describe('The date of agreement that the study gives.'),
    at: time.describe('When they were received.'),
    sha256: z.string(),
    path: z.string().describe('Where they lie as received.'),
    text: z.string().describe('Their words.'),
  })
  .describe('Terms of use that were agreed to.');

const order = z
  .object({
    kind: z.literal('order'),
    key: z.string().describe('What the order is for.'),
    source: z.string(),
    at: time,
    jobs: z
      .array(z.object({ url: z.string(), piece: z.string() }))
      .describe('Addresses at the provider; none when it is over.'),
  })
  .describe('An order that was placed at a provider.');

const usage = z
  .object({
    kind: z.literal('usage'),
    source: z.string(),
    month: z.string().describe('2026-11'),
    features: z.number(),
    bytes: z.number(),
  })
  .describe('What was taken of a provider that counts.');

const step = z
  .object({
    kind: z.literal('step'),
    layer: z.string(),
    verb: z.string(),
    at: time.optional(),
    counts: z.record(z.string(), z.number()),
    sentence: z.string(),
    notes: z.array(z.string()),
  })
  .describe('What a step of the preparation did.');

const delivery = z
  .object({
    kind: z.literal('delivery'),
    at: time,
    paths: z.array(z.string()),
    of: z.string().optional().describe('Digest of all that the delivered files rest on.'),
    sums: z.record(z.string(), z.string()).optional().describe('SHA-256 of each delivered file.'),
    recipes: z.record(z.string(), z.string()).optional().describe('What each of its layers rested on.'),
    prepared: z.string().optional().describe('SHA-256 of the prepared layers that were delivered.'),
  })
  .describe('What the last run delivered: files of the study folder.');

const findings = z.array(z.record(z.string(), z.unknown()));

const prepared = z
  .object({
    kind: z.literal('prepared'),
    layer: z.string(),
    recipe: z.string().describe('Digest of all that the layer rests on.'),
    parts: z.record(z.string(), z.string()).describe('Digest of each thing that it rests on.'),
    told: z
      .array(z.object({ dataset: z.string(), findings }))
      .describe('What was found in the datasets that it is made of.'),
    findings: findings.describe('What its steps found.'),
    reaches: z
      .object({ box: z.array(z.number()), features: z.number(), files: z.string() })
      .optional()
      .describe('How far what was gathered reaches.'),
  })
  .describe('What a prepared layer rests on.');

const layers = z
  .object({ kind: z.literal('layers'), path: z.string(), sha256: z.string() })
  .describe('The file with the prepared layers.');

export const entrySchema = z.discriminatedUnion('kind', [
  file,
  dataset,
  gathering,
  terms,
  order,
  usage,
  step,
  prepared,
  layers,
  delivery,
]);

/** One line of the ledger. */
export type LedgerEntry = z.output<typeof entrySchema>;
export type DatasetEntry = z.output<typeof dataset>;
export type GatheringEntry = z.output<typeof gathering>;
export type TermsEntry = z.output<typeof terms>;
export type OrderEntry = z.output<typeof order>;
export type UsageEntry = z.output<typeof usage>;
export type DeliveryEntry = z.output<typeof delivery>;
/** What a prepared layer rests on. */
export type PreparedEntry = z.output<typeof prepared>;
export type LayersEntry = z.output<typeof layers>;
/** What one step did to how many features. */
export type StepEntry = z.output<typeof step>;

/** JSON Schema of one line of a ledger. */
export function ledgerJsonSchema(): Record<string, unknown> {
  return {
    title: 'A line of an Isomeric ledger',
    ...z.toJSONSchema(entrySchema, { unrepresentable: 'any' }),
  };
}
