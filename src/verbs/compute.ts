import type { ComputeOptions } from '../core/layer/verbs/compute.ts';
import { usualUnsureAbove } from '../core/table/margins.ts';
import { describeVerb } from './description.ts';
import { type FieldTexts, fieldsOf } from './fields.ts';
import { stepOf, type TableStep } from './step.ts';

export const computeVerb = describeVerb({
  name: 'compute',
  words: 'add fields: shares, rates, densities, change; margins of error go along',
  takes: 'table',
  own: 'fields',
  options: {
    fields: {
      kind: 'fields',
      words: 'new fields with their expressions in CQL2: "no_car_share = share(no_car, households)"',
      required: true,
      command: 'argument',
    },
    confidence: {
      kind: 'number',
      words: 'level of the margins of error',
      sign: 'percent',
      usual: 90,
      choices: ['90', '95', '99'],
      setting: true,
    },
    unsureAbove: {
      kind: 'number',
      words: 'coefficient of variation above which a figure is too unsure to map',
      sign: 'percent',
      usual: usualUnsureAbove,
      setting: true,
    },
  },
  examples: [
    {
      command:
        'isomeric compute data/statistics-office/HOUSING.csv "no_car_share = share(households_no_car, households)" --out shares.csv',
      study: '- compute:\n    no_car_share: share(households_no_car, households)',
      program: "compute({ no_car_share: 'share(households_no_car, households)' })",
    },
  ],
  async apply(given, { fields, confidence, unsureAbove }) {
    const { computeFields } = await import('../core/layer/verbs/compute.ts');
    return computeFields(given, fields, { confidence, unsureAbove });
  },
});

/** Adds fields, each from an expression in CQL2; later ones may use earlier ones. Margins of error go along. */
export function compute(fields: FieldTexts, options: ComputeOptions = {}): TableStep {
  return stepOf(computeVerb, () => ({ fields: fieldsOf(fields), ...options }));
}
