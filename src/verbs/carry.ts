import type { Table } from '../core/layer/layer.ts';
import { type CarryOptions, carryFigures } from '../core/layer/verbs/carry.ts';
import { parseOn } from '../core/table/keys/key-pairs.ts';
import { describeVerb } from './description.ts';
import { type Given, later, type RowStep, stepOf } from './step.ts';

export const carryVerb = describeVerb({
  name: 'carry',
  words: 'carry the figures of a table to other units by a crosswalk; sums are kept',
  takes: 'table',
  given: 'table',
  own: 'by',
  options: {
    by: {
      kind: 'table',
      words: 'the crosswalk: from, to, share; without shares each row goes whole (wards to their districts)',
      required: true,
      command: 'argument',
    },
    on: {
      kind: 'keys',
      words: 'the fields that must be equal: TABLE_FIELD = CROSSWALK_FIELD',
      sign: 'keys',
      required: true,
    },
    to: {
      kind: 'text',
      words: 'field of the crosswalk with the units that figures go to',
      sign: 'name',
      usual: 'to',
    },
    share: { kind: 'text', words: 'field of the crosswalk with the shares', sign: 'name', usual: 'share' },
    repair: {
      kind: 'mends',
      words: 'what is done to the keys before they are compared: "guards, leading zeros"',
      sign: 'what',
    },
    counts: {
      kind: 'names',
      words: 'fields that are counts; all that can be summed when left out',
      sign: 'names',
    },
    means: {
      kind: 'names',
      words: 'fields that are means or rates, each with the count that weighs it: "income by households"',
      sign: 'names',
    },
    against: {
      kind: 'table',
      words:
        'figures that the other units themselves have, in fields of the same names: sums are held against them',
      sign: 'path',
    },
    againstKey: {
      kind: 'text',
      words: 'field of that table with the keys of its units',
      sign: 'name',
      study: 'against key',
    },
  },
  examples: [
    {
      command:
        'isomeric carry data/statistics-office/HOUSING.csv data/boundary-office/wards-2024.geojson --on "area_code = code" --to district --out rolled-up.csv',
      study: '- carry: districts\n  on: area_code = from',
      program: "carry(districts, 'area_code = from', { to: 'district' })",
    },
  ],
  apply: (given, { by, on, to, share, counts, means, repair, against, againstKey }) =>
    carryFigures(given, by, {
      ...(against === undefined ? {} : { against: { table: against, key: againstKey ?? to ?? 'to' } }),
      on,
      repair,
      counts,
      ...(to === undefined || to === 'to' ? {} : { to }),
      ...(share === undefined || share === 'share' ? {} : { share }),
      means: (means ?? []).map(meanFrom),
    }),
});

/** `income by households` → both names. */
function meanFrom(text: string): readonly [string, string] {
  const at = text.lastIndexOf(' by ');
  return at < 0 ? [text, ''] : [text.slice(0, at).trim(), text.slice(at + 4).trim()];
}

/**
 * Carries figures to other units by a crosswalk; totals before and after are told.
 *
 * @param on `'ward = from'`: key field of the table, field of the crosswalk
 */
export function carry(
  by: Given<Table>,
  on: string,
  { means = [], against, ...options }: Omit<CarryOptions, 'on'> = {},
): RowStep {
  const held = later(by);
  return stepOf(carryVerb, async () => ({
    ...options,
    ...(against === undefined ? {} : { against: against.table, againstKey: against.key }),
    means: means.map(([mean, weight]) => `${mean} by ${weight}`),
    by: await held,
    on: parseOn(on),
  }));
}
