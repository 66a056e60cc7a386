import type { Layer } from '../core/layer/layer.ts';
import type { WithinOptions } from '../core/layer/verbs/within.ts';
import { describeVerb } from './description.ts';
import { joining } from './joining.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const withinVerb = describeVerb({
  name: 'within',
  words: 'bring the fields of the units in which features lie to the features',
  takes: 'layer',
  done: 'brought to units',
  own: 'units',
  options: {
    units: { kind: 'layer', words: 'the layer of the units', required: true, command: 'argument' },
    columns: {
      kind: 'columns',
      words: 'fields of the units that come along; all when left out',
      sign: 'names',
    },
    across: {
      kind: 'choice',
      words:
        'what lies in several units: the one with the largest share of its length or area, or a piece for each',
      sign: 'what',
      choices: ['largest share', 'split'],
      usual: 'largest share',
    },
    split: {
      kind: 'names',
      words: 'with “across: split”: fields whose figures are shared out by the size of the pieces',
      sign: 'names',
    },
    unmatched: {
      kind: 'choice',
      words: 'what becomes of features in no unit',
      sign: 'what',
      choices: ['keep', 'drop'],
      usual: 'keep',
    },
    clash: joining.clash,
  },
  examples: [
    {
      command:
        'isomeric within data/map-extracts/teskaria-ombrey.zip data/boundary-office/wards-2024.geojson --layer refuge_halls --from data/teskaria-grid.wkt --columns "code, name" --out halls.csv',
      study: '- within: districts\n  columns: [code, name]',
      program: "within(districts, { columns: ['code'] })",
    },
  ],
  async apply(given, { units, ...options }) {
    const { unitsOfFeatures } = await import('../core/layer/verbs/within.ts');
    return unitsOfFeatures(given, units, options as WithinOptions);
  },
});

/**
 * Brings the fields of units to the features that lie in them. A point on a border belongs to the unit that comes first; lines and
 * areas to the one that has the largest share of them, or they are split.
 */
export function within(units: Given<Layer>, options: WithinOptions = {}): LayerStep {
  const other = later(units);
  return stepOf(withinVerb, async () => ({ ...options, units: await other }));
}
