import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { asDamage, guardedTable } from '../opening/guard.ts';
import type { PhotoNotes } from '../photo/exif.ts';
import { rootElement } from '../xml/encoding.ts';

/** One file of a receiver: layers of positions, or a photo. */
export interface RecordFile {
  /** As it is told: its path below the receiver's folder. */
  path: string;
  bytes: number;
  layers: readonly Layer[];
  photo: PhotoNotes | null;
  findings: readonly Finding[];
}

const headLength = 1 << 17;

/** Endings of files that a receiver keeps records in; a look at all others would take long and find nothing. */
const endings = /\.(gpx|nmea|nme|nma|log|txt|jpe?g)$/i;

/** May a file of this name hold a record? */
export const mayHoldRecord = (name: string): boolean => endings.test(name);

/**
 * Opens a file of a receiver by its contents: GPX, sentences (NMEA 0183), a photo with what the camera wrote into it. Null for
 * everything else.
 */
export async function openRecordFile(source: ByteSource, path = source.name): Promise<RecordFile | null> {
  if (source.size === 0) return null;
  try {
    return await opened(source, path);
  } catch (error) {
    throw asDamage(error, path);
  }
}

/**
 * Opens all records among files. One that is damaged, as receivers leave them when their power ends, loses no other: it is told
 * with the first of those that can be read, and left out.
 *
 * @throws IsomericError the damage, where nothing else is left
 */
export async function openRecordFiles(
  found: readonly { path: string; source: ByteSource }[],
): Promise<RecordFile[]> {
  const files: RecordFile[] = [];
  const damage: IsomericError[] = [];
  for (const { path, source } of found)
    try {
      const file = await openRecordFile(source, path);
      if (file !== null) files.push(file);
    } catch (error) {
      if (!(error instanceof IsomericError)) throw error;
      damage.push(error);
    }
  if (damage.length === 0) return files;
  const [first, ...others] = files;
  if (first === undefined) throw damage[0];
  const findings = damage.map(
    (error): Finding => ({
      code: 'record-damaged',
      severity: 'error',
      words: `A file of the receiver cannot be read and was left out: ${error.sentence}`,
      repair: 'copy it from the receiver again',
    }),
  );
  return [{ ...first, findings: [...first.findings, ...findings] }, ...others];
}

async function opened(source: ByteSource, path: string): Promise<RecordFile | null> {
  const head = await source.bytes(0, headLength);
  const file = { path, bytes: source.size };
  if (head[0] === 0xff && head[1] === 0xd8) {
    const [{ photoNotes }, { photoFindings }] = await Promise.all([
      import('../photo/exif.ts'),
      import('../photo/read.ts'),
    ]);
    const photo = photoNotes(head);
    return photo === null ? null : { ...file, layers: [], photo, findings: photoFindings(path, photo) };
  }
  let layers: readonly Layer[] | null = null;
  const { looksLikeSentences } = await import('../nmea/sentences.ts');
  if (looksLikeSentences(head)) layers = await (await import('../nmea/read.ts')).openSentences(source);
  else if (rootElement(head)?.name === 'gpx') layers = await (await import('../gpx/read.ts')).openGpx(source);
  if (layers === null) return null;
  const guarded = layers.map((layer) => guardedTable(layer, path));
  return { ...file, layers: guarded, photo: null, findings: layers.flatMap((layer) => layer.findings) };
}
