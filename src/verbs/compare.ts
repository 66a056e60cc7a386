import type { Layer } from '../core/layer/layer.ts';
import { parseOn } from '../core/table/keys/key-pairs.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const compareVerb = describeVerb({
  name: 'compare',
  words: 'hold the shapes of features against those of another layer with the same key',
  takes: 'layer',
  done: 'compared',
  own: null,
  options: {
    with: { kind: 'layer', words: 'the other layer', required: true, command: 'argument' },
    on: {
      kind: 'keys',
      words: 'the key: CODE, or CODE = OTHER where the fields are called differently',
      required: true,
      sign: 'fields',
    },
  },
  examples: [
    {
      command:
        'isomeric compare data/boundary-office/wards-2024.geojson data/boundary-office/wards-2019.geojson --on code --out moved.csv',
      study: '- compare: { with: districts, on: code }',
      program: "compare(districts, 'code')",
    },
  ],
  async apply(given, { with: other, on }) {
    const { compareLayer } = await import('../core/layer/verbs/compare.ts');
    return compareLayer(given, other, on);
  },
});

/** Adds Hausdorff and discrete Fréchet distances (metres) and the share in common with features of the same key. */
export function compare(other: Given<Layer>, on: string): LayerStep {
  const held = later(other);
  return stepOf(compareVerb, async () => ({ with: await held, on: parseOn(on) }));
}
