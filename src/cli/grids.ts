import {
  type BandSummary,
  type Finding,
  type Grid,
  type GridBand,
  gridExtent,
  grouped,
  summariseBand,
} from '../core/index.ts';
import type { OpenedGrid } from '../formats/index.ts';
import { findingText, type Output, textTable } from './output.ts';
import { figure } from './profiles.ts';

export interface GridView {
  name: string;
  within: string;
  format: string;
  layout: string;
  width: number;
  height: number;
  cell: [number, number];
  crs: { code: string | null; name: string } | null;
  extent: readonly number[];
  bands: (GridBand & BandSummary)[];
  troubles: readonly Finding[];
}

/** Reads every band of a grid once, strip by strip. */
export async function gridView({ grid, format, within }: OpenedGrid): Promise<GridView> {
  const bands: GridView['bands'] = [];
  for (let b = 0; b < grid.bands.length; b++)
    bands.push({ ...grid.bands[b], ...(await summariseBand(grid, b)) });
  return {
    name: grid.name,
    within,
    format,
    layout: grid.layout,
    width: grid.width,
    height: grid.height,
    cell: cellSize(grid),
    crs: grid.crs === null ? null : { code: grid.crs.code ?? null, name: grid.crs.name },
    extent: gridExtent(grid),
    bands,
    troubles: grid.findings,
  };
}

function cellSize(grid: Grid): [number, number] {
  const t = grid.transform;
  return [Math.hypot(t[1], t[4]), Math.hypot(t[2], t[5])];
}

export function printGrid(output: Output, grid: GridView, shown: (finding: Finding) => Finding): void {
  const { colours } = output;
  const one = (value: number) => String(Number(value.toPrecision(9)));
  output.line();
  output.line(
    `${colours.bold(colours.cyan(grid.name))}  ${grid.format}${grid.within === '' ? '' : `, ${grid.within}`}`,
  );
  output.line(
    `  ${grouped(grid.width)} × ${grouped(grid.height)} cells of ${one(grid.cell[0])} × ${one(grid.cell[1])}, ${grid.layout}`,
  );
  const { crs } = grid;
  output.line(
    `  CRS     ${crs === null ? colours.yellow('not known') : crs.code === null ? crs.name : `${crs.code} (${crs.name})`}`,
  );
  output.line(
    `  extent  ${grid.extent.slice(0, 2).map(one).join(', ')} to ${grid.extent.slice(2).map(one).join(', ')}`,
  );
  const rows = grid.bands.map((band) => [
    band.name,
    band.type,
    band.noData === null ? '' : String(band.noData),
    grouped(band.blank),
    band.blank === band.cells
      ? 'no data anywhere'
      : `${figure(band.least, 'real')} to ${figure(band.greatest, 'real')}, mean ${figure(band.mean, 'real')}`,
  ]);
  const [head, ...lines] = textTable(
    ['band', 'type', 'no data', 'cells without', 'values'],
    rows,
    [false, false, true, true, false],
    50,
  );
  output.line(colours.dim(`  ${head}`));
  for (const line of lines) output.line(`  ${line}`);
  for (const trouble of grid.troubles) output.line(`  ${findingText(output, shown(trouble))}`);
}
