import type { Box } from '../geometry/geometry-array.ts';

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
  /** Metres, as published; NaN when unknown. */
  accuracy: number;
  /** Where the parameters were published, or that the CRS text itself brought them. */
  source: string;
}

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
}

/** Parameters of a projection: angles in degrees, lengths in the unit of the CRS (heights in metres). */
export type ProjectionParameters = Partial<Record<ParameterName, number>>;

/** What a parameter measures. */
export function parameterKind(name: ParameterName): 'angle' | 'length' | 'scale' | 'height' {
  if (name === 'scaleFactor') return 'scale';
  if (name === 'height') return 'height';
  return name === 'falseEasting' || name === 'falseNorthing' ? 'length' : 'angle';
}

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
export type ParameterName = (typeof parameterNames)[number];

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
}

/**
 * A coordinate reference system. Coordinates in memory are always [east or longitude, north or latitude], whatever
 * axis order the definition has; readers and writers of formats that follow the definition swap.
 */
export type Crs = GeographicCrs | ProjectedCrs;

export function geographicOf(crs: Crs): GeographicCrs {
  return crs.kind === 'geographic' ? crs : crs.base;
}

/** `EPSG:4326 (WGS 84)`, or the name alone. */
export function crsLabel(crs: Crs | null): string {
  if (crs === null) return 'unknown CRS';
  return crs.code === undefined ? crs.name : `${crs.code} (${crs.name})`;
}

function near(a: number | undefined, b: number | undefined, tolerance: number): boolean {
  return Math.abs((a ?? 0) - (b ?? 0)) <= tolerance;
}

export function sameEllipsoid(a: Ellipsoid, b: Ellipsoid): boolean {
  return near(a.a, b.a, 0.001) && near(a.f, b.f, 1e-11);
}

const plainNames = new Map<string, string>();

function plainName(name: string): string {
  let plain = plainNames.get(name);
  if (plain === undefined) {
    if (plainNames.size > 20_000) plainNames.clear();
    plain = withoutDialect(name);
    plainNames.set(name, plain);
  }
  return plain;
}

const withoutDialect = (name: string) =>
  name
    .toLowerCase()
    .replace(/^(gcs|d|datum)_/, '')
    .replace(/world_geodetic_system_1984|wgs_?1984/g, 'wgs84')
    .replace(/[^a-z0-9]/g, '');

/** Datums that are one and the same under different names. */
export function sameDatumName(a: string, b: string): boolean {
  const plain = plainName(a);
  // Two datums that nobody knows are not known to be one.
  return plain !== '' && plain !== 'unknown' && plain === plainName(b);
}

function sameShift(a: DatumShift | null, b: DatumShift | null): boolean {
  if (a === null || b === null) return a === b;
  return (['tx', 'ty', 'tz', 'rx', 'ry', 'rz', 'ppm'] as const).every((key) => near(a[key], b[key], 1e-9));
}

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
  if (a.method !== b.method) return false;
  return parameterNames.every((name) => {
    const neutral = name === 'scaleFactor' ? 1 : 0;
    return near(
      a.parameters[name] ?? neutral,
      b.parameters[name] ?? neutral,
      name.startsWith('false') ? 1e-4 : 1e-9,
    );
  });
}
