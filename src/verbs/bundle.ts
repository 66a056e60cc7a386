import { describeVerb } from './description.ts';
import { type FieldTexts, fieldsOf } from './fields.ts';
import { type LayerStep, stepOf } from './step.ts';

export const bundleVerb = describeVerb({
  name: 'bundle',
  words: 'gather features to features of several parts, with sums, means, counts of their figures',
  takes: 'layer',
  done: 'bundled',
  own: null,
  options: {
    fields: {
      kind: 'fields',
      words: 'new fields: NAME = sum(…), mean(…), count(), least(…), greatest(…), median(…)',
      command: 'argument',
      study: 'compute',
    },
    by: {
      kind: 'names',
      words: 'fields whose values make the bundles; all features become one without',
      sign: 'names',
    },
  },
  examples: [
    {
      command:
        'isomeric bundle data/boundary-office/wards-2024.geojson "wards = count()" --by district --out bundles.gpkg',
      study: '- bundle:\n    by: [district]\n    compute:\n      wards: count()',
      program: "bundle({ wards: 'count()' }, { by: ['district'] })",
    },
  ],
  async apply(given, { fields = [], by = [] }) {
    const { bundleLayer } = await import('../core/layer/verbs/bundle.ts');
    return bundleLayer(given, { by, compute: fields });
  },
});

/**
 * Gathers features to features of several parts; unlike `dissolve`, nothing is united and every part stays as it is.
 *
 * @param fields new fields: `{ households: 'sum(households)' }`
 * @param options `by`: fields whose values make the bundles
 */
export function bundle(fields: FieldTexts = {}, options: { by?: readonly string[] } = {}): LayerStep {
  return stepOf(bundleVerb, () => ({ fields: fieldsOf(fields), by: options.by }));
}
