import type { Layer } from '../core/layer/layer.ts';
import type { TallyOptions } from '../core/layer/verbs/tally.ts';
import { describeVerb } from './description.ts';
import { type FieldTexts, fieldsOf } from './fields.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const tallyVerb = describeVerb({
  name: 'tally',
  words: 'count and measure the features of a layer within each area of another, and sum up their figures',
  takes: 'layer',
  given: 'units',
  done: 'counted in',
  own: 'things',
  options: {
    things: { kind: 'layer', words: 'the layer that is counted', required: true, command: 'argument' },
    as: { kind: 'text', words: 'what the new fields are to begin with', sign: 'name' },
    title: {
      kind: 'text',
      words: 'what is counted is called in the titles of the new fields',
      sign: 'words',
      titleOf: 'things',
    },
    compute: {
      kind: 'fields',
      words:
        'figures of the things in each unit: NAME = sum(FIELD), mean(FIELD, WEIGHT), least, greatest, median, deviation, list, distinct, commonest, share(CONDITION)',
      sign: 'figures',
    },
  },
  examples: [
    {
      command:
        'isomeric tally data/boundary-office/districts-2024.geojson data/boundary-office/wards-2024.geojson --as wards --out counted.csv',
      study: '- tally: refuge_halls\n  as: halls',
      program: "tally(halls, { as: 'halls' })",
    },
  ],
  async apply(given, { things, as, title, compute }) {
    // It may have to reproject: loaded when it is asked for.
    const { tallyFeatures } = await import('../core/layer/verbs/tally.ts');
    return tallyFeatures(given, things, { as, title, compute });
  },
});

/**
 * Counts the features of another layer within each area of the given one, measures their lengths (km) and areas (km²) there on the
 * ellipsoid, and computes figures of them: `{ compute: { homes: 'sum(households)' } }`.
 */
export function tally(
  things: Given<Layer>,
  { compute = {}, ...options }: Omit<TallyOptions, 'compute'> & { compute?: FieldTexts } = {},
): LayerStep {
  const other = later(things);
  return stepOf(tallyVerb, async () => ({ ...options, compute: fieldsOf(compute), things: await other }));
}
