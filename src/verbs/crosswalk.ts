import type { Layer, Table } from '../core/layer/layer.ts';
import type { CrosswalkOptions } from '../core/layer/verbs/crosswalk.ts';
import { parseOn } from '../core/table/keys/key-pairs.ts';
import { describeVerb } from './description.ts';
import { type Given, later, stepOf } from './step.ts';

export const crosswalkVerb = describeVerb({
  name: 'crosswalk',
  words:
    'make the table that says which share of each unit lies in which of others, as those of another vintage',
  takes: 'layer',
  given: 'units',
  done: 'laid over others',
  own: 'to',
  options: {
    to: {
      kind: 'layer',
      words: 'the units that figures are to be carried to',
      required: true,
      command: 'argument',
      gathered: true,
    },
    on: {
      kind: 'keys',
      words: 'the keys of both: CODE, or CODE = OTHER where the fields are called differently',
      sign: 'keys',
      required: true,
    },
    weights: {
      kind: 'layer',
      words: 'points, buildings or finer units that say how much of a unit lies where; by area when left out',
      sign: 'path',
      gathered: true,
    },
    by: {
      kind: 'text',
      words: 'field with the figures of the weights; each counts once when left out',
      sign: 'name',
      study: 'weighted by',
    },
    leastShare: {
      kind: 'percent',
      words: 'per cent under which a share is an inaccuracy of borders and is given to the others',
      sign: 'percent',
      usual: 0,
      study: 'least share',
    },
  },
  examples: [
    {
      command:
        'isomeric crosswalk data/boundary-office/wards-2019.geojson data/boundary-office/wards-2024.geojson --on code --out crosswalk.csv',
      study: '- crosswalk: districts\n  on: code',
      program: "crosswalk(districts, 'code')",
    },
  ],
  async apply(given, { to, on, weights, by, leastShare }) {
    const { crosswalkOf } = await import('../core/layer/verbs/crosswalk.ts');
    return crosswalkOf(given, to, { on, weights, by, leastShare });
  },
});

/**
 * Makes a crosswalk to other units: `from`, `to`, `share`, `of_to`. The shares of each unit sum to one.
 *
 * @param on `'code = code'`: key field of what is given, key field of the others
 */
export function crosswalk(
  to: Given<Layer>,
  on: string,
  { weights, ...options }: Omit<CrosswalkOptions, 'on' | 'weights'> & { weights?: Given<Layer> } = {},
): (given: Layer) => Promise<Table> {
  const [others, weighing] = [later(to), weights === undefined ? undefined : later(weights)];
  return stepOf(crosswalkVerb, async () => ({
    ...options,
    to: await others,
    ...(weighing === undefined ? {} : { weights: await weighing }),
    on: parseOn(on),
  }));
}
