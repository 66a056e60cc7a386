import { usualLimits } from '../core/field/motion.ts';
import { type MotionOptions, motionGives } from '../core/layer/verbs/motion.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const motionVerb = describeVerb({
  name: 'motion',
  words:
    'work out how recorded positions follow each other: distance, time, speed over ground, heading, climb, legs, stops, jumps',
  takes: 'layer',
  done: 'followed',
  own: null,
  options: {
    give: {
      kind: 'choice',
      words:
        'what is given: the points with their motion, the legs between gaps as lines, the stops, the gaps',
      sign: 'what',
      choices: motionGives,
      usual: 'points',
    },
    time: { kind: 'text', words: 'the field with the times', sign: 'field', usual: 'time' },
    tracks: {
      kind: 'names',
      words: 'fields that part the points into tracks; file and track when left out',
      sign: 'names',
    },
    segments: {
      kind: 'text',
      words: 'the field that parts tracks into segments; segment when left out',
      sign: 'field',
    },
    fastest: {
      kind: 'number',
      words: 'speed beyond which a position jumped, metres a second',
      sign: 'speed',
      usual: usualLimits.fastest,
    },
    jumps: {
      kind: 'choice',
      words: 'points that jumped are marked, or dropped',
      sign: 'what',
      choices: ['mark', 'drop'],
      usual: 'mark',
    },
    stopWithin: {
      kind: 'number',
      words: 'a stop stays within so many metres',
      sign: 'metres',
      usual: usualLimits.stopWithin,
      study: 'stop within',
    },
    stopFor: {
      kind: 'number',
      words: 'and lasts at least so many seconds',
      sign: 'seconds',
      usual: usualLimits.stopFor,
      study: 'stop for',
    },
    stops: {
      kind: 'choice',
      words: 'all points of stops are kept, or only the first of each',
      sign: 'what',
      choices: ['mark', 'drop'],
      usual: 'mark',
    },
    gap: {
      kind: 'number',
      words: 'a longer time without a position ends a leg, seconds',
      sign: 'seconds',
      usual: usualLimits.gap,
    },
    along: {
      kind: 'choice',
      words: 'measure along the ellipsoid, also where the CRS is a plane',
      sign: 'what',
      choices: ['ellipsoid'],
    },
  },
  examples: [
    {
      command:
        'isomeric motion data/receiver/walks-2024-06-15.gpx --layer track_points --give lines --fastest 4 --out legs.geojson',
      study: '- motion: { give: lines, fastest: 4 }',
      program: "motion({ give: 'lines', fastest: 4 })",
    },
  ],
  async apply(given, values) {
    const { layerMotion } = await import('../core/layer/verbs/motion.ts');
    return layerMotion(given, values as MotionOptions);
  },
});

/**
 * Works out how recorded positions follow each other: metres, seconds, metres a second, degrees from north, from each point to the
 * next; legs, gaps, stops and jumps.
 */
export function motion(options: MotionOptions = {}): LayerStep {
  return stepOf(motionVerb, () => ({ ...options }));
}
