import { counted, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
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

/** One file of a source, fetched or copied into the study. */
async function gatherFile(
  file: string,
  orders: readonly Order[],
  context: TransferContext,
): Promise<{ path: string; got: Transfer }> {
  const [order] = orders;
  const what = `${order.source}/${nameOf(file)}`;
  const path = filePath(order, file);
  const datasets = orders.map((each) => each.name);
  if (!isAddress(order.address)) {
    const place = `${order.address.replace(/[/\\]+$/, '')}/${file}`;
    const source = (await order.local?.(place)) ?? null;
    if (source === null)
      throw new IsomericError('file-missing', `${what}: there is no such file.`, {
        place: { file: place },
        wrong: file,
        advice: await adviceFor(file, place, order),
      });
    return { path, got: await copied(order, source, what, path, datasets, context) };
  }
  const url = new URL(file, withSlash(order.address)).toString();
  const got = await transfer(
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
  return { path, got };
}

/** The names of the files of an order: of files by map sheet, one for each sheet. */
function filesOf(order: Order): { file: string; sheet: string | null }[] {
  const file = fileOf(order);
  const { sheets } = order.wanted;
  if (sheets === undefined) return [{ file, sheet: null }];
  return sheets.map((sheet) => ({ file: file.replaceAll('{sheet}', sheet), sheet }));
}

/** Sheets for which there is no file: at sea, or beyond what a provider keeps. */
function sheetsMissing(order: Order, missing: readonly string[], all: number): Finding {
  const shown = missing.slice(0, 8).join(', ');
  return {
    code: 'sheet-missing',
    severity: 'warning',
    layer: order.name,
    words: `${counted(missing.length, 'sheet', 'sheets')} of ${grouped(all)} that the area lies on ${missing.length === 1 ? 'has' : 'have'} no file at ${order.source}: ${shown}${missing.length > 8 ? ` and ${grouped(missing.length - 8)} more` : ''}.`,
    repair: 'look whether the provider has them, or whether nothing lies there',
  };
}

/** Plain files, over HTTP or in a folder of this machine: the address of the source, then the name of the file. */
export const filesProtocol: Protocol = {
  kind: 'files',
  // Several layers may come out of one archive, which is fetched once.
  together: ({ name, vintage, wanted }) =>
    `${wanted.file ?? name} ${vintage ?? ''}${wanted.sheets === undefined ? '' : ` ${wanted.sheets.join(' ')}`}`,
  place: (order) => filePath(order, fileOf(order)),
  async gather(orders, context): Promise<Gathered> {
    const [order] = orders;
    const names = orders.map((each) => each.name);
    const wanted = filesOf(order);
    const receipts: Gathered['receipts'] = [];
    const paths: string[] = [];
    const missing: string[] = [];
    let unchanged = 0;
    let last: unknown;
    for (const { file, sheet } of wanted) {
      try {
        const { path, got } = await gatherFile(file, orders, context);
        receipts.push(got.receipt);
        paths.push(path);
        if (got.unchanged) unchanged++;
      } catch (error) {
        const absent = error instanceof IsomericError && /^(file|source)-missing$/.test(error.code);
        if (sheet === null || !absent) throw error;
        missing.push(sheet);
        last = error;
      }
    }
    if (paths.length === 0)
      throw new IsomericError(
        'sheets-missing',
        wanted.length === 0
          ? `${order.name}: the area lies on no sheet.`
          : `${order.name}: none of the ${grouped(wanted.length)} sheets that the area lies on (${wanted[0].sheet} …) has a file at ${order.source}.`,
        {
          advice: 'Look at “file:” and “by sheet:”: how does the provider name its files?',
          blame: 'usage',
          cause: last,
        },
      );
    return {
      receipts,
      files: new Map(names.map((name) => [name, paths])),
      unchanged,
      ...(missing.length === 0
        ? {}
        : {
            findings: new Map(
              names.map((name) => [name, [sheetsMissing({ ...order, name }, missing, wanted.length)]]),
            ),
          }),
    };
  },
  async estimate([order], context) {
    const all = filesOf(order);
    let bytes: number | null = 0;
    let absent = 0;
    for (const { file } of all) {
      let length: number | null;
      if (isAddress(order.address)) {
        const url = new URL(file, withSlash(order.address)).toString();
        length = await announcedLength(`${order.source}/${nameOf(file)}`, url, context);
      } else {
        const source = await order.local?.(`${order.address.replace(/[/\\]+$/, '')}/${file}`);
        if (source == null) absent++;
        length = source?.size ?? 0;
      }
      bytes = bytes === null || length === null ? null : bytes + length;
    }
    if (!isAddress(order.address))
      return {
        bytes: absent === all.length ? undefined : (bytes ?? undefined),
        notes:
          absent === 0
            ? []
            : all.length === 1
              ? ['There is no such file.']
              : [`${grouped(absent)} of ${grouped(all.length)} files are not there.`],
      };
    return {
      bytes: bytes ?? undefined,
      requests: all.length,
      notes: [
        all.length === 1
          ? 'The file comes whole, what lies outside the area too.'
          : `${grouped(all.length)} sheets; each comes whole, what lies outside the area too.`,
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
