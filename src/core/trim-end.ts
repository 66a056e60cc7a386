/** A text without any of this sign at its end, in one pass from behind. */
export function withoutTrailing(text: string, sign: string): string {
  let end = text.length;
  while (end > 0 && text[end - 1] === sign) end--;
  return text.slice(0, end);
}
