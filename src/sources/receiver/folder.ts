import { IsomericError } from '../../core/errors.ts';
import { withoutTrailing } from '../../core/trim-end.ts';
import type { ByteSource } from '../../formats/bytes/byte-source.ts';
import { mayHoldRecord } from '../../formats/field-record/files.ts';
import type { Order } from '../order.ts';

/** Folders inside folders are gone through so deep, and so many files are looked at. */
const deepest = 6;
const mostFiles = 20_000;

/** Files below the folder of a receiver that may hold records, in the order of their paths. */
export async function filesBelow(
  order: Pick<Order, 'address' | 'local' | 'localNames'>,
): Promise<{ path: string; source: ByteSource }[]> {
  const { local, localNames } = order;
  const root = withoutTrailing(withoutTrailing(order.address, '/'), '\\');
  const found: { path: string; source: ByteSource }[] = [];
  const below = async (under: string, depth: number): Promise<void> => {
    const names = (await localNames?.(under === '' ? root : `${root}/${under}`)) ?? [];
    for (const name of [...names].sort()) {
      if (name.startsWith('.')) continue;
      const path = under === '' ? name : `${under}/${name}`;
      if (mayHoldRecord(name)) {
        const source = (await local?.(`${root}/${path}`)) ?? null;
        if (source !== null) found.push({ path, source });
        if (found.length > mostFiles)
          throw new IsomericError('receiver-large', `There are more than ${mostFiles} files below it.`, {
            place: { file: root },
            advice: 'Name the folder of the receiver itself.',
            blame: 'usage',
          });
      } else if (depth < deepest && !/\.[a-z0-9]{2,4}$/i.test(name)) await below(path, depth + 1);
    }
  };
  await below('', 0);
  return found;
}
