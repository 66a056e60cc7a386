import { type Box, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import type { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { type ClipFeatureOptions, Clipped, clipFeature, settleBox } from '../../geometry/overlay/clipping.ts';

/** Settles feature i by its box: about what lies inside the area, or outside of it. */
export function settle(area: AreaIndex, box: Float64Array, outside: boolean): number {
  const fate = settleBox(area, box);
  if (!outside || fate === Clipped.Undecided) return fate;
  return fate === Clipped.Whole ? Clipped.Outside : Clipped.Whole;
}

/** Cuts feature i, of whatever kind, to the area (or to what lies outside of it) and appends what is left. */
export function cutOne(
  geometry: GeometryArray,
  i: number,
  box: Box,
  area: AreaIndex,
  builder: GeometryMaker,
  options: ClipFeatureOptions,
): number {
  if (geometry.kind[i] !== Kind.Collection) return clipFeature(geometry, i, box, area, builder, options);
  return cutCollection(geometry, i, area, builder, options);
}

/** Each part by itself; what is left stays one collection. */
function cutCollection(
  geometry: GeometryArray,
  i: number,
  area: AreaIndex,
  builder: GeometryMaker,
  options: ClipFeatureOptions,
): number {
  const single = new GeometryMaker();
  for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
    single.feature(geometry.kindOfPart(i, p));
    single.part();
    for (let r = geometry.ringStart[p]; r < geometry.ringStart[p + 1]; r++) {
      single.ring();
      single.run(geometry.xy, geometry.vertexStart[r], geometry.vertexStart[r + 1] - geometry.vertexStart[r]);
    }
  }
  const parts = single.finish();
  const left = new GeometryMaker();
  let changed = false;
  for (let k = 0; k < parts.length; k++) {
    const box = parts.boxOf(k);
    let result = settle(area, Float64Array.from(box), options.outside === true);
    if (result === Clipped.Undecided) result = clipFeature(parts, k, box, area, left, options);
    else if (result === Clipped.Whole) left.copy(parts, k);
    if (result !== Clipped.Whole) changed = true;
  }
  if (!changed) {
    builder.copy(geometry, i);
    return Clipped.Whole;
  }
  const pieces = left.finish();
  if (pieces.length === 0) return Clipped.Outside;
  builder.feature(Kind.Collection);
  for (let k = 0; k < pieces.length; k++) {
    for (let p = pieces.partStart[k]; p < pieces.partStart[k + 1]; p++) {
      builder.part(pieces.kindOfPart(k, p));
      for (let r = pieces.ringStart[p]; r < pieces.ringStart[p + 1]; r++) {
        builder.ring();
        builder.run(pieces.xy, pieces.vertexStart[r], pieces.vertexStart[r + 1] - pieces.vertexStart[r]);
      }
    }
  }
  return Clipped.Cut;
}
