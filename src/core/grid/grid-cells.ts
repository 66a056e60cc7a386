import { Kind } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';
import { Batch, batchLimit } from '../layer/batch.ts';
import type { Layer, ReadOptions } from '../layer/layer.ts';
import { ColumnBuilder } from '../table/column-builder.ts';
import type { Field } from '../table/schema.ts';
import { type Grid, gridExtent, placeOf, strips, windowOfBox } from './grid.ts';

/**
 * The cells of a grid as points in their middle, a column a band; cells without data in any band are left out. A
 * reading limited to a box reads only the window that it needs.
 */
export function gridCells(grid: Grid): Layer {
  const whole = (type: string) => !type.startsWith('float');
  const schema = grid.bands.map(
    (band): Field => ({
      name: band.name,
      type: whole(band.type) ? 'integer' : 'real',
      ...(band.unit === undefined ? {} : { unit: band.unit }),
    }),
  );
  return {
    name: grid.name,
    schema,
    crs: grid.crs,
    kinds: ['Point'],
    extent: gridExtent(grid),
    grid,
    findings: grid.findings,
    accounts: [],
    async *batches(options?: ReadOptions) {
      const window = options?.box === undefined ? undefined : windowOfBox(grid, options.box);
      if (window === null) return;
      const geometry = new GeometryMaker();
      const columns = schema.map((field) => new ColumnBuilder(field.type));
      let first = 0;
      let n = 0;
      const batch = () => {
        const made = new Batch({
          length: n,
          first,
          geometry: geometry.finish(),
          columns: columns.map((column) => column.finish()),
        });
        first += n;
        n = 0;
        return made;
      };
      for (const strip of strips(grid, window)) {
        const values: Float64Array[] = [];
        for (let b = 0; b < grid.bands.length; b++) values.push(await grid.read(b, strip));
        for (let k = 0; k < strip.width * strip.height; k++) {
          if (values.every((band) => Number.isNaN(band[k]))) continue;
          const [x, y] = placeOf(
            grid,
            strip.column + (k % strip.width) + 0.5,
            strip.row + Math.floor(k / strip.width) + 0.5,
          );
          geometry.feature(Kind.Point);
          geometry.part();
          geometry.ring();
          geometry.vertex(x, y);
          values.forEach((band, b) => {
            if (Number.isNaN(band[k])) columns[b].null();
            else columns[b].number(band[k]);
          });
          if (++n === batchLimit) yield batch();
        }
      }
      if (n > 0) yield batch();
    },
  };
}
