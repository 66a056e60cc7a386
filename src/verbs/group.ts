import { describeVerb } from './description.ts';
import { type FieldTexts, fieldsOf } from './fields.ts';
import { type RowStep, stepOf } from './step.ts';

export const groupVerb = describeVerb({
  name: 'group',
  words: 'one row for each group of rows: sums, means, counts',
  takes: 'table',
  own: null,
  options: {
    fields: {
      kind: 'fields',
      words:
        'new fields: NAME = sum(…), mean(…), mean(…, weight), count(), least(…), greatest(…), median(…), deviation(…), distinct(…), list(…), commonest(…), share(condition), share(condition, weight)',
      required: true,
      command: 'argument',
      study: 'compute',
    },
    by: {
      kind: 'names',
      words: 'fields whose values make the groups; all rows are one group without',
      sign: 'names',
    },
  },
  examples: [
    {
      command:
        'isomeric group data/boundary-office/wards-2024.geojson "wards = count()" --by district --out districts.csv',
      study: '- group:\n    by: [district]\n    compute:\n      wards: count()',
      program: "group({ wards: 'count()' }, { by: ['district'] })",
    },
  ],
  async apply(given, { fields, by = [] }) {
    const { groupRows } = await import('../core/layer/verbs/group.ts');
    return groupRows(given, { by, compute: fields });
  },
});

/** One row for each group of rows, without geometry; margins of error go with sums and means. */
export function group(fields: FieldTexts, options: { by?: readonly string[] } = {}): RowStep {
  return stepOf(groupVerb, () => ({ ...options, fields: fieldsOf(fields) }));
}
