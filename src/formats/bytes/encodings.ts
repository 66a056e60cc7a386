import { IsomericError } from '../../core/errors.ts';
import { encodingExists } from './code-pages.ts';

/** A name from a .cpg file (`UTF-8`, `1252`, `ISO 8859-1`, `ANSI 1252`) → one that `code-pages.ts` knows. */
export function encodingFromText(text: string): string | undefined {
  const name = text
    .trim()
    .toLowerCase()
    .replace(/^ansi[ _]?/, '')
    .replace(/^(oem[ _]?|ldid\/)/, '');
  const candidate = /^\d{3,5}$/.test(name)
    ? name === '65001'
      ? 'utf-8'
      : name.startsWith('8859')
        ? `iso-8859-${name.slice(4)}`
        : `cp${name}`
    : name.replace(/^iso[ _]?8859/, 'iso-8859').replace(/^utf8$/, 'utf-8');
  return encodingExists(candidate) ? candidate : undefined;
}

/** The encoding that was asked for; an error when it is none. */
export function askedEncoding(asked: string): string {
  const encoding = encodingFromText(asked);
  if (encoding !== undefined) return encoding;
  throw new IsomericError('encoding-unknown', `“${asked}” is no encoding that is known.`, {
    advice: 'For example utf-8, cp1252, cp850 or iso-8859-2.',
    blame: 'usage',
  });
}

/** Are bytes UTF-8, but for a sign that is cut off at their end? */
export function isUtf8(bytes: Uint8Array): boolean {
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes, { stream: true });
    return true;
  } catch {
    return false;
  }
}
