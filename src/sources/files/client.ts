import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import type { ByteSource } from '../../formats/bytes/byte-source.ts';
import { type KeptFile, keepBytes } from '../gathered.ts';
import { type Gathered, type Order, type Protocol, withSlash } from '../order.ts';
import { filePath } from '../places.ts';
import { wholeArchive } from '../transfer/archives.ts';
import { announcedLength } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { type Transfer, transfer } from '../transfer/transfer.ts';

function fileOf(order: Order): string {
  const { file } = order.wanted;
  if (file !== undefined) return file;
  throw new IsomericError('order-incomplete', `${order.name}: which file of ${order.source} is wanted?`, {
    advice: 'Say it with “file:”.',
    blame: 'usage',
  });
}

/** Name of the file, for words. */
const nameOf = (file: string) => file.slice(file.lastIndexOf('/') + 1).replace(/[?#].*$/, '');

const isAddress = (text: string) => /^https?:\/\//i.test(text);

/** Copies a file of this machine into the study. */
function copied(
  order: Order,
  source: ByteSource,
  what: string,
  path: string,
  datasets: string[],
  context: TransferContext,
): Promise<Transfer> {
  const { licence, citation, wanted } = order;
  const { meter } = context;
  meter.totalBytes = source.size;
  const watched = (async function* () {
    for await (const chunk of source.stream()) {
      meter.bytes += chunk.length;
      context.progress();
      yield chunk;
    }
  })();
  const file: KeptFile = { what, datasets, path, licence, citation, from: `file: ${source.name}` };
  return keepBytes(file, watched, context, ({ sha256 }) => {
    if (wanted.sha256 !== undefined && wanted.sha256 !== sha256)
      throw new IsomericError(
        'source-damaged',
        `${what}: its SHA-256 ought to be ${wanted.sha256.slice(0, 12)}… and is ${sha256.slice(0, 12)}….`,
        { place: { file: source.name }, advice: 'It is another file than the study means.' },
      );
  });
}

/** Plain files, over HTTP or in a folder of this machine: the address of the source, then the name of the file. */
export const filesProtocol: Protocol = {
  kind: 'files',
  // Several layers may come out of one archive, which is fetched once.
  together: (order) => `${order.wanted.file ?? order.name} ${order.vintage ?? ''}`,
  place: (order) => filePath(order, fileOf(order)),
  async gather(orders, context): Promise<Gathered> {
    const [order] = orders;
    const file = fileOf(order);
    const what = `${order.source}/${nameOf(file)}`;
    const path = filePath(order, file);
    const datasets = orders.map((each) => each.name);
    let got: Transfer;
    if (isAddress(order.address)) {
      const url = new URL(file, withSlash(order.address)).toString();
      got = await transfer(
        {
          what,
          datasets,
          url,
          path,
          plain: true,
          licence: order.licence,
          citation: order.citation,
          sha256: orders.find((each) => each.wanted.sha256 !== undefined)?.wanted.sha256,
          async check(stored) {
            await wholeArchive(stored, { what, url }, context);
            return {};
          },
        },
        context,
      );
    } else {
      const place = `${order.address.replace(/[/\\]+$/, '')}/${file}`;
      const source = (await order.local?.(place)) ?? null;
      if (source === null)
        throw new IsomericError('file-missing', `${what}: there is no such file.`, {
          place: { file: place },
          wrong: file,
          advice: await adviceFor(file, place, order),
        });
      got = await copied(order, source, what, path, datasets, context);
    }
    return {
      receipts: [got.receipt],
      files: new Map(datasets.map((name) => [name, [path]])),
      unchanged: got.unchanged ? 1 : 0,
    };
  },
  async estimate([order], context) {
    const file = fileOf(order);
    if (!isAddress(order.address)) {
      const source = await order.local?.(`${order.address.replace(/[/\\]+$/, '')}/${file}`);
      return { bytes: source?.size, notes: source == null ? ['There is no such file.'] : [] };
    }
    const url = new URL(file, withSlash(order.address)).toString();
    const bytes = await announcedLength(`${order.source}/${nameOf(file)}`, url, context);
    return {
      bytes: bytes ?? undefined,
      requests: 1,
      notes: [
        'The file comes whole, what lies outside the area too.',
        ...(bytes === null ? ['The service does not say how long it is.'] : []),
      ],
    };
  },
};

/** What there is in place of a file that is not there. */
async function adviceFor(file: string, place: string, order: Order): Promise<string> {
  const names = (await order.localNames?.(place.slice(0, Math.max(0, place.lastIndexOf('/'))))) ?? [];
  const name = file.slice(file.lastIndexOf('/') + 1);
  return names.length === 0
    ? 'Check “at:” of the source: there is no such folder, or nothing in it.'
    : suggest(name, names);
}
