import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { compressionOf } from '../compressed/sniff.ts';
import { isZip } from '../zip/sniff.ts';

/** Deepest nesting of archives in archives that is gone into. */
const deepest = 4;

/**
 * Unpacks an archive or a compressed file to its end without keeping anything: names that would climb out, files that
 * expand beyond measure and checksums that do not fit are errors. Files of other kinds are passed.
 */
export async function examinePacked(source: ByteSource, depth = 0): Promise<void> {
  const head = await source.bytes(0, 8);
  const compression = compressionOf(head);
  if (!isZip(head) && compression === null) return;
  if (depth > deepest)
    throw new IsomericError('archive-deep', `Archives are nested more than ${deepest} deep.`, {
      place: { file: source.name },
      advice: 'Such archives are not opened.',
    });
  if (compression !== null) {
    const { openCompressed } = await import('../compressed/compressed.ts');
    return examinePacked(await openCompressed(source, compression), depth + 1);
  }
  const { openZip } = await import('../zip/zip.ts');
  const around = await openZip(source, { keep: false });
  for (const path of await around.list()) {
    const inner = await around.open(path);
    let start: Uint8Array | null = null;
    for await (const chunk of inner.stream()) start ??= chunk.slice(0, 8);
    if (start !== null && (isZip(start) || compressionOf(start) !== null))
      await examinePacked(inner, depth + 1);
  }
}
