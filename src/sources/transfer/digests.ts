/** SHA-256 in hexadecimal from a header that states it in base64. */
function hexOf(base64: string): string | null {
  try {
    const bytes = atob(base64);
    if (bytes.length !== 32) return null;
    return [...bytes].map((each) => each.charCodeAt(0).toString(16).padStart(2, '0')).join('');
  } catch {
    return null;
  }
}

/**
 * The SHA-256 that a service states of the whole file: Repr-Digest (RFC 9530, section 3), or the older Digest (RFC 3230).
 * Content-Digest is of the part that is sent, so it only counts for whole answers.
 */
export function statedSha256(headers: Headers, whole: boolean): string | null {
  const names = whole ? ['repr-digest', 'content-digest', 'digest'] : ['repr-digest', 'digest'];
  for (const name of names) {
    const header = headers.get(name);
    const found = header === null ? null : /(?:^|[,\s])sha-256=:?([A-Za-z0-9+/]+=*):?/i.exec(header);
    const hex = found === null ? null : hexOf(found[1]);
    if (hex !== null) return hex;
  }
  return null;
}
