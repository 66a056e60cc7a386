import type { FillRule } from '../core/geometry/overlay/fill-rule.ts';
import { checked, cutting, fillRule } from './cutting.ts';
import { describeVerb } from './description.ts';
import { type FieldTexts, fieldsOf } from './fields.ts';
import { type LayerStep, stepOf } from './step.ts';

export const dissolveVerb = describeVerb({
  name: 'dissolve',
  words: 'unite the features of a layer to larger units, with sums, means, counts of their figures',
  takes: 'layer',
  done: 'dissolved',
  own: null,
  options: {
    fields: {
      kind: 'fields',
      words:
        'new fields: NAME = sum(…), mean(…), mean(…, weight), count(), least(…), greatest(…), median(…), deviation(…), distinct(…), list(…), commonest(…), share(condition), share(condition, weight)',
      command: 'argument',
      study: 'compute',
    },
    by: {
      kind: 'names',
      words: 'fields whose values make the units; all features become one without',
      sign: 'names',
    },
    rule: cutting.rule,
    strict: cutting.strict,
  },
  examples: [
    {
      command:
        'isomeric dissolve data/boundary-office/wards-2024.geojson "wards = count()" --by district --out districts.gpkg',
      study: '- dissolve:\n    by: [district]\n    compute:\n      wards: count()',
      program: "dissolve({ wards: 'count()' }, { by: ['district'] })",
    },
  ],
  async apply(given, { fields = [], by = [], rule, strict }) {
    const { dissolveLayer } = await import('../core/layer/verbs/dissolve.ts');
    return dissolveLayer(await checked(given, strict), { by, compute: fields, rule: fillRule(rule) });
  },
});

/**
 * Unites features to larger units: areas without inner borders, points and paths gathered. Margins of error go with sums
 * and means.
 *
 * @param fields new fields: `{ households: 'sum(households)' }`
 * @param options `by`: fields whose values make the units; `rule`: what rings enclose that cross or overlap themselves
 */
export function dissolve(
  fields: FieldTexts = {},
  options: { by?: readonly string[]; rule?: FillRule; strict?: boolean } = {},
): LayerStep {
  return stepOf(dissolveVerb, () => ({ ...options, fields: fieldsOf(fields) }));
}
