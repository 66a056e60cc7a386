import { counted, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { type ByteSource, sourceFromBytes } from '../../formats/bytes/byte-source.ts';
import { readPage } from '../features/page.ts';
import { type KeptFile, keepBytes } from '../gathered.ts';
import { termsIn } from '../ogc-api.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { boxName, boxNamed, halves, piecesOf, squareKilometres } from '../pieces.ts';
import { folderOf } from '../places.ts';
import type { Receipt } from '../receipt.ts';
import { removeOthers } from '../store.ts';
import { wholeArchive } from '../transfer/archives.ts';
import { askedOnce } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { linkAddress } from '../transfer/links.ts';
import { type Transfer, transfer } from '../transfer/transfer.ts';
import { askResults, ExpiredError, followOrder, placeOrder, TooLargeError } from './job.ts';
import { inputsFor, openDesk, openProcess, type Process } from './process.ts';

/** Times that a piece is cut in two when the provider says that it is too large. */
const mostCuts = 8;
/** Orders that are placed for one dataset at most: a provider would not thank for more. */
const mostPieces = 256;

const datasetOf = (order: Order) => order.wanted.collection ?? order.name;

/** Endings of files by the media type of a result. */
function endingOf(type: string | undefined, url: string): string {
  if (/geo\+json/.test(type ?? '')) return 'geojson';
  if (/json/.test(type ?? '')) return 'json';
  if (/geopackage/.test(type ?? '')) return 'gpkg';
  if (/zip/.test(type ?? '')) return 'zip';
  if (/gml|xml/.test(type ?? '')) return 'gml';
  if (/csv/.test(type ?? '')) return 'csv';
  return /\.([A-Za-z0-9]{1,8})(?:[?#]|$)/.exec(url)?.[1]?.toLowerCase() ?? 'geojson';
}

/** The pieces of one order: what they are for, and where their jobs are. */
class Pieces {
  readonly orders: readonly Order[];
  readonly process: Process;
  readonly context: TransferContext;
  readonly what: string;
  /** Piece → address of its job. */
  readonly jobs = new Map<string, string>();
  /** Results that came at once. */
  readonly results = new Map<string, Record<string, unknown>>();
  /** Pieces in their order; cut ones are replaced by their halves. */
  list: string[];

  constructor(orders: readonly Order[], process: Process, context: TransferContext) {
    this.orders = orders;
    this.process = process;
    this.context = context;
    const [order] = orders;
    this.what = `${order.source}/${orders.map(datasetOf).join('+')}`;
    const { mostArea } = order.traits;
    const boxes =
      order.box === undefined
        ? ['']
        : piecesOf(order.box, (box) => mostArea !== undefined && squareKilometres(box) > mostArea).map(
            boxName,
          );
    if (boxes.length > mostPieces)
      throw new IsomericError(
        'order-too-large',
        `${this.what}: the area would go in ${grouped(boxes.length)} orders of at most ${grouped(mostArea!)} km².`,
        { advice: `At most ${mostPieces} are placed in one run: choose a smaller area.`, blame: 'usage' },
      );
    this.list = boxes;
    for (const job of order.placed?.jobs ?? []) this.jobs.set(job.piece, job.url);
    // Pieces that the provider wanted smaller in the run before stay so.
    if (this.jobs.size > 0 && !boxes.every((piece) => this.jobs.has(piece)))
      this.list = this.knownPieces(boxes);
  }

  /** The pieces of a run before, where they cover what is wanted now. */
  private knownPieces(boxes: readonly string[]): string[] {
    const cover = (piece: string, depth: number): string[] | null => {
      if (this.jobs.has(piece)) return [piece];
      if (piece === '' || depth >= mostCuts) return null;
      const [a, b] = halves(boxNamed(piece)).map((half) => cover(boxName(half), depth + 1));
      return a !== null && b !== null ? [...a, ...b] : null;
    };
    return boxes.flatMap((piece) => cover(piece, 0) ?? [piece]);
  }

  private async remember(): Promise<void> {
    const jobs = this.list.flatMap((piece) => {
      const url = this.jobs.get(piece);
      return url === undefined ? [] : [{ piece, url: this.context.credentials.shown(url) }];
    });
    await this.orders[0].place?.(jobs.length === 0 ? null : { jobs });
  }

  async place(piece: string): Promise<void> {
    const box: Box | undefined = piece === '' ? undefined : boxNamed(piece);
    const inputs = inputsFor(this.orders, this.process, box);
    const placed = await placeOrder(
      this.what,
      this.process.execution,
      inputs,
      this.process.asynchronous,
      this.context,
    );
    if (placed.results !== undefined) this.results.set(piece, placed.results as Record<string, unknown>);
    else {
      this.jobs.set(piece, placed.url);
      await this.remember();
    }
  }

  /** Cuts a piece in two, in place. */
  async cut(piece: string): Promise<string[]> {
    const two = halves(boxNamed(piece)).map(boxName);
    this.list = this.list.flatMap((each) => (each === piece ? two : [each]));
    this.jobs.delete(piece);
    await this.remember();
    return two;
  }

  async forget(piece: string): Promise<void> {
    this.jobs.delete(piece);
    await this.remember();
  }

  async done(): Promise<void> {
    await this.orders[0].place?.(null);
  }
}

/** Brings one piece: places it, follows it, cuts it when it is too large, orders it anew when it has expired. */
async function bring(
  pieces: Pieces,
  piece: string,
  longest: number,
  cuts: number,
  again: number,
): Promise<void> {
  const { context, what } = pieces;
  if (pieces.results.has(piece)) return;
  const known = pieces.jobs.has(piece);
  try {
    if (!known) await pieces.place(piece);
    if (pieces.results.has(piece)) return;
    const results = await followOrder(what, pieces.jobs.get(piece)!, context, longest);
    pieces.results.set(piece, await askResults(what, results, context));
  } catch (error) {
    if (error instanceof TooLargeError && piece !== '' && cuts < mostCuts) {
      const two = await pieces.cut(piece);
      context.note(`${what}: too large for the provider, so the order was cut in two.`);
      await Promise.all(two.map((half) => bring(pieces, half, longest, cuts + 1, again)));
      return;
    }
    const gone =
      error instanceof ExpiredError ||
      (known && error instanceof IsomericError && error.code === 'source-missing');
    if (gone && again > 0) {
      context.note(`${what}: the results of an order had expired at the provider; it was ordered anew.`);
      await pieces.forget(piece);
      await bring(pieces, piece, longest, cuts, again - 1);
      return;
    }
    // An order that failed is of no use to a later run; one that is under way is.
    if (error instanceof IsomericError && ['order-failed', 'order-too-large'].includes(error.code))
      await pieces.forget(piece);
    throw error;
  }
}

/** The result that is a dataset's: the one of its name, or the only one when only one was asked for. */
function resultFor(order: Order, results: Record<string, unknown>, alone: boolean): unknown {
  const name = datasetOf(order);
  if (Object.hasOwn(results, name)) return results[name];
  const values = Object.values(results);
  return alone && values.length === 1 ? values[0] : undefined;
}

/** Features of a whole collection; monthly limits are counted by them. */
async function countFeatures(
  file: ByteSource,
  sent: { what: string; url: string },
  context: TransferContext,
): Promise<Partial<Receipt>> {
  return { features: (await readPage(file, sent, context)).features };
}

async function fetchResult(
  order: Order,
  what: string,
  result: unknown,
  number: number,
  base: string,
  context: TransferContext,
): Promise<Transfer> {
  const folder = folderOf(order);
  const file = `piece-${String(number).padStart(3, '0')}`;
  const common = {
    what,
    datasets: [order.name],
    licence: order.licence,
    citation: order.citation,
  };
  if (result !== null && typeof result === 'object' && 'href' in result) {
    const { href, type } = result as { href: string; type?: string };
    const url = linkAddress(String(href), base, what, context);
    const ending = endingOf(type, url);
    return transfer(
      {
        ...common,
        url,
        path: `${folder}/${file}.${ending}`,
        accept: type,
        plain: true,
        async check(stored) {
          if (ending === 'geojson') return countFeatures(stored, { what, url }, context);
          await wholeArchive(stored, { what, url }, context);
          return {};
        },
      },
      context,
    );
  }
  // The value itself, or one with its media type around it.
  const value =
    result !== null && typeof result === 'object' && 'value' in result && !('type' in result)
      ? (result as { value: unknown }).value
      : result;
  const path = `${folder}/${file}.${typeof value === 'string' ? 'txt' : 'geojson'}`;
  const bytes = new TextEncoder().encode(typeof value === 'string' ? value : JSON.stringify(value));
  const kept: KeptFile = { ...common, path, from: context.credentials.shown(base) };
  return keepBytes(kept, sourceFromBytes(bytes).stream(), context);
}

async function gather(orders: readonly Order[], context: TransferContext): Promise<Gathered> {
  const service = await openProcess(orders[0], context);
  const pieces = new Pieces(orders, service, context);
  const { what } = pieces;
  const waiting = [...pieces.jobs.keys()].filter((piece) => pieces.list.includes(piece)).length;
  if (waiting > 0)
    context.note(
      `${what}: ${counted(waiting, 'order of an earlier run is', 'orders of an earlier run are')} taken up again.`,
    );
  let fetched = await bringAndFetch(pieces);
  const expired = [...fetched.troubles.values()].some(
    (error) => error instanceof IsomericError && error.code === 'source-missing',
  );
  if (expired) {
    context.note(`${what}: files of the order had expired at the provider; it was ordered anew.`);
    pieces.jobs.clear();
    pieces.results.clear();
    fetched = await bringAndFetch(pieces);
  }
  if (pieces.list.length > 1)
    context.note(
      `${what}: the area came in ${grouped(pieces.list.length)} pieces; what lies across their borders is kept once, by its id or by its geometry and fields.`,
    );
  // What can be fetched later stays ordered; all else is over.
  const later = [...fetched.troubles.values()].some(
    (error) => error instanceof IsomericError && !['order-failed', 'source-missing'].includes(error.code),
  );
  if (!later) await pieces.done();
  if (fetched.files.size === 0) throw fetched.troubles.values().next().value;
  return fetched;
}

/** Brings all pieces, then fetches what came of them, dataset by dataset: one that fails does not lose the others. */
async function bringAndFetch(pieces: Pieces): Promise<Required<Omit<Gathered, 'findings'>>> {
  const { orders, context, process: service } = pieces;
  const outcomes = await Promise.allSettled(
    pieces.list.map((piece) => bring(pieces, piece, context.longestOrder, 0, 2)),
  );
  const failed = outcomes.find((outcome) => outcome.status === 'rejected');
  if (failed !== undefined) throw failed.reason;
  const receipts: Receipt[] = [];
  const files = new Map<string, string[]>();
  const troubles = new Map<string, unknown>();
  let unchanged = 0;
  for (const order of orders) {
    try {
      const got: Transfer[] = [];
      for (const [k, piece] of pieces.list.entries()) {
        const base = pieces.jobs.get(piece) ?? service.execution;
        const result = resultFor(order, pieces.results.get(piece)!, orders.length === 1);
        const what = `${order.source}/${datasetOf(order)}`;
        if (result === undefined || result === null)
          throw failure(
            'order-failed',
            { what, url: base },
            context,
            'the order was done, but this dataset is not in what came of it.',
            'Ask the provider; the next run orders anew.',
          );
        got.push(await fetchResult(order, what, result, k + 1, base, context));
      }
      const own = got.map(({ receipt }) => receipt);
      await removeOthers(folderOf(order), own, context.store);
      receipts.push(...own);
      unchanged += got.filter((each) => each.unchanged).length;
      files.set(
        order.name,
        own.map(({ path }) => path),
      );
    } catch (error) {
      troubles.set(order.name, error);
    }
  }
  return { receipts, files, unchanged, troubles };
}

/** OGC API – Processes, part 1 (OGC 18-062r2): orders that take time, several datasets in one, large areas in pieces. */
export const ordersProtocol: Protocol = {
  kind: 'orders',
  keeps: () => true,
  // Datasets of one process with the same inputs go into one order.
  together: ({ wanted, vintage }) =>
    JSON.stringify([wanted.process ?? '', wanted.inputs ?? {}, vintage ?? '']),
  gather,
  terms: async (order, context) => termsIn(await openDesk(order, context), order, context),
  async estimate(orders, context) {
    const service = await askedOnce(
      `process ${orders[0].address} ${orders[0].wanted.process ?? ''}`,
      context,
      () => openProcess(orders[0], context),
    );
    const [order] = orders;
    inputsFor(orders, service, order.box);
    const { mostArea } = order.traits;
    const notes: string[] = [];
    let requests = 1;
    if (order.box !== undefined) {
      const area = squareKilometres(order.box);
      requests = piecesOf(
        order.box,
        (box) => mostArea !== undefined && squareKilometres(box) > mostArea,
      ).length;
      notes.push(
        `“${service.title}” for ${grouped(Math.round(area))} km²${mostArea === undefined ? '' : `; the provider allows ${grouped(mostArea)} km² in one order, so it goes in ${counted(requests, 'piece', 'pieces')}`}.`,
      );
    }
    notes.push('How much comes, and when, only the order itself shows.');
    return { requests, notes };
  },
};
