/** Definitions of the entries of the data package that come without text: from their line of parameters, or published ones. */
import type { Crs, Ellipsoid, GeographicCrs, ParameterName, ProjectedCrs } from '../src/core/crs/crs.ts';
import { primeMeridians as prime } from '../src/core/crs/prime-meridians.ts';
import { crsFromWkt } from '../src/core/crs/wkt-crs.ts';

export interface Entry {
  code: string;
  kind: string;
  name: string;
  wkt: string | null;
  bbox: [north: number, west: number, south: number, east: number] | null;
  accuracy: number | null;
  area: string | null;
}

/** Ellipsoids of the entries that have no text, only a line of parameters. */
const ellipsoids: Record<string, Ellipsoid> = {
  intl: { name: 'International 1924', a: 6378388, f: 1 / 297 },
  bessel: { name: 'Bessel 1841', a: 6377397.155, f: 1 / 299.1528128 },
  clrk66: { name: 'Clarke 1866', a: 6378206.4, f: 1 / 294.978698213898 },
  clrk80ign: { name: 'Clarke 1880 (IGN)', a: 6378249.2, f: 1 / 293.466021293627 },
  GRS80: { name: 'GRS 1980', a: 6378137, f: 1 / 298.257222101 },
  WGS84: { name: 'WGS 84', a: 6378137, f: 1 / 298.257223563 },
};
const units: Record<string, { size: number; name: string }> = {
  'us-ft': { size: 1200 / 3937, name: 'US survey foot' },
  link: { size: 0.201168, name: 'link' },
};

const methodOf: Record<string, string> = {
  tmerc: 'transverse-mercator',
  merc: 'mercator-a',
  eqearth: 'equal-earth',
  col_urban: 'colombia-urban',
  labrd: 'laborde-oblique-mercator',
  omerc: 'oblique-mercator-b',
  somerc: 'oblique-mercator-b',
  krovak: 'krovak',
  cass: 'cassini-soldner-hyperbolic',
  nsper: 'vertical-perspective-sphere',
  igh_o: 'goode-homolosine-ocean',
};
const fields: Record<string, ParameterName> = {
  lat_0: 'latitudeOfOrigin',
  lon_0: 'centralMeridian',
  lonc: 'centralMeridian',
  lat_1: 'standardParallel1',
  lat_2: 'standardParallel2',
  k: 'scaleFactor',
  k_0: 'scaleFactor',
  alpha: 'azimuth',
  azi: 'azimuth',
  gamma: 'rectifiedGridAngle',
  h: 'height',
  h_0: 'height',
};

/** The same datum under the plain name, of another meridian: its text. */
function sister(name: string, entries: readonly Entry[]): GeographicCrs | null {
  const plain = name.replace(/ \([A-Z][a-z]+\)$/, '');
  const entry = entries.find(
    (each) => each.kind === 'CRS-GEOGCRS' && each.name === plain && each.wkt !== null,
  );
  return entry === undefined ? null : (crsFromWkt(entry.wkt!) as GeographicCrs);
}

/** The CRS of an entry without text, from its line of parameters; null when it has none, or one that is not computed. */
export function crsFromParameters(entry: Entry, entries: readonly Entry[]): Crs | null {
  const line = Object.values(entry).find((value) => typeof value === 'string' && value.startsWith('+')) as
    | string
    | undefined;
  if (line === undefined) return null;
  const given = new Map(
    line
      .split(/\s*\+/)
      .filter((part) => part !== '')
      .map((part) => part.trim().split('=') as [string, string]),
  );
  const number = (key: string) => Number(given.get(key));
  const a = given.has('a') ? number('a') : given.has('R') ? number('R') : undefined;
  const ellipsoid =
    a === undefined
      ? ellipsoids[given.get('ellps') ?? given.get('datum') ?? '']
      : {
          name: `${entry.name.split(' / ')[0]} ellipsoid`,
          a,
          f: given.has('rf') ? 1 / number('rf') : given.has('b') ? (a - number('b')) / a : 0,
        };
  const meridian = given.get('pm');
  if (ellipsoid === undefined) return null;
  const baseName = given.get('datum') === 'WGS84' || given.has('R') ? 'WGS 84' : entry.name.split(' / ')[0];
  const baseEntry = entries.find((each) => each.kind === 'CRS-GEOGCRS' && each.name === baseName);
  const other = sister(baseName, entries);
  // Grads are the unit of the CRSs counted from Paris, but for the oldest.
  const grads = meridian === 'paris';
  const base: GeographicCrs = {
    kind: 'geographic',
    name: given.has('R') ? 'Sphere' : baseName,
    code: given.has('R') || baseEntry === undefined ? undefined : `EPSG:${baseEntry.code}`,
    datum: given.has('R')
      ? `Sphere of ${given.get('R')} m`
      : (other?.datum ?? baseName.replace(/[^A-Za-z0-9]+/g, '_').replace(/_$/, '')),
    ellipsoid: other?.ellipsoid ?? ellipsoid,
    primeMeridian: meridian === undefined ? 0 : longitudeOf(meridian),
    unit: grads ? Math.PI / 200 : Math.PI / 180,
    unitName: grads ? 'grad' : 'degree',
    shift: null,
  };
  const projection = given.get('proj')!;
  if (projection === 'longlat') return base;
  const method =
    projection === 'lcc'
      ? given.has('lat_2')
        ? 'lambert-conic-conformal-2sp'
        : 'lambert-conic-conformal-1sp'
      : methodOf[projection];
  if (method === undefined) return null;
  const unit = units[given.get('units') ?? ''] ?? { size: 1, name: 'metre' };
  const parameters: ProjectedCrs['parameters'] = {
    falseEasting: Number(given.get('x_0') ?? 0) / unit.size,
    falseNorthing: Number(given.get('y_0') ?? 0) / unit.size,
  };
  for (const [key, name] of Object.entries(fields)) if (given.has(key)) parameters[name] = number(key);
  if (method === 'lambert-conic-conformal-1sp') delete parameters.standardParallel1;
  if (projection === 'somerc') Object.assign(parameters, { azimuth: 90, rectifiedGridAngle: 90 });
  if (projection === 'krovak')
    Object.assign(parameters, {
      azimuth: number('alpha') || 30.2881397527778,
      standardParallel1: 78.5,
      latitudeOfOrigin: 49.5,
      centralMeridian: 42.5,
    });
  return {
    kind: 'projected',
    name: entry.name,
    code: `EPSG:${entry.code}`,
    base,
    method,
    parameters,
    unit: unit.size,
    unitName: unit.name,
  };
}

function longitudeOf(name: string): number {
  const longitude = prime.find(([word]) => word.toLowerCase() === name)?.[1];
  if (longitude === undefined) throw new Error(`The prime meridian ${name} is not known.`);
  return longitude;
}

const clarkeRgs = 'SPHEROID["Clarke 1880 (RGS)",6378249.145,293.465]';
const clarke66 = 'SPHEROID["Clarke 1866",6378206.4,294.978698213898]';
const degree = 'UNIT["degree",0.0174532925199433]';
const greenwich = 'PRIMEM["Greenwich",0]';
const bessel = 'SPHEROID["Bessel 1841",6377397.155,299.1528128]';
const guam = `GEOGCS["Guam 1963",DATUM["Guam_1963",${clarke66}],${greenwich},${degree},AUTHORITY["EPSG","4675"]]`;
const clarkeIgn = 'SPHEROID["Clarke 1880 (IGN)",6378249.2,293.466021293627]';
const jtsk05 = `GEOGCS["S-JTSK/05 (Ferro)",DATUM["System_of_the_Unified_Trigonometrical_Cadastral_Network_05",${bessel}],PRIMEM["Ferro",-17.6666666666667],${degree},AUTHORITY["EPSG","5229"]]`;
const modified = (name: string, code: number) =>
  `PROJCS["${name}",${jtsk05},PROJECTION["${code === 5224 ? 'Krovak_Modified' : 'Krovak_Modified_(North_Orientated)'}"],PARAMETER["Latitude of projection centre",49.5],PARAMETER["Longitude of origin",42.5],PARAMETER["Co-latitude of cone axis",30.2881397222222],PARAMETER["Latitude of pseudo standard parallel",78.5],PARAMETER["Scale factor on pseudo standard parallel",0.9999],PARAMETER["False easting",5000000],PARAMETER["False northing",5000000],UNIT["metre",1],AUTHORITY["EPSG","${code}"]]`;
const seconds = (d: number, m: number, s: number) => d + m / 60 + s / 3600;

/**
 * Definitions that the package has no line of, as EPSG Guidance Note 7-2 gives them in its worked examples (Guam, Yap,
 * Tunisia), or that follow from their sisters there (the same grid counted from another meridian).
 */
export const knownDefinitions = new Map<string, string>([
  ['4675', guam],
  [
    '4600',
    `GEOGCS["Anguilla 1957",DATUM["Anguilla_1957",${clarkeRgs}],${greenwich},${degree},AUTHORITY["EPSG","4600"]]`,
  ],
  [
    '2000',
    `PROJCS["Anguilla 1957 / British West Indies Grid",GEOGCS["Anguilla 1957",DATUM["Anguilla_1957",${clarkeRgs}],${greenwich},${degree},AUTHORITY["EPSG","4600"]],PROJECTION["Transverse_Mercator"],PARAMETER["latitude_of_origin",0],PARAMETER["central_meridian",-62],PARAMETER["scale_factor",0.9995],PARAMETER["false_easting",400000],PARAMETER["false_northing",0],UNIT["metre",1]]`,
  ],
  [
    '2963',
    `PROJCS["Lisbon 1890 (Lisbon) / Portugal Bonne",GEOGCS["Lisbon 1890 (Lisbon)",DATUM["Lisbon_1890",${bessel}],PRIMEM["Lisbon",-9.13190611111111],${degree},AUTHORITY["EPSG","4904"]],PROJECTION["Bonne_(South_Orientated)"],PARAMETER["Latitude of natural origin",39.6666666666667],PARAMETER["Longitude of natural origin",1],PARAMETER["False easting",0],PARAMETER["False northing",0],UNIT["metre",1]]`,
  ],
  [
    '3295',
    `PROJCS["Guam 1963 / Yap Islands",${guam},PROJECTION["Modified_Azimuthal_Equidistant"],PARAMETER["latitude_of_center",${seconds(9, 32, 48.15)}],PARAMETER["longitude_of_center",${seconds(138, 10, 7.48)}],PARAMETER["false_easting",40000],PARAMETER["false_northing",60000],UNIT["metre",1]]`,
  ],
  [
    '3993',
    `PROJCS["Guam 1963 / Guam SPCS",${guam},PROJECTION["Guam_Projection"],PARAMETER["latitude_of_origin",${seconds(13, 28, 20.87887)}],PARAMETER["central_meridian",${seconds(144, 44, 55.50254)}],PARAMETER["false_easting",50000],PARAMETER["false_northing",50000],UNIT["metre",1]]`,
  ],
  ['5224', modified('S-JTSK/05 (Ferro) / Modified Krovak', 5224)],
  ['5225', modified('S-JTSK/05 (Ferro) / Modified Krovak East North', 5225)],
  [
    '22300',
    `PROJCS["Carthage (Paris) / Tunisia Mining Grid",GEOGCS["Carthage (Paris)",DATUM["Carthage",${clarkeIgn}],PRIMEM["Paris",2.33722917],UNIT["grad",0.0157079632679489],AUTHORITY["EPSG","4816"]],PROJECTION["Tunisia_Mining_Grid"],PARAMETER["Latitude of false origin",36.5964],PARAMETER["Longitude of false origin",7.83445],PARAMETER["Easting at false origin",270],PARAMETER["Northing at false origin",360],UNIT["kilometre",1000]]`,
  ],
]);
