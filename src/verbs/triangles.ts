import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const trianglesVerb = describeVerb({
  name: 'triangles',
  words: 'make the triangles between points of which no circle holds another one',
  takes: 'layer',
  done: 'made triangles',
  own: null,
  options: {},
  examples: [
    {
      command:
        'isomeric triangles data/map-extracts/teskaria-ombrey.zip --layer refuge_halls --out triangles.gpkg',
      study: '- triangles: {}',
      program: 'triangles()',
    },
  ],
  async apply(given) {
    const { trianglesOfLayer } = await import('../core/layer/verbs/cells.ts');
    return trianglesOfLayer(given);
  },
});

/** The Delaunay triangles of points, with the ids of their corners. */
export function triangles(): LayerStep {
  return stepOf(trianglesVerb, () => ({}));
}
