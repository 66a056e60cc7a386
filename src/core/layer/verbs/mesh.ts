import { closeAccount, grouped } from '../../account.ts';
import { crsLabel } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { type Box, emptyBox, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { planarArea } from '../../geometry/measures.ts';
import { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../../geometry/overlay/clipping.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import type { Field } from '../../table/schema.ts';
import { Batch, batchLimit } from '../batch.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { applyVerb } from './verb.ts';

/** How `meshOver` parts an area. */
export interface MeshOptions {
  /** Metres: the side of squares, the distance between opposite sides of hexagons. */
  size: number;
  shape?: 'square' | 'hexagon';
  /** Cuts cells at the border of the areas. */
  cut?: boolean;
}

/** Cells that are looked at, at most. */
const mostCells = 20_000_000;

const schema: Field[] = [
  { name: 'cell', type: 'text', title: 'Cell', role: 'code' },
  { name: 'column', type: 'integer', title: 'Column' },
  { name: 'row', type: 'integer', title: 'Row' },
  { name: 'share', type: 'real', title: 'Share of the cell within' },
];

/**
 * Regular cells over the areas of a layer: squares or hexagons of one size, aligned to multiples of it, so that cells of neighbouring
 * areas are the same. Each cell that has some of the areas comes, with the share of it that lies within. Corners of
 * neighbours are the same, to the last digit.
 */
export function meshOver(layer: Layer, { size, shape = 'square', cut = false }: MeshOptions): Layer {
  const { crs } = layer;
  if (crs?.kind === 'geographic')
    throw new IsomericError(
      'cells-degrees',
      `${layer.name} is in ${crsLabel(crs)}, whose coordinates are degrees: cells in it would be of no one size.`,
      { blame: 'usage', advice: 'Reproject the layer first, for example to the best CRS for densities.' },
    );
  const unit = size / (crs?.unit ?? 1);
  return applyVerb('Mesh', layer, {
    schema,
    kinds: cut ? ['Polygon', 'MultiPolygon'] : ['Polygon'],
    async *run(account, source) {
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const index = new AreaIndex(held.geometry);
      const box = held.geometry.box();
      const grid = shape === 'square' ? squares(unit) : hexagons(unit);
      const [c0, r0, c1, r1] = held.length === 0 ? [0, 0, -1, -1] : grid.reach(box);
      if ((c1 - c0 + 1) * (r1 - r0 + 1) > mostCells)
        throw new IsomericError(
          'mesh-fine',
          `Cells of ${grouped(size)} m over ${layer.name} would be ${grouped((c1 - c0 + 1) * (r1 - r0 + 1))}.`,
          { blame: 'usage', advice: `Choose larger ones: at most ${grouped(mostCells)} are made.` },
        );
      let made = 0;
      let partly = 0;
      let first = 0;
      let batch = new MeshBatch();
      for (let row = r0; row <= r1; row++)
        for (let column = c0; column <= c1; column++) {
          const share = batch.add(grid.corners(column, row), index, cut);
          if (share === 0) continue;
          batch.name(column, row, share);
          made++;
          if (share < 1) partly++;
          if (batch.length < batchLimit) continue;
          yield batch.finish(first);
          first = made;
          batch = new MeshBatch();
        }
      account.counts = { in: held.all, made, partly };
      closeAccount(
        account,
        [held.all, `${layer.name} in`],
        [made, `${shape}${made === 1 ? '' : 's'} of ${grouped(size)} m`],
        [partly, cut ? 'of them cut at the border' : 'of them across the border'],
        ...held.leftOut(),
      );
      if (batch.length > 0) yield batch.finish(first);
    },
  });
}

interface Grid {
  /** First and last column and row that may meet a box. */
  reach(box: Box): [number, number, number, number];
  /** Corners of a cell, counter-clockwise, the first one again at the end. */
  corners(column: number, row: number): Float64Array;
}

function squares(side: number): Grid {
  return {
    reach: ([x0, y0, x1, y1]) => [
      Math.floor(x0 / side),
      Math.floor(y0 / side),
      Math.floor(x1 / side),
      Math.floor(y1 / side),
    ],
    corners(c, r) {
      const [x0, y0, x1, y1] = [c * side, r * side, (c + 1) * side, (r + 1) * side];
      return Float64Array.of(x0, y0, x1, y0, x1, y1, x0, y1, x0, y0);
    },
  };
}

/** Hexagons with a corner to the north; every other row is moved by half a cell. */
function hexagons(width: number): Grid {
  const half = width / 2;
  // A quarter of the height of a hexagon: all corners lie on multiples of it, and of half its width.
  const quarter = width / (2 * Math.sqrt(3));
  const at = (x: number, y: number): [number, number] => [x * half, y * quarter];
  return {
    reach: ([x0, y0, x1, y1]) => [
      Math.floor(x0 / width) - 1,
      Math.floor(y0 / (3 * quarter)) - 1,
      Math.ceil(x1 / width) + 1,
      Math.ceil(y1 / (3 * quarter)) + 1,
    ],
    corners(c, r) {
      const x = 2 * c + (r & 1);
      const y = 3 * r;
      return Float64Array.of(
        ...at(x, y - 2),
        ...at(x + 1, y - 1),
        ...at(x + 1, y + 1),
        ...at(x, y + 2),
        ...at(x - 1, y + 1),
        ...at(x - 1, y - 1),
        ...at(x, y - 2),
      );
    },
  };
}

class MeshBatch {
  length = 0;
  private readonly builder = new GeometryMaker();
  private readonly columns = schema.map(({ type }) => new ColumnBuilder(type));
  private readonly single = new GeometryMaker();
  private readonly box = emptyBox();

  /** Appends a cell where it has something of the areas; returns the share that lies within. */
  add(corners: Float64Array, index: AreaIndex, cut: boolean): number {
    const { single, builder, box } = this;
    const write = (into: GeometryMaker) => {
      into.feature(Kind.Polygon);
      into.part();
      into.ring();
      into.run(corners, 0, corners.length / 2);
    };
    write(single);
    const cell = single.finish();
    cell.boxOf(0, box);
    const fate = settleByBox(index, box);
    if (fate === Clipped.Outside) return 0;
    if (fate === Clipped.Whole) {
      write(builder);
      return 1;
    }
    const left = new GeometryMaker();
    if (clipFeature(cell, 0, box, index, left) === Clipped.Outside) return 0;
    const within = left.finish();
    const share = planarArea(within, 0) / planarArea(cell, 0);
    if (!(share > 0)) return 0;
    if (cut) builder.copy(within, 0);
    else write(builder);
    return Math.min(1, share);
  }

  name(column: number, row: number, share: number): void {
    const [cell, columns, rows, shares] = this.columns;
    cell.text(`${column}/${row}`);
    columns.number(column);
    rows.number(row);
    shares.number(share);
    this.length++;
  }

  finish(first: number): Batch {
    return new Batch({
      length: this.length,
      first,
      geometry: this.builder.finish(),
      columns: this.columns.map((column) => column.finish()),
    });
  }
}
