import { featuresProtocol } from './features/client.ts';
import { filesProtocol } from './files/client.ts';
import { jsonStatProtocol } from './json-stat/client.ts';
import type { ProtocolKind } from './kinds.ts';
import { mapFeaturesProtocol } from './map-features/client.ts';
import type { Protocol } from './order.ts';
import { ordersProtocol } from './orders/client.ts';
import { receiverProtocol } from './receiver/client.ts';
import { regionsProtocol } from './regions/client.ts';
import { rowsProtocol } from './rows/client.ts';
import { sdmxProtocol } from './sdmx/client.ts';
import { wfsProtocol } from './wfs/client.ts';

/** All ways to ask for data. A new one is one folder, its name in `kinds.ts`, and one line here. */
const byKind: Readonly<Record<ProtocolKind, Protocol>> = {
  features: featuresProtocol,
  wfs: wfsProtocol,
  files: filesProtocol,
  regions: regionsProtocol,
  'map-features': mapFeaturesProtocol,
  sdmx: sdmxProtocol,
  'json-stat': jsonStatProtocol,
  rows: rowsProtocol,
  orders: ordersProtocol,
  receiver: receiverProtocol,
};

/** All protocols by their kinds. */
export const protocols: readonly Protocol[] = Object.values(byKind);

/** The protocol of a kind, loaded when it is asked for. */
export function protocolOf(kind: string): Protocol | undefined {
  return protocols.find((protocol) => protocol.kind === kind);
}
