import type { Layer } from '../core/layer/layer.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const snapVerb = describeVerb({
  name: 'snap',
  words: 'draw vertices onto another layer, where they lie near it',
  takes: 'layer',
  done: 'drawn to another',
  own: null,
  options: {
    to: { kind: 'layer', words: 'the layer that vertices are drawn to', required: true, command: 'argument' },
    within: { kind: 'number', words: 'how near', required: true, sign: 'metres' },
  },
  examples: [
    {
      command:
        'isomeric snap data/boundary-office/wards-2019.geojson data/boundary-office/wards-2024.geojson --within 30 --out snapped.gpkg',
      study: '- snap: { to: districts, within: 30 }',
      program: 'snap(districts, { within: 30 })',
    },
  ],
  async apply(given, { to, within }) {
    const { snapLayer } = await import('../core/layer/verbs/snap.ts');
    return snapLayer(given, to, within);
  },
});

/** Draws vertices onto another layer within some metres, so that borders that ran beside each other become the same. */
export function snap(to: Given<Layer>, options: { within: number }): LayerStep {
  const other = later(to);
  return stepOf(snapVerb, async () => ({ ...options, to: await other }));
}
