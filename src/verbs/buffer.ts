import type { BufferOptions } from '../core/layer/verbs/buffer.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const bufferVerb = describeVerb({
  name: 'buffer',
  words: 'all that lies within a distance of each feature of a layer',
  takes: 'layer',
  done: 'made larger',
  own: null,
  options: {
    distance: { kind: 'number', words: 'how far', sign: 'metres' },
    field: {
      kind: 'text',
      words: 'a field with the metres of each feature, in place of one distance',
      sign: 'name',
    },
    rings: {
      kind: 'numbers',
      words: 'the metres of several rings around each feature, in place of one distance',
      sign: 'metres',
    },
    inwards: { kind: 'flag', words: 'take the distance away from areas, instead of adding it' },
    ends: { kind: 'choice', words: 'how lines end', choices: ['round', 'flat', 'square'], usual: 'round' },
    joins: {
      kind: 'choice',
      words: 'how the outer sides of corners are filled',
      choices: ['round', 'mitre', 'bevel'],
      usual: 'round',
    },
    side: {
      kind: 'choice',
      words: 'on which side of lines, seen in their direction',
      choices: ['both', 'left', 'right'],
      usual: 'both',
    },
  },
  examples: [
    {
      command:
        'isomeric buffer data/map-extracts/teskaria-ombrey.zip --layer roads --distance 250 --out near-roads.gpkg',
      study: '- buffer:\n    distance: 250',
      program: 'buffer({ distance: 250 })',
    },
  ],
  async apply(given, { distance, field, rings, inwards, ends, joins, side }) {
    const { bufferLayer } = await import('../core/layer/verbs/buffer.ts');
    return bufferLayer(given, {
      distance,
      field,
      rings,
      inwards,
      ends: ends as BufferOptions['ends'],
      joins: joins as BufferOptions['joins'],
      side: side as BufferOptions['side'],
    });
  },
});

/** How `buffer` works: the options of the command. */
export type BufferSettings = Pick<
  BufferOptions,
  'distance' | 'field' | 'rings' | 'inwards' | 'ends' | 'joins' | 'side'
>;

/**
 * All that lies within a distance (metres) of each feature; on the ellipsoid where coordinates are degrees. With `rings`,
 * one feature for each distance, of what lies beyond the distance before.
 */
export function buffer(options: BufferSettings): LayerStep {
  return stepOf(bufferVerb, () => options);
}
