import { z } from 'zod';
import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { codesChosen, type Dimension, periodOf } from '../choices.ts';
import { gatheredIn } from '../gathered.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { folderOf } from '../places.ts';
import { askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { lastPart, linkAddress } from '../transfer/links.ts';
import { transfer } from '../transfer/transfer.ts';

const category = z.object({
  index: z.union([z.array(z.string()), z.record(z.string(), z.number())]).optional(),
  label: z.record(z.string(), z.string()).optional(),
});
const dimensionSchema = z.object({ label: z.string().optional(), category });
const datasetSchema = z.object({
  class: z.literal('dataset').optional(),
  label: z.string().optional(),
  source: z.string().optional(),
  id: z.array(z.string()).optional(),
  role: z.object({ time: z.array(z.string()).optional() }).optional(),
  dimension: z.record(z.string(), dimensionSchema).optional(),
});
const item = datasetSchema.extend({ class: z.string().optional(), href: z.string() });
const collectionSchema = z.object({
  class: z.literal('collection'),
  link: z.object({ item: z.array(item).default([]) }),
});

type Item = z.output<typeof item>;

function dimensionsOf(told: Pick<Item, 'id' | 'dimension'>): Dimension[] {
  return (told.id ?? Object.keys(told.dimension ?? {})).flatMap((id) => {
    const dimension = told.dimension?.[id];
    if (dimension === undefined) return [];
    const { index, label } = dimension.category;
    const codes = Array.isArray(index) ? index : Object.keys(index ?? label ?? {});
    return [
      {
        id,
        name: dimension.label ?? id,
        values: new Map(codes.map((code) => [code, label?.[code] ?? code])),
      },
    ];
  });
}

/** Last part of an address: what a table is called by. */
const tableName = (href: string, order: Order) =>
  URL.canParse(href, order.address) ? lastPart(new URL(href, order.address).toString()) : href;

/** The table that an order means, in the collection that the address leads to (JSON-stat 2.0, class “collection”). */
async function find(order: Order, context: TransferContext): Promise<{ table: Item; url: string }> {
  const wanted = order.wanted.table ?? order.name;
  const answer = collectionSchema.safeParse(await askJson(order.source, order.address, context));
  if (!answer.success)
    throw failure(
      'source-garbled',
      { what: order.source, url: order.address },
      context,
      'the answer is no JSON-stat collection.',
      'The address must be that of the list of tables.',
    );
  const { item: items } = answer.data.link;
  const table =
    items.find((each) => tableName(each.href, order) === wanted) ??
    items.find((each) => each.label?.toLowerCase() === wanted.toLowerCase());
  if (table === undefined)
    throw new IsomericError('table-unknown', `${order.source} has no table “${wanted}”.`, {
      place: { file: context.credentials.shown(order.address) },
      advice: suggest(
        wanted,
        items.flatMap((each) => [tableName(each.href, order), each.label ?? '']),
      ),
      blame: 'usage',
    });
  return { table, url: linkAddress(table.href, order.address, order.source, context) };
}

/** Choices as parameters, and the codes that the answer must then have. */
function query(
  order: Order,
  table: Item,
  url: string,
): { url: string; chosen: Map<string, string[]>; dimensions: Dimension[] } {
  const dimensions = dimensionsOf(table);
  const choose = order.wanted.choose ?? {};
  const chosen =
    dimensions.length === 0
      ? new Map(Object.entries(choose).map(([id, values]) => [id, [...values]]))
      : codesChosen(choose, dimensions, `${order.source}/${table.label ?? order.name}`);
  const address = new URL(url);
  for (const [id, codes] of chosen) address.searchParams.set(id, codes.join(','));
  if (order.wanted.period !== undefined) {
    const { from, to } = periodOf(order.wanted.period);
    const time = table.role?.time?.[0] ?? 'TIME';
    const known = dimensions.find((dimension) => dimension.id === time)?.values;
    const codes =
      known === undefined || known === null
        ? [...new Set([from, to])]
        : [...known.keys()].filter((code) => code >= from && code <= to);
    address.searchParams.set(time, codes.join(','));
    chosen.set(time, codes);
  }
  return { url: address.toString(), chosen, dimensions };
}

/** `Statistics Office: Households by floor and car.` */
function citationOf({ source, label }: Item): string | undefined {
  const parts = [source, label].filter((part) => part !== undefined);
  return parts.length === 0 ? undefined : `${parts.join(': ')}.`;
}

async function gather(order: Order, context: TransferContext): Promise<Gathered> {
  const { table, url } = await find(order, context);
  const asked = query(order, table, url);
  const what = `${order.source}/${tableName(table.href, order)}`;
  const got = await transfer(
    {
      what,
      datasets: [order.name],
      url: asked.url,
      path: `${folderOf(order)}/table.json`,
      accept: 'application/json',
      licence: order.licence,
      citation: order.citation ?? citationOf(table),
      async check(file) {
        const sent = { what, url: asked.url };
        let document: unknown;
        try {
          document = JSON.parse(new TextDecoder().decode(await file.bytes(0, file.size)));
        } catch {
          throw failure('source-cut', sent, context, 'the answer is no whole JSON document.', 'Run again.');
        }
        const answer = datasetSchema.safeParse(document);
        if (!answer.success || answer.data.dimension === undefined)
          throw failure(
            'source-garbled',
            sent,
            context,
            'the answer is no JSON-stat dataset.',
            'Check what is asked for.',
          );
        for (const dimension of dimensionsOf(answer.data)) {
          const wanted = asked.chosen.get(dimension.id);
          if (wanted === undefined) continue;
          const missing = wanted.filter((code) => !dimension.values!.has(code));
          if (missing.length > 0)
            throw new IsomericError(
              'choice-unknown',
              `${what}: nothing came for ${dimension.name} ${missing.join(', ')}.`,
              { advice: suggest(missing[0], [...dimension.values!.keys()]), blame: 'usage' },
            );
          if (dimension.values!.size > wanted.length)
            context.note(
              `${order.name}: the service sent ${grouped(dimension.values!.size)} values of ${dimension.name} where ${grouped(wanted.length)} were asked for.`,
            );
        }
        return {};
      },
    },
    context,
  );
  return gatheredIn(folderOf(order), order, [got], context);
}

/** Tables in JSON-stat 2.0, listed in a collection; choices go along as parameters named for the dimensions. */
export const jsonStatProtocol: Protocol = {
  kind: 'json-stat',
  together: (order) => order.name,
  gather: ([order], context) => gather(order, context),
  async estimate([order], context) {
    const { table, url } = await find(order, context);
    const { chosen, dimensions } = query(order, table, url);
    const features =
      dimensions.length === 0
        ? undefined
        : dimensions.reduce((n, each) => n * (chosen.get(each.id)?.length ?? each.values!.size), 1);
    return {
      features,
      requests: 1,
      notes: [
        `“${table.label ?? order.name}”${features === undefined ? ': the list of tables does not say what is in it.' : ': figures, counted from its dimensions.'}`,
      ],
    };
  },
};
