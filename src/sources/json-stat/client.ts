import * as z from 'zod';
import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { codesChosen, type Dimension, periodOf } from '../choices.ts';
import { gatheredIn } from '../gathered.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { folderOf } from '../places.ts';
import { askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure, reasonIn } from '../transfer/failures.ts';
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
  updated: z.string().optional(),
  note: z.array(z.string()).optional(),
  role: z.object({ time: z.array(z.string()).optional(), geo: z.array(z.string()).optional() }).optional(),
  dimension: z.record(z.string(), dimensionSchema).optional(),
});
const item = datasetSchema.extend({
  class: z.string().optional(),
  href: z.string().optional(),
  link: z.object({ item: z.array(z.unknown()).default([]) }).optional(),
});
const collectionSchema = z.object({
  class: z.literal('collection'),
  link: z.object({ item: z.array(z.unknown()).default([]) }),
});

type Item = z.output<typeof item>;

/** Collections in collections are gone into so deep, and so many of them. */
const deepest = 6;
const mostCollections = 200;

export function dimensionsOf(told: Pick<Item, 'id' | 'dimension'>): Dimension[] {
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

/** A table of a collection with its address. */
export interface Listed {
  table: Item;
  url: string;
}

/** Last part of an address: what a table is called by. */
export const tableName = ({ url }: Listed) => lastPart(url);

function isWanted(listed: Listed, wanted: string): boolean {
  return tableName(listed) === wanted || listed.table.label?.toLowerCase() === wanted.toLowerCase();
}

/** The provider's own reason, where the document is about an error. */
function providersReason(document: unknown): string {
  if (document === null || typeof document !== 'object') return '';
  const about = ['error', 'errors', 'detail', 'message'].some((name) => name in document);
  return about || (document as { class?: unknown }).class === 'error'
    ? reasonIn(JSON.stringify(document), 'application/json')
    : '';
}

/** An answer that should be a collection; one that is something else is told with the provider's own reason. */
function collectionOf(document: unknown, url: string, order: Order, context: TransferContext) {
  const answer = collectionSchema.safeParse(document);
  if (answer.success) return answer.data;
  const reason = providersReason(document);
  throw failure(
    'source-garbled',
    { what: order.source, url },
    context,
    `the answer is no JSON-stat collection${reason === '' ? '' : `; it says: “${reason}”`}.`,
    'The address must be that of the list of tables.',
  );
}

/** Tables of the collection that an address leads to (JSON-stat 2.0, class “collection”) and of those within it, level by level. */
export async function* tablesOf(order: Order, context: TransferContext): AsyncGenerator<Listed> {
  let level = [{ url: order.address, items: null as readonly unknown[] | null }];
  const seen = new Set<string>();
  for (let depth = 0; depth <= deepest && level.length > 0; depth++) {
    const below: typeof level = [];
    for (const { url, items } of level) {
      const told =
        items ?? collectionOf(await askJson(order.source, url, context), url, order, context).link.item;
      for (const each of told) {
        const parsed = item.safeParse(each);
        if (!parsed.success) continue;
        const { class: kind, href, link } = parsed.data;
        const own = href === undefined ? undefined : linkAddress(href, url, order.source, context);
        if (kind === 'collection') {
          if (link !== undefined) below.push({ url: own ?? url, items: link.item });
          else if (own !== undefined && !seen.has(own) && seen.size < mostCollections) {
            seen.add(own);
            below.push({ url: own, items: null });
          }
        } else if (own !== undefined) yield { table: parsed.data, url: own };
      }
    }
    level = below;
  }
}

/** The table that an order means: collections within others are asked for as long as it is not found. */
async function find(order: Order, context: TransferContext): Promise<Listed> {
  const wanted = order.wanted.table ?? order.name;
  const known: Listed[] = [];
  for await (const listed of tablesOf(order, context)) {
    if (isWanted(listed, wanted)) return listed;
    known.push(listed);
  }
  throw new IsomericError('table-unknown', `${order.source} has no table “${wanted}”.`, {
    place: { file: context.credentials.shown(order.address) },
    wrong: wanted,
    advice: suggest(
      wanted,
      known.flatMap((each) => [tableName(each), each.table.label ?? '']),
    ),
    blame: 'usage',
  });
}

/** Choices as parameters, and the codes that the answer must then have. */
function query(
  order: Order,
  table: Item,
  url: string,
  lists: Lists,
): { url: string; chosen: Map<string, string[]>; dimensions: Dimension[] } {
  const dimensions = dimensionsOf(table);
  const choose = order.wanted.choose ?? {};
  const chosen =
    dimensions.length === 0
      ? new Map(Object.entries(choose).map(([id, values]) => [id, [...values]]))
      : codesChosen(choose, dimensions, `${order.source}/${table.label ?? order.name}`);
  const address = new URL(url);
  const put = (name: string, codes: readonly string[]) => {
    if (lists === 'commas') address.searchParams.set(name, codes.join(','));
    else {
      address.searchParams.delete(name);
      for (const code of codes) address.searchParams.append(name, code);
    }
  };
  for (const [id, codes] of chosen) put(id, codes);
  if (order.wanted.period !== undefined) {
    const { from, to } = periodOf(order.wanted.period);
    const time = table.role?.time?.[0] ?? 'TIME';
    const known = dimensions.find((dimension) => dimension.id === time)?.values;
    const codes =
      known === undefined || known === null
        ? [...new Set([from, to])]
        : [...known.keys()].filter((code) => code >= from && code <= to);
    put(time, codes);
    chosen.set(time, codes);
  }
  return { url: address.toString(), chosen, dimensions };
}

/** `Statistics Office: Households by floor and car.` */
function citationOf({ source, label }: Item): string | undefined {
  const parts = [source, label].filter((part) => part !== undefined);
  return parts.length === 0 ? undefined : `${parts.join(': ')}.`;
}

type Lists = 'commas' | 'repeated';

/** Errors that may come of a way of writing lists that the service does not know. */
const misunderstood = ['source-refused', 'source-missing', 'choice-unknown', 'source-garbled'];

/** Lists of values are written as the study says, or as the service turns out to understand them. */
async function gather(order: Order, context: TransferContext): Promise<Gathered> {
  const found = await find(order, context);
  const { lists } = order.traits;
  const first = query(order, found.table, found.url, lists ?? 'commas');
  const several = [...first.chosen.values()].some((codes) => codes.length > 1);
  try {
    return await gatherAs(order, found, first, context);
  } catch (error) {
    const other = error instanceof IsomericError && misunderstood.includes(error.code);
    if (lists !== undefined || !several || !other) throw error;
    try {
      const got = await gatherAs(order, found, query(order, found.table, found.url, 'repeated'), context);
      context.note(
        `${order.name}: the service takes several values as repeated parameters; say “lists: repeated” under sources → ${order.source} to ask so at once.`,
      );
      return got;
    } catch {
      // What was wrong with the first way is nearer to what was asked.
      throw error;
    }
  }
}

async function gatherAs(
  order: Order,
  { table, url }: Listed,
  asked: ReturnType<typeof query>,
  context: TransferContext,
): Promise<Gathered> {
  const what = `${order.source}/${tableName({ table, url })}`;
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
        if (!answer.success || answer.data.dimension === undefined) {
          const reason = providersReason(document);
          throw failure(
            'source-garbled',
            sent,
            context,
            `the answer is no JSON-stat dataset${reason === '' ? '' : `; it says: “${reason}”`}.`,
            'Check what is asked for.',
          );
        }
        for (const dimension of dimensionsOf(answer.data)) {
          const wanted = asked.chosen.get(dimension.id);
          if (wanted === undefined) continue;
          const missing = wanted.filter((code) => !dimension.values!.has(code));
          if (missing.length > 0)
            throw new IsomericError(
              'choice-unknown',
              `${what}: nothing came for ${dimension.name} ${missing.join(', ')}.`,
              {
                wrong: missing[0],
                advice: suggest(missing[0], [...dimension.values!.keys()]),
                blame: 'usage',
              },
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
    const { chosen, dimensions } = query(order, table, url, 'commas');
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
