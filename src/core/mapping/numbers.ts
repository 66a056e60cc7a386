import { format } from 'd3-format';

/** More decimals than this are not written out: such numbers stand as powers of ten. */
const mostDecimals = 6;

/**
 * Decimals that tell the limits of classes apart, and move none of them by more than a twentieth of its class: as few as
 * do it; −1 where so many would not do.
 */
export function decimalsFor(limits: readonly number[]): number {
  const breaks = limits.filter((value, k) => k === 0 || value !== limits[k - 1]);
  for (let decimals = 0; decimals <= mostDecimals; decimals++) {
    const texts = breaks.map((value) => numberText(value, decimals));
    const close = breaks.every(
      (value, k) =>
        k === 0 ||
        Math.abs(Number(value.toFixed(decimals)) - value) <= 0.05 * Math.abs(value - breaks[k - 1]),
    );
    if (new Set(texts).size === texts.length && close) return decimals;
  }
  return -1;
}

/** The limits of classes as texts: those that differ look different, however close they lie. */
export function limitTexts(limits: readonly number[]): string[] {
  const decimals = decimalsFor(limits);
  if (decimals >= 0) return limits.map((value) => numberText(value, decimals));
  const different = new Set(limits).size;
  for (let digits = 3; digits <= 17; digits++) {
    const texts = limits.map((value) => Number(value.toPrecision(digits)).toString().replace('-', '\u2212'));
    if (new Set(texts).size === different) return texts;
  }
  return limits.map(String);
}

/** 12345.6 → `12,346`; a true minus sign for negative numbers. */
export function numberText(value: number, decimals: number): string {
  return format(`,.${decimals}f`)(value);
}

/** A round length at most as long as `length`: 1, 2 or 5 times a power of ten. */
export function roundLength(length: number): number {
  const power = 10 ** Math.floor(Math.log10(length));
  for (const step of [5, 2, 1]) if (step * power <= length) return step * power;
  return power;
}
