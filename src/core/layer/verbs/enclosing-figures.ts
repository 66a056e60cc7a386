/** Figures that features can be enclosed by. */
export const enclosingFigures = [
  'hull',
  'hollow hull',
  'box',
  'rectangle',
  'circle',
  'inner circle',
] as const;
/** A figure around a feature, or the greatest circle within it. */
export type EnclosingFigure = (typeof enclosingFigures)[number];
