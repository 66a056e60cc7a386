import { type Crs, geographicOf } from '../crs/crs.ts';
import { transformer } from '../crs/transformer.ts';

/** Metres in one unit of a CRS's coordinates; for degrees, along the meridian's mean scale at a latitude. */
export function metresPerUnit(crs: Crs, latitude: number): number {
  if (crs.kind === 'projected') return crs.unit;
  return crs.ellipsoid.a * crs.unit * Math.sqrt(Math.cos(latitude * crs.unit));
}

/** Degrees clockwise from up to true north at a point of the map. */
export function northAngle(crs: Crs, point: readonly [number, number]): number {
  if (crs.kind === 'geographic') return 0;
  const base = geographicOf(crs);
  const xy = Float64Array.from(point);
  transformer(crs, base).transform(xy);
  const step = 0.01 / (base.unit * (180 / Math.PI));
  const two = Float64Array.of(xy[0], xy[1], xy[0], xy[1] + step);
  transformer(base, crs).transform(two);
  const angle = (Math.atan2(two[2] - two[0], two[3] - two[1]) * 180) / Math.PI;
  return Number.isFinite(angle) ? angle : 0;
}
