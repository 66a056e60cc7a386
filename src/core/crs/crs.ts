import type { Box } from '../geometry/geometry-array.ts';
import { datumKey } from './datum-names.ts';

/** An ellipsoid of revolution: semi-major axis in metres, flattening. */
export interface Ellipsoid {
  name: string;
  a: number;
  f: number;
}

/** First eccentricity squared. */
export function eccentricitySquared(ellipsoid: Ellipsoid): number {
  return ellipsoid.f * (2 - ellipsoid.f);
}

/**
 * A seven-parameter (Helmert) transformation to WGS 84 in the position-vector convention (EPSG method 9606):
 * translations in metres, rotations in arc-seconds, scale difference in parts per million.
 */
export interface DatumShift {
  tx: number;
  ty: number;
  tz: number;
  rx: number;
  ry: number;
  rz: number;
  ppm: number;
  /** Geocentric point that the rotations turn about, metres (Molodensky–Badekas, EPSG method 1061); absent: the origin. */
  pivot?: readonly [x: number, y: number, z: number];
  /** Metres, as published; NaN when unknown. */
  accuracy: number;
  /** Where it holds, degrees, when that is less than where the CRS is used. */
  area?: Box;
  /** Where the parameters were published, or that the CRS text itself brought them. */
  source: string;
}

/** Longitudes and latitudes on an ellipsoid; in memory always [longitude, latitude] in degrees of its own meridian. */
export interface GeographicCrs {
  kind: 'geographic';
  name: string;
  /** `EPSG:4326`, when known. */
  code?: string;
  datum: string;
  ellipsoid: Ellipsoid;
  /** Longitude of the prime meridian, degrees east of Greenwich. */
  primeMeridian: number;
  /** Radians in one unit of the coordinates. */
  unit: number;
  unitName: string;
  /** To WGS 84; null: no shift is known (which is said, and never taken for zero). */
  shift: DatumShift | null;
  area?: Box;
  remarks?: readonly CrsRemark[];
}

/** Something about a definition that its user should know: a contradiction, a shift that differs. */
export interface CrsRemark {
  code: string;
  words: string;
  repair: string;
}

/** Parameters of a projection: angles in degrees, lengths in the unit of the CRS (heights in metres). */
export type ProjectionParameters = Partial<Record<ParameterName, number>>;

/** What a parameter measures. */
export function parameterKind(name: ParameterName): 'angle' | 'length' | 'scale' | 'height' {
  if (name === 'scaleFactor') return 'scale';
  if (name === 'height') return 'height';
  return name === 'falseEasting' || name === 'falseNorthing' ? 'length' : 'angle';
}

/** Parameters that projections have, named after Guidance Note 7-2. */
export const parameterNames = [
  'latitudeOfOrigin',
  'centralMeridian',
  'scaleFactor',
  'standardParallel1',
  'standardParallel2',
  'falseEasting',
  'falseNorthing',
  'azimuth',
  'rectifiedGridAngle',
  'latitudeOfPoint1',
  'longitudeOfPoint1',
  'latitudeOfPoint2',
  'longitudeOfPoint2',
  'height',
  'zoneWidth',
  'planeRotation',
] as const;
/** Name of a parameter of a projection. */
export type ParameterName = (typeof parameterNames)[number];

/** Coordinates of a map: a projection of a geographic CRS; in memory always [east, north] in its unit. */
export interface ProjectedCrs {
  kind: 'projected';
  name: string;
  code?: string;
  base: GeographicCrs;
  /** Name in the register of methods. */
  method: string;
  parameters: ProjectionParameters;
  /** Metres in one unit of the coordinates. */
  unit: number;
  unitName: string;
  area?: Box;
  remarks?: readonly CrsRemark[];
}

/**
 * A coordinate reference system. Coordinates in memory are always [east or longitude, north or latitude], whatever
 * axis order the definition has; readers and writers of formats that follow the definition swap.
 */
export type Crs = GeographicCrs | ProjectedCrs;

/** The geographic CRS that a CRS is made of, or itself. */
export function geographicOf(crs: Crs): GeographicCrs {
  return crs.kind === 'geographic' ? crs : crs.base;
}

/**
 * The geographic CRS of a CRS's own datum in degrees, from Greenwich or as its own meridian counts (`own`): where its
 * coordinates lie, without a datum shift.
 */
export function degreesFrame(crs: Crs, meridian: 'greenwich' | 'own' = 'greenwich'): GeographicCrs {
  const base = geographicOf(crs);
  return {
    ...base,
    code: undefined,
    primeMeridian: meridian === 'own' ? base.primeMeridian : 0,
    unit: Math.PI / 180,
    unitName: 'degree',
  };
}

/** Three or seven numbers as TOWGS84 has them: metres, arc-seconds, parts per million. */
export function shiftOf(
  numbers: readonly number[],
  more: Pick<DatumShift, 'accuracy' | 'source'> & Partial<DatumShift>,
): DatumShift {
  const [tx, ty, tz, rx = 0, ry = 0, rz = 0, ppm = 0] = numbers;
  return { tx, ty, tz, rx, ry, rz, ppm, ...more };
}

/** `EPSG:4326 (WGS 84)`, or the name alone. */
export function crsLabel(crs: Crs | null): string {
  if (crs === null) return 'unknown CRS';
  return crs.code === undefined ? crs.name : `${crs.code} (${crs.name})`;
}

function near(a: number | undefined, b: number | undefined, tolerance: number): boolean {
  return Math.abs((a ?? 0) - (b ?? 0)) <= tolerance;
}

/** Have two CRSs the same ellipsoid, by its axis (to 0.1 mm) and flattening? */
export function sameEllipsoid(a: Ellipsoid, b: Ellipsoid): boolean {
  return near(a.a, b.a, 0.001) && near(a.f, b.f, 1e-11);
}

/** Datums that are one and the same under different names. Two datums that nobody names are not known to be one. */
export function sameDatumName(a: string, b: string): boolean {
  const key = datumKey(a);
  return key !== '' && key === datumKey(b);
}

/** Do two datum shifts do the same? */
export function sameShift(a: DatumShift | null, b: DatumShift | null): boolean {
  if (a === null || b === null) return a === b;
  const pivot = (shift: DatumShift, k: number) =>
    shift.rx || shift.ry || shift.rz ? (shift.pivot?.[k] ?? 0) : 0;
  return (
    (['tx', 'ty', 'tz', 'rx', 'ry', 'rz', 'ppm'] as const).every((key) => near(a[key], b[key], 1e-9)) &&
    [0, 1, 2].every((k) => near(pivot(a, k), pivot(b, k), 0.01))
  );
}

/** Methods that give the same coordinates in memory, where east is to the right and north is up, share a name here. */
const computation = (method: string) =>
  method.replace(/^(krovak(?:-modified)?)-north$|^(lambert-conic-conformal-2sp)-michigan$/, '$1$2');

/** True when both describe the same coordinates, so that nothing needs to be done between them. */
export function sameCrs(a: Crs, b: Crs): boolean {
  if (a === b || (a.code !== undefined && a.code === b.code)) return true;
  if (a.kind !== b.kind || !near(a.unit, b.unit, 1e-12)) return false;
  const ga = geographicOf(a);
  const gb = geographicOf(b);
  const sameDatum = sameDatumName(ga.datum, gb.datum) || (ga.shift !== null && sameShift(ga.shift, gb.shift));
  if (
    !sameDatum ||
    !sameEllipsoid(ga.ellipsoid, gb.ellipsoid) ||
    !near(ga.primeMeridian, gb.primeMeridian, 1e-9)
  )
    return false;
  if (a.kind === 'geographic' || b.kind === 'geographic') return true;
  if (computation(a.method) !== computation(b.method)) return false;
  return sameParameters(a, b);
}

/** True when two projected CRSs of one method have the same parameters, as far as texts of twelve digits say it. */
export function sameParameters(a: ProjectedCrs, b: ProjectedCrs): boolean {
  const agrees = (name: ParameterName, other = name) => {
    const neutral = name === 'scaleFactor' ? 1 : 0;
    const tolerance = name.startsWith('false') ? 1e-4 : name === 'height' ? 1e-3 : 1e-9;
    return near(a.parameters[name] ?? neutral, b.parameters[other] ?? neutral, tolerance);
  };
  // A cone does not know which of its two parallels is called the first.
  const exchanged =
    agrees('standardParallel1', 'standardParallel2') && agrees('standardParallel2', 'standardParallel1');
  return parameterNames.every((name) => (exchanged && name.startsWith('standardParallel')) || agrees(name));
}
