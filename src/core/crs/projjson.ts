import { IsomericError } from '../errors.ts';
import { type Crs, type DatumShift, type GeographicCrs, parameterKind } from './crs.ts';
import { primeMeridianName } from './prime-meridians.ts';
import { methodNamed } from './projections/register.ts';
import type { WktNode } from './wkt.ts';

type Json = Record<string, unknown>;

const degree = Math.PI / 180;

function node(keyword: string, ...values: (string | number | WktNode | undefined)[]): WktNode {
  return { keyword, values: values.filter((value) => value !== undefined) };
}

/** A name or code as text; anything else is none. */
function word(value: unknown, missing: string): string {
  return typeof value === 'string' || typeof value === 'number' ? String(value) : missing;
}

function object(value: unknown): Json | undefined {
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Json) : undefined;
}

/** A number, or `{ value, unit }` brought to the unit's base. */
function amount(value: unknown, keyword: string): number | undefined {
  if (typeof value === 'number') return value;
  const measured = object(value);
  return typeof measured?.value === 'number'
    ? measured.value * ((unitNode(measured.unit, keyword)?.values[1] as number | undefined) ?? 1)
    : undefined;
}

function unitNode(unit: unknown, keyword: string): WktNode | undefined {
  if (unit === 'degree') return node('ANGLEUNIT', 'degree', degree);
  if (unit === 'metre') return node('LENGTHUNIT', 'metre', 1);
  if (unit === 'unity') return node('SCALEUNIT', 'unity', 1);
  const own = object(unit);
  if (typeof own?.conversion_factor !== 'number') return undefined;
  const type = word(own.type, keyword)
    .replace('AngularUnit', 'ANGLEUNIT')
    .replace('LinearUnit', 'LENGTHUNIT')
    .replace('ScaleUnit', 'SCALEUNIT');
  return node(type, word(own.name, 'unnamed'), own.conversion_factor);
}

function idNode(crs: Json): WktNode | undefined {
  const id = object(crs.id) ?? object((crs.ids as unknown[] | undefined)?.[0]);
  return id === undefined ? undefined : node('ID', word(id.authority, ''), word(id.code, ''));
}

function axesUnit(crs: Json, keyword: string): WktNode | undefined {
  const axes = object(crs.coordinate_system)?.axis;
  return Array.isArray(axes) ? unitNode(object(axes[0])?.unit, keyword) : undefined;
}

function geographicNode(crs: Json, keyword: string): WktNode {
  const datum = object(crs.datum) ?? object(crs.datum_ensemble);
  const ellipsoid = object(datum?.ellipsoid);
  const a = amount(ellipsoid?.semi_major_axis ?? ellipsoid?.radius, 'LENGTHUNIT');
  const b = amount(ellipsoid?.semi_minor_axis, 'LENGTHUNIT');
  const inverse =
    typeof ellipsoid?.inverse_flattening === 'number'
      ? ellipsoid.inverse_flattening
      : a !== undefined && b !== undefined && a !== b
        ? a / (a - b)
        : 0;
  const meridian = object(datum?.prime_meridian);
  const longitude = meridian?.longitude;
  const meridianDegrees =
    typeof longitude === 'number' ? longitude : ((amount(longitude, 'ANGLEUNIT') ?? 0) as number) / degree;
  return node(
    keyword,
    word(crs.name, 'unnamed'),
    node(
      object(crs.datum) === undefined ? 'ENSEMBLE' : 'DATUM',
      word(datum?.name, 'unknown'),
      a === undefined ? undefined : node('ELLIPSOID', word(ellipsoid?.name, 'unnamed'), a, inverse),
    ),
    node('PRIMEM', word(meridian?.name, 'Greenwich'), meridianDegrees, node('ANGLEUNIT', 'degree', degree)),
    axesUnit(crs, 'ANGLEUNIT'),
    idNode(crs),
  );
}

/** The parameters of a conversion or transformation, each with its unit. */
function parameterNodes(of: Json | undefined): WktNode[] {
  const parameters = Array.isArray(of?.parameters) ? of.parameters : [];
  return parameters.map((each) => {
    const parameter = object(each);
    return node(
      'PARAMETER',
      word(parameter?.name, ''),
      typeof parameter?.value === 'number' ? parameter.value : undefined,
      unitNode(parameter?.unit, 'LENGTHUNIT'),
    );
  });
}

/** What a bound CRS leads to: its name and code are enough. */
function targetNode(crs: Json): WktNode {
  return node('GEOGCRS', word(crs.name, 'unnamed'), idNode(crs));
}

/** A CRS in PROJJSON (the JSON form of ISO 19162) as a WKT 2 tree. */
export function wktFromProjjson(value: unknown): WktNode {
  const crs = object(value);
  switch (crs?.type) {
    case 'GeographicCRS':
    case 'GeodeticCRS':
      return geographicNode(crs, 'GEOGCRS');
    case 'ProjectedCRS': {
      const conversion = object(crs.conversion);
      return node(
        'PROJCRS',
        word(crs.name, 'unnamed'),
        geographicNode(object(crs.base_crs) ?? {}, 'BASEGEOGCRS'),
        node(
          'CONVERSION',
          word(conversion?.name, 'unnamed'),
          node('METHOD', word(object(conversion?.method)?.name, '')),
          ...parameterNodes(conversion),
        ),
        axesUnit(crs, 'LENGTHUNIT'),
        idNode(crs),
      );
    }
    case 'BoundCRS': {
      const transformation = object(crs.transformation);
      return node(
        'BOUNDCRS',
        node('SOURCECRS', wktFromProjjson(crs.source_crs)),
        object(crs.target_crs) && node('TARGETCRS', targetNode(object(crs.target_crs)!)),
        node(
          'ABRIDGEDTRANSFORMATION',
          word(transformation?.name, 'unnamed'),
          node('METHOD', word(object(transformation?.method)?.name, '')),
          ...parameterNodes(transformation),
        ),
      );
    }
    case 'CompoundCRS': {
      const components = Array.isArray(crs.components) ? crs.components : [];
      return node('COMPOUNDCRS', word(crs.name, 'unnamed'), wktFromProjjson(components[0]));
    }
  }
  throw new IsomericError(
    'crs-kind-unsupported',
    `A CRS of the type ${word(crs?.type, 'none')} is not read.`,
    {
      advice: 'Geographic, projected, bound and compound CRSs are; or give the CRS by code.',
    },
  );
}

function idOf(code: string | undefined): Json {
  if (code === undefined) return {};
  const [authority, number] = code.split(':');
  return { id: { authority, code: /^\d+$/.test(number) ? Number(number) : number } };
}

function angleUnit(crs: GeographicCrs): unknown {
  return Math.abs(crs.unit - degree) < 1e-15
    ? 'degree'
    : { type: 'AngularUnit', name: crs.unitName, conversion_factor: crs.unit };
}

function geographicJson(crs: GeographicCrs): Json {
  const unit = angleUnit(crs);
  return {
    type: 'GeographicCRS',
    name: crs.name,
    datum: {
      type: 'GeodeticReferenceFrame',
      name: crs.datum,
      ellipsoid: {
        name: crs.ellipsoid.name,
        semi_major_axis: crs.ellipsoid.a,
        ...(crs.ellipsoid.f === 0
          ? { semi_minor_axis: crs.ellipsoid.a }
          : { inverse_flattening: Number((1 / crs.ellipsoid.f).toPrecision(15)) }),
      },
      ...(crs.primeMeridian === 0
        ? {}
        : {
            prime_meridian: {
              name: primeMeridianName(crs.primeMeridian) ?? 'unnamed',
              longitude: crs.primeMeridian,
            },
          }),
    },
    coordinate_system: {
      subtype: 'ellipsoidal',
      axis: [
        { name: 'Geodetic latitude', abbreviation: 'Lat', direction: 'north', unit },
        { name: 'Geodetic longitude', abbreviation: 'Lon', direction: 'east', unit },
      ],
    },
    ...idOf(crs.code),
  };
}

function bound(source: Json, shift: DatumShift): Json {
  const pivot: [string, number, unknown][] = (shift.pivot ?? []).map((value, k) => [
    `Ordinate ${k + 1} of evaluation point`,
    value,
    'metre',
  ]);
  const parameters: [string, number, unknown][] = [
    ['X-axis translation', shift.tx, 'metre'],
    ['Y-axis translation', shift.ty, 'metre'],
    ['Z-axis translation', shift.tz, 'metre'],
    ['X-axis rotation', shift.rx, arcSecond],
    ['Y-axis rotation', shift.ry, arcSecond],
    ['Z-axis rotation', shift.rz, arcSecond],
    ['Scale difference', 1 + shift.ppm / 1e6, 'unity'],
    ...pivot,
  ];
  return {
    type: 'BoundCRS',
    source_crs: source,
    target_crs: { type: 'GeographicCRS', name: 'WGS 84', id: { authority: 'EPSG', code: 4326 } },
    transformation: {
      name: 'Shift to WGS 84',
      method: {
        name:
          shift.pivot === undefined
            ? 'Position Vector transformation (geog2D domain)'
            : 'Molodensky-Badekas (PV geog2D domain)',
      },
      parameters: parameters.map(([name, value, unit]) => ({ name, value, unit })),
    },
  };
}

const arcSecond = { type: 'AngularUnit', name: 'arc-second', conversion_factor: degree / 3600 };

/** A CRS as PROJJSON. The shift of a datum that has no code is written too, as a bound CRS. */
export function projjsonFromCrs(crs: Crs): Json {
  const geographic = crs.kind === 'geographic' ? crs : crs.base;
  let json = geographicJson(geographic);
  if (crs.kind === 'projected') {
    const length =
      crs.unit === 1 ? 'metre' : { type: 'LinearUnit', name: crs.unitName, conversion_factor: crs.unit };
    const method = methodNamed(crs.method)!;
    const units = { angle: 'degree', length, scale: 'unity', height: 'metre' };
    const parameters = method.parameters.flatMap((use) => {
      const value = crs.parameters[use.name];
      return value === undefined ? [] : [{ name: use.epsg, value, unit: units[parameterKind(use.name)] }];
    });
    json = {
      type: 'ProjectedCRS',
      name: crs.name,
      base_crs: json,
      conversion: { name: 'unnamed', method: { name: method.title }, parameters },
      coordinate_system: {
        subtype: 'Cartesian',
        axis: [
          { name: 'Easting', abbreviation: 'E', direction: 'east', unit: length },
          { name: 'Northing', abbreviation: 'N', direction: 'north', unit: length },
        ],
      },
      ...idOf(crs.code),
    };
  }
  return crs.code === undefined && geographic.code === undefined && geographic.shift !== null
    ? bound(json, geographic.shift)
    : json;
}
