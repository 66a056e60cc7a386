/** Estimates with a larger standard error than this share of themselves are too unsure to map, unless the study says otherwise. */
export const usualUnsureAbove = 40;
/**
 * Margins of error of estimates from a sample, carried through sums, differences, shares, ratios and products by the
 * approximation that census bureaux publish: U.S. Census Bureau, Understanding and Using American Community Survey Data:
 * What All Data Users Need to Know (2020), chapter 8, “Calculating Measures of Error for Derived Estimates”. It takes
 * the estimates as independent. All margins are of one level of confidence.
 */

/** Half-width of a confidence interval in standard errors. */
export const standardErrors: Readonly<Record<number, number>> = { 90: 1.645, 95: 1.96, 99: 2.576 };

/**
 * Margin of a sum or a difference: √(Σ m²). Of several estimates that are zero only the one with the largest margin
 * counts, since each of them has the margin of the smallest number that the sample can show.
 */
export function marginOfSum(margins: ArrayLike<number>, estimates?: ArrayLike<number>): number {
  let squares = 0;
  let largestOfZeros = 0;
  for (let k = 0; k < margins.length; k++) {
    if (estimates !== undefined && estimates[k] === 0)
      largestOfZeros = Math.max(largestOfZeros, margins[k] ** 2);
    else squares += margins[k] ** 2;
  }
  return Math.sqrt(squares + largestOfZeros);
}

/**
 * Margin of a share, part / whole, where the part belongs to the whole: √(mₚ² − s² m_w²) / whole. Where the root has
 * no value, the margin of a ratio is taken.
 */
export function marginOfShare(part: number, whole: number, partMargin: number, wholeMargin: number): number {
  const share = part / whole;
  const under = partMargin ** 2 - share ** 2 * wholeMargin ** 2;
  return under < 0 ? marginOfRatio(part, whole, partMargin, wholeMargin) : Math.sqrt(under) / Math.abs(whole);
}

/** Margin of a ratio of two estimates, neither a part of the other: √(mₐ² + r² m_b²) / b. */
export function marginOfRatio(a: number, b: number, aMargin: number, bMargin: number): number {
  const ratio = a / b;
  return Math.sqrt(aMargin ** 2 + ratio ** 2 * bMargin ** 2) / Math.abs(b);
}

/** Margin of a product of two estimates: √(a² m_b² + b² mₐ²). */
export function marginOfProduct(a: number, b: number, aMargin: number, bMargin: number): number {
  return Math.sqrt(a ** 2 * bMargin ** 2 + b ** 2 * aMargin ** 2);
}

/** Standard error as a share of the estimate, in per cent; infinite for an estimate of zero that has a margin. */
export function coefficientOfVariation(estimate: number, margin: number, confidence = 90): number {
  const error = margin / standardErrors[confidence];
  if (error === 0) return 0;
  return estimate === 0 ? Number.POSITIVE_INFINITY : (100 * error) / Math.abs(estimate);
}
