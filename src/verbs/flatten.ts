import type { FillRule } from '../core/geometry/overlay/fill-rule.ts';
import { checked, cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const flattenVerb = describeVerb({
  name: 'flatten',
  words: 'cut areas that overlap by each other, so that nothing overlaps',
  takes: 'layer',
  done: 'flattened',
  own: null,
  options: {
    rule: cutting.rule,
    strict: cutting.strict,
  },
  examples: [
    {
      command: 'isomeric flatten data/boundary-office/wards-2024.geojson --out flat.gpkg',
      study: '- flatten: {}',
      program: 'flatten()',
    },
  ],
  async apply(given, { rule, strict }) {
    const { flattenLayer } = await import('../core/layer/verbs/flatten.ts');
    return flattenLayer(await checked(given, strict), fillRule(rule));
  },
});

/** Cuts areas that overlap by each other: one feature for each set of areas that cover something together, with how many and which. */
export function flatten(options: { rule?: FillRule; strict?: boolean } = {}): LayerStep {
  return stepOf(flattenVerb, () => options);
}
