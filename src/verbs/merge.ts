import type { Layer } from '../core/layer/layer.ts';
import type { MergeOptions } from '../core/layer/verbs/merge.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const mergeVerb = describeVerb({
  name: 'merge',
  words: 'put layers together, with features that were cut at their borders joined',
  takes: 'layer',
  done: 'put together',
  own: null,
  options: {
    sheets: { kind: 'layers', words: 'the other layers', required: true, command: 'argument' },
    join: {
      kind: 'choice',
      words: 'which features of different layers are one: with the same key, that meet at a place, or both',
      choices: ['key', 'place', 'both'],
    },
    by: { kind: 'names', words: 'the fields of the key', sign: 'names' },
    within: { kind: 'number', words: 'draw layers to those before them first, within this', sign: 'metres' },
  },
  examples: [
    {
      command:
        'isomeric merge data/boundary-office/wards-2019.geojson data/boundary-office/wards-2024.geojson --join key --by code --out whole.gpkg',
      study: '- merge: { sheets: [districts], join: key, by: [code] }',
      program: "merge([districts], { join: 'key', by: ['code'] })",
    },
  ],
  async apply(given, { sheets, join, by, within }) {
    const { mergeLayers } = await import('../core/layer/verbs/merge.ts');
    return mergeLayers(given, sheets, { join: join as MergeOptions['join'], by, within });
  },
});

/** Puts layers together, the sheets of a series; features that were cut at their borders become one again when asked. */
export function merge(sheets: readonly Given<Layer>[], options: MergeOptions = {}): LayerStep {
  const others = sheets.map(later);
  return stepOf(mergeVerb, async () => ({ ...options, sheets: await Promise.all(others) }));
}
