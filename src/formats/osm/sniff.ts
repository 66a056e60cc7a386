import { rootElement } from '../xml/encoding.ts';

/** Does a file begin like one of blobs: a header of sensible length that says “OSMHeader”? */
export function looksLikeBlobs(head: Uint8Array): boolean {
  if (head.length < 16 || head[0] !== 0 || head[1] !== 0) return false;
  const length = (head[2] << 8) | head[3];
  if (length === 0 || head[4] !== 0x0a || head[5] !== 9) return false;
  return new TextDecoder('latin1').decode(head.subarray(6, 15)) === 'OSMHeader';
}

/** Roots of OSM XML, of its changes too: those are told apart when they are opened. */
const roots = new Set(['osm', 'osmChange', 'osmAugmentedDiff']);

export function looksLikeOsmXml(head: Uint8Array): boolean {
  return roots.has(rootElement(head)?.name ?? '');
}
