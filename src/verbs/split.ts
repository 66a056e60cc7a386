import type { FillRule } from '../core/geometry/overlay/fill-rule.ts';
import type { Layer } from '../core/layer/layer.ts';
import { checked, cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const splitVerb = describeVerb({
  name: 'split',
  words: 'cut areas and lines along the lines and borders of another layer',
  takes: 'layer',
  done: 'split',
  own: null,
  options: {
    along: { kind: 'layer', words: 'the layer that is cut along', required: true, command: 'argument' },
    rule: cutting.rule,
    strict: cutting.strict,
  },
  examples: [
    {
      command:
        'isomeric split data/map-extracts/teskaria-ombrey.zip data/map-extracts/teskaria-ombrey.zip --along roads --layer buildings --out split.gpkg',
      study: '- split: { along: districts }',
      program: 'split(districts)',
    },
  ],
  async apply(given, { along, rule, strict }) {
    const { splitLayer } = await import('../core/layer/verbs/split.ts');
    return splitLayer(await checked(given, strict), along, fillRule(rule));
  },
});

/** Cuts areas along the lines and borders of another layer, and lines wherever it meets them: one feature for each piece. */
export function split(along: Given<Layer>, options: { rule?: FillRule; strict?: boolean } = {}): LayerStep {
  const other = later(along);
  return stepOf(splitVerb, async () => ({ ...options, along: await other }));
}
