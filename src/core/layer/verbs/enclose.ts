import { crsLabel } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import type { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { type Circle, leastCircle, leastRectangle } from '../../geometry/measure/enclosing.ts';
import { concaveHull, convexHull } from '../../geometry/measure/hull.ts';
import { greatestCircleWithin } from '../../geometry/measure/inner-circle.ts';
import type { Layer } from '../layer.ts';
import type { EnclosingFigure } from './enclosing-figures.ts';
import { reshapeLayer } from './reshape.ts';

/** How `encloseLayer` works. */
export interface EncloseOptions {
  figure: EnclosingFigure;
  /** Of a hollow hull: which sides are dug in, from those longer than the shortest (0) to none (1); 0.3 when left out. */
  hollow?: number;
}

/** Corners of a circle's outline. */
const corners = 128;

/**
 * Puts a figure in place of each feature: its convex hull, a hull that follows hollows, its box, the rectangle or the circle of
 * least area around it, or the greatest circle within. All on the plane of the coordinates.
 */
export function encloseLayer(layer: Layer, options: EncloseOptions): Layer {
  const { figure, hollow = 0.3 } = options;
  const { crs } = layer;
  if (crs?.kind === 'geographic' && !['hull', 'hollow hull', 'box'].includes(figure))
    throw new IsomericError(
      'enclose-degrees',
      `${layer.name} is in ${crsLabel(crs)}, whose coordinates are degrees: a ${figure} in it would be none on the ground.`,
      { blame: 'usage', advice: 'Reproject the layer first, or take the hull or the box.' },
    );
  if (!(hollow >= 0 && hollow <= 1))
    throw new IsomericError('enclose-hollow', `A hull is as hollow as 0 to 1 says, not ${hollow}.`, {
      blame: 'usage',
    });
  return reshapeLayer(layer, {
    verb: 'Enclose',
    kinds: undefined,
    single: true,
    begin: () => (batch, i, builder) => {
      const array = batch.geometry!;
      if (figure === 'inner circle') {
        const circle = greatestCircleWithin(array, i);
        if (circle !== null) writeCircle(circle, circle.radius, builder);
        return;
      }
      enclose(
        array.xy.subarray(2 * array.firstVertex(i), 2 * array.endVertex(i)),
        figure,
        hollow,
        builder,
        () => array.boxOf(i),
      );
    },
    words: ({ made, nothing }) => [
      [
        made,
        `became ${made === 1 ? `${figure === 'inner circle' ? 'an' : 'a'} ${figure}` : `${figure === 'box' ? 'boxe' : figure}s`}`,
      ],
      ...(nothing > 0
        ? [[nothing, figure === 'inner circle' ? 'without area dropped' : 'without places dropped'] as const]
        : []),
    ],
  });
}

function enclose(
  xy: Float64Array,
  figure: EnclosingFigure,
  hollow: number,
  builder: GeometryMaker,
  box: () => ReturnType<GeometryArray['boxOf']>,
): void {
  if (figure === 'circle') {
    const circle = leastCircle(xy);
    // The outline lies around the circle, so that all of the feature is within.
    if (circle !== null) writeCircle(circle, circle.radius / Math.cos(Math.PI / corners), builder);
    return;
  }
  if (figure === 'box') {
    const [x0, y0, x1, y1] = box();
    write(
      x0 < x1 && y0 < y1
        ? [x0, y0, x1, y0, x1, y1, x0, y1]
        : x0 < x1 || y0 < y1
          ? [x0, y0, x1, y1]
          : [x0, y0],
      builder,
    );
    return;
  }
  if (figure === 'rectangle') {
    const rectangle = leastRectangle(xy);
    if (rectangle !== null) {
      write(rectangle, builder);
      return;
    }
  }
  const hull = figure === 'hollow hull' ? concaveHull(xy, hollow) : convexHull(xy);
  write(
    hull.flatMap((p) => [xy[2 * p], xy[2 * p + 1]]),
    builder,
  );
}

function writeCircle({ x, y, radius }: Circle, reach: number, builder: GeometryMaker): void {
  if (radius === 0) {
    write([x, y], builder);
    return;
  }
  const ring: number[] = [];
  for (let k = 0; k < corners; k++) {
    const at = (2 * Math.PI * k) / corners;
    ring.push(x + reach * Math.cos(at), y + reach * Math.sin(at));
  }
  write(ring, builder);
}

/** A polygon; a line of two points, or a point, where there are no more. */
function write(ring: ArrayLike<number>, builder: GeometryMaker): void {
  if (ring.length === 0) return;
  builder.feature(ring.length === 2 ? Kind.Point : ring.length === 4 ? Kind.LineString : Kind.Polygon);
  builder.part();
  builder.ring();
  for (let k = 0; k < ring.length; k += 2) builder.vertex(ring[k], ring[k + 1]);
  if (ring.length > 4) builder.vertex(ring[0], ring[1]);
}
