import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';

/** Asks another program whether an archive that was read is sound: the words that it has against it, or none. */
function python(code: string, bytes: Uint8Array): string {
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-sound-'));
  try {
    const path = join(folder, 'input');
    writeFileSync(path, bytes);
    execFileSync('python3', ['-c', code, path], { stdio: ['ignore', 'ignore', 'pipe'], timeout: 20_000 });
    return '';
  } catch (error) {
    return (
      String((error as { stderr?: Buffer }).stderr ?? error)
        .trim()
        .split('\n')
        .pop() ?? 'refused'
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/**
 * Says a checksum of the file that it is damaged, though it was read? Blank when none does: asked of zlib, and of Python's
 * bz2 and zipfile, which are no code of ours.
 */
export function checksumSaysDamaged(bytes: Uint8Array, name: string): string {
  if (bytes[0] === 0x1f && bytes[1] === 0x8b) {
    try {
      gunzipSync(bytes, { maxOutputLength: 1e9 });
      return '';
    } catch (error) {
      return `gzip: ${error instanceof Error ? error.message : String(error)}`;
    }
  }
  if (/^BZh[1-9]1/.test(String.fromCharCode(...bytes.subarray(0, 5))) && name.endsWith('.bz2')) {
    const words = python('import bz2,sys;bz2.decompress(open(sys.argv[1],"rb").read())', bytes);
    return words === '' ? '' : `bzip2: ${words}`;
  }
  if (bytes[0] === 0x50 && bytes[1] === 0x4b) {
    // Other complaints (two names of one entry, a version) are no checksum's.
    const words = python(
      `import zipfile,sys
z=zipfile.ZipFile(sys.argv[1])
for i in z.infolist():
  try: z.read(i)
  except zipfile.BadZipFile as e:
    if 'CRC' in str(e): sys.exit(str(e))`,
      bytes,
    );
    return words.includes('CRC') ? `zip: ${words}` : '';
  }
  return '';
}
