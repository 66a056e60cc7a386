import { type EnclosingFigure, enclosingFigures } from '../core/layer/verbs/enclosing-figures.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const encloseVerb = describeVerb({
  name: 'enclose',
  words: 'put a figure around each feature in place of it, or the greatest circle within',
  takes: 'layer',
  done: 'enclosed',
  own: 'figure',
  options: {
    figure: {
      kind: 'choice',
      words: 'which figure',
      choices: enclosingFigures,
      usual: 'hull',
    },
    hollow: {
      kind: 'number',
      words: 'of a hollow hull: up to which share of the longest distance its sides stay, 0 to 1',
      usual: 0.3,
      sign: 'share',
    },
  },
  examples: [
    {
      command:
        'isomeric enclose data/boundary-office/wards-2024.geojson --figure "hollow hull" --out hulls.gpkg',
      study: '- enclose: hull',
      program: "enclose('hull')",
    },
  ],
  async apply(given, { figure = 'hull', hollow }) {
    const { encloseLayer } = await import('../core/layer/verbs/enclose.ts');
    return encloseLayer(given, { figure: figure as EnclosingFigure, hollow });
  },
});

/**
 * Puts a figure in place of each feature: `hull` (convex), `hollow hull`, `box`, `rectangle` (turned, of least area), `circle`
 * (the least one around), `inner circle` (the greatest one within).
 */
export function enclose(figure: EnclosingFigure = 'hull', options: { hollow?: number } = {}): LayerStep {
  return stepOf(encloseVerb, () => ({ figure, ...options }));
}
