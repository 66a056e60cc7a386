import * as z from 'zod';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { suggest } from '../../core/nearest.ts';
import { percentEncoded } from '../../core/percent-encoding.ts';
import { askShaped, type Landing, ogcProcesses, openLanding } from '../ogc-api.ts';
import type { Order } from '../order.ts';
import type { TransferContext } from '../transfer/context.ts';
import { linkAddress, linkShape, linkTo } from '../transfer/links.ts';

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
  links: z.array(linkShape).default([]),
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

/** Landing page and conformance of a service that takes orders. */
export const openDesk = (order: Order, context: TransferContext): Promise<Landing> =>
  openLanding(order, ogcProcesses, context);

/** The process that an order means: the one that is named, or the only one there is. */
export async function openProcess(order: Order, context: TransferContext): Promise<Process> {
  const desk = await openDesk(order, context);
  const { source } = order;
  const list = desk.follow('processes', 'processes');
  const known = await askShaped(processes, ogcProcesses, source, list, context);
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
  const own = `${list.replace(/[?#].*$/, '').replace(/\/$/, '')}/${percentEncoded(wanted)}`;
  const told = await askShaped(process, ogcProcesses, source, own, context);
  return {
    id: told.id,
    title: told.title ?? told.id,
    execution: linkAddress(linkTo(told.links, 'execute')?.href ?? `${own}/execution`, own, source, context),
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
      wrong: unknown[0],
      advice: suggest(unknown[0], Object.keys(of.inputs)),
      blame: 'usage',
    });
  const datasets = orders.map((each) => each.wanted.collection ?? each.name);
  let known: string[] = [];
  let placed = datasets.length === 0;
  for (const [name, told] of Object.entries(of.inputs)) {
    if (Object.hasOwn(inputs, name)) continue;
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
      wrong: missing,
      advice: suggest(missing, known),
      blame: 'usage',
    });
  return inputs;
}
