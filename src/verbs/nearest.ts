import type { Layer } from '../core/layer/layer.ts';
import type { NearestOptions } from '../core/layer/verbs/nearest.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const nearestVerb = describeVerb({
  name: 'nearest',
  words: 'add the distance to the nearest feature of another layer, and which it is',
  takes: 'layer',
  done: 'searched for what is near',
  own: null,
  options: {
    things: {
      kind: 'layer',
      words: 'the layer whose nearest feature is looked for',
      required: true,
      command: 'argument',
    },
    columns: { kind: 'names', words: 'fields of the nearest feature that come along', sign: 'names' },
    within: { kind: 'number', words: 'how far to look', sign: 'metres' },
    along: {
      kind: 'choice',
      words: 'measure along the ellipsoid, also where the CRS is a plane',
      sign: 'what',
      choices: ['ellipsoid'],
    },
  },
  examples: [
    {
      command:
        'isomeric nearest data/map-extracts/teskaria-ombrey.zip data/map-extracts/teskaria-ombrey.zip --things refuge_halls --layer buildings --out far.csv',
      study: '- nearest: { things: refuge_halls }',
      program: 'nearest(halls)',
    },
  ],
  async apply(given, { things, columns, within, along }) {
    const { nearestLayer } = await import('../core/layer/verbs/nearest.ts');
    return nearestLayer(given, things, {
      columns,
      within,
      along: along as 'ellipsoid' | undefined,
    });
  },
});

/** Adds the distance to the nearest feature of another layer (metres), its id, and fields of it. */
export function nearest(things: Given<Layer>, options: NearestOptions = {}): LayerStep {
  const other = later(things);
  return stepOf(nearestVerb, async () => ({ ...options, things: await other }));
}
