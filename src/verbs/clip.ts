import type { Area } from '../core/layer/area.ts';
import { type Cutting, checked, cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const clipVerb = describeVerb({
  name: 'clip',
  words: 'cut a layer to an area',
  takes: 'layer',
  done: 'clipped',
  own: 'area',
  options: {
    area: { kind: 'area', words: 'the area', required: true },
    keep: {
      kind: 'choice',
      words: 'keep whole what reaches across the border, instead of cutting it',
      choices: ['whole'],
    },
    least: {
      kind: 'number',
      words: 'drop what reaches across the border with less than this of itself inside, in per cent',
      sign: 'per cent',
    },
    ...cutting,
  },
  examples: [
    {
      command: `isomeric clip data/boundary-office/wards-2024.geojson --area data/boundary-office/districts-2024.geojson --area-where "code = 'T204'" --out inside.gpkg`,
      study: '- clip: area',
      program: 'clip(area)',
    },
  ],
  async apply(given, { area, keep, least, rule, turn, strict, share, split }) {
    // Loaded only here: a page pays for it when it cuts.
    const { clipLayer } = await import('../core/layer/verbs/clip.ts');
    const { index, note } = await area.in(given);
    return clipLayer(await checked(given, strict), index, {
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
 * Cuts a layer to an area, which is brought into the layer's CRS where it has another.
 *
 * @param options `keep: 'whole'` keeps whole what reaches across the border; `least`: what has less than this of itself
 *   inside is dropped, in per cent; `rule`: what rings enclose that cross or overlap themselves; `turn`: turns all rings
 *   one way; `strict`: stops at what is invalid; `share`, `split`: tells the share that is left, and splits figures by it
 * @throws IsomericError `crs-missing` where the layer or the area does not say its CRS
 */
export function clip(area: Given<Area>, options: Cutting = {}): LayerStep {
  const place = later(area);
  return stepOf(clipVerb, async () => ({ ...options, area: await place }));
}
