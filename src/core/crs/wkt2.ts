import { dictionary } from '../dictionary.ts';
import { child, children, numberOf, textOf, type WktNode } from './wkt.ts';

/** Keywords of ISO 19162 (WKT 2, 2015 and 2019) that a definition of ours may begin with. */
const roots = [
  'GEOGCRS',
  'GEODCRS',
  'GEOGRAPHICCRS',
  'GEODETICCRS',
  'BASEGEOGCRS',
  'BASEGEODCRS',
  'PROJCRS',
  'PROJECTEDCRS',
  'COMPOUNDCRS',
  'BOUNDCRS',
];

export function isWkt2(keyword: string): boolean {
  return roots.includes(keyword);
}

const degree = Math.PI / 180;

function node(keyword: string, ...values: (string | number | WktNode | undefined)[]): WktNode {
  return { keyword, values: values.filter((value) => value !== undefined) };
}

function unitOf(
  from: WktNode | undefined,
  ...keywords: string[]
): { name: string; size: number } | undefined {
  const unit = from && child(from, ...keywords);
  const size = numberOf(unit, 1);
  return unit === undefined || size === undefined ? undefined : { name: textOf(unit) ?? 'unnamed', size };
}

/** The unit of a CRS: its own, or that of its coordinate system's or axes'. */
function crsUnit(crs: WktNode, keyword: 'ANGLEUNIT' | 'LENGTHUNIT') {
  const own = unitOf(crs, keyword, 'UNIT');
  if (own !== undefined) return own;
  for (const axis of children(crs, 'AXIS')) {
    const unit = unitOf(axis, keyword, 'UNIT');
    if (unit !== undefined) return unit;
  }
  return undefined;
}

function authority(from: WktNode): WktNode | undefined {
  const id = child(from, 'ID');
  return id === undefined ? undefined : node('AUTHORITY', String(id.values[0]), String(id.values[1]));
}

/** Names of ensembles that stand for the datum that WKT 1 knows. */
const datumName = (name: string) =>
  name.length > 300 ? name : name.replace(/ ensemble( \([^)]{0,80}\))?$/i, '');

function geographic(crs: WktNode, shift?: WktNode): WktNode {
  const datum = child(crs, 'DATUM', 'GEODETICDATUM', 'TRF', 'ENSEMBLE');
  const ellipsoid = datum && child(datum, 'ELLIPSOID', 'SPHEROID');
  const length = unitOf(ellipsoid, 'LENGTHUNIT', 'UNIT')?.size ?? 1;
  const meridian = child(crs, 'PRIMEM', 'PRIMEMERIDIAN');
  const unit = crsUnit(crs, 'ANGLEUNIT') ?? { name: 'degree', size: degree };
  const meridianUnit = unitOf(meridian, 'ANGLEUNIT', 'UNIT')?.size ?? unit.size;
  return node(
    'GEOGCS',
    textOf(crs) ?? 'unnamed',
    datum &&
      node(
        'DATUM',
        datumName(textOf(datum) ?? 'unknown'),
        ellipsoid &&
          node(
            'SPHEROID',
            textOf(ellipsoid) ?? 'unnamed',
            (numberOf(ellipsoid, 1) ?? NaN) * length,
            numberOf(ellipsoid, 2),
          ),
        shift,
      ),
    node('PRIMEM', textOf(meridian) ?? 'Greenwich', ((numberOf(meridian, 1) ?? 0) * meridianUnit) / degree),
    node('UNIT', unit.name, unit.size),
    authority(crs),
  );
}

function projected(crs: WktNode, shift?: WktNode): WktNode {
  const base = child(crs, 'BASEGEOGCRS', 'BASEGEODCRS');
  const conversion = child(crs, 'CONVERSION', 'DERIVINGCONVERSION');
  const method = conversion && child(conversion, 'METHOD', 'PROJECTION');
  const baseCrs = base && geographic(base, shift);
  const unit = crsUnit(crs, 'LENGTHUNIT') ?? { name: 'metre', size: 1 };
  const baseUnit = numberOf(baseCrs && child(baseCrs, 'UNIT'), 1) ?? degree;
  const parameters = (conversion === undefined ? [] : children(conversion, 'PARAMETER')).map((parameter) => {
    const value = numberOf(parameter, 1) ?? NaN;
    // WKT 2 gives every parameter its unit; WKT 1 means that of the CRS.
    const angle = unitOf(parameter, 'ANGLEUNIT')?.size;
    const length = unitOf(parameter, 'LENGTHUNIT')?.size;
    const given =
      angle !== undefined
        ? (value * angle) / baseUnit
        : length !== undefined
          ? (value * length) / unit.size
          : value;
    return node('PARAMETER', textOf(parameter) ?? '', Number(given.toPrecision(15)));
  });
  return node(
    'PROJCS',
    textOf(crs) ?? 'unnamed',
    baseCrs,
    node('PROJECTION', methodName(textOf(method) ?? '')),
    ...parameters,
    node('UNIT', unit.name, unit.size),
    authority(crs),
  );
}

/** Method names of EPSG → those of WKT 1. */
const methodNames: Readonly<Record<string, string>> = dictionary({
  'transverse mercator': 'Transverse_Mercator',
  'lambert conic conformal (1sp)': 'Lambert_Conformal_Conic_1SP',
  'lambert conic conformal (2sp)': 'Lambert_Conformal_Conic_2SP',
  'lambert conic conformal (2sp belgium)': 'Lambert_Conformal_Conic_2SP_Belgium',
  'mercator (variant a)': 'Mercator_1SP',
  'mercator (variant b)': 'Mercator_2SP',
  'popular visualisation pseudo mercator': 'Popular_Visualisation_Pseudo_Mercator',
});

function methodName(name: string): string {
  return methodNames[name.toLowerCase()] ?? name;
}

/** The seven parameters of an abridged transformation to WGS 84, in the position-vector convention. */
function helmert(bound: WktNode): WktNode | undefined {
  const transformation = child(bound, 'ABRIDGEDTRANSFORMATION');
  if (transformation === undefined) return undefined;
  const method = textOf(child(transformation, 'METHOD')) ?? '';
  const values = children(transformation, 'PARAMETER').map((parameter) => numberOf(parameter, 1) ?? NaN);
  if (values.length < 3) return undefined;
  const seven = [...values, 0, 0, 0, 0].slice(0, 7);
  // In the coordinate-frame convention rotations run the other way.
  if (/coordinate frame/i.test(method)) for (let k = 3; k < 6; k++) seven[k] = 0 - seven[k];
  // An abridged scale difference is a factor (ISO 19162, 12.4), not parts per million.
  if (values.length >= 7 && Math.abs(seven[6] - 1) < 0.01) seven[6] = (seven[6] - 1) * 1e6;
  return node('TOWGS84', ...seven);
}

/** A WKT 2 definition in the form of WKT 1, which one reader then understands. */
export function wkt1FromWkt2(root: WktNode, shift?: WktNode): WktNode {
  switch (root.keyword) {
    case 'BOUNDCRS': {
      const source = child(root, 'SOURCECRS')?.values.find(
        (value): value is WktNode => typeof value === 'object',
      );
      return source === undefined ? root : wkt1FromWkt2(source, helmert(root));
    }
    case 'COMPOUNDCRS': {
      const horizontal = root.values.find(
        (value): value is WktNode => typeof value === 'object' && isWkt2(value.keyword),
      );
      return horizontal === undefined ? root : wkt1FromWkt2(horizontal, shift);
    }
    case 'PROJCRS':
    case 'PROJECTEDCRS':
      return projected(root, shift);
    default:
      return geographic(root, shift);
  }
}
