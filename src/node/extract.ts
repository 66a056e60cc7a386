import { placed } from '../core/errors.ts';
import type { MapExtract } from '../formats/osm/reading/primitives.ts';
import { remoteSource } from '../sources/files/remote.ts';
import { fileSource } from './bytes.ts';
import { nodeCapabilities } from './capabilities.ts';

/** Opens a map extract from a file or an address. */
export async function openExtractFile(path: string, name = path): Promise<MapExtract> {
  const { openExtract } = await import('../formats/osm/reading/open-extract.ts');
  const source = /^https?:\/\//i.test(path) ? await remoteSource(path) : await fileSource(path, name);
  return placed({ file: name }, () => openExtract(source, nodeCapabilities.inflate));
}
