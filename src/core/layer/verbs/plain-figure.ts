/** A figure without the noise of sums of doubles: to a millionth. */
export const plainFigure = (value: number): number => Number(value.toFixed(6));
