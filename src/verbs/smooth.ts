import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const smoothVerb = describeVerb({
  name: 'smooth',
  words: 'cut the corners of lines and areas, with borders that features share kept the same',
  takes: 'layer',
  done: 'smoothed',
  own: null,
  options: {
    rounds: { kind: 'number', words: 'how often, 1 to 6', usual: 2, sign: 'number' },
  },
  examples: [
    {
      command: 'isomeric smooth data/boundary-office/wards-2024.geojson --rounds 3 --out smooth.gpkg',
      study: '- smooth: { rounds: 3 }',
      program: 'smooth({ rounds: 3 })',
    },
  ],
  async apply(given, { rounds }) {
    const { smoothLayer } = await import('../core/layer/verbs/smooth.ts');
    return smoothLayer(given, rounds);
  },
});

/** Cuts the corners of lines and areas, `rounds` times (2 when left out); borders that features share stay the same on both sides. */
export function smooth(options: { rounds?: number } = {}): LayerStep {
  return stepOf(smoothVerb, () => options);
}
