import type { Gathered, Order } from './order.ts';
import type { Receipt } from './receipt.ts';
import { removeOthers } from './store.ts';
import type { TransferContext } from './transfer/context.ts';
import type { Transfer } from './transfer/transfer.ts';

/** A file that is kept as it is at hand: a description that was asked for already, a value within an answer, a copy. */
export type KeptFile = Pick<Receipt, 'what' | 'datasets' | 'path' | 'licence' | 'citation'> & {
  role?: Receipt['role'];
  /** Where it came from, as it may be shown. */
  from: string;
};

/** Keeps bytes that are at hand like a transfer: whole, read-only, with a receipt; the same bytes keep their date. */
export async function keepBytes(
  file: KeptFile,
  chunks: AsyncIterable<Uint8Array>,
  context: TransferContext,
  verify?: (found: { bytes: number; sha256: string }) => void,
): Promise<Transfer> {
  const { from, role = 'data', ...own } = file;
  const earlier = context.earlier.get(file.path);
  const found = await context.store.receive(file.path, chunks, {
    from: 0,
    note: null,
    verify: async (_, whole) => verify?.(whole),
  });
  const unchanged = earlier?.sha256 === found.sha256;
  const receipt: Receipt = {
    kind: 'file',
    role,
    ...own,
    url: from,
    at: unchanged ? earlier.at : context.now(),
    ...found,
  };
  await context.keep(receipt, !unchanged);
  return { receipt, unchanged, headers: null };
}

/**
 * What came of one dataset that has a folder of its own: files of an earlier, longer answer are removed from it.
 * @param beside files that explain the data, kept beside them
 */
export async function gatheredIn(
  folder: string,
  order: Order,
  data: readonly Transfer[],
  context: TransferContext,
  beside: readonly Transfer[] = [],
): Promise<Gathered> {
  const all = [...data, ...beside];
  const receipts = all.map(({ receipt }) => receipt);
  await removeOthers(folder, receipts, context.store);
  return {
    receipts,
    files: new Map([[order.name, data.map(({ receipt }) => receipt.path)]]),
    unchanged: all.filter((each) => each.unchanged).length,
  };
}
