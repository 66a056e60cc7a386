import { seeded } from '../demo/country/random.ts';
import { crsByEpsg } from '../src/core/crs/registry.ts';
import { Kind } from '../src/core/geometry/geometry-array.ts';
import { GeometryMaker } from '../src/core/geometry/geometry-maker.ts';
import { BoxTree } from '../src/core/geometry/noding/box-tree.ts';
import type { Grid } from '../src/core/grid/grid.ts';
import {
  Batch,
  type GeometryObject,
  geometriesFrom,
  joinTable,
  type Layer,
  layerOf,
  searchKeys,
  summariseGrids,
  type Table,
  tallyFeatures,
  unitsOfFeatures,
} from '../src/core/index.ts';
import { ColumnBuilder } from '../src/core/table/column-builder.ts';
import { keyed } from './made.ts';
import { beside, type Measured } from './measure.ts';

async function drain(table: Table): Promise<number> {
  let rows = 0;
  for await (const batch of table.batches()) rows += batch.length;
  return rows;
}

/** 5,000 units that tile a square, their borders of a few vertices each, and points strewn over it. */
function unitsAndPoints(points: number) {
  const own = seeded(11);
  const [columns, rows] = [100, 50];
  const corner = Array.from({ length: (columns + 1) * (rows + 1) }, (_, k) => [
    500_000 + 1000 * ((k % (columns + 1)) + 0.4 * (own() - 0.5)),
    5_000_000 + 1000 * (Math.floor(k / (columns + 1)) + 0.4 * (own() - 0.5)),
  ]);
  const at = (c: number, r: number) => corner[r * (columns + 1) + c];
  // Each side bends at seven places, the same for both neighbours.
  const side = (a: number[], b: number[]) =>
    Array.from({ length: 8 }, (_, k) => {
      const [x, y] = [a[0] + ((b[0] - a[0]) * k) / 8, a[1] + ((b[1] - a[1]) * k) / 8];
      return k === 0 ? [x, y] : [x + 40 * Math.sin(x / 97 + y / 89), y + 40 * Math.cos(x / 83 - y / 101)];
    });
  const objects: GeometryObject[] = [];
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const ring = [
        ...side(at(c, r), at(c + 1, r)),
        ...side(at(c + 1, r), at(c + 1, r + 1)),
        at(c + 1, r + 1),
        ...side(at(c, r + 1), at(c + 1, r + 1))
          .slice(1)
          .reverse(),
        at(c, r + 1),
        ...side(at(c, r), at(c, r + 1))
          .slice(1)
          .reverse(),
        at(c, r),
      ];
      objects.push({ type: 'Polygon', coordinates: [ring] });
    }
  const codes = new ColumnBuilder('text');
  for (let k = 0; k < objects.length; k++) codes.text(`U${k}`);
  const crs = crsByEpsg(32626)!;
  const units = layerOf({
    name: 'units',
    schema: [{ name: 'code', type: 'text' }],
    crs,
    kinds: ['Polygon'],
    batches: [
      new Batch({
        length: objects.length,
        first: 0,
        geometry: geometriesFrom(objects),
        columns: [codes.finish()],
      }),
    ],
  });
  const xy = new Float64Array(2 * points);
  for (let k = 0; k < points; k++) {
    xy[2 * k] = 500_000 + 100_000 * own();
    xy[2 * k + 1] = 5_000_000 + 50_000 * own();
  }
  const batches: Batch[] = [];
  for (let first = 0; first < points; first += 16_384) {
    const length = Math.min(16_384, points - first);
    const maker = new GeometryMaker(length);
    for (let k = first; k < first + length; k++) {
      maker.feature(Kind.Point);
      maker.part();
      maker.ring();
      maker.vertex(xy[2 * k], xy[2 * k + 1]);
    }
    batches.push(new Batch({ length, first, geometry: maker.finish(), columns: [] }));
  }
  const things: Layer = layerOf({ name: 'points', schema: [], crs, kinds: ['Point'], batches });
  const shapes = geometriesFrom(objects);
  const boxes = Float64Array.from(objects.flatMap((_, k) => [...shapes.boxOf(k)]));
  return { units, things, xy, boxes };
}

/** Joins by key, by place, and of grids, each beside its floor. */
export async function* joinLines(): AsyncGenerator<Measured | string> {
  const { keys, table, layer } = keyed(1_000_000);
  const look = () => {
    const map = new Map<string, number>();
    for (let k = 0; k < keys.length; k++) map.set(keys[k], k);
    let sum = 0;
    for (let k = keys.length - 1; k >= 0; k--) sum += map.get(keys[k])!;
    return sum;
  };
  yield await beside(
    'Join by key',
    '1,000,000 × 1,000,000 keys',
    2,
    'Map built and asked',
    look,
    () => drain(joinTable(layer, table, { on: ['code', 'code'] })),
    3,
  );
  yield await beside(
    'Join by key, repaired',
    '1,000,000 × 1,000,000 keys',
    8,
    'Map built and asked',
    look,
    () => drain(joinTable(layer, table, { on: ['code', 'code'], repair: 'blanks, leading zeros' })),
    2,
  );
  const from = performance.now();
  const { advices } = await searchKeys(layer, table);
  yield `Keys searched          1,000,000 × 1,000,000 rows, all fields    ${((performance.now() - from) / 1000).toFixed(1)} s: ${advices[0]?.text ?? 'nothing'}`;
  yield* placeLines();
  yield await gridLine();
}

async function* placeLines(): AsyncGenerator<Measured> {
  const { units, things, xy, boxes } = unitsAndPoints(1_000_000);
  const search = () => {
    const tree = new BoxTree(boxes);
    let found = 0;
    for (let k = 0; k < xy.length; k += 2)
      tree.search(xy[k], xy[k + 1], xy[k], xy[k + 1], () => {
        found++;
      });
    return found;
  };
  yield await beside(
    'Units of points',
    '1,000,000 points, 5,000 units',
    5,
    'index looked up',
    search,
    () => drain(unitsOfFeatures(things, units, { columns: ['code'] })),
    3,
  );
  yield await beside(
    'Points in units',
    '1,000,000 points, 5,000 units',
    5,
    'index looked up',
    search,
    () => drain(tallyFeatures(units, things)),
    3,
  );
}

/** A grid of a million cells summed up in 5,000 units, beside a loop over its cells. */
async function gridLine(): Promise<Measured> {
  const { units } = unitsAndPoints(1);
  const [width, height] = [2000, 1000];
  const values = Float64Array.from({ length: width * height }, (_, k) => k % 977);
  const grid: Grid = {
    name: 'g',
    width,
    height,
    bands: [{ name: 'g', type: 'float64', noData: null }],
    crs: units.crs,
    transform: [500_000, 50, 0, 5_050_000, 0, -50],
    findings: [],
    layout: 'in memory',
    async read(_, { column, row, width: w, height: h }) {
      const part = new Float64Array(w * h);
      for (let r = 0; r < h; r++)
        part.set(values.subarray((row + r) * width + column, (row + r) * width + column + w), r * w);
      return part;
    },
  };
  const loop = () => {
    let sum = 0;
    let least = Number.POSITIVE_INFINITY;
    for (let k = 0; k < values.length; k++) {
      sum += values[k];
      if (values[k] < least) least = values[k];
    }
    return sum + least;
  };
  return beside(
    'Grid by unit',
    '2,000,000 cells, 5,000 units',
    200,
    'a loop over the cells',
    loop,
    async () => drain(await summariseGrids(units, [grid], { figures: ['mean', 'greatest'] })),
    3,
  );
}
