import { parameterNamed } from './conversion-text.ts';
import { type CrsRemark, parameterKind } from './crs.ts';
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
    // WKT 2 gives every parameter its unit; WKT 1 means that of the CRS. Heights are metres in both.
    const known = parameterNamed(textOf(parameter) ?? '');
    const kind = known === undefined ? undefined : parameterKind(known);
    const any = unitOf(parameter, 'UNIT')?.size;
    const angle = unitOf(parameter, 'ANGLEUNIT')?.size ?? (kind === 'angle' ? any : undefined);
    const length =
      unitOf(parameter, 'LENGTHUNIT')?.size ?? (kind === 'length' || kind === 'height' ? any : undefined);
    const toUnit = kind === 'height' ? 1 : unit.size;
    const given =
      angle !== undefined
        ? (value * angle) / baseUnit
        : length !== undefined
          ? (value * length) / toUnit
          : value;
    return node('PARAMETER', textOf(parameter) ?? '', Number(given.toPrecision(15)));
  });
  return node(
    'PROJCS',
    textOf(crs) ?? 'unnamed',
    baseCrs,
    node('PROJECTION', textOf(method) ?? ''),
    ...parameters,
    node('UNIT', unit.name, unit.size),
    authority(crs),
  );
}

const arcSecond = degree / 3600;

/** Parameters of a transformation by their names, in metres, arc-seconds and parts per million. */
const shiftParameters: readonly (readonly [
  pattern: RegExp,
  place: number,
  kind: 'length' | 'angle' | 'scale',
])[] = [
  [/^x axis translation/, 0, 'length'],
  [/^y axis translation/, 1, 'length'],
  [/^z axis translation/, 2, 'length'],
  [/^x axis rotation/, 3, 'angle'],
  [/^y axis rotation/, 4, 'angle'],
  [/^z axis rotation/, 5, 'angle'],
  [/^scale difference/, 6, 'scale'],
  [/^ordinate 1 of evaluation point/, 7, 'length'],
  [/^ordinate 2 of evaluation point/, 8, 'length'],
  [/^ordinate 3 of evaluation point/, 9, 'length'],
];

/** The value of a parameter: in its unit where it has one, else in the usual one of abridged forms (ISO 19162, 12.4). */
function shiftValue(parameter: WktNode, kind: 'length' | 'angle' | 'scale'): number {
  const value = numberOf(parameter, 1) ?? NaN;
  const unit =
    unitOf(parameter, 'LENGTHUNIT')?.size ??
    unitOf(parameter, 'ANGLEUNIT')?.size ??
    unitOf(parameter, 'SCALEUNIT')?.size ??
    unitOf(parameter, 'UNIT')?.size;
  if (kind === 'length') return value * (unit ?? 1);
  if (kind === 'angle') return unit === undefined ? value : (value * unit) / arcSecond;
  // An abridged scale difference is a factor; with its own unit it may be in parts per million.
  if (unit !== undefined && unit !== 1) return value * unit * 1e6;
  return Math.abs(value - 1) < 0.01 ? (value - 1) * 1e6 : value;
}

const globe = /^(world geodetic system 1984|wgs ?84|wgs_1984)( ensemble)?$/i;

/**
 * The parameters of an abridged transformation to WGS 84, in the position-vector convention (EPSG methods 9603, 9606,
 * 9607, 1061, 9636), read by name. One that is not understood is not used, and that is said.
 */
function helmert(bound: WktNode, remarks: CrsRemark[]): WktNode | undefined {
  const transformation = child(bound, 'ABRIDGEDTRANSFORMATION');
  if (transformation === undefined) return undefined;
  const method = textOf(child(transformation, 'METHOD')) ?? '';
  const unused = (words: string) => {
    remarks.push({
      code: 'crs-transformation-unused',
      words: `The CRS text brings a transformation (${method || 'no method named'}) that is not used: ${words}.`,
      repair: 'state the shift to WGS 84, or name a grid file',
    });
    return undefined;
  };
  const target = child(bound, 'TARGETCRS')?.values.find(
    (value): value is WktNode => typeof value === 'object',
  );
  const targetCode = target && child(target, 'ID')?.values[1];
  if (target !== undefined && Number(targetCode) !== 4326 && !globe.test((textOf(target) ?? '').slice(0, 60)))
    return unused(`it leads to ${textOf(target) ?? 'an unnamed CRS'}, not to WGS 84`);
  if (child(transformation, 'PARAMETERFILE') !== undefined)
    return unused('its grid file does not come with the text');
  const frame = /coordinate frame|\bcf\b/i.test(method);
  const vector = /position vector|\bpv\b/i.test(method);
  const badekas = /badekas/i.test(method);
  const plainShift = /geocentric translation/i.test(method);
  if (!frame && !vector && !plainShift && !badekas) return unused('its method is not known');
  const values = new Array<number>(10).fill(0);
  let pivots = 0;
  for (const parameter of children(transformation, 'PARAMETER')) {
    const word = (textOf(parameter) ?? '')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, ' ')
      .trim();
    const found = shiftParameters.find(([pattern]) => pattern.test(word));
    if (found === undefined) return unused(`its parameter ${textOf(parameter)} is not known`);
    values[found[1]] = shiftValue(parameter, found[2]);
    if (found[1] > 6) pivots++;
  }
  if (!values.every(Number.isFinite)) return unused('one of its parameters is no number');
  if (badekas !== (pivots === 3)) return unused('the point that it turns about is missing, or not expected');
  // In the coordinate-frame convention rotations run the other way; Molodensky–Badekas without a word is of that kind.
  if (frame || (badekas && !vector)) for (let k = 3; k < 6; k++) values[k] = 0 - values[k];
  return node('TOWGS84', ...values.slice(0, badekas ? 10 : 7));
}

/** A WKT 2 definition in the form of WKT 1, which one reader then understands. */
export function wkt1FromWkt2(root: WktNode, remarks: CrsRemark[], shift?: WktNode): WktNode {
  switch (root.keyword) {
    case 'BOUNDCRS': {
      const source = child(root, 'SOURCECRS')?.values.find(
        (value): value is WktNode => typeof value === 'object',
      );
      return source === undefined ? root : wkt1FromWkt2(source, remarks, helmert(root, remarks));
    }
    case 'COMPOUNDCRS': {
      const horizontal = root.values.find(
        (value): value is WktNode => typeof value === 'object' && isWkt2(value.keyword),
      );
      return horizontal === undefined ? root : wkt1FromWkt2(horizontal, remarks, shift);
    }
    case 'PROJCRS':
    case 'PROJECTEDCRS':
      return projected(root, shift);
    default:
      return geographic(root, shift);
  }
}
