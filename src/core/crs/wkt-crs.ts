import { IsomericError } from '../errors.ts';
import { withoutTrailing } from '../trim-end.ts';
import { conversionFrom, parameterNamed } from './conversion-text.ts';
import {
  type Crs,
  type CrsRemark,
  type DatumShift,
  type GeographicCrs,
  parameterKind,
  shiftOf,
} from './crs.ts';
import { primeMeridianOf } from './prime-meridians.ts';
import { child, children, numberOf, parseWkt, textOf, type WktNode } from './wkt.ts';
import { isWkt2, wkt1FromWkt2 } from './wkt2.ts';

const byCode = 'Give the CRS by code instead.';

function codeOf(node: WktNode): string | undefined {
  const authority = child(node, 'AUTHORITY', 'ID');
  const [name, number] = authority?.values ?? [];
  return typeof name === 'string' && name.trim() !== '' && number !== undefined && typeof number !== 'object'
    ? `${name.trim().toUpperCase()}:${String(number).trim()}`
    : undefined;
}

/**
 * A CRS from WKT 2 (ISO 19162), or from WKT 1 in the dialect of OGC 01-009 or in the one met in .prj files (names with
 * underscores, no authority codes, one conic name for one and two standard parallels). Compound definitions give their
 * horizontal part. What is not understood is refused by name, never left out.
 */
export function crsFromWkt(text: string): Crs {
  return crsFromNode(parseWkt(withoutTrailing(text.replace(/^\uFEFF/, ''), '\0').trim()));
}

export function crsFromNode(node: WktNode): Crs {
  const remarks: CrsRemark[] = [];
  const root = isWkt2(node.keyword) ? wkt1FromWkt2(node, remarks) : node;
  const crs = crsFromWkt1(root);
  return remarks.length === 0 ? crs : { ...crs, remarks: [...(crs.remarks ?? []), ...remarks] };
}

function crsFromWkt1(root: WktNode): Crs {
  switch (root.keyword) {
    case 'COMPD_CS': {
      const horizontal = child(root, 'PROJCS', 'GEOGCS');
      if (horizontal !== undefined) return crsFromWkt1(horizontal);
      break;
    }
    case 'GEOGCS':
      return geographicFrom(root);
    case 'PROJCS':
      return projectedFrom(root);
  }
  throw new IsomericError(
    'crs-kind-unsupported',
    `A CRS text that begins with ${root.keyword} is not read.`,
    {
      advice:
        'GEOGCS, PROJCS and COMPD_CS (WKT 1), GEOGCRS, PROJCRS, BOUNDCRS and COMPOUNDCRS (WKT 2) are; or give the CRS by code.',
    },
  );
}

function impossible(crs: string, words: string): never {
  throw new IsomericError('crs-impossible', `${crs}: ${words}`, { advice: byCode });
}

/** The size of a unit; it must have one. */
function unitSize(crs: string, unit: WktNode | undefined, otherwise: number): number {
  if (unit === undefined) return otherwise;
  const size = numberOf(unit, 1);
  if (size === undefined || !(size > 0 && size < 1e7))
    impossible(crs, `the unit ${textOf(unit) ?? ''} has the size ${size ?? 'none'}.`);
  return size;
}

function statedShift(crs: string, datum: WktNode): DatumShift | null {
  const node = child(datum, 'TOWGS84');
  if (node === undefined) return null;
  const given = node.values.filter((value): value is number => typeof value === 'number');
  if (![3, 7, 10].includes(given.length) || !given.every(Number.isFinite))
    impossible(crs, `TOWGS84 has ${given.length} numbers; 3 or 7 are meant.`);
  const [px, py, pz] = given.slice(7);
  return shiftOf(given, {
    ...(px !== undefined && { pivot: [px, py, pz] as const }),
    accuracy: NaN,
    source: 'given in the CRS text',
  });
}

function geographicFrom(node: WktNode): GeographicCrs {
  const name = textOf(node) ?? 'unnamed';
  const datum = child(node, 'DATUM');
  const spheroid = datum && child(datum, 'SPHEROID');
  const a = numberOf(spheroid, 1);
  const inverse = numberOf(spheroid, 2);
  if (datum === undefined || a === undefined || inverse === undefined) {
    throw new IsomericError('wkt-incomplete', `The CRS text ${name} has no DATUM with a SPHEROID.`, {
      advice: byCode,
    });
  }
  if (!(a > 0 && a < 1e10)) impossible(name, `the semi-major axis of the ellipsoid is ${a}.`);
  if (!(inverse === 0 || inverse === Infinity || inverse > 2))
    impossible(name, `the inverse flattening of the ellipsoid is ${inverse}.`);
  const unit = child(node, 'UNIT');
  const size = exactAngle(unitSize(name, unit, Math.PI / 180));
  const meridian = child(node, 'PRIMEM');
  return {
    kind: 'geographic',
    name,
    code: codeOf(node),
    datum: textOf(datum) ?? 'unknown',
    ellipsoid: {
      name: textOf(spheroid) ?? 'unnamed',
      a,
      f: inverse === 0 || inverse === Infinity ? 0 : 1 / inverse,
    },
    primeMeridian: primeMeridianOf(
      textOf(meridian) ?? 'Greenwich',
      numberOf(meridian, 1) ?? 0,
      (size * 180) / Math.PI,
    ),
    unit: size,
    unitName: textOf(unit) ?? 'degree',
    shift: statedShift(name, datum),
  };
}

/** 0.0174532925199433 in a text means π/180 to the last digit, 0.0157079632679489 a grad. */
function exactAngle(unit: number): number {
  if (Math.abs(unit - Math.PI / 180) < 1e-10) return Math.PI / 180;
  return Math.abs(unit - Math.PI / 200) < 1e-10 ? Math.PI / 200 : unit;
}

/** A sphere of the semi-major axis of WGS 84 belongs to the pseudo-Mercator of the web alone. */
const isWebSphere = (crs: GeographicCrs) => crs.ellipsoid.a === 6378137 && crs.ellipsoid.f === 0;

/** An extension may name a sphere by both its axes. */
function extensionSphere(node: WktNode): boolean {
  const text = child(node, 'EXTENSION')?.values.find(
    (value) => typeof value === 'string' && value.includes('+a='),
  );
  if (typeof text !== 'string') return false;
  const given = new Map(
    text
      .slice(0, 2000)
      .split(' ')
      .map((part) => part.split('=') as [string, string]),
  );
  return Number(given.get('+a')) === 6378137 && Number(given.get('+b')) === 6378137;
}

function projectedFrom(node: WktNode): Crs {
  const name = textOf(node) ?? 'unnamed';
  const geographic = child(node, 'GEOGCS');
  if (geographic === undefined) {
    throw new IsomericError('wkt-incomplete', `The PROJCS text ${name} has no GEOGCS.`, { advice: byCode });
  }
  const base = geographicFrom(geographic);
  const code = codeOf(node);
  // Angles stand in the unit of the geographic CRS, longitudes from its prime meridian.
  const toDegrees = (base.unit * 180) / Math.PI;
  const parameters = children(node, 'PARAMETER').map((parameter) => {
    const word = textOf(parameter) ?? '';
    const value = numberOf(parameter, 1) ?? NaN;
    const known = parameterNamed(word);
    return {
      name: word,
      value: known !== undefined && parameterKind(known) === 'angle' ? value * toDegrees : value,
    };
  });
  const { method, parameters: values } = conversionFrom({
    crs: name,
    code,
    method: textOf(child(node, 'PROJECTION')) ?? '',
    parameters,
    // Numbers beyond those of EPSG belong to the authority of that dialect.
    dialect: /^D_/.test(base.datum) || /^GCS_/.test(base.name) || Number(code?.split(':')[1]) > 32767,
    webSphere: isWebSphere(base) || extensionSphere(node),
  });
  const unit = child(node, 'UNIT');
  const web = method.name === 'pseudo-mercator' && isWebSphere(base);
  return {
    kind: 'projected',
    name,
    code,
    // Its latitudes are those of WGS 84, taken as if they lay on a sphere.
    base: web ? onWgs84(base) : base,
    method: method.name,
    parameters: values,
    unit: exactLength(unitSize(name, unit, 1)),
    unitName: textOf(unit) ?? 'metre',
  };
}

function onWgs84(base: GeographicCrs): GeographicCrs {
  return {
    ...base,
    name: 'WGS 84',
    code: undefined,
    datum: 'WGS_1984',
    ellipsoid: { name: 'WGS 84', a: 6378137, f: 1 / 298.257223563 },
    shift: null,
  };
}

/** The US survey foot to the last digit, however many a text gives. */
function exactLength(unit: number): number {
  const survey = 1200 / 3937;
  if (Math.abs(unit - survey) < 1e-10) return survey;
  return Math.abs(unit - 1) < 1e-12 ? 1 : unit;
}
