import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { crsByEpsg } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import { withoutTrailing } from '../../core/trim-end.ts';

/** Keys of the GeoKey directory (OGC 19-008r4, annex on GeoKeys). */
const Key = {
  ModelType: 1024,
  RasterType: 1025,
  Citation: 1026,
  GeodeticCrs: 2048,
  GeodeticCitation: 2049,
  Datum: 2050,
  PrimeMeridianLongitude: 2061,
  Ellipsoid: 2056,
  SemiMajor: 2057,
  SemiMinor: 2058,
  InverseFlattening: 2059,
  ProjectedCrs: 3072,
  ProjectedCitation: 3073,
  Method: 3075,
  LinearUnits: 3076,
  LinearUnitSize: 3077,
  Parallel1: 3078,
  Parallel2: 3079,
  NaturalLongitude: 3080,
  NaturalLatitude: 3081,
  FalseEasting: 3082,
  FalseNorthing: 3083,
  FalseOriginLongitude: 3084,
  FalseOriginLatitude: 3085,
  FalseOriginEasting: 3086,
  FalseOriginNorthing: 3087,
  ScaleAtNaturalOrigin: 3092,
} as const;

const userDefined = 32767;

export class GeoKeys {
  private readonly values = new Map<number, number | string>();

  constructor(directory: readonly number[], doubles: readonly number[], ascii: string) {
    const count = Math.min(directory[3] ?? 0, Math.floor((directory.length - 4) / 4));
    for (let k = 0; k < count; k++) {
      const [key, place, length, value] = directory.slice(4 + 4 * k, 8 + 4 * k);
      if (place === 0) this.values.set(key, value);
      else if (place === 34736) {
        if (value < doubles.length) this.values.set(key, doubles[value]);
      } else if (place === 34737)
        this.values.set(key, withoutTrailing(ascii.slice(value, value + length), '|'));
    }
  }

  get empty(): boolean {
    return this.values.size === 0;
  }

  /** Coordinates belong to the middle of cells, not to their corner. */
  get atPoints(): boolean {
    return this.number(Key.RasterType) === 2;
  }

  private number(key: number): number | undefined {
    const value = this.values.get(key);
    return typeof value === 'number' ? value : undefined;
  }

  private text(key: number): string | undefined {
    const value = this.values.get(key);
    return typeof value === 'string' && value !== '' ? value : undefined;
  }

  /** The CRS that the keys name; null when they name none. Throws what cannot be read. */
  crs(): Crs | null {
    if (this.empty) return null;
    const projected = this.number(Key.ProjectedCrs);
    if (projected !== undefined && projected !== userDefined && projected !== 0) return byCode(projected);
    if (this.number(Key.ModelType) === 1 || projected === userDefined)
      return crsFromText(this.projectedWkt());
    const geodetic = this.number(Key.GeodeticCrs);
    if (geodetic !== undefined && geodetic !== userDefined && geodetic !== 0) return byCode(geodetic);
    if (this.number(Key.ModelType) === 2 || geodetic === userDefined)
      return crsFromText(this.geographicWkt());
    return null;
  }

  private geographicWkt(): string {
    const code = this.number(Key.GeodeticCrs);
    if (code !== undefined && code !== userDefined && code !== 0) {
      const known = byCode(code);
      if (known.kind === 'geographic') {
        const { a, f } = known.ellipsoid;
        return geogcs(known.name, known.datum, a, f === 0 ? 0 : 1 / f, known.primeMeridian);
      }
    }
    const major = this.number(Key.SemiMajor);
    const minor = this.number(Key.SemiMinor);
    const ellipsoid = this.number(Key.Ellipsoid);
    const [a, f] =
      major !== undefined
        ? [
            major,
            this.number(Key.InverseFlattening) ??
              (minor === undefined || minor === major ? 0 : major / (major - minor)),
          ]
        : (ellipsoids[ellipsoid ?? 0] ?? fail('its ellipsoid is not told'));
    const name = this.text(Key.GeodeticCitation) ?? this.text(Key.Citation) ?? 'unnamed';
    const datum =
      this.number(Key.Datum) === 6326 ? 'WGS_1984' : (/Datum\s*=\s*([^|]+)/.exec(name)?.[1]?.trim() ?? name);
    return geogcs(name.split('|')[0], datum, a, f, this.number(Key.PrimeMeridianLongitude) ?? 0);
  }

  private projectedWkt(): string {
    const method = this.number(Key.Method);
    const found = methods[method ?? 0] ?? fail(`its projection has the number ${method ?? 'of none'}`);
    const unit = this.number(Key.LinearUnits);
    const size =
      unit === userDefined
        ? (this.number(Key.LinearUnitSize) ?? 1)
        : (units[unit ?? 9001] ?? fail(`its unit has the number ${unit}`));
    const value = (...keys: number[]) =>
      keys.map((key) => this.number(key)).find((each) => each !== undefined);
    const parameters: [string, number][] = [
      ['latitude_of_origin', value(Key.NaturalLatitude, Key.FalseOriginLatitude) ?? 0],
      ['central_meridian', value(Key.NaturalLongitude, Key.FalseOriginLongitude) ?? 0],
      ['false_easting', value(Key.FalseEasting, Key.FalseOriginEasting) ?? 0],
      ['false_northing', value(Key.FalseNorthing, Key.FalseOriginNorthing) ?? 0],
    ];
    const scale = this.number(Key.ScaleAtNaturalOrigin);
    if (found.includes('2SP')) {
      parameters.push(
        ['standard_parallel_1', this.number(Key.Parallel1) ?? 0],
        ['standard_parallel_2', this.number(Key.Parallel2) ?? 0],
      );
    } else parameters.push(['scale_factor', scale ?? 1]);
    const name = this.text(Key.ProjectedCitation) ?? this.text(Key.Citation) ?? 'unnamed';
    const list = parameters.map(([key, number]) => `PARAMETER["${key}",${number}]`).join(',');
    return `PROJCS["${plain(name)}",${this.geographicWkt()},PROJECTION["${found}"],${list},UNIT["${size === 1 ? 'metre' : 'unit'}",${size}]]`;
  }
}

function fail(words: string): never {
  throw new IsomericError('geo-keys-unknown', `The keys define a CRS of their own, and ${words}.`);
}

function byCode(code: number): Crs {
  const crs = crsByEpsg(code);
  if (crs !== null) return crs;
  throw new IsomericError('crs-unknown', `EPSG:${code} is not known.`);
}

const plain = (name: string) => name.replaceAll('"', '').split('|')[0].trim();

function geogcs(name: string, datum: string, a: number, f: number, meridian: number): string {
  return `GEOGCS["${plain(name)}",DATUM["${plain(datum)}",SPHEROID["unnamed",${a},${f}]],PRIMEM["meridian",${meridian}],UNIT["degree",0.0174532925199433]]`;
}

/** EPSG codes of ellipsoids that files name without figures: semi-major axis in metres, inverse flattening. */
const ellipsoids: Record<number, [number, number]> = {
  7030: [6378137, 298.257223563],
  7019: [6378137, 298.257222101],
  7004: [6377397.155, 299.1528128],
  7022: [6378388, 297],
  7008: [6378206.4, 294.978698213898],
  7001: [6377563.396, 299.3249646],
  7024: [6378245, 298.3],
};

/** Coordinate transformation codes of the keys → names in WKT. */
const methods: Record<number, string> = {
  1: 'Transverse_Mercator',
  7: 'Mercator_1SP',
  8: 'Lambert_Conformal_Conic_2SP',
  9: 'Lambert_Conformal_Conic_1SP',
};

/** Linear units by EPSG code, in metres. */
const units: Record<number, number> = { 9001: 1, 9002: 0.3048, 9003: 0.30480060960121924, 9036: 1000 };
