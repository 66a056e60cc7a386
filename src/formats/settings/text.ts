import { IsomericError } from '../../core/errors.ts';
import type { ByteSource } from '../bytes/byte-source.ts';

/** The text of a file of settings: UTF-8. Whatever else it is written in is told by name. */
export async function settingsText(source: ByteSource, file: string, what: string): Promise<string> {
  const bytes = await source.bytes(0, Math.min(source.size, longest * 4 + 1));
  const refuse = (words: string, line?: number) =>
    new IsomericError(`${what}-encoding`, words, {
      place: line === undefined ? { file } : { file, line },
      advice: 'Save it as UTF-8 in your editor.',
      blame: 'usage',
    });
  if ((bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff))
    throw refuse('The file is written in UTF-16.');
  if (bytes.subarray(0, 64).includes(0))
    throw refuse(
      bytes[0] === 0 || bytes[1] === 0 ? 'The file is written in UTF-16.' : 'The file is no text.',
    );
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    const text = new TextDecoder().decode(bytes);
    const line = text.slice(0, text.indexOf('\ufffd')).split('\n').length;
    throw refuse('A letter is not written in UTF-8.', line);
  }
}

/** Most characters of a file that people write by hand. */
export const longest = 2_000_000;
