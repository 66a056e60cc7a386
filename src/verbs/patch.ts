import type { FillRule } from '../core/geometry/overlay/fill-rule.ts';
import type { Layer } from '../core/layer/layer.ts';
import { checked, cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const patchVerb = describeVerb({
  name: 'patch',
  words: 'put the areas of another layer in the place of what lies there',
  takes: 'layer',
  done: 'patched',
  own: null,
  options: {
    areas: {
      kind: 'layer',
      words: 'the layer with the areas that come in',
      required: true,
      command: 'argument',
    },
    rule: cutting.rule,
    strict: cutting.strict,
  },
  examples: [
    {
      command:
        'isomeric patch data/boundary-office/wards-2019.geojson data/boundary-office/districts-2024.geojson --out corrected.gpkg',
      study: '- patch: { areas: districts }',
      program: 'patch(districts)',
    },
  ],
  async apply(given, { areas, rule, strict }) {
    const { patchLayer } = await import('../core/layer/verbs/patch.ts');
    return patchLayer(await checked(given, strict), await checked(areas, strict), fillRule(rule));
  },
});

/** Puts the areas of another layer in the place of what lies there; fields go by their names. */
export function patch(areas: Given<Layer>, options: { rule?: FillRule; strict?: boolean } = {}): LayerStep {
  const other = later(areas);
  return stepOf(patchVerb, async () => ({ ...options, areas: await other }));
}
