import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const polygonsVerb = describeVerb({
  name: 'polygons',
  words: 'make areas of all that lines enclose',
  takes: 'layer',
  done: 'made areas',
  own: null,
  options: {
    each: { kind: 'flag', words: 'of each closed line by itself, with its fields, not of all together' },
  },
  examples: [
    {
      command: 'isomeric polygons data/map-extracts/teskaria-ombrey.zip --layer roads --out blocks.gpkg',
      study: '- polygons: {}',
      program: 'polygons()',
    },
  ],
  async apply(given, { each }) {
    const { polygonsOfLayer } = await import('../core/layer/verbs/polygons.ts');
    return polygonsOfLayer(given, each);
  },
});

/** Areas of all that lines enclose together; with `each`, of every closed line by itself. */
export function polygons(options: { each?: boolean } = {}): LayerStep {
  return stepOf(polygonsVerb, () => options);
}
