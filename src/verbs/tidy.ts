import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const tidyVerb = describeVerb({
  name: 'tidy',
  words: 'take out repeated vertices and spikes',
  takes: 'layer',
  done: 'tidied',
  own: null,
  options: {
    within: {
      kind: 'number',
      words:
        'up to which distance vertices count as repeated and spikes as closed; only what is exact without',
      sign: 'metres',
    },
  },
  examples: [
    {
      command: 'isomeric tidy data/boundary-office/wards-2024.geojson --within 0.5 --out tidy.gpkg',
      study: '- tidy: { within: 0.5 }',
      program: 'tidy({ within: 0.5 })',
    },
  ],
  async apply(given, { within }) {
    const { tidyLayer } = await import('../core/layer/verbs/tidy.ts');
    return tidyLayer(given, within);
  },
});

/** Takes out vertices that repeat the one before, and spikes; to within some metres when asked. */
export function tidy(options: { within?: number } = {}): LayerStep {
  return stepOf(tidyVerb, () => options);
}
