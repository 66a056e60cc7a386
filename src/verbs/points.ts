import { innerPoints } from '../core/layer/verbs/inner-points.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const pointsVerb = describeVerb({
  name: 'points',
  words: 'put a point inside each area in place of it',
  takes: 'layer',
  done: 'made points',
  own: 'where',
  options: {
    where: {
      kind: 'choice',
      words: 'where the points are to lie',
      choices: ['inside areas'],
      usual: 'inside areas',
      command: false,
    },
  },
  examples: [
    {
      command: 'isomeric points data/boundary-office/wards-2024.geojson --out points.geojson',
      study: '- points: inside areas',
      program: 'points()',
    },
  ],
  apply: (given) => innerPoints(given),
});

/** Puts a point inside each area in place of it; points and lines stay as they are. */
export function points(): LayerStep {
  return stepOf(pointsVerb, () => ({}));
}
