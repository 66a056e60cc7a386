/** Which UTF-16 a JSON text is in, by its first bytes (RFC 4627, section 3); null when it is none. */
export function utf16Of(head: Uint8Array): 'utf-16le' | 'utf-16be' | null {
  if ((head[0] === 0xff && head[1] === 0xfe) || (head[0] === 0x7b && head[1] === 0)) return 'utf-16le';
  if ((head[0] === 0xfe && head[1] === 0xff) || (head[0] === 0 && head[1] === 0x7b)) return 'utf-16be';
  return null;
}
