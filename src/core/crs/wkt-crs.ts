import { dictionary } from '../dictionary.ts';
import { IsomericError } from '../errors.ts';
import { suggest } from '../nearest.ts';
import { withoutTrailing } from '../trim-end.ts';
import type { Crs, GeographicCrs, ParameterName, ProjectionParameters } from './crs.ts';
import { methodFromWkt, methodNamed, methods } from './projections/register.ts';
import { child, children, numberOf, parseWkt, textOf, type WktNode } from './wkt.ts';
import { isWkt2, wkt1FromWkt2 } from './wkt2.ts';

/** Parameter names of both WKT 1 dialects (and of EPSG), compared without case and punctuation. */
const parameterWords: Readonly<Record<string, ParameterName>> = dictionary({
  latitudeoforigin: 'latitudeOfOrigin',
  latitudeofcenter: 'latitudeOfOrigin',
  latitudeofnaturalorigin: 'latitudeOfOrigin',
  latitudeoffalseorigin: 'latitudeOfOrigin',
  centralmeridian: 'centralMeridian',
  longitudeoforigin: 'centralMeridian',
  longitudeofcenter: 'centralMeridian',
  longitudeofnaturalorigin: 'centralMeridian',
  longitudeoffalseorigin: 'centralMeridian',
  scalefactor: 'scaleFactor',
  scalefactoratnaturalorigin: 'scaleFactor',
  standardparallel1: 'standardParallel1',
  standardparallel2: 'standardParallel2',
  latitudeof1ststandardparallel: 'standardParallel1',
  latitudeof2ndstandardparallel: 'standardParallel2',
  falseeasting: 'falseEasting',
  falsenorthing: 'falseNorthing',
  eastingatfalseorigin: 'falseEasting',
  northingatfalseorigin: 'falseNorthing',
});

const plain = (text: string) => text.toLowerCase().replace(/[^a-z0-9]/g, '');

function codeOf(node: WktNode): string | undefined {
  const authority = child(node, 'AUTHORITY', 'ID');
  const [name, number] = authority?.values ?? [];
  return typeof name === 'string' && number !== undefined ? `${name.toUpperCase()}:${number}` : undefined;
}

/**
 * A CRS from WKT 2 (ISO 19162), or from WKT 1 in the dialect of OGC 01-009 or in the one met in .prj files (names with
 * underscores, no authority codes, one conic name for one and two standard parallels). Compound definitions give their
 * horizontal part.
 */
export function crsFromWkt(text: string): Crs {
  return crsFromNode(parseWkt(withoutTrailing(text.replace(/^\uFEFF/, ''), '\0').trim()));
}

export function crsFromNode(node: WktNode): Crs {
  const root = isWkt2(node.keyword) ? wkt1FromWkt2(node) : node;
  switch (root.keyword) {
    case 'COMPD_CS': {
      const horizontal = child(root, 'PROJCS', 'GEOGCS');
      if (horizontal !== undefined) return crsFromNode(horizontal);
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

function geographicFrom(node: WktNode): GeographicCrs {
  const datum = child(node, 'DATUM');
  const spheroid = datum && child(datum, 'SPHEROID');
  const a = numberOf(spheroid, 1);
  const inverse = numberOf(spheroid, 2);
  if (datum === undefined || a === undefined || inverse === undefined) {
    throw new IsomericError('wkt-incomplete', 'The CRS text has no DATUM with a SPHEROID.', {
      advice: 'Give the CRS by code instead.',
    });
  }
  const unit = child(node, 'UNIT');
  const given = child(datum, 'TOWGS84')?.values.filter((value): value is number => typeof value === 'number');
  const seven = given !== undefined && given.length >= 3 ? [...given, 0, 0, 0, 0].slice(0, 7) : null;
  return {
    kind: 'geographic',
    name: textOf(node) ?? 'unnamed',
    code: codeOf(node),
    datum: textOf(datum) ?? 'unknown',
    ellipsoid: { name: textOf(spheroid) ?? 'unnamed', a, f: inverse === 0 ? 0 : 1 / inverse },
    primeMeridian: numberOf(child(node, 'PRIMEM'), 1) ?? 0,
    unit: exactDegree(numberOf(unit, 1) ?? Math.PI / 180),
    unitName: textOf(unit) ?? 'degree',
    shift: seven && {
      tx: seven[0],
      ty: seven[1],
      tz: seven[2],
      rx: seven[3],
      ry: seven[4],
      rz: seven[5],
      ppm: seven[6],
      accuracy: NaN,
      source: 'given in the CRS text (position vector)',
    },
  };
}

/** 0.0174532925199433 in a text means π/180 to the last digit. */
function exactDegree(unit: number): number {
  if (Math.abs(unit - Math.PI / 180) < 1e-12) return Math.PI / 180;
  return Math.abs(unit - Math.PI / 200) < 1e-12 ? Math.PI / 200 : unit;
}

function projectedFrom(node: WktNode): Crs {
  const geographic = child(node, 'GEOGCS');
  if (geographic === undefined) {
    throw new IsomericError('wkt-incomplete', 'The PROJCS text has no GEOGCS.', {
      advice: 'Give the CRS by code instead.',
    });
  }
  const base = geographicFrom(geographic);
  const name = textOf(node) ?? 'unnamed';
  const code = codeOf(node);
  const parameters: ProjectionParameters = {};
  // Angles stand in the unit of the geographic CRS, longitudes from its prime meridian.
  const toDegrees = (base.unit * 180) / Math.PI;
  for (const parameter of children(node, 'PARAMETER')) {
    const key = parameterWords[plain(textOf(parameter) ?? '')];
    const value = numberOf(parameter, 1);
    if (key === undefined || value === undefined) continue;
    const angle = key !== 'scaleFactor' && !key.startsWith('false');
    parameters[key] = angle ? value * toDegrees : value;
  }
  const wktName = textOf(child(node, 'PROJECTION')) ?? '';
  let method = methodFromWkt(wktName);
  if (/pseudo.?mercator/i.test(name) || code === 'EPSG:3857') method = methodNamed('pseudo-mercator');
  else if (method?.name === 'lambert-conic-conformal-2sp' && parameters.standardParallel2 === undefined) {
    // The .prj dialect has one name for both. With one parallel, which is the latitude of origin too, it is the one;
    // with a latitude of origin elsewhere, the other with two equal parallels.
    const parallel = parameters.standardParallel1;
    if (
      parallel !== undefined &&
      parameters.latitudeOfOrigin !== undefined &&
      parallel !== parameters.latitudeOfOrigin
    )
      parameters.standardParallel2 = parallel;
    else {
      method = methodNamed('lambert-conic-conformal-1sp');
      parameters.latitudeOfOrigin ??= parallel;
      delete parameters.standardParallel1;
    }
  }
  if (method === undefined) {
    throw new IsomericError(
      'projection-unsupported',
      `${name} uses the projection ${wktName || '(none named)'}, which Isomeric does not compute yet.`,
      {
        advice: `It computes: ${methods.map((known) => known.name).join(', ')}.`,
      },
    );
  }
  const missing = method.required.filter(
    (key) => parameters[key] === undefined && key !== 'latitudeOfOrigin',
  );
  if (missing.length > 0) {
    throw new IsomericError(
      'projection-incomplete',
      `${name} lacks the parameter${missing.length > 1 ? 's' : ''} ${missing.join(', ')}.`,
    );
  }
  const unit = child(node, 'UNIT');
  return {
    kind: 'projected',
    name,
    code,
    base,
    method: method.name,
    parameters,
    unit: numberOf(unit, 1) ?? 1,
    unitName: textOf(unit) ?? 'metre',
  };
}

const dialectNames: Readonly<Record<string, string>> = dictionary({
  'transverse-mercator': 'Transverse_Mercator',
  'lambert-conic-conformal-1sp': 'Lambert_Conformal_Conic_1SP',
  'lambert-conic-conformal-2sp': 'Lambert_Conformal_Conic_2SP',
  'lambert-conic-conformal-2sp-belgium': 'Lambert_Conformal_Conic_2SP_Belgium',
  'mercator-a': 'Mercator_1SP',
  'mercator-b': 'Mercator_2SP',
  'pseudo-mercator': 'Popular_Visualisation_Pseudo_Mercator',
});

const parameterText: Record<ParameterName, string> = {
  latitudeOfOrigin: 'latitude_of_origin',
  centralMeridian: 'central_meridian',
  scaleFactor: 'scale_factor',
  standardParallel1: 'standard_parallel_1',
  standardParallel2: 'standard_parallel_2',
  falseEasting: 'false_easting',
  falseNorthing: 'false_northing',
};

function authority(code: string | undefined): string {
  if (code === undefined) return '';
  const [name, number] = code.split(':');
  return `,AUTHORITY["${name}","${number}"]`;
}

/** WKT 1 (OGC 01-009) for a CRS. */
export function wktFromCrs(crs: Crs): string {
  if (crs.kind === 'geographic') {
    const { ellipsoid, shift } = crs;
    const towgs84 =
      shift === null
        ? ''
        : `,TOWGS84[${[shift.tx, shift.ty, shift.tz, shift.rx, shift.ry, shift.rz, shift.ppm].join(',')}]`;
    const inverse = ellipsoid.f === 0 ? 0 : Number((1 / ellipsoid.f).toPrecision(15));
    return `GEOGCS["${crs.name}",DATUM["${crs.datum}",SPHEROID["${ellipsoid.name}",${ellipsoid.a},${inverse}]${towgs84}],PRIMEM["${crs.primeMeridian === 0 ? 'Greenwich' : 'prime meridian'}",${crs.primeMeridian}],UNIT["${crs.unitName}",${Number(crs.unit.toPrecision(15))}]${authority(crs.code)}]`;
  }
  const perDegree = Math.PI / 180 / crs.base.unit;
  const parameters = Object.entries(crs.parameters).map(([key, value]) => {
    const angle = key !== 'scaleFactor' && !key.startsWith('false');
    return `,PARAMETER["${parameterText[key as ParameterName]}",${Number((angle ? value * perDegree : value).toPrecision(15))}]`;
  });
  return `PROJCS["${crs.name}",${wktFromCrs(crs.base)},PROJECTION["${dialectNames[crs.method]}"]${parameters.join('')},UNIT["${crs.unitName}",${crs.unit}],AXIS["Easting",EAST],AXIS["Northing",NORTH]${authority(crs.code)}]`;
}

const prjMethods: Readonly<Record<string, string>> = dictionary({
  'lambert-conic-conformal-1sp': 'Lambert_Conformal_Conic',
  'lambert-conic-conformal-2sp': 'Lambert_Conformal_Conic',
  'mercator-a': 'Mercator_1SP',
  'mercator-b': 'Mercator',
});

/**
 * The dialect of .prj files: names with underscores and prefixes, no authority codes. The shift of a datum that is in
 * no registry stands in it all the same, since it could not be found again.
 */
export function prjFromCrs(crs: Crs): string {
  const words = (text: string) => text.trim().replace(/[^A-Za-z0-9.+-]+/g, '_');
  const number = (value: number) => {
    const short = Number(value.toPrecision(15));
    return Number.isInteger(short) ? `${short}.0` : String(short);
  };
  if (crs.kind === 'geographic') {
    const { ellipsoid, shift } = crs;
    const wgs84 = crs.code === 'EPSG:4326';
    const inverse = ellipsoid.f === 0 ? 0 : 1 / ellipsoid.f;
    const towgs84 =
      crs.code !== undefined || shift === null
        ? ''
        : `,TOWGS84[${[shift.tx, shift.ty, shift.tz, shift.rx, shift.ry, shift.rz, shift.ppm].map(number).join(',')}]`;
    const meridian = crs.primeMeridian === 0 ? 'Greenwich' : 'Prime_Meridian';
    return `GEOGCS["${wgs84 ? 'GCS_WGS_1984' : `GCS_${words(crs.name)}`}",DATUM["${wgs84 ? 'D_WGS_1984' : `D_${words(crs.datum)}`}",SPHEROID["${words(ellipsoid.name)}",${number(ellipsoid.a)},${number(inverse)}]${towgs84}],PRIMEM["${meridian}",${number(crs.primeMeridian)}],UNIT["${words(crs.unitName)}",${Number(crs.unit.toPrecision(15))}]]`;
  }
  const perDegree = Math.PI / 180 / crs.base.unit;
  const values: ProjectionParameters = { ...crs.parameters };
  if (crs.method === 'lambert-conic-conformal-1sp') values.standardParallel1 = values.latitudeOfOrigin;
  const parameters = Object.entries(values).map(([key, value]) => {
    const angle = key !== 'scaleFactor' && !key.startsWith('false');
    const name = parameterText[key as ParameterName].replace(
      /(^|_)([a-z])/g,
      (_, line: string, letter: string) => `${line}${letter.toUpperCase()}`,
    );
    return `,PARAMETER["${name}",${number(angle ? value * perDegree : value)}]`;
  });
  return `PROJCS["${words(crs.name)}",${prjFromCrs(crs.base)},PROJECTION["${prjMethods[crs.method] ?? dialectNames[crs.method]}"]${parameters.join('')},UNIT["${words(crs.unitName)}",${number(crs.unit)}]]`;
}

export function unknownCrs(text: string, known: readonly string[]): IsomericError {
  return new IsomericError('crs-unknown', `“${text}” names no CRS that Isomeric knows.`, {
    advice:
      `Give an EPSG code (EPSG:4326), a name as in the EPSG registry, or a .prj file. ${suggest(text, known)}`.trim(),
    blame: 'usage',
  });
}
