import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { type ByteSource, type Surroundings, surroundingsOf } from '../bytes/byte-source.ts';
import { type InflateRaw, inflateRawAnywhere } from '../compressed/inflate-raw.ts';
import { readDirectory, type ZipEntry } from './directory.ts';
import { damagedArchive, entrySource } from './entry.ts';

/** Most that one entry may expand to, and most times its packed size (past a size where that says anything). */
const largestEntry = 16 * 2 ** 30;
const largestRatio = 1000;
const ratioFrom = 64 * 2 ** 20;
/** Entries up to this size are kept unpacked once read. */
const keepUpTo = 64 * 2 ** 20;

export interface ZipOptions {
  /** `false` unpacks at every reading, and holds nothing. */
  keep?: boolean;
  /** A faster way to unpack than the one that runs everywhere. */
  inflateRaw?: InflateRaw;
}

/** The files in an archive. */
export interface Archive extends Surroundings {
  /** Entries that another one of the same name stands behind: that one counts. */
  readonly hidden: readonly { path: string; size: number }[];
}

function refused(source: ByteSource, code: string, words: string): IsomericError {
  return new IsomericError(code, words, {
    place: { file: source.name },
    advice: 'Such archives are not opened.',
  });
}

/** Data of entries that overlap unpack to more than an archive holds. */
function refuseOverlap(source: ByteSource, entries: readonly ZipEntry[]): void {
  const inOrder = entries.filter((entry) => entry.least > 0).sort((a, b) => a.at - b.at);
  for (let k = 1; k < inOrder.length; k++) {
    const before = inOrder[k - 1];
    if (before.at + before.least > inOrder[k].at)
      throw refused(
        source,
        'zip-overlap',
        `The entries ${before.path} and ${inOrder[k].path} share bytes of the archive.`,
      );
  }
}

/**
 * The files in a zip archive, addressed as if it were a folder. Only the list of entries is read: names that climb out,
 * entries that overlap and sizes that are beyond measure are refused before anything is unpacked.
 */
export async function openZip(source: ByteSource, options: ZipOptions = {}): Promise<Archive> {
  const entries = await readDirectory(source, (words) => damagedArchive(source.name, words));
  const files = new Map<string, ByteSource>();
  const hidden: { path: string; size: number }[] = [];
  const keep = options.keep === false ? 0 : keepUpTo;
  const inflate = options.inflateRaw ?? inflateRawAnywhere;
  let total = 0;
  for (const entry of entries) {
    const path = entry.path.replaceAll('\\', '/');
    if (path.startsWith('/') || /(^|\/)\.\.(\/|$)/.test(path) || /^[A-Za-z]:/.test(path))
      throw refused(source, 'zip-path', `The entry “${entry.path}” would climb out of the archive.`);
    if (entry.folder || path === '' || path.startsWith('__MACOSX/')) continue;
    if (entry.encrypted)
      throw new IsomericError('zip-encrypted', `The entry ${path} is encrypted.`, {
        place: { file: source.name },
        advice: 'Unpack it with its password first.',
      });
    if (entry.size > largestEntry || (entry.size > ratioFrom && entry.size > largestRatio * entry.packed))
      throw refused(
        source,
        'zip-bomb',
        `The entry ${path} claims to unpack from ${grouped(entry.packed)} to ${grouped(entry.size)} bytes.`,
      );
    total += entry.size;
    if (total > largestEntry || (total > ratioFrom && total > largestRatio * source.size))
      throw refused(
        source,
        'zip-bomb',
        `Its entries claim to unpack from ${grouped(source.size)} to more than ${grouped(total)} bytes.`,
      );
    const before = files.get(path);
    if (before !== undefined) hidden.push({ path, size: before.size });
    files.set(path, entrySource(source, { ...entry, path }, keep, inflate));
  }
  refuseOverlap(source, entries);
  return { ...surroundingsOf(files), hidden };
}
