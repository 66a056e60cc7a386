import type { Crs } from '../crs/crs.ts';
import { transformer } from '../crs/transformer.ts';
import { type Box, boxOfPositions, type GeometryArray } from '../geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../geometry/geometry-maker.ts';
import { geometriesFrom } from '../geometry/object-view.ts';
import { AreaIndex } from '../geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../geometry/overlay/clipping.ts';
import type { Cell, Cycle, SquaresLevel } from './scheme.ts';

/** Pieces of each side of a square, so that it bends with the CRS of the sheets: 1 km of 100. */
const pieces = 100;

/** The squares in one cell of the level above, each cut to it: in the CRS of the scheme. */
export interface CutSquares {
  readonly cells: readonly Cell[];
  /** A polygon (or several) for each. */
  readonly geometry: GeometryArray;
}

function outline(xy: number[], x0: number, y0: number, x1: number, y1: number): void {
  const corners = [x0, y0, x1, y0, x1, y1, x0, y1, x0, y0];
  for (let side = 0; side < 8; side += 2) {
    const [ax, ay, bx, by] = corners.slice(side, side + 4);
    // Counted from the lesser end, so that neighbours have the same vertices.
    const forward = ax < bx || ay < by;
    for (let n = 0; n < pieces; n++) {
      const k = forward ? n : pieces - n;
      const [sx, sy, tx, ty] = forward ? [ax, ay, bx, by] : [bx, by, ax, ay];
      xy.push(sx + ((tx - sx) * k) / pieces, sy + ((ty - sy) * k) / pieces);
    }
  }
  xy.push(x0, y0);
}

/** All squares that lie in a cell, or partly in it. @param box the cell, in `crs` */
export function squaresIn(level: SquaresLevel, crs: Crs, box: Box, own: Crs): CutSquares {
  const border: number[] = [];
  outline(border, ...box);
  const there = Float64Array.from(border);
  transformer(crs, own).transform(there);
  const reach = boxOfPositions(there);
  const { size } = level;
  const [c0, r0, c1, r1] = reach.map((value) => Math.floor(value / size));
  const area = new AreaIndex(
    geometriesFrom([
      {
        type: 'Polygon',
        coordinates: [
          [
            [box[0], box[1]],
            [box[2], box[1]],
            [box[2], box[3]],
            [box[0], box[3]],
            [box[0], box[1]],
          ],
        ],
      },
    ]),
  );
  const back = transformer(own, crs);
  const middle = (box[0] + box[2]) / 2;
  const maker = new GeometryMaker();
  const cells: Cell[] = [];
  for (let row = r1; row >= r0; row--)
    for (let column = c0; column <= c1; column++) {
      const ring: number[] = [];
      outline(ring, column * size, row * size, (column + 1) * size, (row + 1) * size);
      const xy = Float64Array.from(ring);
      back.transform(xy);
      // What lies beyond the antimeridian is counted on from this side of it.
      for (let k = 0; k < xy.length; k += 2) xy[k] -= 360 * Math.round((xy[k] - middle) / 360);
      const square = polygonOf(xy);
      const own4 = square.box();
      let fate = settleByBox(area, own4);
      if (fate === Clipped.Whole) maker.copy(square, 0);
      else if (fate === Clipped.Undecided) fate = clipFeature(square, 0, own4, area, maker);
      if (fate !== Clipped.Outside) cells.push({ column, row });
    }
  return { cells, geometry: cells.length === 0 ? geometriesFrom([]) : maker.finish() };
}

function polygonOf(xy: Float64Array): GeometryArray {
  const maker = new GeometryMaker(xy.length / 2);
  maker.feature(3);
  maker.part();
  maker.ring();
  for (let k = 0; k < xy.length; k += 2) maker.vertex(xy[k], xy[k + 1]);
  return maker.finish();
}

/** The name of square k where names come again and again. @param above column of the cell that it lies in */
export function cycled({ labels, starts }: Cycle, above: number, k: number): string {
  const n = labels.length;
  return labels[(((starts[above % starts.length] + k) % n) + n) % n];
}

/** Those squares whose column and row are called so; null: any. */
export function squaresCalled(
  level: SquaresLevel,
  squares: CutSquares,
  above: number,
  column: string | null,
  row: string | null,
): Cell[] {
  return squares.cells.filter(
    (cell) =>
      (column === null || cycled(level.columnLetters, above, cell.column) === column) &&
      (row === null || cycled(level.rowLetters, above, cell.row) === row),
  );
}

/** The outline of one square. */
export function squareOutline(squares: CutSquares, { column, row }: Cell): GeometryArray | null {
  const at = squares.cells.findIndex((cell) => cell.column === column && cell.row === row);
  return at < 0 ? null : takeGeometries(squares.geometry, [at]);
}
