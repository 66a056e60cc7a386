import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const antimeridianVerb = describeVerb({
  name: 'antimeridian',
  words: 'cut features at the antimeridian that reach over it',
  takes: 'layer',
  done: 'cut at the antimeridian',
  own: null,
  options: {
    jumps: {
      kind: 'flag',
      words:
        'take edges that run more than half around the globe to mean the short way, over the antimeridian',
    },
  },
  examples: [
    {
      command: 'isomeric antimeridian data/boundary-office/wards-2024.geojson --jumps --out cut.geojson',
      study: '- antimeridian: { jumps: true }',
      program: 'antimeridian({ jumps: true })',
    },
  ],
  async apply(given, { jumps }) {
    const { cutAtAntimeridian } = await import('../core/layer/verbs/antimeridian.ts');
    return cutAtAntimeridian(given, jumps);
  },
});

/** Cuts what reaches over the antimeridian there; with `jumps`, edges that run more than half around the globe go over it. */
export function antimeridian(options: { jumps?: boolean } = {}): LayerStep {
  return stepOf(antimeridianVerb, () => options);
}
