import { type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import type { GeometryMaker } from '../../geometry/geometry-maker.ts';
import type { Layer } from '../layer.ts';
import { reshapeLayer } from './reshape.ts';

/** Kinds of parts, by what people call them. */
export const partKinds = { points: Kind.Point, lines: Kind.LineString, areas: Kind.Polygon } as const;
/** What parts may be. */
export type PartKind = keyof typeof partKinds;

/**
 * One feature for each part of each feature, with the number of the part. @param kind only parts of this kind; others are
 * counted and left out
 */
export function partsOfLayer(layer: Layer, kind?: PartKind): Layer {
  const wanted = kind === undefined ? null : partKinds[kind];
  let others = 0;
  return reshapeLayer(layer, {
    verb: 'Parts',
    kinds:
      kind === undefined
        ? undefined
        : [kind === 'points' ? 'Point' : kind === 'lines' ? 'LineString' : 'Polygon'],
    single: false,
    added: [{ type: 'integer', title: 'Number of the part' }],
    names: ['part'],
    begin() {
      others = 0;
      return ({ geometry }, i, builder, [column]) => {
        const array = geometry!;
        for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
          if (wanted !== null && array.kindOfPart(i, p) !== wanted) {
            others++;
            continue;
          }
          copyPart(array, i, p, builder);
          column.number(p - array.partStart[i] + 1);
        }
      };
    },
    words: ({ made, nothing }) => [
      [made, made === 1 ? 'part' : 'parts'],
      ...(others > 0 ? [[others, `parts are no ${kind}`] as const] : []),
      ...(nothing > 0
        ? [[nothing, kind === undefined ? 'empty ones dropped' : `without ${kind} dropped`] as const]
        : []),
    ],
  });
}

/** Appends part p of feature i as a feature of its own, with heights and measures. */
export function copyPart(array: GeometryArray, i: number, p: number, builder: GeometryMaker): void {
  builder.feature(array.kindOfPart(i, p));
  builder.part();
  for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
    builder.ring();
    for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++) {
      builder.vertex(array.xy[2 * v], array.xy[2 * v + 1]);
      if (array.z !== null && !Number.isNaN(array.z[v])) builder.height(array.z[v]);
      if (array.m !== null && !Number.isNaN(array.m[v])) builder.measure(array.m[v]);
    }
  }
}
