import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const bordersVerb = describeVerb({
  name: 'borders',
  words: 'make lines of the borders of areas, each once, with what lies on both sides',
  takes: 'layer',
  done: 'made borders',
  own: null,
  options: {
    by: { kind: 'text', words: 'a field that names the sides, in place of ids', sign: 'name' },
  },
  examples: [
    {
      command: 'isomeric borders data/boundary-office/wards-2024.geojson --by code --out borders.gpkg',
      study: '- borders: { by: code }',
      program: "borders({ by: 'code' })",
    },
  ],
  async apply(given, { by }) {
    const { bordersOfLayer } = await import('../core/layer/verbs/borders.ts');
    return bordersOfLayer(given, by);
  },
});

/** The borders of areas as lines, each once, with what lies on its left and right (by id, or by a field). */
export function borders(options: { by?: string } = {}): LayerStep {
  return stepOf(bordersVerb, () => options);
}
