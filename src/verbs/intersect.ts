import type { Layer } from '../core/layer/layer.ts';
import type { IntersectOptions, Pieces } from '../core/layer/verbs/intersect.ts';
import { checked, cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const intersectVerb = describeVerb({
  name: 'intersect',
  words: 'cut the features of a layer by the areas of another, with the fields of both',
  takes: 'layer',
  done: 'intersected',
  own: 'areas',
  options: {
    areas: {
      kind: 'layer',
      words: 'the layer with the areas',
      required: true,
      command: 'argument',
    },
    pieces: {
      kind: 'choice',
      words: 'which pieces stay: of both layers, of the given one too where the other has nothing, or all',
      choices: ['both', 'given', 'all'],
      usual: 'both',
    },
    split: {
      kind: 'names',
      words: 'fields whose figures are split by the share of each piece (counts, not rates)',
      sign: 'names',
    },
    rule: cutting.rule,
    strict: cutting.strict,
  },
  examples: [
    {
      command:
        'isomeric intersect data/boundary-office/wards-2024.geojson data/boundary-office/districts-2024.geojson --pieces all --out pieces.gpkg',
      study: '- intersect: districts\n  pieces: given',
      program: "intersect(districts, { pieces: 'given' })",
    },
  ],
  async apply(given, { areas, pieces, split, rule, strict }) {
    const { intersectLayers } = await import('../core/layer/verbs/intersect.ts');
    return intersectLayers(await checked(given, strict), await checked(areas, strict), {
      pieces: pieces as Pieces | undefined,
      split,
      rule: fillRule(rule),
    });
  },
});

/**
 * Cuts the features of a layer by the areas of another: one feature for each pair, with the fields of both, where it came
 * from and its share of each.
 *
 * @param options `pieces`: those of `both` (when left out), of the `given` layer too where the other has nothing, or
 *   `all`; `split`: fields whose figures are split by share; `rule`: what rings enclose that cross or overlap themselves
 */
export function intersect(
  areas: Given<Layer>,
  options: IntersectOptions & { strict?: boolean } = {},
): LayerStep {
  const other = later(areas);
  return stepOf(intersectVerb, async () => ({ ...options, areas: await other }));
}
