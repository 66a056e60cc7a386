/**
 * Would an office program take a cell of delimited text for a formula? What begins with one of these signs is computed
 * when such a file is opened, and may call other programs; a number with its sign is harmless.
 */
export function looksLikeFormula(text: string): boolean {
  const first = text.charCodeAt(0);
  // = @, tab, carriage return; + and - where no number follows
  if (first === 0x3d || first === 0x40 || first === 9 || first === 13) return true;
  if (first !== 0x2b && first !== 0x2d) return false;
  return text.length < 2 || text.trim() === '' || Number.isNaN(Number(text));
}

/** For files that are made to be read in an office program: such a cell begins with an apostrophe, which makes it text. */
export const asPlainCell = (text: string): string => (looksLikeFormula(text) ? `'${text}` : text);
