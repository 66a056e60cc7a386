/** Names of all protocols, as a study writes them. */
export const protocolKinds = [
  'features',
  'wfs',
  'files',
  'regions',
  'map-features',
  'sdmx',
  'json-stat',
  'rows',
  'orders',
  'receiver',
] as const;
/** Name of a protocol: `kind:` of a source. */
export type ProtocolKind = (typeof protocolKinds)[number];
