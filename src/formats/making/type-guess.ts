import type { FieldType } from '../../core/table/schema.ts';
import { parseDate, parseTimestamp } from '../../core/table/time.ts';

/** What the values of one column could be, as bits that fall away while rows go by. */
const Can = { Integer: 1, Real: 2, Boolean: 4, Date: 8, Timestamp: 16 } as const;
const everything = 31;

/** Works out the type of one column over all its values. */
export class TypeGuess {
  private can: number = everything;
  private values = 0;

  /** Looks at one value, which is not blank. */
  see(bytes: Uint8Array, start: number, end: number): void {
    this.values++;
    if (this.can === 0) return;
    let { can } = this;
    if (can & (Can.Integer | Can.Real)) can &= ~(Can.Integer | Can.Real) | numberBits(bytes, start, end);
    if (can & Can.Boolean) {
      const length = end - start;
      const c = bytes[start] | 32;
      if (
        !(
          (length === 4 && c === 116 && word(bytes, start, 'true')) ||
          (length === 5 && c === 102 && word(bytes, start, 'false'))
        )
      )
        can &= ~Can.Boolean;
    }
    if (can & (Can.Date | Can.Timestamp)) {
      const text = end - start <= 40 ? String.fromCharCode(...bytes.subarray(start, end)) : '';
      if (can & Can.Date && Number.isNaN(parseDate(text))) can &= ~Can.Date;
      if (can & Can.Timestamp && Number.isNaN(parseTimestamp(text))) can &= ~Can.Timestamp;
    }
    this.can = can;
  }

  get type(): FieldType {
    if (this.values === 0) return 'text';
    if (this.can & Can.Integer) return 'integer';
    if (this.can & Can.Real) return 'real';
    if (this.can & Can.Boolean) return 'boolean';
    if (this.can & Can.Date) return 'date';
    return this.can & Can.Timestamp ? 'timestamp' : 'text';
  }
}

function word(bytes: Uint8Array, start: number, text: string): boolean {
  for (let k = 0; k < text.length; k++) if ((bytes[start + k] | 32) !== text.charCodeAt(k)) return false;
  return true;
}

/** Which kinds of number a value can be. Leading zeros make it a code; so do more digits than a double holds. */
function numberBits(bytes: Uint8Array, start: number, end: number): number {
  let k = start;
  if (bytes[k] === 45 || bytes[k] === 43) k++;
  const first = k;
  while (k < end && bytes[k] >= 48 && bytes[k] <= 57) k++;
  const digits = k - first;
  if (digits > 1 && bytes[first] === 48) return 0;
  if (k === end) {
    if (digits === 0) return 0;
    if (digits < 16) return Can.Integer | Can.Real;
    return Number.isSafeInteger(Number(String.fromCharCode(...bytes.subarray(start, end))))
      ? Can.Integer | Can.Real
      : 0;
  }
  let fraction = 0;
  if (bytes[k] === 46) {
    k++;
    const from = k;
    while (k < end && bytes[k] >= 48 && bytes[k] <= 57) k++;
    fraction = k - from;
  }
  if (digits + fraction === 0) return 0;
  if (k < end && (bytes[k] | 32) === 101) {
    k++;
    if (k < end && (bytes[k] === 45 || bytes[k] === 43)) k++;
    const from = k;
    while (k < end && bytes[k] >= 48 && bytes[k] <= 57) k++;
    if (k === from) return 0;
  }
  return k === end ? Can.Real : 0;
}
