import { IsomericError } from '../../../core/errors.ts';
import type { ByteSource } from '../../bytes/byte-source.ts';
import { compressionOf } from '../../compressed/sniff.ts';
import { guarded, guardedEach } from '../../opening/guard.ts';
import { looksLikeBlobs, looksLikeOsmXml } from '../sniff.ts';
import { type Inflate, inflateAnywhere } from './blobs.ts';
import { openPbf } from './pbf.ts';
import type { MapExtract } from './primitives.ts';
import { openOsmXml } from './xml.ts';

/** Opens a map extract, OSM XML or PBF, also when it is packed with gzip or bzip2. */
export function openExtract(source: ByteSource, inflate: Inflate = inflateAnywhere): Promise<MapExtract> {
  return guarded(source.name, async () => {
    const extract = await extractOf(source, inflate);
    return {
      ...extract,
      blocks: (wanted) => guardedEach(source.name, () => extract.blocks(wanted)),
      nodesFirst: () => guarded(source.name, () => extract.nodesFirst()),
    };
  });
}

async function extractOf(source: ByteSource, inflate: Inflate): Promise<MapExtract> {
  const head = await source.bytes(0, 65_536);
  if (looksLikeBlobs(head)) return openPbf(source, inflate);
  const compression = compressionOf(head);
  if (compression !== null) {
    const { openCompressed } = await import('../../compressed/compressed.ts');
    return extractOf(await openCompressed(source, compression), inflate);
  }
  if (looksLikeOsmXml(head)) return openOsmXml(source);
  throw new IsomericError('extract-unknown', 'It is no map extract (OSM XML or PBF).', {
    place: { file: source.name },
    advice: 'Other files are opened with “isomeric look”.',
    blame: 'usage',
  });
}
