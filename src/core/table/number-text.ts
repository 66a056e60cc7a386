/**
 * Numbers in text, as bytes: plain ones (`-12.5e3`), and those with thousands marks or a decimal comma (`1,234.5`,
 * `1.234,5`, `1 234,5`, `1’234.5`).
 */

/** In which way of writing a text is a number, and whether it is a whole one there. */
export const Reads = { Point: 1, Comma: 2, WholePoint: 4, WholeComma: 8 } as const;

const both = Reads.Point | Reads.Comma;

/** White space and apostrophes that divide thousands. */
const divided = /^[-+]?\d{1,3}(?:[ \u00a0\u2009\u202f'’]\d{3})+(?:[.,]\d+)?$/;

/**
 * Bits of `Reads`; 0 when the text is no number. A leading zero makes it a code, so do more digits than a double holds.
 */
export function numberBits(bytes: Uint8Array, start: number, end: number): number {
  let k = start;
  if (bytes[k] === 45 || bytes[k] === 43) k++;
  const first = k;
  // Digits of the group at hand; length of the first group; were all groups between marks of three digits?
  let group = 0;
  let digits = 0;
  let firstGroup = -1;
  let threes = true;
  let commas = 0;
  let dots = 0;
  let last = 0;
  // The mark before the last one: in `1,234.5` the comma.
  let mixed = false;
  for (; k < end; k++) {
    const c = bytes[k];
    if (c >= 48 && c <= 57) {
      group++;
      digits++;
    } else if (c === 44 || c === 46) {
      if (firstGroup < 0) firstGroup = group;
      else if (group !== 3) threes = false;
      group = 0;
      if (c === 44) commas++;
      else dots++;
      if (last !== 0 && last !== c) {
        if (mixed) return 0;
        mixed = true;
      }
      last = c;
    } else break;
  }
  if (digits === 0) return 0;
  const zeroLed = bytes[first] === 48 && (firstGroup < 0 ? group : firstGroup) > 1;
  if (zeroLed) return 0;
  if (k < end) return exponentBits(bytes, k, end, commas, dots);
  if (last === 0) {
    if (digits < 16) return both | Reads.WholePoint | Reads.WholeComma;
    return Number.isSafeInteger(Number(textOf(bytes, start, end)))
      ? both | Reads.WholePoint | Reads.WholeComma
      : 0;
  }
  const grouped = threes && firstGroup >= 1 && firstGroup <= 3 && bytes[first] !== 48;
  let bits = 0;
  if (mixed) {
    // One mark divides thousands, the last one the fraction.
    if (last === 46 && dots === 1 && grouped && group > 0) bits = Reads.Point;
    if (last === 44 && commas === 1 && grouped && group > 0) bits = Reads.Comma;
    return bits;
  }
  const thousands = grouped && group === 3;
  if (dots === 0) {
    if (commas === 1) bits |= Reads.Comma;
    if (thousands) bits |= Reads.Point | Reads.WholePoint;
  } else {
    if (dots === 1) bits |= Reads.Point;
    if (thousands) bits |= Reads.Comma | Reads.WholeComma;
  }
  return bits;
}

function exponentBits(bytes: Uint8Array, at: number, end: number, commas: number, dots: number): number {
  let k = at;
  if ((bytes[k] | 32) !== 101 || commas > 0 || dots > 1) return 0;
  k++;
  if (k < end && (bytes[k] === 45 || bytes[k] === 43)) k++;
  const from = k;
  while (k < end && bytes[k] >= 48 && bytes[k] <= 57) k++;
  return k > from && k === end ? Reads.Point : 0;
}

/** Bits of a text whose thousands are divided by blanks or apostrophes; 0 for any other. */
export function dividedBits(text: string): number {
  if (!divided.test(text)) return 0;
  const fraction = /[.,]/.exec(text)?.[0];
  if (fraction === undefined) return both | Reads.WholePoint | Reads.WholeComma;
  return fraction === '.' ? Reads.Point : Reads.Comma;
}

export function textOf(bytes: Uint8Array, start: number, end: number): string {
  let text = '';
  for (let k = start; k < end; k++) text += String.fromCharCode(bytes[k]);
  return text;
}

const powers = Array.from({ length: 23 }, (_, k) => 10 ** k);

/**
 * The value of a number in text, correctly rounded: up to fifteen digits and 10²² both parts are exact doubles, so one
 * division rounds once (Clinger, “How to read floating point numbers accurately”, 1990, section 3); else the engine.
 */
export function numberFrom(bytes: Uint8Array, start: number, end: number, comma = false): number {
  const fractionMark = comma ? 44 : 46;
  const thousandsMark = comma ? 46 : 44;
  let k = start;
  const negative = bytes[k] === 45;
  if (negative || bytes[k] === 43) k++;
  let value = 0;
  let digits = 0;
  let decimals = -1;
  for (; k < end; k++) {
    const c = bytes[k];
    if (c >= 48 && c <= 57) {
      value = value * 10 + (c - 48);
      digits++;
      if (decimals >= 0) decimals++;
    } else if (c === fractionMark && decimals < 0) decimals = 0;
    else if (c !== thousandsMark) return numberFromText(textOf(bytes, start, end), comma);
  }
  if (digits > 15 || decimals > 22) return numberFromText(textOf(bytes, start, end), comma);
  if (decimals > 0) value /= powers[decimals];
  return negative ? -value : value;
}

/** The same for a string, with blanks and apostrophes between thousands as well. */
export function numberFromText(text: string, comma = false): number {
  const bare = text.replace(/[\s\u00a0\u2009\u202f'’]/g, '').replace('−', '-');
  return Number(comma ? bare.replaceAll('.', '').replace(',', '.') : bare.replaceAll(',', ''));
}
