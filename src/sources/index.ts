export { type RemoteOptions, remoteSource, type Traffic } from './files/remote.ts';
export {
  type DatasetRequest,
  type DatasetSettings,
  type GatheredDataset,
  gatherDataset,
} from './gather-dataset.ts';
export { type ProtocolKind, protocolKinds } from './kinds.ts';
export { memoryStore } from './memory-store.ts';
export type {
  Estimate,
  Gathered,
  Order,
  PlacedOrder,
  Protocol,
  SourceTraits,
  TermsLink,
  Wanted,
} from './order.ts';
export type { Receipt } from './receipt.ts';
export { protocolOf, protocols } from './register.ts';
export { withoutSecrets } from './secrets.ts';
export type { Part, PartNote, ReceiveOptions, Store } from './store.ts';
export * from './transfer/index.ts';
