import { counted, grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import {
  checkChoice,
  choiceFrom,
  filesOf,
  type RecordChoice,
  recordKinds,
} from '../../formats/field-record/choose.ts';
import { openRecordFile, openRecordFiles, type RecordFile } from '../../formats/field-record/files.ts';
import { listRecord } from '../../formats/field-record/survey.ts';
import { keepBytes } from '../gathered.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { filePath } from '../places.ts';
import type { TransferContext } from '../transfer/context.ts';
import type { Transfer } from '../transfer/transfer.ts';
import { filesBelow } from './folder.ts';
import { isStream, listened } from './stream.ts';

/** What is wanted of the receiver for a dataset; the whole receiver is never taken unasked. */
function choiceOf(order: Order): RecordChoice {
  const choice = choiceFrom(order.wanted);
  if (choice !== null) return choice;
  throw new IsomericError('receiver-choice', `${order.name}: what of ${order.source} is wanted?`, {
    advice: `Say it with “${recordKinds.join(':”, “')}:”: names, runs of names (CUL-001 to CUL-048), or all. “isomeric field” with the address lists what there is.`,
    blame: 'usage',
  });
}

/** A receiver: its folder (GPX, sentences, photos), or what it sends (NMEA 0183) over a line or a network. */
export const receiverProtocol: Protocol = {
  kind: 'receiver',
  // All that is wanted of a receiver is taken in one go: it is read through once, and listened to once.
  together: () => '',
  // What was sent cannot be asked for again.
  keeps: ({ address }) => isStream(address),
  async gather(orders, context) {
    for (const order of orders) choiceOf(order);
    return isStream(orders[0].address) ? gatherStream(orders, context) : gatherFolder(orders, context);
  },
  async newer(orders, receipts) {
    const [order] = orders;
    if (isStream(order.address)) return null;
    const { files } = await readFolder(order);
    const paths = files.map(({ path }) => path);
    const list = await listRecord(files);
    const had = new Set(receipts.map(({ path }) => path));
    for (const each of orders)
      for (const number of filesOf(choiceOf(each), list, paths))
        if (!had.has(filePath(order, paths[number])))
          return `${paths[number]} holds something of ${each.name} that was not there.`;
    return null;
  },
  async estimate(orders) {
    const [order] = orders;
    if (isStream(order.address))
      return { notes: ['A receiver sends what it has, and is listened to until it goes silent.'] };
    const { files } = await readFolder(order);
    const all = files.reduce((sum, { bytes }) => sum + bytes, 0);
    return {
      bytes: all,
      requests: 0,
      notes: [
        `${counted(files.length, 'file', 'files')} with records; only those that hold something chosen are taken.`,
      ],
    };
  },
};

async function readFolder(order: Order): Promise<{ files: RecordFile[] }> {
  const files = await openRecordFiles(await filesBelow(order));
  if (files.length > 0) return { files };
  throw new IsomericError('receiver-empty', `${order.source}: there is no record in its folder.`, {
    place: { file: order.address },
    advice:
      'Look whether the receiver is connected and mounted there; records are GPX files, sentences (NMEA 0183) and photos.',
  });
}

async function gatherFolder(orders: readonly Order[], context: TransferContext): Promise<Gathered> {
  const [order] = orders;
  const { files } = await readFolder(order);
  const paths = files.map(({ path }) => path);
  // Told once: the files themselves are not taken along.
  const damaged = files.flatMap(({ findings }) => findings).filter(({ code }) => code === 'record-damaged');
  const list = await listRecord(files);
  const wanted = new Map<number, string[]>();
  const own = new Map<string, string[]>();
  const troubles = new Map<string, unknown>();
  for (const each of orders) {
    try {
      const choice = choiceOf(each);
      for (const note of checkChoice(choice, list, paths)) context.note(`${each.name}: ${note}`);
      const numbers = [...filesOf(choice, list, paths)].sort((a, b) => a - b);
      for (const number of numbers) wanted.set(number, [...(wanted.get(number) ?? []), each.name]);
      own.set(
        each.name,
        numbers.map((number) => filePath(order, paths[number])),
      );
    } catch (error) {
      troubles.set(each.name, error);
    }
  }
  if (own.size === 0) throw troubles.values().next().value;
  const got: Transfer[] = [];
  const sources = new Map((await filesBelow(order)).map(({ path, source }) => [path, source]));
  context.meter.totalBytes = [...wanted.keys()].reduce((sum, number) => sum + files[number].bytes, 0);
  for (const [number, datasets] of [...wanted].sort(([a], [b]) => a - b)) {
    const source = sources.get(paths[number]);
    if (source === undefined) continue;
    const { licence, citation } = order;
    got.push(
      await keepBytes(
        {
          what: `${order.source}/${paths[number]}`,
          datasets,
          path: filePath(order, paths[number]),
          licence,
          citation,
          from: `file: ${source.name}`,
        },
        counting(source.stream(), context),
        context,
      ),
    );
  }
  return {
    receipts: got.map(({ receipt }) => receipt),
    files: own,
    unchanged: got.filter(({ unchanged }) => unchanged).length,
    troubles,
    findings: new Map([...own.keys()].slice(0, 1).map((name) => [name, damaged])),
  };
}

async function* counting(
  chunks: AsyncIterable<Uint8Array>,
  context: TransferContext,
): AsyncGenerator<Uint8Array> {
  for await (const chunk of chunks) {
    context.meter.bytes += chunk.length;
    context.progress();
    yield chunk;
  }
}

async function gatherStream(orders: readonly Order[], context: TransferContext): Promise<Gathered> {
  const [order] = orders;
  const { address, source: name, traits, licence, citation } = order;
  if (order.listen === undefined)
    throw new IsomericError('receiver-unheard', 'Here no device can be listened to.', {
      place: { file: address },
      advice: 'Use the command, or a program in Node.',
      blame: 'usage',
    });
  const stream = await order.listen(address);
  const path = filePath(order, 'record.nmea');
  const got = await keepBytes(
    {
      what: `${name}/record`,
      datasets: orders.map((each) => each.name),
      path,
      licence,
      citation,
      from: address,
    },
    listened(stream, name, {
      quietAfter: traits.quietAfter,
      listenFor: traits.listenFor,
      meter: context.meter,
      progress: () => context.progress(),
      note: (words) => context.note(words),
    }),
    context,
  );
  const kept = await context.store.open(path);
  const file = kept === null ? null : await openRecordFile(kept, 'record.nmea');
  const files = new Map<string, string[]>();
  const troubles = new Map<string, unknown>();
  if (file === null)
    throw new IsomericError(
      'receiver-silent',
      `${name} sent ${grouped(got.receipt.bytes)} bytes that hold no record.`,
      {
        place: { file: address },
        advice: 'Look whether it is set to send sentences (NMEA 0183).',
      },
    );
  const list = await listRecord([file]);
  for (const each of orders)
    try {
      for (const note of checkChoice(choiceOf(each), list, [file.path]))
        context.note(`${each.name}: ${note}`);
      files.set(each.name, [path]);
    } catch (error) {
      troubles.set(each.name, error);
    }
  if (files.size === 0) throw troubles.values().next().value;
  return { receipts: [got.receipt], files, unchanged: 0, troubles };
}
