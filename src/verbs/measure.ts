import { describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const measureVerb = describeVerb({
  name: 'measure',
  words: 'add fields with the areas, lengths and shapes of the features',
  takes: 'layer',
  done: 'measured',
  own: 'what',
  options: {
    what: {
      kind: 'names',
      words:
        'what to measure: area, length, perimeter, compactness, roundness, fullness, elongation, inner radius, outer radius, centroid_x, centroid_y, inside_x, inside_y, parts, holes, vertices',
      required: true,
      command: 'argument',
    },
    lengths: {
      kind: 'text',
      words: 'unit of lengths: m, km, ft, mi, nmi',
      usual: 'm',
      sign: 'unit',
      study: 'lengths in',
    },
    areas: {
      kind: 'text',
      words: 'unit of areas: m2, ha, km2, ac, mi2',
      usual: 'm2',
      sign: 'unit',
      study: 'areas in',
    },
    planar: { kind: 'flag', words: 'measure on the plane of the CRS, not on the ellipsoid' },
  },
  examples: [
    {
      command:
        'isomeric measure data/boundary-office/wards-2024.geojson area,compactness --areas km2 --out measured.csv',
      study: '- measure: [area, compactness]\n  areas in: km2',
      program: "measure(['area', 'compactness'], { areas: 'km2' })",
    },
  ],
  async apply(given, options) {
    const { measureLayer } = await import('../core/layer/verbs/measure.ts');
    return measureLayer(given, options);
  },
});

/** In which units `measure` measures, and where. */
export interface MeasureSettings {
  /** `m`, `km`, `ft`, `mi` or `nmi`; `m` when left out. */
  lengths?: string;
  /** `m2`, `ha`, `km2`, `ac` or `mi2`; `m2` when left out. */
  areas?: string;
  /** On the plane of a projected CRS, not on the ellipsoid. */
  planar?: boolean;
}

/** Adds fields with measures of each feature: `area`, `length`, `perimeter`, `compactness` … */
export function measure(what: readonly string[], settings: MeasureSettings = {}): LayerStep {
  return stepOf(measureVerb, () => ({ ...settings, what }));
}
