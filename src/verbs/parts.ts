import type { PartKind } from '../core/layer/verbs/parts.ts';
import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const partsVerb = describeVerb({
  name: 'parts',
  words: 'make a feature of each part',
  takes: 'layer',
  done: 'taken apart',
  own: null,
  options: {
    kind: {
      kind: 'choice',
      words: 'only parts of this kind',
      choices: ['points', 'lines', 'areas'],
    },
  },
  examples: [
    {
      command: 'isomeric parts data/boundary-office/wards-2024.geojson --kind areas --out parts.gpkg',
      study: '- parts: { kind: areas }',
      program: "parts({ kind: 'areas' })",
    },
  ],
  async apply(given, { kind }) {
    const { partsOfLayer } = await import('../core/layer/verbs/parts.ts');
    return partsOfLayer(given, kind as PartKind | undefined);
  },
});

/** One feature for each part of each feature, with its number; with `kind`, only `points`, `lines` or `areas`. */
export function parts(options: { kind?: PartKind } = {}): LayerStep {
  return stepOf(partsVerb, () => options);
}
