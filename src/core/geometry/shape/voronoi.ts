import { type GeometryArray, Kind } from '../geometry-array.ts';
import { GeometryMaker } from '../geometry-maker.ts';
import { delaunay } from './delaunay.ts';

/**
 * Of each point, the cell of all that lies nearer to it than to any other one, as far as `reach` (least x, least y, greatest x,
 * greatest y) and somewhat beyond; of points at the same place, the first has it (kind None for the others). Neighbours
 * share their corners, vertex for vertex (G. Voronoi 1908; the circle centres of the Delaunay triangles).
 *
 * @param xy x, y of each point
 */
export function voronoiCells(
  xy: Float64Array,
  reach: readonly [number, number, number, number],
): GeometryArray {
  const n = xy.length / 2;
  const all = new Float64Array(xy.length + 2 * around);
  all.set(xy);
  let [x0, y0, x1, y1] = reach;
  for (let p = 0; p < n; p++) {
    x0 = Math.min(x0, xy[2 * p]);
    x1 = Math.max(x1, xy[2 * p]);
    y0 = Math.min(y0, xy[2 * p + 1]);
    y1 = Math.max(y1, xy[2 * p + 1]);
  }
  // Points so far off that what is nearer to them lies beyond the reach close the cells at the rim.
  const radius = 6 * (Math.hypot(x1 - x0, y1 - y0) || 1);
  for (let k = 0; k < around; k++) {
    const at = (2 * Math.PI * (k + 0.5)) / around;
    all[2 * (n + k)] = (x0 + x1) / 2 + radius * Math.cos(at);
    all[2 * (n + k) + 1] = (y0 + y1) / 2 + radius * Math.sin(at);
  }
  const { corners, twins } = delaunay(all);
  const centres = new Float64Array((2 * corners.length) / 3);
  for (let t = 0; t < corners.length / 3; t++) centreOf(all, corners, 3 * t, centres, 2 * t);
  const sideOf = new Int32Array(n + around).fill(-1);
  for (let side = 0; side < corners.length; side++) sideOf[corners[side]] = side;
  const builder = new GeometryMaker(8 * n);
  for (let p = 0; p < n; p++) {
    const first = sideOf[p];
    if (first < 0) {
      builder.feature(Kind.None);
      continue;
    }
    builder.feature(Kind.Polygon);
    builder.part();
    builder.ring();
    let [lastX, lastY] = [Number.NaN, Number.NaN];
    let begun = -1;
    let side = first;
    do {
      const t = 2 * Math.floor(side / 3);
      const [x, y] = [centres[t], centres[t + 1]];
      if (x !== lastX || y !== lastY) {
        builder.vertex(x, y);
        if (begun < 0) begun = t;
        [lastX, lastY] = [x, y];
      }
      // Counter-clockwise around the point: over the side that leads to it.
      side = twins[side % 3 === 0 ? side + 2 : side - 1];
    } while (side !== first && side >= 0);
    if (lastX !== centres[begun] || lastY !== centres[begun + 1])
      builder.vertex(centres[begun], centres[begun + 1]);
  }
  return builder.finish();
}

/** Points around all others. */
const around = 12;

/** The centre of the circle through the corners of a triangle. */
function centreOf(xy: Float64Array, corners: Uint32Array, t: number, into: Float64Array, at: number): void {
  const [a, b, c] = [2 * corners[t], 2 * corners[t + 1], 2 * corners[t + 2]];
  const bx = xy[b] - xy[a];
  const by = xy[b + 1] - xy[a + 1];
  const cx = xy[c] - xy[a];
  const cy = xy[c + 1] - xy[a + 1];
  const d = 2 * (bx * cy - by * cx);
  const bb = bx * bx + by * by;
  const cc = cx * cx + cy * cy;
  into[at] = xy[a] + (cy * bb - by * cc) / d;
  into[at + 1] = xy[a + 1] + (bx * cc - cx * bb) / d;
}
