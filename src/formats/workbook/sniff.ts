import type { Surroundings } from '../bytes/byte-source.ts';

/** A compound file, as older spreadsheet programs write: the magic number of [MS-CFB], section 2.2. */
export function isCompoundFile(head: Uint8Array): boolean {
  const magic = [0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1];
  return magic.every((byte, k) => head[k] === byte);
}

/** Is an archive a workbook: by its parts (Office Open XML) or its `mimetype` (OpenDocument, part 2, section 3.3)? */
export async function isWorkbookArchive(around: Surroundings, paths: readonly string[]): Promise<boolean> {
  if (paths.includes('[Content_Types].xml') && paths.some((path) => /^xl\/workbook\.(xml|bin)$/.test(path)))
    return true;
  if (!paths.includes('mimetype') || !paths.includes('content.xml')) return false;
  const mimetype = await around.open('mimetype');
  const text = new TextDecoder().decode(await mimetype.bytes(0, 80));
  return text.startsWith('application/vnd.oasis.opendocument.spreadsheet');
}
