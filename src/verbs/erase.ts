import type { Area } from '../core/layer/area.ts';
import { type Cutting, checked, cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const eraseVerb = describeVerb({
  name: 'erase',
  words: 'cut an area out of a layer',
  takes: 'layer',
  done: 'cut',
  own: 'area',
  options: {
    area: { kind: 'area', words: 'the area that is cut out', required: true },
    keep: {
      kind: 'choice',
      words: 'keep whole what reaches out of the area, instead of cutting it',
      choices: ['whole'],
    },
    least: {
      kind: 'number',
      words: 'drop what reaches out of the area with less than this of itself, in per cent',
      sign: 'per cent',
    },
    ...cutting,
  },
  examples: [
    {
      command: `isomeric erase data/boundary-office/wards-2024.geojson --area data/boundary-office/districts-2024.geojson --area-where "code = 'T204'" --out around.gpkg`,
      study: '- erase: area',
      program: 'erase(area)',
    },
  ],
  async apply(given, { area, keep, least, rule, turn, strict, share, split }) {
    // Loaded only here: a page pays for it when it cuts.
    const { eraseLayer } = await import('../core/layer/verbs/clip.ts');
    const { index, note } = await area.in(given);
    return eraseLayer(await checked(given, strict), index, {
      mode: keep === 'whole' ? 'whole' : 'cut',
      least,
      rule: fillRule(rule),
      turn,
      share,
      split,
      note,
    });
  },
});

/**
 * Cuts an area out of a layer; the area is brought into the layer's CRS where it has another.
 *
 * @param options `keep: 'whole'` keeps whole what reaches out of the area; `least`: what has less than this of itself
 *   outside is dropped, in per cent; `rule`: what rings enclose that cross or overlap themselves; `turn`: turns all
 *   rings one way
 * @throws IsomericError `crs-missing` where the layer or the area does not say its CRS
 */
export function erase(area: Given<Area>, options: Cutting = {}): LayerStep {
  const place = later(area);
  return stepOf(eraseVerb, async () => ({ ...options, area: await place }));
}
