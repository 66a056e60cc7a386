import type { Layer } from '../core/layer/layer.ts';
import { type AlongOptions, usualWithin } from '../core/layer/verbs/along.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const alongVerb = describeVerb({
  name: 'along',
  words: 'give rows with times, such as photos, the place where a track was at that time',
  takes: 'table',
  own: 'track',
  options: {
    track: {
      kind: 'layer',
      words: 'the points of the track, with times',
      required: true,
      command: 'argument',
    },
    time: { kind: 'text', words: 'the field of the rows with the times', sign: 'field', usual: 'time' },
    trackTime: {
      kind: 'text',
      words: 'the field of the track with the times',
      sign: 'field',
      usual: 'time',
      study: 'track time',
    },
    within: {
      kind: 'number',
      words: 'most seconds between the two positions of the track that a time lies between',
      sign: 'seconds',
      usual: usualWithin,
    },
    ahead: {
      kind: 'number',
      words: 'seconds by which the clock of the rows is ahead of that of the track',
      sign: 'seconds',
    },
    behind: { kind: 'number', words: 'seconds by which it is behind', sign: 'seconds' },
    zone: { kind: 'text', words: 'the zone of clocks that say none, from UTC: -02:00', sign: 'zone' },
    columns: { kind: 'names', words: 'fields of the track that come along', sign: 'names' },
  },
  examples: [
    {
      command:
        'isomeric along data/receiver/photos/weir-01.jpg data/receiver/walks-2024-06-15.gpx --track track_points --columns track_name --out placed.geojson',
      study: '- along: refuge_halls',
      program: 'along(halls)',
    },
  ],
  async apply(given, { track, behind, ...options }) {
    const { placeAlong } = await import('../core/layer/verbs/along.ts');
    return placeAlong(given, track, behind === undefined ? options : { ...options, ahead: -behind });
  },
});

/** Gives rows with times the place where a track was at that time (columns `placed`, `track_seconds`, `track_metres`). */
export function along(track: Given<Layer>, options: AlongOptions = {}): LayerStep {
  const other = later(track);
  return stepOf(alongVerb, async () => ({ ...options, track: await other }));
}
