import { type GeometryArray, Kind } from '../geometry/geometry-array.ts';

/** Map units → picture: x = x0 + scale · X, y = y0 − scale · Y. */
export interface View {
  scale: number;
  x0: number;
  y0: number;
}

/** A path for vertices first … end, to a tenth of a pixel, without points that fall together. */
function ringPath(array: GeometryArray, first: number, end: number, view: View, close: boolean): string {
  let text = '';
  let lastX = Number.NaN;
  let lastY = Number.NaN;
  let points = 0;
  const stop = close ? end - 1 : end;
  for (let v = first; v < stop; v++) {
    const x = Math.round((view.x0 + view.scale * array.xy[2 * v]) * 10) / 10;
    const y = Math.round((view.y0 - view.scale * array.xy[2 * v + 1]) * 10) / 10;
    if (x === lastX && y === lastY) continue;
    text += `${points === 0 ? 'M' : 'L'}${x} ${y}`;
    lastX = x;
    lastY = y;
    points++;
  }
  if (points < 2) return '';
  return close ? `${text}Z` : text;
}

function eachPart(
  array: GeometryArray,
  wanted: (i: number) => boolean,
  kind: number,
  use: (ring: number) => void,
): void {
  for (let i = 0; i < array.length; i++) {
    if (!wanted(i)) continue;
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      if (array.kindOfPart(i, p) !== kind) continue;
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) use(r);
    }
  }
}

/** The `d` of all areas that are wanted. */
export function areaPath(array: GeometryArray, wanted: ((i: number) => boolean) | null, view: View): string {
  let d = '';
  eachPart(array, wanted ?? (() => true), Kind.Polygon, (r) => {
    d += ringPath(array, array.vertexStart[r], array.vertexStart[r + 1], view, true);
  });
  return d;
}

export function linePath(array: GeometryArray, view: View): string {
  let d = '';
  eachPart(
    array,
    () => true,
    Kind.LineString,
    (r) => {
      d += ringPath(array, array.vertexStart[r], array.vertexStart[r + 1], view, false);
    },
  );
  return d;
}

export function pointList(array: GeometryArray, view: View): [number, number][] {
  const points: [number, number][] = [];
  eachPart(
    array,
    () => true,
    Kind.Point,
    (r) => {
      const v = array.vertexStart[r];
      points.push([
        Math.round((view.x0 + view.scale * array.xy[2 * v]) * 10) / 10,
        Math.round((view.y0 - view.scale * array.xy[2 * v + 1]) * 10) / 10,
      ]);
    },
  );
  return points;
}
