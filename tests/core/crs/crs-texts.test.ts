import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { crsFromProjjson } from '../../../src/core/crs/from-text.ts';
import { projjsonFromCrs } from '../../../src/core/crs/projjson.ts';
import { registryCodes } from '../../../src/core/crs/registry.ts';
import { prjFromCrs } from '../../../src/core/crs/wkt-write.ts';
import {
  type Crs,
  crsByEpsg,
  crsFromText,
  IsomericError,
  sameCrs,
  transformer,
} from '../../../src/core/index.ts';

/** The same definition without the code that would find it again. */
const bare = (crs: Crs): Crs => ({ ...crs, code: undefined });
const withoutIds = (value: unknown) =>
  JSON.parse(JSON.stringify(value, (key, each: unknown) => (key === 'id' ? undefined : each)));

const codes = registryCodes().filter((code, k) => k % 9 === 0 && Number(code) < 32_768);

describe('a CRS as PROJJSON', () => {
  it('comes back the same, with its code and without, for every ninth CRS of the registry', () => {
    for (const code of codes) {
      const crs = crsByEpsg(code)!;
      const json = projjsonFromCrs(crs);
      expect(crsFromProjjson(json).code).toBe(`EPSG:${code}`);
      const found = crsFromProjjson(withoutIds(json));
      expect(sameCrs(bare(found), bare(crs)), code).toBe(true);
    }
  });

  it('is read as text too, and names what it does not read', () => {
    expect(crsFromText(JSON.stringify(projjsonFromCrs(crsByEpsg(32626)!))).code).toBe('EPSG:32626');
    expect(() => crsFromText('{"type":"VerticalCRS"}')).toThrowError(IsomericError);
    expect(() => crsFromText('{"type":')).toThrowError(IsomericError);
  });

  it('carries the shift of a datum that is in no registry', () => {
    const own = crsFromText(
      'GEOGCS["Ours",DATUM["Ours_1931",SPHEROID["Own",6378300,297.5],TOWGS84[100,-50,20,1,2,-3,4.5]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]]',
    );
    const back = crsFromProjjson(projjsonFromCrs(own));
    const there = transformer(own, crsByEpsg(4326)!);
    const again = transformer(back, crsByEpsg(4326)!);
    const a = Float64Array.of(-29.5, 45.5);
    const b = Float64Array.of(-29.5, 45.5);
    there.transform(a);
    again.transform(b);
    expect(b[0]).toBeCloseTo(a[0], 12);
    expect(b[1]).toBeCloseTo(a[1], 12);
    expect(a[0]).not.toBeCloseTo(-29.5, 6);
  });

  it('survives any JSON with an error of ours', () => {
    const keys = fc.constantFrom(
      'type',
      'name',
      'base_crs',
      'conversion',
      'datum',
      'ellipsoid',
      'parameters',
      'id',
      'unit',
    );
    const value = fc.letrec((tie) => ({
      any: fc.oneof(
        { maxDepth: 4 },
        fc.constantFrom('ProjectedCRS', 'GeographicCRS', 'BoundCRS', 'CompoundCRS', 'degree', 1, null, true),
        fc.dictionary(keys, tie('any'), { maxKeys: 5 }),
        fc.array(tie('any'), { maxLength: 3 }),
      ),
    })).any;
    fc.assert(
      fc.property(value, (json) => {
        try {
          crsFromProjjson(json);
        } catch (error) {
          expect(error).toBeInstanceOf(IsomericError);
        }
      }),
    );
  });
});

describe('a CRS as .prj text', () => {
  it('comes back the same for EPSG codes of the registry', () => {
    for (const code of codes) {
      const crs = crsByEpsg(code)!;
      const found = crsFromText(prjFromCrs(crs));
      expect(sameCrs(bare(found), bare(crs)), `${code} ${crs.name}`).toBe(true);
    }
  });
});

describe('WKT 2', () => {
  const utm = (unit: string, east: string) => `PROJCRS["ETRS89 / UTM zone 32N",
    BASEGEOGCRS["ETRS89",ENSEMBLE["European Terrestrial Reference System 1989 ensemble",MEMBER["x"],ELLIPSOID["GRS 1980",6378137,298.257222101,LENGTHUNIT["metre",1]],ENSEMBLEACCURACY[0.1]],PRIMEM["Greenwich",0,ANGLEUNIT["degree",0.0174532925199433]],ID["EPSG",4258]],
    CONVERSION["UTM zone 32N",METHOD["Transverse Mercator",ID["EPSG",9807]],
      PARAMETER["Latitude of natural origin",0,ANGLEUNIT["degree",0.0174532925199433]],
      PARAMETER["Longitude of natural origin",9,ANGLEUNIT["degree",0.0174532925199433]],
      PARAMETER["Scale factor at natural origin",0.9996,SCALEUNIT["unity",1]],
      PARAMETER["False easting",${east},LENGTHUNIT["metre",1]],
      PARAMETER["False northing",0,LENGTHUNIT["metre",1]]],
    CS[Cartesian,2],AXIS["(E)",east],AXIS["(N)",north],LENGTHUNIT[${unit}]]`;

  it('is read with its ensembles and its units', () => {
    expect(crsFromText(utm('"metre",1', '500000')).code).toBe('EPSG:25832');
    // Parameters stand in their own units, coordinates in that of the axes.
    const feet = crsFromText(utm('"foot",0.3048', '500000'));
    expect(feet.kind === 'projected' && feet.parameters.falseEasting).toBeCloseTo(500_000 / 0.3048, 6);
  });

  it('horizontal parts of compound definitions, and bound ones with their shift', () => {
    const compound = `COMPOUNDCRS["with heights",${utm('"metre",1', '500000')},VERTCRS["h",VDATUM["d"],CS[vertical,1],AXIS["h",up],LENGTHUNIT["metre",1]]]`;
    expect(crsFromText(compound).code).toBe('EPSG:25832');
    const geographic =
      'GEOGCRS["Ours",DATUM["Ours_1931",ELLIPSOID["Own",6378300,297.5]],CS[ellipsoidal,2],AXIS["lat",north],AXIS["lon",east],ANGLEUNIT["degree",0.0174532925199433]]';
    const bound = (method: string, sign: number) =>
      `BOUNDCRS[SOURCECRS[${geographic}],TARGETCRS[GEOGCRS["WGS 84",DATUM["World Geodetic System 1984",ELLIPSOID["WGS 84",6378137,298.257223563]],CS[ellipsoidal,2],AXIS["lat",north],AXIS["lon",east],ANGLEUNIT["degree",0.0174532925199433]]],ABRIDGEDTRANSFORMATION["shift",METHOD["${method}"],PARAMETER["X-axis translation",100],PARAMETER["Y-axis translation",-50],PARAMETER["Z-axis translation",20],PARAMETER["X-axis rotation",${sign * 1}],PARAMETER["Y-axis rotation",${sign * 2}],PARAMETER["Z-axis rotation",${sign * -3}],PARAMETER["Scale difference",1.0000045]]]`;
    for (const crs of [
      crsFromText(bound('Position Vector transformation (geog2D domain)', 1)),
      crsFromText(bound('Coordinate Frame rotation (geog2D domain)', -1)),
    ]) {
      expect(crs.kind === 'geographic' && crs.shift).toMatchObject({
        tx: 100,
        ty: -50,
        tz: 20,
        rx: 1,
        ry: 2,
        rz: -3,
      });
      expect(crs.kind === 'geographic' && crs.shift!.ppm).toBeCloseTo(4.5, 6);
    }
  });

  it('says what it does not compute', () => {
    expect(() => crsFromText(utm('"metre",1', '5').replace('Transverse Mercator', 'Snaky'))).toThrowError(
      /projection Snaky/,
    );
    expect(() => crsFromText('ENGCRS["x"]')).toThrowError(IsomericError);
  });
});
