import { featuresProtocol } from './features/client.ts';
import { filesProtocol } from './files/client.ts';
import type { Protocol } from './order.ts';

/** All ways to ask for data. A new one is one folder and one line here. */
export const protocols: readonly Protocol[] = [featuresProtocol, filesProtocol];

export function protocolOf(kind: string): Protocol | undefined {
  return protocols.find((protocol) => protocol.kind === kind);
}
