import type { MeshOptions } from '../core/layer/verbs/mesh.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const meshVerb = describeVerb({
  name: 'mesh',
  words: 'lay cells of one size over areas',
  takes: 'layer',
  done: 'laid a mesh over',
  own: null,
  options: {
    size: {
      kind: 'number',
      words: 'the side of squares, the distance between opposite sides of hexagons',
      required: true,
      sign: 'metres',
    },
    shape: { kind: 'choice', words: 'what the cells are', choices: ['square', 'hexagon'], usual: 'square' },
    cut: { kind: 'flag', words: 'cut cells at the border of the areas' },
  },
  examples: [
    {
      command:
        'isomeric mesh data/map-extracts/teskaria-ombrey.zip --layer buildings --size 1000 --shape hexagon --out hexagons.gpkg',
      study: '- mesh: { size: 1000, shape: hexagon }',
      program: "mesh({ size: 1000, shape: 'hexagon' })",
    },
  ],
  async apply(given, { size, shape, cut }) {
    const { meshOver } = await import('../core/layer/verbs/mesh.ts');
    return meshOver(given, { size, shape: shape as MeshOptions['shape'], cut });
  },
});

/** Squares or hexagons of one size over areas, aligned to multiples of it, with the share of each that lies within. */
export function mesh(options: MeshOptions): LayerStep {
  return stepOf(meshVerb, () => ({ ...options }));
}
