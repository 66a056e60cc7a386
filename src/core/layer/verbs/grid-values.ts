import { type Count, closeAccount, counted, grouped, listed } from '../../account.ts';
import { crsLabel, sameCrs } from '../../crs/crs.ts';
import { transformer } from '../../crs/transformer.ts';
import { Kind } from '../../geometry/geometry-array.ts';
import { cellAt, type Grid } from '../../grid/grid.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import { type Field, freeName } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';
import { applyVerb } from './verb.ts';

/** One band of one grid, and what its field is called. */
export interface NamedBand {
  grid: Grid;
  band: number;
  name: string;
  title: string;
  unit: string | undefined;
}

/** Rows of a grid that are held at a time while points ask for values. */
const rowsHeld = 256;

/**
 * The values of grids at points: of the cell that holds each (a point on an edge has the cell to its right or below it), or between
 * the centres of four cells (bilinear; where one of them has no data, that of the cell). Blank outside and where there are no data.
 */
export function valuesAtPoints(
  layer: Layer,
  bands: readonly NamedBand[],
  taken: string[],
  at: 'cell' | 'between',
): Layer {
  const fields = bands.map(({ name, title, unit }): Field => {
    const field: Field = {
      name: freeName(name, taken),
      type: 'real',
      title,
      ...(unit === undefined ? {} : { unit }),
    };
    taken.push(field.name);
    return field;
  });
  return applyVerb('Summarise', layer, {
    schema: [...layer.schema, ...fields],
    count: layer.count,
    extent: layer.extent,
    handOn: (reading) => reading,
    async *run(account, source) {
      let all = 0;
      const without = bands.map(() => 0);
      const ways = bands.map(({ grid }) =>
        sameCrs(layer.crs!, grid.crs!) ? null : transformer(layer.crs!, grid.crs!),
      );
      for await (const batch of source) {
        const geometry = batch.geometry!;
        all += batch.length;
        const columns = [...batch.columns];
        for (const [k, { grid, band }] of bands.entries()) {
          const places = new Float64Array(2 * batch.length).fill(Number.NaN);
          for (let i = 0; i < batch.length; i++)
            if (geometry.kind[i] === Kind.Point && !geometry.isEmpty(i)) {
              const v = geometry.firstVertex(i);
              places[2 * i] = geometry.xy[2 * v];
              places[2 * i + 1] = geometry.xy[2 * v + 1];
            }
          ways[k]?.transform(places, 0, batch.length);
          const builder = new ColumnBuilder('real');
          for (const value of await valuesOf(grid, band, places, at)) {
            if (Number.isNaN(value)) {
              without[k]++;
              builder.null();
            } else builder.number(value);
          }
          columns.push(builder.finish());
        }
        yield batch.with({ columns });
      }
      account.counts = { in: all, grids: bands.length };
      bands.forEach(({ grid, name }, k) => {
        if (ways[k] !== null)
          account.notes.push(
            `Points were brought from ${crsLabel(layer.crs!)} to ${crsLabel(grid.crs!)}, the CRS of ${grid.name}.`,
          );
        if (without[k] > 0)
          account.notes.push(
            `${counted(without[k], 'point has', 'points have')} no value of ${name}: outside of it, or no data there.`,
          );
      });
      const counts: Count[] = [
        [
          bands.length,
          `${bands.length === 1 ? 'value' : 'values'} at each (${listed(bands.map(({ name }) => name))})`,
        ],
      ];
      closeAccount(account, [all, `${layer.name} in`], ...counts);
      if (all > 0 && without.every((count) => count === all))
        account.findings.push({
          code: 'grid-without-data',
          severity: 'error',
          layer: layer.name,
          words: `None of the ${grouped(all)} points has a value: the grid lies elsewhere, or has no data there.`,
        });
    },
  });
}

/** Values at places, in their order; rows of the grid are read once for all places that need them. */
async function valuesOf(
  grid: Grid,
  band: number,
  places: Float64Array,
  at: 'cell' | 'between',
): Promise<Float64Array> {
  const count = places.length / 2;
  const values = new Float64Array(count).fill(Number.NaN);
  const wanted: { i: number; column: number; row: number }[] = [];
  for (let i = 0; i < count; i++) {
    const [column, row] = cellAt(grid, places[2 * i], places[2 * i + 1]);
    if (column >= 0 && row >= 0 && column < grid.width && row < grid.height) wanted.push({ i, column, row });
  }
  wanted.sort((a, b) => a.row - b.row);
  let from = 0;
  while (from < wanted.length) {
    const top = Math.max(0, Math.floor(wanted[from].row) - 1);
    let to = from;
    while (to < wanted.length && wanted[to].row < top + rowsHeld - 1) to++;
    const part = wanted.slice(from, Math.max(to, from + 1));
    const columns = part.map(({ column }) => Math.floor(column));
    const left = Math.max(0, columns.reduce((a, b) => Math.min(a, b)) - 1);
    const right = Math.min(grid.width, columns.reduce((a, b) => Math.max(a, b)) + 2);
    const bottom = Math.min(grid.height, Math.floor(part[part.length - 1].row) + 2);
    const window = { column: left, row: top, width: right - left, height: bottom - top };
    const cells = await grid.read(band, window);
    const cell = (column: number, row: number) => cells[(row - top) * window.width + (column - left)];
    for (const { i, column, row } of part) {
      const own = cell(Math.floor(column), Math.floor(row));
      values[i] = at === 'cell' ? own : between(cell, column, row, grid, own);
    }
    from = Math.max(to, from + 1);
  }
  return values;
}

/** Bilinear between the centres of the four cells around a place. */
function between(
  cell: (column: number, row: number) => number,
  column: number,
  row: number,
  { width, height }: Grid,
  own: number,
): number {
  const [x, y] = [column - 0.5, row - 0.5];
  const [c, r] = [Math.floor(x), Math.floor(y)];
  const clamp = (k: number, most: number) => Math.min(most - 1, Math.max(0, k));
  const value = (dc: number, dr: number) => cell(clamp(c + dc, width), clamp(r + dr, height));
  const [fx, fy] = [x - c, y - r];
  const made =
    value(0, 0) * (1 - fx) * (1 - fy) +
    value(1, 0) * fx * (1 - fy) +
    value(0, 1) * (1 - fx) * fy +
    value(1, 1) * fx * fy;
  return Number.isNaN(made) ? own : made;
}
