import { counted } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { gatheredIn } from '../gathered.ts';
import { type Gathered, type Order, type Protocol, withSlash } from '../order.ts';
import { folderOf } from '../places.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { type Transfer, transfer } from '../transfer/transfer.ts';

/** Columns in the requests that they are split into: the key columns go with each. */
export function columnRequests(
  columns: readonly string[],
  keyColumns: readonly string[],
  most: number | undefined,
  unasked = false,
): string[][] {
  const own = columns.filter((column) => !keyColumns.includes(column));
  const keys = unasked ? [] : keyColumns;
  if (most === undefined || own.length + keys.length <= most) return [[...keys, ...own]];
  const room = most - keys.length;
  if (room < 1)
    throw new IsomericError('order-incomplete', `The key columns alone are more than ${most} columns.`, {
      advice: 'Name fewer “key columns:”.',
      blame: 'usage',
    });
  const requests: string[][] = [];
  for (let at = 0; at < own.length; at += room) requests.push([...keys, ...own.slice(at, at + room)]);
  return requests;
}

interface Query {
  table: string;
  requests: string[][];
  address(columns: readonly string[]): string;
}

function queryOf(order: Order, unasked = order.traits.keysUnasked === true): Query {
  const { wanted, traits } = order;
  const keys = traits.keyColumns ?? [];
  const columns = wanted.columns ?? [];
  const requests = columns.length === 0 ? [[]] : columnRequests(columns, keys, traits.mostColumns, unasked);
  if (requests.length > 1 && keys.length === 0)
    throw new IsomericError(
      'order-incomplete',
      `${order.name}: ${columns.length} columns come in ${requests.length} requests, and nothing says what their rows have in common.`,
      { advice: `Say it with “key columns:” under sources → ${order.source}.`, blame: 'usage' },
    );
  const table = wanted.table ?? order.name;
  const parameter = (name: string) => traits.parameters?.[name] ?? name;
  return {
    table,
    requests,
    address(some) {
      const url = new URL(encodeURI(table), withSlash(order.address));
      if (some.length > 0) url.searchParams.set(parameter('columns'), some.join(','));
      for (const [name, values] of Object.entries(wanted.choose ?? {}))
        url.searchParams.set(parameter(name), values.join(','));
      if (wanted.period !== undefined) url.searchParams.set(parameter('period'), wanted.period);
      return url.toString();
    },
  };
}

/** Services whose key columns come by themselves refuse to be asked for them: then they are asked without. */
async function gather(order: Order, context: TransferContext): Promise<Gathered> {
  const { keysUnasked, keyColumns } = order.traits;
  try {
    return await gatherAs(order, queryOf(order), context);
  } catch (error) {
    const refused = error instanceof IsomericError && error.code === 'source-refused';
    if (!refused || keysUnasked !== undefined || keyColumns === undefined) throw error;
    if (order.wanted.columns === undefined) throw error;
    try {
      const got = await gatherAs(order, queryOf(order, true), context);
      context.note(
        `${order.name}: the service gives ${keyColumns.join(' and ')} by itself; say “keys come unasked: true” under sources → ${order.source} to ask so at once.`,
      );
      return got;
    } catch {
      // What was wrong with the first question is nearer to what was asked.
      throw error;
    }
  }
}

async function gatherAs(
  order: Order,
  { table, requests, address }: Query,
  context: TransferContext,
): Promise<Gathered> {
  const what = `${order.source}/${table}`;
  if (requests.length > 1)
    context.note(
      `${order.name}: ${counted(order.wanted.columns!.length, 'column', 'columns')} in ${requests.length} requests, put together by ${order.traits.keyColumns!.join(' and ')}.`,
    );
  const got: Transfer[] = [];
  for (const [k, columns] of requests.entries()) {
    const url = address(columns);
    got.push(
      await transfer(
        {
          what,
          datasets: [order.name],
          url,
          path: `${folderOf(order)}/rows-${String(k + 1).padStart(4, '0')}.json`,
          accept: 'application/json',
          licence: order.licence,
          citation: order.citation,
          async check(file) {
            const sent = { what, url };
            try {
              const rows = JSON.parse(new TextDecoder().decode(await file.bytes(0, file.size))) as unknown;
              keysThere(rows, order, sent, context);
              return Array.isArray(rows)
                ? { features: Math.max(0, rows.length - (Array.isArray(rows[0]) ? 1 : 0)) }
                : {};
            } catch (error) {
              if (error instanceof IsomericError) throw error;
              throw failure(
                'source-cut',
                sent,
                context,
                'the answer is no whole JSON document.',
                'Run again.',
              );
            }
          },
        },
        context,
      ),
    );
  }
  return gatheredIn(folderOf(order), order, got, context);
}

/** Rows in JSON from a service with a key and a limit of columns: asked for in pieces, put together by their keys. */
export const rowsProtocol: Protocol = {
  kind: 'rows',
  together: (order) => order.name,
  gather: ([order], context) => gather(order, context),
  async estimate([order]) {
    const { requests } = queryOf(order);
    return {
      requests: requests.length,
      notes: ['The service does not say how many rows there are before they come.'],
    };
  },
};

/** Rows that are put together by their keys must have them. */
function keysThere(
  rows: unknown,
  { traits, wanted }: Order,
  sent: { what: string; url: string },
  context: TransferContext,
): void {
  const [first] = Array.isArray(rows) ? (rows as unknown[]) : [];
  if (traits.keyColumns === undefined || wanted.columns === undefined || first === undefined) return;
  const names = Array.isArray(first) ? first : Object.keys((first ?? {}) as object);
  const missing = traits.keyColumns.filter((name) => !names.includes(name));
  if (missing.length > 0)
    throw failure(
      'source-garbled',
      sent,
      context,
      `the rows have no ${missing.join(', ')}, so nothing says what they are of.`,
      'Check “key columns:” of the source.',
    );
}
