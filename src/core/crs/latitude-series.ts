/** Terms of a series: each is smaller than the one before by about the third flattening (1/600 for the earth). */
const terms = 6;

/** Coefficients c₁ … c₆ of Σ cₖ sin 2kθ for an odd function of period π, by the trapezoidal rule (exact to rounding). */
export function sineSeries(f: (theta: number) => number): Float64Array {
  const samples = 64;
  const coefficients = new Float64Array(terms);
  for (let j = 1; j < samples; j++) {
    const theta = (Math.PI / 2) * (j / samples);
    const value = f(theta);
    for (let k = 1; k <= terms; k++) coefficients[k - 1] += (2 / samples) * value * Math.sin(2 * k * theta);
  }
  return coefficients;
}

export const noSeries = (): Float64Array => new Float64Array(terms);

/** Σ cₖ sin 2kθ by Clenshaw's recurrence, from sin θ and cos θ alone. */
export function sumSines(c: Float64Array, sine: number, cosine: number): number {
  const x = 2 * (cosine - sine) * (cosine + sine); // 2 cos 2θ
  let b2 = 0;
  let b1 = c[5];
  let b0 = x * b1 + c[4];
  b2 = b1;
  b1 = b0;
  b0 = x * b1 - b2 + c[3];
  b2 = b1;
  b1 = b0;
  b0 = x * b1 - b2 + c[2];
  b2 = b1;
  b1 = b0;
  b0 = x * b1 - b2 + c[1];
  b2 = b1;
  b1 = b0;
  b0 = x * b1 - b2 + c[0];
  return b0 * 2 * sine * cosine;
}

/** The root of an increasing function within (low, high), by bisection: for preparing series, not for points. */
export function rootOf(f: (x: number) => number, low: number, high: number): number {
  let [a, b] = [low, high];
  for (let step = 0; step < 200; step++) {
    const middle = (a + b) / 2;
    if (middle <= a || middle >= b) break;
    if (f(middle) < 0) a = middle;
    else b = middle;
  }
  return (a + b) / 2;
}
