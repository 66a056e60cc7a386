export { type RemoteOptions, remoteSource, type Traffic } from './files/remote.ts';
export type { Gathered, Order, Protocol } from './order.ts';
export { type Receipt, withoutSecrets } from './receipt.ts';
export { protocolOf, protocols } from './register.ts';
export type { Store } from './store.ts';
export { fetchJson, type Transfer, type TransferContext, transfer } from './transfer.ts';
