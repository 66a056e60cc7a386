import { z } from 'zod';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { suggest } from '../../core/nearest.ts';
import { type Order, withSlash } from '../order.ts';
import { askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { link, linkTo } from '../transfer/links.ts';

const landing = z.object({ links: z.array(link).default([]) });
const conformance = z.object({ conformsTo: z.array(z.string()) });
const schema = z.looseObject({
  type: z.string().optional(),
  format: z.string().optional(),
  enum: z.array(z.unknown()).optional(),
  items: z.looseObject({ enum: z.array(z.unknown()).optional() }).optional(),
  allOf: z.array(z.looseObject({ format: z.string().optional(), $ref: z.string().optional() })).optional(),
});
const input = z.looseObject({ title: z.string().optional(), schema, maxOccurs: z.unknown().optional() });
const process = z.looseObject({
  id: z.string(),
  title: z.string().optional(),
  jobControlOptions: z.array(z.string()).default(['sync-execute']),
  inputs: z.record(z.string(), input).default({}),
  links: z.array(link).default([]),
});
const processes = z.object({ processes: z.array(z.object({ id: z.string() })) });

/** A process as its service describes it. */
export interface Process {
  id: string;
  title: string;
  /** Where orders are placed. */
  execution: string;
  /** Orders are followed rather than waited for. */
  asynchronous: boolean;
  inputs: z.output<typeof process>['inputs'];
}

function parsed<T>(of: z.ZodType<T>, value: unknown, what: string, url: string, context: TransferContext): T {
  const result = of.safeParse(value);
  if (result.success) return result.data;
  throw failure(
    'source-garbled',
    { what, url },
    context,
    `the answer is not what OGC API – Processes prescribes (${z.prettifyError(result.error).split('\n')[0]}).`,
    'Is the address that of the landing page?',
  );
}

/** Landing page, for its links: terms of use among them. */
export async function openDesk(order: Order, context: TransferContext) {
  const address = withSlash(order.address);
  const { source } = order;
  const home = parsed(landing, await askJson(source, address, context), source, address, context);
  const told = new URL(linkTo(home.links, 'conformance')?.href ?? 'conformance', address).toString();
  const { conformsTo } = parsed(conformance, await askJson(source, told, context), source, told, context);
  if (!conformsTo.some((each) => /ogcapi-processes-1\/[\d.]+\/conf\/core$/.test(each)))
    throw new IsomericError(
      'source-unsupported',
      `${source}: the service does not conform to OGC API – Processes, part 1.`,
      { place: { file: context.credentials.shown(address) } },
    );
  return { address, links: home.links };
}

/** The process that an order means: the one that is named, or the only one there is. */
export async function openProcess(order: Order, context: TransferContext): Promise<Process> {
  const { address, links } = await openDesk(order, context);
  const { source } = order;
  const list = new URL(linkTo(links, 'processes')?.href ?? 'processes', address).toString();
  const known = parsed(processes, await askJson(source, list, context), source, list, context);
  const ids = known.processes.map((each) => each.id);
  const wanted = order.wanted.process ?? (ids.length === 1 ? ids[0] : undefined);
  if (wanted === undefined || !ids.includes(wanted))
    throw new IsomericError(
      'process-unknown',
      wanted === undefined
        ? `${source} has ${ids.length} processes: which one is wanted?`
        : `${source} has no process “${wanted}”.`,
      {
        place: { file: context.credentials.shown(list) },
        advice: wanted === undefined ? `Say it with “process:”: ${ids.join(', ')}.` : suggest(wanted, ids),
        blame: 'usage',
      },
    );
  const own = `${list.replace(/[?#].*$/, '').replace(/\/$/, '')}/${encodeURIComponent(wanted)}`;
  const told = parsed(process, await askJson(source, own, context), source, own, context);
  return {
    id: told.id,
    title: told.title ?? told.id,
    execution: new URL(linkTo(told.links, 'execute')?.href ?? `${own}/execution`, own).toString(),
    asynchronous: told.jobControlOptions.includes('async-execute'),
    inputs: told.inputs,
  };
}

/** Does an input take a box? Its schema says so with the format “ogc-bbox” (OGC 18-062r2, clause 7.11.2.5). */
function takesBox({ schema: of }: z.output<typeof input>): boolean {
  return (
    of.format === 'ogc-bbox' ||
    (of.allOf?.some((each) => each.format === 'ogc-bbox' || /bbox/i.test(each.$ref ?? '')) ?? false)
  );
}

/** Values of which an input takes one (or several, as an array). */
function choicesOf({ schema: of }: z.output<typeof input>): { values: unknown[]; several: boolean } | null {
  if (of.items?.enum !== undefined) return { values: of.items.enum, several: true };
  return of.enum === undefined ? null : { values: of.enum, several: false };
}

/**
 * The inputs of one order: those that the study gives, the box where an input takes one, the datasets where an input
 * knows them by name.
 */
export function inputsFor(
  orders: readonly Order[],
  of: Process,
  box: Box | undefined,
): Record<string, unknown> {
  const [order] = orders;
  const inputs: Record<string, unknown> = { ...order.wanted.inputs };
  const unknown = Object.keys(inputs).filter((name) => !(name in of.inputs));
  if (unknown.length > 0)
    throw new IsomericError('input-unknown', `The process ${of.id} takes no input “${unknown[0]}”.`, {
      advice: suggest(unknown[0], Object.keys(of.inputs)),
      blame: 'usage',
    });
  const datasets = orders.map((each) => each.wanted.collection ?? each.name);
  let known: string[] = [];
  let placed = datasets.length === 0;
  for (const [name, told] of Object.entries(of.inputs)) {
    if (name in inputs) continue;
    if (takesBox(told)) {
      if (box !== undefined)
        inputs[name] = { bbox: [...box], crs: 'http://www.opengis.net/def/crs/OGC/1.3/CRS84' };
      continue;
    }
    const choices = choicesOf(told);
    if (choices === null || placed) continue;
    const texts = choices.values.map(String);
    if (datasets.every((each) => texts.includes(each))) {
      inputs[name] = choices.several ? datasets : datasets[0];
      placed = true;
    } else if (choices.several) known = texts;
  }
  const missing = datasets.find((each) => !known.includes(each));
  if (!placed && known.length > 0 && missing !== undefined)
    throw new IsomericError('collection-unknown', `The process ${of.id} knows no dataset “${missing}”.`, {
      advice: suggest(missing, known),
      blame: 'usage',
    });
  return inputs;
}
