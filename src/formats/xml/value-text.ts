const isSpace = (code: number) => code === 32 || code === 9 || code === 10 || code === 13;

/**
 * The text of a value: line ends and indentation around it belong to the document; blanks on the line of the value are
 * its own. A text of nothing but white space is none.
 */
export function valueText(text: string): string {
  let from = 0;
  while (from < text.length && isSpace(text.charCodeAt(from))) from++;
  if (from === text.length) return '';
  let end = text.length;
  while (isSpace(text.charCodeAt(end - 1))) end--;
  const before = text.slice(0, from);
  const after = text.slice(end);
  return text.slice(/[\r\n]/.test(before) ? from : 0, /[\r\n]/.test(after) ? end : text.length);
}
