/**
 * Text of an address without its percent signs (RFC 3986, section 2.1), for text from outside: where it is not well
 * encoded, a stray percent sign stands for itself, and the text stays as it is.
 */
export function percentDecoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

/** A text as a part of an address (RFC 3986, section 2.1); half of a surrogate pair, which is no text, becomes U+FFFD. */
export function percentEncoded(text: string): string {
  return encodeURIComponent(text.replace(/\p{Surrogate}/gu, '\uFFFD'));
}
