import {
  type Crs,
  type DatumShift,
  type Ellipsoid,
  type GeographicCrs,
  type ProjectedCrs,
  parameterKind,
} from './crs.ts';
import { primeMeridianName } from './prime-meridians.ts';
import { methodNamed } from './projections/register.ts';

function authority(code: string | undefined): string {
  if (code === undefined) return '';
  const [name, number] = code.split(':');
  return `,AUTHORITY["${name}","${number}"]`;
}

/** A text between quotes: a quote within is doubled (ISO 19162, 6.3.3). */
const quoted = (text: string) => text.replaceAll('"', '""');

const inverseOf = ({ f }: Ellipsoid) => (f === 0 ? 0 : Number((1 / f).toPrecision(15)));

const seven = ({ tx, ty, tz, rx, ry, rz, ppm }: DatumShift) => [tx, ty, tz, rx, ry, rz, ppm];

/** Shifts about a point of their own cannot be said in seven numbers. */
const sayable = (shift: DatumShift | null): shift is DatumShift =>
  shift !== null && (shift.pivot === undefined || (shift.rx === 0 && shift.ry === 0 && shift.rz === 0));

/** Angles in the unit of the base CRS; others as they stand. */
function parameterValue(crs: ProjectedCrs, name: keyof ProjectedCrs['parameters']): number | undefined {
  const value = crs.parameters[name];
  if (value === undefined) return undefined;
  const perDegree = Math.PI / 180 / crs.base.unit;
  return Number((parameterKind(name) === 'angle' ? value * perDegree : value).toPrecision(15));
}

/** WKT 1 (OGC 01-009) for a CRS. */
export function wktFromCrs(crs: Crs): string {
  if (crs.kind === 'geographic') return geographicWkt(crs);
  const method = methodNamed(crs.method)!;
  const parameters = method.parameters.flatMap((use) => {
    const value = parameterValue(crs, use.name);
    return value === undefined ? [] : [`,PARAMETER["${use.wkt1}",${value}]`];
  });
  return `PROJCS["${quoted(crs.name)}",${geographicWkt(crs.base)},PROJECTION["${method.wkt1}"]${parameters.join('')},UNIT["${quoted(crs.unitName)}",${crs.unit}],AXIS["Easting",EAST],AXIS["Northing",NORTH]${authority(crs.code)}]`;
}

function geographicWkt(crs: GeographicCrs): string {
  const { ellipsoid, shift } = crs;
  const towgs84 = sayable(shift) ? `,TOWGS84[${seven(shift).join(',')}]` : '';
  const meridian = primeMeridianName(crs.primeMeridian) ?? 'prime meridian';
  return `GEOGCS["${quoted(crs.name)}",DATUM["${quoted(crs.datum)}",SPHEROID["${quoted(ellipsoid.name)}",${ellipsoid.a},${inverseOf(ellipsoid)}]${towgs84}],PRIMEM["${meridian}",${crs.primeMeridian}],UNIT["${quoted(crs.unitName)}",${Number(crs.unit.toPrecision(15))}]${authority(crs.code)}]`;
}

const words = (text: string) => text.trim().replace(/[^A-Za-z0-9.+()-]+/g, '_');

const number = (value: number) => {
  const short = Number(value.toPrecision(15));
  return Number.isInteger(short) && Math.abs(short) < 1e15 ? `${short}.0` : String(short);
};

/**
 * The dialect of .prj files: names with underscores and prefixes, no authority codes. The shift of a datum that is in
 * no registry stands in it all the same, since it could not be found again.
 */
export function prjFromCrs(crs: Crs): string {
  if (crs.kind === 'geographic') return geographicPrj(crs);
  const method = methodNamed(crs.method)!;
  const values = method.parameters.flatMap((use) => {
    const value = parameterValue(crs, use.name);
    return value === undefined ? [] : [[use.wkt1, value] as [string, number]];
  });
  if (crs.method === 'lambert-conic-conformal-1sp')
    values.push(['standard_parallel_1', parameterValue(crs, 'latitudeOfOrigin')!]);
  if (crs.method === 'pseudo-mercator') values.push(['auxiliary_sphere_type', 0]);
  if (crs.method === 'polar-stereographic-b') {
    const parallel = values.find(([name]) => name === 'latitude_of_origin')!;
    parallel[0] = 'standard_parallel_1';
    values.push(['latitude_of_origin', parallel[1] < 0 ? -90 : 90]);
  }
  if (crs.method.startsWith('krovak'))
    values.push(['X_Scale', -1], ['Y_Scale', 1], ['XY_Plane_Rotation', 90]);
  if (crs.method.startsWith('oblique-mercator-'))
    for (const value of values) if (value[0] === 'rectified_grid_angle') value[0] = 'XY_Plane_Rotation';
  let name = method.prj ?? method.wkt1;
  if (crs.method === 'polar-stereographic-b' && (crs.parameters.standardParallel1 ?? 0) < 0)
    name = 'Stereographic_South_Pole';
  const parameters = values.map(([key, value]) => {
    const word = key.replace(
      /(^|_)([a-z])/g,
      (_, line: string, letter: string) => `${line}${letter.toUpperCase()}`,
    );
    return `,PARAMETER["${word}",${number(value)}]`;
  });
  return `PROJCS["${words(crs.name)}",${geographicPrj(crs.base)},PROJECTION["${name}"]${parameters.join('')},UNIT["${words(crs.unitName)}",${number(crs.unit)}]]`;
}

function geographicPrj(crs: GeographicCrs): string {
  const { ellipsoid, shift } = crs;
  const wgs84 = crs.code === 'EPSG:4326';
  const towgs84 =
    crs.code !== undefined || !sayable(shift) ? '' : `,TOWGS84[${seven(shift).map(number).join(',')}]`;
  const meridian = primeMeridianName(crs.primeMeridian) ?? 'Prime_Meridian';
  const named = (prefix: string, name: string) =>
    name.startsWith(prefix) ? words(name) : `${prefix}${words(name)}`;
  return `GEOGCS["${wgs84 ? 'GCS_WGS_1984' : named('GCS_', crs.name)}",DATUM["${wgs84 ? 'D_WGS_1984' : named('D_', crs.datum)}",SPHEROID["${words(ellipsoid.name)}",${number(ellipsoid.a)},${number(inverseOf(ellipsoid))}]${towgs84}],PRIMEM["${meridian}",${number(crs.primeMeridian)}],UNIT["${words(crs.unitName)}",${Number(crs.unit.toPrecision(15))}]]`;
}

const unit2 = (keyword: string, name: string, size: number) =>
  `${keyword}["${quoted(name)}",${Number(size.toPrecision(15))}]`;
const identifier = (code: string | undefined) => {
  const [authority, number] = code?.split(':') ?? [];
  return number === undefined ? '' : `,ID["${authority}",${number}]`;
};
const degree2 = unit2('ANGLEUNIT', 'degree', Math.PI / 180);

/** WKT 2 (ISO 19162:2019) for a CRS; the shift of a datum that has no code is written too, as a bound CRS. */
export function wkt2FromCrs(crs: Crs): string {
  const base = crs.kind === 'geographic' ? crs : crs.base;
  const text = crs.kind === 'geographic' ? geographic2(crs, 'GEOGCRS') : projected2(crs);
  return crs.code === undefined && base.code === undefined && base.shift !== null
    ? bound2(text, base.shift)
    : text;
}

function geographic2(crs: GeographicCrs, keyword: 'GEOGCRS' | 'BASEGEOGCRS'): string {
  const { ellipsoid } = crs;
  const datum = `DATUM["${quoted(crs.datum)}",ELLIPSOID["${quoted(ellipsoid.name)}",${ellipsoid.a},${inverseOf(ellipsoid)},LENGTHUNIT["metre",1]]]`;
  const meridian = `PRIMEM["${primeMeridianName(crs.primeMeridian) ?? 'prime meridian'}",${crs.primeMeridian},${degree2}]`;
  const angle = unit2('ANGLEUNIT', crs.unitName, crs.unit);
  const axes =
    keyword === 'GEOGCRS'
      ? `,CS[ellipsoidal,2],AXIS["latitude",north],AXIS["longitude",east],${angle}`
      : `,${angle}`;
  return `${keyword}["${quoted(crs.name)}",${datum},${meridian}${axes}${identifier(crs.code)}]`;
}

function projected2(crs: ProjectedCrs): string {
  const method = methodNamed(crs.method)!;
  const length = unit2('LENGTHUNIT', crs.unitName, crs.unit);
  const units = {
    angle: degree2,
    length,
    height: 'LENGTHUNIT["metre",1]',
    scale: 'SCALEUNIT["unity",1]',
  };
  const parameters = method.parameters.flatMap((use) => {
    const value = crs.parameters[use.name];
    return value === undefined
      ? []
      : [`,PARAMETER["${use.epsg}",${Number(value.toPrecision(15))},${units[parameterKind(use.name)]}]`];
  });
  const id = method.epsg === undefined ? '' : `,ID["EPSG",${method.epsg}]`;
  return `PROJCRS["${quoted(crs.name)}",${geographic2(crs.base, 'BASEGEOGCRS')},CONVERSION["${quoted(crs.name)}",METHOD["${method.title}"${id}]${parameters.join('')}],CS[Cartesian,2],AXIS["easting",east],AXIS["northing",north],${length}${identifier(crs.code)}]`;
}

function bound2(source: string, shift: DatumShift): string {
  const arcSecond = unit2('ANGLEUNIT', 'arc-second', Math.PI / 648_000);
  const length = 'LENGTHUNIT["metre",1]';
  const parameters: [string, number, string][] = [
    ['X-axis translation', shift.tx, length],
    ['Y-axis translation', shift.ty, length],
    ['Z-axis translation', shift.tz, length],
    ['X-axis rotation', shift.rx, arcSecond],
    ['Y-axis rotation', shift.ry, arcSecond],
    ['Z-axis rotation', shift.rz, arcSecond],
    ['Scale difference', 1 + shift.ppm / 1e6, 'SCALEUNIT["unity",1]'],
    ...(shift.pivot ?? []).map(
      (value, k) => [`Ordinate ${k + 1} of evaluation point`, value, length] as [string, number, string],
    ),
  ];
  const method =
    shift.pivot === undefined
      ? 'Position Vector transformation (geog2D domain)'
      : 'Molodensky-Badekas (PV geog2D domain)';
  const target =
    'GEOGCRS["WGS 84",DATUM["World Geodetic System 1984",ELLIPSOID["WGS 84",6378137,298.257223563]],CS[ellipsoidal,2],AXIS["latitude",north],AXIS["longitude",east],ANGLEUNIT["degree",0.0174532925199433],ID["EPSG",4326]]';
  return `BOUNDCRS[SOURCECRS[${source}],TARGETCRS[${target}],ABRIDGEDTRANSFORMATION["shift to WGS 84",METHOD["${method}"]${parameters.map(([name, value, unit]) => `,PARAMETER["${name}",${value},${unit}]`).join('')}]]`;
}
