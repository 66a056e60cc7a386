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

/** How a method uses one parameter, and what it is called in texts. */
export interface ParameterUse {
  readonly name: ParameterName;
  /** What is taken where a text says nothing (degrees, 1, metres); absent: the text must say it. */
  readonly otherwise?: number;
  readonly wkt1: string;
  /** True where nothing but `otherwise` has a meaning. */
  readonly fixed?: boolean;
  /** Name in the EPSG registry, used in WKT 2 and PROJJSON. */
  readonly epsg: string;
}

/** Parameters as `make` gets them: angles in radians, lengths in metres, those that were not given as `otherwise` says. */
export type MethodParameters = Required<ProjectionParameters>;

export interface Method {
  /** Name in Isomeric. */
  readonly name: string;
  /** Code of the method in the EPSG registry, where it is there. */
  readonly epsg?: number;
  /** Name in the EPSG registry or the literature. */
  readonly title: string;
  /** Name written in WKT 1 and, where another is usual there, in .prj files. */
  readonly wkt1: string;
  readonly prj?: string;
  /** Further names that are read. Compared without case and punctuation, as are all. */
  readonly aliases?: readonly string[];
  readonly parameters: readonly ParameterUse[];
  /** What stays true everywhere. */
  readonly keeps: 'angles' | 'areas' | 'nothing';
  /** Computed on a sphere of the semi-major axis, whatever the ellipsoid. */
  readonly spherical?: boolean;
  make(ellipsoid: Ellipsoid, parameters: MethodParameters): Projection;
}

/** Brings an angle into [−π, π]; one that passes ±π by rounding alone stays where it is. */
export function wrapped(angle: number): number {
  if (Math.abs(angle) <= 3.1415926535999) return angle;
  return angle - 2 * Math.PI * Math.round(angle / (2 * Math.PI));
}

/** Greatest latitude that is one: π/2 and what rounding adds. */
export const pole = Math.PI / 2 + 1e-12;

/** A pair that a pointwise method writes its result to. */
export type Pair = Float64Array;

/**
 * A projection from functions of single points: (λ from the central meridian in [−π, π], φ) → (x, y) and back, in metres
 * without false easting and northing. NaN in either place: no image. Both write to `out`; nothing is allocated.
 */
export function pointwise(
  p: { centralMeridian: number; falseEasting: number; falseNorthing: number },
  forward: (lambda: number, phi: number, out: Pair) => void,
  inverse: (x: number, y: number, out: Pair) => void,
): Projection {
  const { centralMeridian, falseEasting, falseNorthing } = p;
  const out = new Float64Array(2);
  return {
    forward(xy, from, count) {
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        const phi = xy[k + 1];
        if (Math.abs(phi) <= pole) {
          forward(wrapped(xy[k] - centralMeridian), Math.max(-Math.PI / 2, Math.min(Math.PI / 2, phi)), out);
          xy[k] = falseEasting + out[0];
          xy[k + 1] = falseNorthing + out[1];
        } else {
          xy[k] = NaN;
          xy[k + 1] = NaN;
        }
      }
    },
    inverse(xy, from, count) {
      for (let k = 2 * from, end = 2 * (from + count); k < end; k += 2) {
        inverse(xy[k] - falseEasting, xy[k + 1] - falseNorthing, out);
        if (Math.abs(out[0]) <= Math.PI + 1e-9 && Math.abs(out[1]) <= Math.PI / 2 + 1e-9) {
          xy[k] = wrapped(out[0] + centralMeridian);
          xy[k + 1] = Math.max(-Math.PI / 2, Math.min(Math.PI / 2, out[1]));
        } else {
          xy[k] = NaN;
          xy[k + 1] = NaN;
        }
      }
    },
  };
}

/** Nothing lies there. */
export function nowhere(out: Pair): void {
  out[0] = NaN;
  out[1] = NaN;
}
