import type { FillRule } from '../core/geometry/overlay/fill-rule.ts';
import { cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const repairVerb = describeVerb({
  name: 'repair',
  words: 'make the geometries of a layer valid; what is valid stays as it is, bit for bit',
  takes: 'layer',
  done: 'repaired',
  own: null,
  options: { rule: cutting.rule },
  examples: [
    {
      command: 'isomeric repair data/boundary-office/wards-2024.geojson --out sound.gpkg',
      study: '- repair: {}',
      program: 'repair()',
    },
  ],
  async apply(given, { rule }) {
    const { repairLayer } = await import('../core/layer/verbs/repair.ts');
    return repairLayer(given, { rule: fillRule(rule) });
  },
});

/**
 * Makes the geometries of a layer valid (OGC 06-103r4). What it changed is in the account, feature by feature.
 *
 * @param options `rule`: what rings enclose that cross or overlap themselves
 */
export function repair(options: { rule?: FillRule } = {}): LayerStep {
  return stepOf(repairVerb, () => options);
}
