import type { SimplifyOptions } from '../core/layer/verbs/simplify.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const simplifyVerb = describeVerb({
  name: 'simplify',
  words: 'leave out vertices of lines and areas, with borders that features share kept the same',
  takes: 'layer',
  done: 'simplified',
  own: null,
  options: {
    within: { kind: 'number', words: 'how far a line may lie off what was there', sign: 'metres' },
    effectiveArea: {
      kind: 'number',
      words: 'how large the triangle of a vertex with its neighbours may be that goes',
      sign: 'square metres',
      study: 'effective area',
    },
    vertices: { kind: 'number', words: 'how many different vertices are left, at most', sign: 'number' },
    scale: {
      kind: 'number',
      words: 'the scale of the map that it is for: 100000 for 1:100,000',
      sign: 'denominator',
    },
    islands: {
      kind: 'number',
      words: 'drop islands and holes smaller than this; the largest part of a feature stays',
      sign: 'square metres',
    },
  },
  examples: [
    {
      command:
        'isomeric simplify data/boundary-office/wards-2024.geojson --scale 500000 --out wards-small.gpkg',
      study: '- simplify: { within: 100 }',
      program: 'simplify({ within: 100 })',
    },
  ],
  async apply(given, options) {
    const { simplifyLayer } = await import('../core/layer/verbs/simplify.ts');
    return simplifyLayer(given, options);
  },
});

/**
 * Leaves out vertices of lines and areas, the least important first, until one of `within` (metres), `effectiveArea` (square metres),
 * `vertices` or `scale` is reached. Borders that features share stay the same on both sides; nothing crosses.
 */
export function simplify(options: SimplifyOptions): LayerStep {
  return stepOf(simplifyVerb, () => ({ ...options }));
}
