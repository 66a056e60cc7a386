import type { Crs } from '../core/crs/crs.ts';
import { IsomericError } from '../core/errors.ts';
import type { Grid } from '../core/grid/grid.ts';
import type { Layer } from '../core/layer/layer.ts';
import type { SummariseOptions } from '../core/layer/verbs/summarise.ts';
import { type BestFor, describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const summariseVerb = describeVerb({
  name: 'summarise',
  words: 'sum up the cells of grids by unit; for points, take the value at each',
  takes: 'layer',
  given: 'units',
  done: 'laid over a grid',
  own: 'grids',
  options: {
    grids: {
      kind: 'layers',
      words: 'the grids, one or several (years): fields begin with the name of each',
      required: true,
      command: 'argument',
    },
    figures: {
      kind: 'names',
      words:
        'mean (when left out), sum, count, least, greatest, median, deviation, "above 0.5" (share of the cells above it), majority, shares (of each value), covered (share with data)',
      sign: 'names',
    },
    by: {
      kind: 'choice',
      words: 'cells count by the share of them that a unit covers, or where their centre lies in it',
      sign: 'what',
      choices: ['share', 'centre'],
      usual: 'share',
      study: 'cells by',
    },
    at: {
      kind: 'choice',
      words: 'for points: the value of the cell that holds each, or between the centres of four',
      sign: 'what',
      choices: ['cell', 'between'],
      usual: 'cell',
      study: 'value at',
    },
    gridCrs: {
      kind: 'crs',
      words: 'the CRS that the grids have, when they do not say so or say a wrong one',
      sign: 'crs',
      study: false,
    },
    as: { kind: 'text', words: 'what the new fields are to begin with', sign: 'name' },
  },
  examples: [
    {
      command:
        'isomeric summarise data/boundary-office/wards-2024.geojson data/map-extracts/flood-depth.tif --figures "mean, greatest, above 0.5" --as depth --grid-crs data/teskaria-grid.wkt --out depths.gpkg',
      study: '- summarise: [districts]\n  figures: [mean, above 0.5]\n  as: depth',
      program: "summarise(districts, { figures: ['mean', 'above 0.5'], as: 'depth' })",
    },
  ],
  async apply(given, { grids, figures, by, at, as, gridCrs }) {
    const { summariseGrids } = await import('../core/layer/verbs/summarise.ts');
    return summariseGrids(
      given,
      grids.map((layer) => gridOf(layer, gridCrs)),
      { figures, by, at, as } as SummariseOptions,
    );
  },
});

/** The grid that a layer of cells was opened from. */
function gridOf(layer: Layer, said: Crs | BestFor | undefined): Grid {
  const { grid } = layer;
  // What was said of the layer's CRS is said of its grid.
  const crs = said === undefined || 'best' in said ? layer.crs : said;
  if (grid !== undefined) return crs === grid.crs ? grid : withCrs(grid, crs);
  throw new IsomericError('grid-expected', `${layer.name} is no grid, but a layer.`, {
    blame: 'usage',
    advice: 'Features are counted and summed up in units by “tally”.',
  });
}

/** The same grid in a CRS that it did not say. */
function withCrs(grid: Grid, crs: Crs | null): Grid {
  const { name, width, height, bands, transform, findings, layout } = grid;
  return {
    name,
    width,
    height,
    bands,
    transform,
    findings,
    layout,
    crs,
    read: (band, window) => grid.read(band, window),
  };
}

/**
 * Sums up the cells of grids by unit, or takes their values at points. A grid is opened with `openLayer`, as any other layer.
 *
 * @param grids one grid or several
 */
export function summarise(
  grids: Given<Layer> | readonly Given<Layer>[],
  options: SummariseOptions & { gridCrs?: Crs } = {},
): LayerStep {
  const all = [grids].flat().map((each) => later(each as Given<Layer>));
  return stepOf(summariseVerb, async () => ({ ...options, grids: await Promise.all(all) }));
}
