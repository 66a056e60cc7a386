import { type PointPlace, pointPlaces } from '../core/layer/verbs/point-places.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const pointsVerb = describeVerb({
  name: 'points',
  words:
    'put points in place of features: inside areas (or deep inside), at centroids, vertices, ends or middles, or along lines',
  takes: 'layer',
  done: 'made points',
  own: 'place',
  options: {
    place: {
      kind: 'choice',
      words: 'where the points are to lie',
      choices: pointPlaces,
      usual: 'inside areas',
    },
    every: { kind: 'number', words: 'how far points along lines lie apart', sign: 'metres' },
  },
  examples: [
    {
      command: 'isomeric points data/boundary-office/wards-2024.geojson --out points.geojson',
      study: '- points: inside areas',
      program: 'points()',
    },
    {
      command:
        'isomeric points data/map-extracts/teskaria-ombrey.zip --layer roads --place "along lines" --every 500 --out posts.gpkg',
      study: '- points: along lines\n  every: 500',
      program: "points('along lines', { every: 500 })",
    },
  ],
  async apply(given, { place, every }) {
    const { pointsOf } = await import('../core/layer/verbs/points-of.ts');
    return pointsOf(given, place as PointPlace | undefined, every);
  },
});

/**
 * Points of features. `inside areas` (when left out), `deep inside` (farthest from the border) and `centroids` put one in place of each; `vertices`, `ends`, `middles` and
 * `along lines` (with `every` so many metres) make several.
 */
export function points(place: PointPlace = 'inside areas', options: { every?: number } = {}): LayerStep {
  return stepOf(pointsVerb, () => ({ place, ...options }));
}
