import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import type { ByteSource } from '../../formats/bytes/byte-source.ts';
import { ordinate } from '../features/query.ts';
import { gatheredIn } from '../gathered.ts';
import { type Gathered, type Order, type Protocol, withSlash } from '../order.ts';
import { boxName, halves, piecesOf } from '../pieces.ts';
import { folderOf } from '../places.ts';
import { askedOnce, askFor, xmlOf } from '../transfer/ask.ts';
import type { Request, TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { type Transfer, transfer } from '../transfer/transfer.ts';

/** The version of the read interface that is spoken. */
const version = '0.6';
/** Times that a box is cut in two when the server says that there is too much in it. */
const mostCuts = 10;
/** Boxes that are asked for at most: larger areas are what extracts are for. */
const mostBoxes = 400;
/** Most square degrees of a box, where the server does not say. */
const usualArea = 0.25;

interface Capabilities {
  /** Square degrees. */
  mostArea: number;
  copyright: string | undefined;
  licence: string | undefined;
}

async function capabilities(order: Order, context: TransferContext): Promise<Capabilities> {
  const url = new URL('api/capabilities', withSlash(order.address)).toString();
  return askedOnce(`map-features ${url}`, context, async () => {
    const request: Request = { what: order.source, url, accept: 'application/xml, text/xml' };
    const root = await askFor(request, context, (answer) => xmlOf(answer, request, context));
    const own = root.name === 'osm' ? root.first('api') : undefined;
    const versions = own?.first('version');
    const from = Number(versions?.attribute('minimum') ?? version);
    const to = Number(versions?.attribute('maximum') ?? version);
    if (own === undefined || !(from <= Number(version) && Number(version) <= to))
      throw failure(
        'source-unsupported',
        request,
        context,
        `it is no map-feature server that speaks version ${version}.`,
        'Is the address that of the server itself?',
      );
    const area = Number(own.first('area')?.attribute('maximum'));
    return {
      mostArea: area > 0 ? area : usualArea,
      copyright: root.attribute('copyright'),
      licence: root.attribute('license'),
    };
  });
}

/** A document that ends as it should. */
async function whole(file: ByteSource, sent: { what: string; url: string }, context: TransferContext) {
  const head = new TextDecoder().decode(await file.bytes(0, 4096));
  if (!/<osm[\s>]/.test(head))
    throw failure(
      'source-garbled',
      sent,
      context,
      'the answer is no map data.',
      'Is the address that of a map-feature server?',
    );
  const tail = new TextDecoder().decode(await file.bytes(Math.max(0, file.size - 200), file.size));
  if (!/(<\/osm\s*>|<osm[^>]*\/>)\s*$/.test(tail))
    throw failure(
      'source-cut',
      sent,
      context,
      'the map data end in the middle.',
      'Run again; if it stays so, ask the makers of the server.',
    );
  return {};
}

interface Piece {
  name: string;
  url: string;
}

function boxAddress(order: Order, box: Box): string {
  const url = new URL(`api/${version}/map`, withSlash(order.address));
  url.searchParams.set('bbox', box.map(ordinate).join(','));
  return url.toString();
}

function objectAddress(order: Order, object: string): string {
  const full = object.startsWith('node/') ? '' : '/full';
  return new URL(`api/${version}/${object}${full}`, withSlash(order.address)).toString();
}

async function fetchPiece(
  order: Order,
  piece: Piece,
  told: Capabilities,
  context: TransferContext,
): Promise<Transfer> {
  const what = `${order.source}/${order.wanted.object ?? order.name}`;
  return transfer(
    {
      what,
      datasets: [order.name],
      url: piece.url,
      path: `${folderOf(order)}/${piece.name}.osm`,
      accept: 'application/xml, text/xml',
      missing: `There is no ${order.wanted.object ?? 'such thing'}, or it was deleted.`,
      licence: order.licence ?? told.licence,
      citation: order.citation ?? told.copyright,
      check: (file) => whole(file, { what, url: piece.url }, context),
    },
    context,
  );
}

/** All of a box: cut in two as long as the server says that there is too much in it. */
async function fetchBox(
  order: Order,
  box: Box,
  told: Capabilities,
  context: TransferContext,
  cuts: number,
): Promise<Transfer[]> {
  try {
    const name = `box ${boxName(box)}`.replace(/[ ,]/g, '_');
    return [await fetchPiece(order, { name, url: boxAddress(order, box) }, told, context)];
  } catch (error) {
    // The server counts nodes, and refuses with 400; some refuse with 413.
    const tooMuch =
      error instanceof IsomericError &&
      (error.code === 'source-too-much' ||
        (error.code === 'source-refused' && /too many nodes|too large|limit/i.test(error.message)));
    if (!tooMuch || cuts >= mostCuts) throw error;
    const [a, b] = halves(box);
    return [
      ...(await fetchBox(order, a, told, context, cuts + 1)),
      ...(await fetchBox(order, b, told, context, cuts + 1)),
    ];
  }
}

async function gather(order: Order, context: TransferContext): Promise<Gathered> {
  const told = await capabilities(order, context);
  const { object } = order.wanted;
  let got: Transfer[];
  if (object !== undefined) {
    const piece = { name: object.replace('/', '-'), url: objectAddress(order, object) };
    got = [await fetchPiece(order, piece, told, context)];
  } else {
    if (order.box === undefined)
      throw new IsomericError(
        'order-incomplete',
        `${order.name}: ${order.source} is asked by a box, and the area has none in longitudes and latitudes.`,
        { advice: 'Give the area as a box, or ask for one “object:”.', blame: 'usage' },
      );
    got = [];
    const boxes = boxesOf(order.box, told);
    if (boxes.length > mostBoxes)
      throw new IsomericError(
        'order-too-large',
        `${order.name}: the area would be asked for in ${grouped(boxes.length)} boxes.`,
        {
          advice: `At most ${mostBoxes} are asked for in one run: take an extract of the region (kind: regions).`,
          blame: 'usage',
        },
      );
    for (const box of boxes) got.push(...(await fetchBox(order, box, told, context, 0)));
    if (got.length > 1)
      context.note(
        `${order.name}: too large for one box, so it came in ${grouped(got.length)}; objects in several of them count once.`,
      );
  }
  return gatheredIn(folderOf(order), order, got, context);
}

function boxesOf(box: Box, { mostArea }: Capabilities): Box[] {
  return piecesOf(box, ([west, south, east, north]) => (east - west) * (north - south) > mostArea);
}

/** The read interface of the open map database, version 0.6: by box, or one object with its parts. */
export const mapFeaturesProtocol: Protocol = {
  kind: 'map-features',
  together: ({ wanted, name }) => wanted.object ?? (wanted.collection === undefined ? 'box' : name),
  async gather(orders, context) {
    const [order] = orders;
    const got = await gather(order, context);
    const paths = got.files.get(order.name)!;
    return { ...got, files: new Map(orders.map((each) => [each.name, paths])) };
  },
  async estimate([order], context) {
    const told = await capabilities(order, context);
    if (order.wanted.object !== undefined) return { requests: 1, notes: ['One object with its parts.'] };
    if (order.box === undefined) return { notes: ['The area has no box in longitudes and latitudes.'] };
    const requests = boxesOf(order.box, told).length;
    return {
      requests,
      notes: ['The server does not say how much is in a box; one with too much in it is cut.'],
    };
  },
};
