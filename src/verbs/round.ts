import type { FillRule } from '../core/geometry/overlay/fill-rule.ts';
import { cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const roundVerb = describeVerb({
  name: 'round',
  words: 'put coordinates on a grid, without new crossings',
  takes: 'layer',
  done: 'put on a grid',
  own: null,
  options: {
    grid: {
      kind: 'number',
      words: 'width of the cells in units of the coordinates: 0.01 for centimetres',
      required: true,
      sign: 'units',
    },
    rule: cutting.rule,
  },
  examples: [
    {
      command: 'isomeric round data/boundary-office/wards-2024.geojson --grid 0.00001 --out rounded.gpkg',
      study: '- round: { grid: 0.01 }',
      program: 'round(0.01)',
    },
  ],
  async apply(given, { grid, rule }) {
    const { roundLayer } = await import('../core/layer/verbs/round.ts');
    return roundLayer(given, grid, fillRule(rule));
  },
});

/** Puts coordinates on a grid, all features together, so that nothing crosses that did not before (snap rounding). */
export function round(grid: number, options: { rule?: FillRule } = {}): LayerStep {
  return stepOf(roundVerb, () => ({ ...options, grid }));
}
