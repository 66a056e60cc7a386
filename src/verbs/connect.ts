import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const connectVerb = describeVerb({
  name: 'connect',
  words: 'join lines end to end where two meet',
  takes: 'layer',
  done: 'joined end to end',
  own: null,
  options: {
    by: { kind: 'names', words: 'only lines whose values of these fields are the same', sign: 'names' },
  },
  examples: [
    {
      command:
        'isomeric connect data/map-extracts/teskaria-ombrey.zip --layer roads --by NAME --out whole-roads.gpkg',
      study: '- connect: { by: [name] }',
      program: "connect({ by: ['name'] })",
    },
  ],
  async apply(given, { by }) {
    const { connectLayer } = await import('../core/layer/verbs/connect.ts');
    return connectLayer(given, by);
  },
});

/** Joins lines end to end wherever exactly two meet; with `by`, only those with the same values of these fields. */
export function connect(options: { by?: readonly string[] } = {}): LayerStep {
  return stepOf(connectVerb, () => options);
}
