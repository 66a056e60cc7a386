import { IsomericError } from '../../errors.ts';
import { type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import type { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { centroid, greatestCircleWithin } from '../../geometry/measure/inner-circle.ts';
import { type Ruler, rulerFor } from '../../geometry/ruler.ts';
import type { ColumnBuilder } from '../../table/column-builder.ts';
import type { Layer } from '../layer.ts';
import { innerPoints } from './inner-points.ts';
import type { PointPlace } from './point-places.ts';
import { type MakeShapes, reshapeLayer } from './reshape.ts';

/**
 * Points of features: inside areas, as deep inside as can be (farthest from the border), or at centroids in place of them; or, several of each, at vertices, at the ends or middles of
 * paths, or along paths and borders, so many metres apart, with how far from the beginning.
 *
 * @param every metres between points along lines
 */
export function pointsOf(layer: Layer, place: PointPlace = 'inside areas', every?: number): Layer {
  if (place === 'inside areas') return innerPoints(layer);
  if ((place === 'along lines') !== (every !== undefined))
    throw new IsomericError(
      'points-every',
      place === 'along lines'
        ? 'Say how many metres the points along lines lie apart.'
        : '“every” goes with points along lines.',
      { blame: 'usage' },
    );
  const distances = place === 'along lines' || place === 'middles';
  return reshapeLayer(layer, {
    verb: 'Points',
    kinds: ['Point'],
    single: place === 'centroids' || place === 'deep inside',
    added:
      place === 'centroids' || place === 'deep inside'
        ? []
        : place === 'vertices'
          ? [{ type: 'integer', title: 'Number of the vertex' }]
          : distances
            ? [{ type: 'real', title: 'From the beginning', unit: 'm' }]
            : [{ type: 'text', title: 'End' }],
    names: [place === 'vertices' ? 'vertex' : distances ? 'along' : 'end'],
    begin: async () => makerOf(place, every ?? 0, distances ? await rulerFor(layer) : null),
    words: ({ made, features, nothing }) => [
      [made, made === 1 ? 'point' : 'points'],
      ...(place === 'centroids' || place === 'deep inside'
        ? []
        : [[features, `${features === 1 ? 'feature has' : 'features have'} some`] as const]),
      ...(nothing > 0 ? [[nothing, 'without any dropped'] as const] : []),
    ],
  });
}

function put(builder: GeometryMaker, x: number, y: number): void {
  builder.feature(Kind.Point);
  builder.part();
  builder.ring();
  builder.vertex(x, y);
}

function makerOf(place: PointPlace, every: number, ruler: Ruler | null): MakeShapes {
  if (place === 'deep inside')
    return ({ geometry }, i, builder) => {
      const circle = greatestCircleWithin(geometry!, i);
      if (circle !== null) put(builder, circle.x, circle.y);
    };
  if (place === 'centroids')
    return ({ geometry }, i, builder) => {
      if (geometry!.isEmpty(i)) return;
      put(builder, ...centroid(geometry!, i));
    };
  return ({ geometry }, i, builder, [column]) => {
    const array = geometry!;
    let number = 0;
    for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
      const kind = array.kindOfPart(i, p);
      for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
        const first = array.vertexStart[r];
        const end = array.vertexStart[r + 1];
        if (place === 'vertices') {
          // The last vertex of a ring is its first again.
          for (let v = first; v < (kind === Kind.Polygon ? end - 1 : end); v++) {
            put(builder, array.xy[2 * v], array.xy[2 * v + 1]);
            column.number(++number);
          }
        } else if (kind === Kind.Point) {
          // A point has no ends, and nothing lies along it.
        } else if (place === 'ends') {
          if (kind !== Kind.LineString || end === first) continue;
          for (const [v, word] of [
            [first, 'first'],
            [end - 1, 'last'],
          ] as const) {
            put(builder, array.xy[2 * v], array.xy[2 * v + 1]);
            column.text(word);
          }
        } else along(array, first, end, place === 'middles' ? null : every, ruler!, builder, column);
      }
    }
  };
}

/** Points every so many metres along a path; null: one, in the middle. */
function along(
  array: GeometryArray,
  first: number,
  end: number,
  every: number | null,
  ruler: Ruler,
  builder: GeometryMaker,
  column: ColumnBuilder,
): void {
  const { xy } = array;
  const lengths: number[] = [];
  let whole = 0;
  for (let v = first; v < end - 1; v++) {
    const length = ruler.distance(xy[2 * v], xy[2 * v + 1], xy[2 * v + 2], xy[2 * v + 3]);
    lengths.push(length);
    whole += length;
  }
  if (whole === 0) return;
  const places =
    every === null
      ? [whole / 2]
      : Array.from({ length: Math.floor((whole / every) * (1 + 1e-12)) + 1 }, (_, k) =>
          Math.min(k * every, whole),
        );
  let v = 0;
  let before = 0;
  for (const at of places) {
    while (v < lengths.length - 1 && before + lengths[v] < at) before += lengths[v++];
    const share = lengths[v] === 0 ? 0 : Math.min(1, (at - before) / lengths[v]);
    const k = 2 * (first + v);
    put(builder, xy[k] + share * (xy[k + 2] - xy[k]), xy[k + 1] + share * (xy[k + 3] - xy[k + 1]));
    column.number(at);
  }
}
