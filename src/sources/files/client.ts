import { IsomericError } from '../../core/errors.ts';
import type { Gathered, Order, Protocol } from '../order.ts';
import { type TransferContext, transfer } from '../transfer.ts';

/** Plain files over HTTP: the address of the source, then the name of the file. */
export const filesProtocol: Protocol = {
  kind: 'files',
  async gather(order: Order, context: TransferContext): Promise<Gathered> {
    if (order.file === undefined) {
      throw new IsomericError('order-incomplete', `${order.name}: which file of ${order.source} is wanted?`, {
        advice: 'Say it with “file:”.',
        blame: 'usage',
      });
    }
    const address = order.address.endsWith('/') ? order.address : `${order.address}/`;
    const url = new URL(order.file, address).toString();
    const name = order.file.slice(order.file.lastIndexOf('/') + 1);
    const what = `${order.source}/${name}`;
    const inside = order.file
      .split(/[/\\?#]/)
      .filter((part) => part !== '' && part !== '.' && part !== '..')
      .join('/');
    const path = `gathered/${order.source}/${order.vintage === undefined ? '' : `${order.vintage}/`}${inside}`;
    const got = await transfer(
      { what, url, path, licence: order.licence, citation: order.citation, notHtml: true },
      context,
    );
    return { receipts: [got.receipt], unchanged: got.unchanged ? 1 : 0 };
  },
};
