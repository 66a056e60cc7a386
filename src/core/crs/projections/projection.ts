import type { Ellipsoid, ParameterName, ProjectionParameters } from '../crs.ts';

/**
 * One projection on one ellipsoid, working in place on interleaved pairs. Angles are radians, longitudes from the
 * central meridian's own prime meridian; lengths are metres. Points that have no image become NaN.
 */
export interface Projection {
  /** [longitude, latitude] → [easting, northing] for `count` pairs from pair `from`. */
  forward(xy: Float64Array, from: number, count: number): void;
  /** [easting, northing] → [longitude, latitude]. */
  inverse(xy: Float64Array, from: number, count: number): void;
}

export interface Method {
  /** Name in Isomeric, as in EPSG's list of methods. */
  name: string;
  epsg: number;
  /** Names in WKT 1, compared without case and punctuation. */
  wktNames: readonly string[];
  /** Parameters that must be there. */
  required: readonly ParameterName[];
  /** Parameters with angles in radians and lengths in metres → a projection. */
  make(ellipsoid: Ellipsoid, parameters: Required<ProjectionParameters>): Projection;
}

/** Brings an angle into [−π, π]; one that passes ±π by rounding alone stays where it is. */
export function wrapped(angle: number): number {
  if (Math.abs(angle) <= 3.1415926535999) return angle;
  return angle - 2 * Math.PI * Math.round(angle / (2 * Math.PI));
}
