import type { Area } from '../core/layer/area.ts';
import { describeVerb } from './description.ts';
import { type Given, type LayerStep, later, stepOf } from './step.ts';

export const cellsVerb = describeVerb({
  name: 'cells',
  words: 'make the cell of each point: all that is nearer to it than to any other',
  takes: 'layer',
  done: 'parted into cells',
  own: null,
  options: {
    area: { kind: 'area', words: 'the area that the cells fill', required: true },
  },
  examples: [
    {
      command:
        'isomeric cells data/map-extracts/teskaria-ombrey.zip --layer refuge_halls --from data/teskaria-grid.wkt --area data/boundary-office/districts-2024.geojson --out catchments.gpkg',
      study: '- cells: { area: area }',
      program: 'cells(area)',
    },
  ],
  async apply(given, { area }) {
    const { cellsOfLayer } = await import('../core/layer/verbs/cells.ts');
    return cellsOfLayer(given, area);
  },
});

/** The Voronoi cell of each point in an area: all that lies nearer to it than to any other one. */
export function cells(area: Given<Area>): LayerStep {
  const within = later(area);
  return stepOf(cellsVerb, async () => ({ area: await within }));
}
