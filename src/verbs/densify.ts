import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const densifyVerb = describeVerb({
  name: 'densify',
  words: 'add vertices so that no edge is longer than some metres',
  takes: 'layer',
  done: 'densified',
  own: null,
  options: {
    distance: {
      kind: 'number',
      words: 'how long an edge may be',
      required: true,
      sign: 'metres',
      study: 'longest',
    },
  },
  examples: [
    {
      command: 'isomeric densify data/boundary-office/wards-2024.geojson --distance 500 --out dense.gpkg',
      study: '- densify: { longest: 500 }',
      program: 'densify(500)',
    },
  ],
  async apply(given, { distance }) {
    const { densifyLayer } = await import('../core/layer/verbs/densify-edges.ts');
    return densifyLayer(given, distance);
  },
});

/** Adds vertices so that no edge is longer than some metres; those that are there stay. */
export function densify(metres: number): LayerStep {
  return stepOf(densifyVerb, () => ({ distance: metres }));
}
