/** What a number format makes of a number, as far as it matters for data. */
export type NumberFormat = { kind: 'plain' } | { kind: 'date' } | { kind: 'code'; digits: number };

const plain: NumberFormat = { kind: 'plain' };
const date: NumberFormat = { kind: 'date' };

/**
 * Formats that every workbook has without saying so and that show a day (ISO/IEC 29500-1, section 18.8.30): those of all
 * languages, and those that East Asian ones add. Times of day alone have no date.
 */
const builtInDates: ReadonlySet<number> = new Set([
  14, 15, 16, 17, 22, 27, 28, 29, 30, 31, 36, 50, 51, 52, 53, 54, 57, 58,
]);

/** Longest part of a format that is looked at. */
const longest = 255;

/** What the code of a format means (ISO/IEC 29500-1, section 18.8.31): `yyyy-mm-dd`, `000000`, `General`. */
export function formatOfCode(code: string): NumberFormat {
  if (/^0{2,}$/.test(code)) return { kind: 'code', digits: Math.min(code.length, 64) };
  // What is quoted, escaped or in brackets (colours, languages, conditions) is no part of the pattern.
  const pattern = code
    .slice(0, longest)
    .replace(/"[^"]*"|\\.|_.|\*.|\[[^\]]*\]/g, '')
    .split(';', 1)[0];
  if (/^general$/i.test(pattern)) return plain;
  return /[yd]/i.test(pattern) ? date : plain;
}

/** What a format is by its number, with those that a workbook defines itself going first. */
export function formatOfNumber(id: number, own: ReadonlyMap<number, string>): NumberFormat {
  const code = own.get(id);
  if (code !== undefined) return formatOfCode(code);
  return builtInDates.has(id) ? date : plain;
}

/** Texts of errors by the numbers that binary formats give them ([MS-XLS], section 2.5.10). */
export const errorTexts: Readonly<Record<number, string>> = {
  0: '#NULL!',
  7: '#DIV/0!',
  15: '#VALUE!',
  23: '#REF!',
  29: '#NAME?',
  36: '#NUM!',
  42: '#N/A',
};
