/** Lists and objects inside one another that any data need; what walks a value calls itself once for each. */
export const deepestJson = 500;

/** Do lists and objects of a JSON text stand in one another more than `deepestJson` deep? Looks at each sign once. */
export function isDeepJson(text: string): boolean {
  // Each level has two brackets at the least.
  if (text.length <= 2 * deepestJson) return false;
  let depth = 0;
  for (let k = 0; k < text.length; k++) {
    const sign = text.charCodeAt(k);
    if (sign === 0x22) {
      for (k++; k < text.length && text.charCodeAt(k) !== 0x22; k++) if (text.charCodeAt(k) === 0x5c) k++;
    } else if (sign === 0x5b || sign === 0x7b) {
      if (++depth > deepestJson) return true;
    } else if (sign === 0x5d || sign === 0x7d) depth--;
  }
  return false;
}
