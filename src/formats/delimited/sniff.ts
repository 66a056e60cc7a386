import { decodeText } from '../bytes/code-pages.ts';
import { isUtf8 } from '../bytes/encodings.ts';
import { ending } from '../opening/names.ts';
import { findDelimiter } from './scan.ts';

/** A table of one column has no delimiter: then the name must say that it is a table. */
export const namedTable = (name: string) => ['csv', 'tsv'].includes(ending(name));

/** JSON has commas too. What is JSON to its end is no table, whatever it is called. */
function isJson(text: Uint8Array, complete: boolean, name: string): boolean {
  const begin = new TextDecoder().decode(text.subarray(0, 200));
  if (!/^\s*[[{]/.test(begin)) return false;
  const likely = /^\s*(\{\s*["}]|\[\s*[[{])/.test(begin);
  if (!complete) return likely;
  try {
    JSON.parse(new TextDecoder().decode(text));
    return true;
  } catch {
    return likely && !namedTable(name);
  }
}

/** Is it UTF-8, or of single bytes that stand for signs? Windows-1252 leaves five of them out (WHATWG Encoding, index). */
function readsAsText(bytes: Uint8Array): boolean {
  let high = 0;
  let none = 0;
  for (const byte of bytes) {
    if (byte > 127) high++;
    if (byte === 0x81 || byte === 0x8d || byte === 0x8f || byte === 0x90 || byte === 0x9d) none++;
  }
  return high === 0 || isUtf8(bytes) || none === 0 || none * 200 < high;
}

/** True when the head of a file reads as delimited text: with at least two columns, or called a table. */
export function looksDelimited(head: Uint8Array, complete: boolean, name: string): boolean {
  const utf16 =
    head[0] === 0xff && head[1] === 0xfe
      ? 'utf-16le'
      : head[0] === 0xfe && head[1] === 0xff
        ? 'utf-16be'
        : null;
  const text = utf16 !== null ? new TextEncoder().encode(decodeText(head, utf16)) : head;
  for (let k = 0; k < Math.min(text.length, 4096); k++) {
    const c = text[k];
    // Control characters are no text, unless a name and the encoding say that it is one.
    if ((c < 9 || (c > 13 && c < 32)) && !(namedTable(name) && isUtf8(text))) return false;
  }
  if (isJson(text, complete, name)) return false;
  if (utf16 === null && !readsAsText(text)) return false;
  return findDelimiter(text, complete) !== undefined || namedTable(name);
}
