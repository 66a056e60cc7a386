/** SHA-256 of a text or of bytes, hexadecimal. */
export async function digestOf(content: string | Uint8Array): Promise<string> {
  const bytes = typeof content === 'string' ? new TextEncoder().encode(content) : content;
  const digest = await crypto.subtle.digest('SHA-256', bytes as Uint8Array<ArrayBuffer>);
  return [...new Uint8Array(digest)].map((each) => each.toString(16).padStart(2, '0')).join('');
}

/** The members of objects in the order of their names: the same content is the same text. */
export function canonicalJson(value: unknown): string {
  return JSON.stringify(value, (_, each: unknown) =>
    typeof each === 'object' && each !== null && !Array.isArray(each)
      ? Object.fromEntries(Object.entries(each).sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0)))
      : each,
  );
}
