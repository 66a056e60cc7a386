import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Crs, type GeographicCrs, geographicOf, type ProjectedCrs } from '../../../src/core/crs/crs.ts';
import { crsFromText } from '../../../src/core/crs/from-text.ts';
import { methodFromText } from '../../../src/core/crs/projections/register.ts';
import { crsByEpsg, crsByNumber, registryCodes } from '../../../src/core/crs/registry.ts';
import { transformer } from '../../../src/core/crs/transformer.ts';
import { crsFromWkt } from '../../../src/core/crs/wkt-crs.ts';
import { wktFromCrs } from '../../../src/core/crs/wkt-write.ts';
import { IsomericError } from '../../../src/core/errors.ts';

interface Sample {
  code: number;
  name: string;
  method: string;
  unit_to_metre: number;
  points: [number, number, number, number][];
  tolerance_m: number;
  wkt: string;
}
const samples: Sample[] = JSON.parse(
  readFileSync(new URL('../../truth/crs-sample.json', import.meta.url), 'utf8'),
).cases;
const computed = samples.filter((s) => methodFromText(/PROJECTION\["([^"]+)"/.exec(s.wkt)![1]) !== undefined);

/** The base CRS counted in degrees from Greenwich, as the samples are. */
function degreesFromGreenwich(crs: Crs): GeographicCrs {
  return { ...geographicOf(crs), code: undefined, primeMeridian: 0, unit: Math.PI / 180 };
}

describe('projections against 40-digit reference coordinates', () => {
  it('covers the methods that are implemented', () => expect(computed.length).toBeGreaterThanOrEqual(22));

  it.each(computed.map((s) => [`${s.code} ${s.name}`, s] as const))('%s', (_, sample) => {
    for (const crs of [crsFromWkt(sample.wkt), crsByEpsg(sample.code)]) {
      if (crs === null) continue;
      const base = degreesFromGreenwich(crs);
      const there = transformer(base, crs);
      const back = transformer(crs, base);
      for (const [lon, lat, x, y] of sample.points) {
        const xy = Float64Array.of(lon, lat);
        there.transform(xy);
        expect(Math.abs(xy[0] - x) * sample.unit_to_metre, `x ${xy[0]} for ${x}`).toBeLessThan(
          sample.tolerance_m,
        );
        expect(Math.abs(xy[1] - y) * sample.unit_to_metre, `y ${xy[1]} for ${y}`).toBeLessThan(
          sample.tolerance_m,
        );
        back.transform(xy);
        // At a pole any longitude is right.
        const turn = ((xy[0] - lon + 540) % 360) - 180;
        expect(turn * Math.cos((lat * Math.PI) / 180)).toBeCloseTo(0, 9);
        expect(xy[1]).toBeCloseTo(lat, 9);
      }
    }
  });
});

describe('there and back', () => {
  const cases = [32626, 3857, 2154, 3034, 27700, 2049, 3395];
  it.each(cases)('EPSG:%i returns to the same coordinates within a hundredth of a micrometre', (code) => {
    const crs = crsByEpsg(code) as ProjectedCrs;
    const base = { ...crs.base };
    const [west, south, east, north] = crs.area!;
    const there = transformer(base, crs);
    const back = transformer(crs, base);
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (u, v) => {
          const lon = west + u * (east - west);
          const lat = Math.max(-85, Math.min(85, south + v * (north - south)));
          const xy = Float64Array.of(lon, lat);
          expect(there.transform(xy)).toBe(0);
          back.transform(xy);
          expect(Math.abs(xy[0] - lon) * Math.cos((lat * Math.PI) / 180)).toBeLessThan(1e-13 * 4);
          expect(Math.abs(xy[1] - lat)).toBeLessThan(1e-13 * 4);
        },
      ),
      { numRuns: 200 },
    );
  });
});

describe('datum shifts', () => {
  /** EPSG Guidance Note 7-2, 4.3.3.1: worked example, WGS 72 to WGS 84 in the position-vector convention. */
  it('gives the worked example of the position-vector method', () => {
    const wgs72 = crsFromWkt(
      'GEOGCS["WGS 72",DATUM["WGS_1972_own",SPHEROID["WGS 72",6378135,298.26],TOWGS84[0,0,4.5,0,0,0.554,0.219]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]]',
    );
    const xy = Float64Array.of(4, 55);
    transformer(wgs72, crsByEpsg(4326)!).transform(xy);
    // 55°00′00.090″N, 4°00′00.554″E
    expect((xy[1] - 55) * 3600).toBeCloseTo(0.09, 3);
    expect((xy[0] - 4) * 3600).toBeCloseTo(0.554, 3);
  });

  /** Ordnance Survey, "A guide to coordinate systems in Great Britain": the Caister water tower, good to about 5 m here. */
  it('brings the Caister water tower from the British grid to where GNSS sees it', () => {
    const xy = Float64Array.of(651409.903, 313177.27);
    transformer(crsByEpsg(27700)!, crsByEpsg(4326)!).transform(xy);
    expect(Math.abs(xy[1] - (52 + 39 / 60 + 28.8282 / 3600)) * 111_200).toBeLessThan(5);
    expect(Math.abs(xy[0] - (1 + 42 / 60 + 57.8663 / 3600)) * 67_500).toBeLessThan(5);
  });

  /** Kadaster: the tower at Amersfoort, origin of the Dutch grid, on Bessel's ellipsoid and in ETRS89. */
  it('brings the Amersfoort tower from ETRS89 to its Bessel coordinates', () => {
    const xy = Float64Array.of(5.38720621, 52.1551744);
    transformer(crsByEpsg(4258)!, crsByEpsg(4289)!).transform(xy);
    expect(Math.abs(xy[1] - (52 + 9 / 60 + 22.178 / 3600)) * 111_200).toBeLessThan(0.5);
    expect(Math.abs(xy[0] - (5 + 23 / 60 + 15.5 / 3600)) * 68_300).toBeLessThan(0.5);
  });

  it('says that no shift is known, and never takes it for zero', () => {
    const unknown = registryCodes()
      .map((code) => crsByNumber(code)!)
      .find((crs) => crs.kind === 'geographic' && crs.shift === null)!;
    expect(() => transformer(unknown, crsByEpsg(4326)!)).toThrowError(IsomericError);
  });
});

describe('CRS texts', () => {
  it('reads the .prj dialect and finds the registered CRS', () => {
    const utm =
      'PROJCS["WGS_1984_UTM_Zone_26N",GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",500000.0],PARAMETER["False_Northing",0.0],PARAMETER["Central_Meridian",-27.0],PARAMETER["Scale_Factor",0.9996],PARAMETER["Latitude_Of_Origin",0.0],UNIT["Meter",1.0]]';
    expect(crsFromText(utm).code).toBe('EPSG:32626');
    expect(
      crsFromText(
        'GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]]',
      ).code,
    ).toBe('EPSG:4326');
  });

  it('reads one conic name as one or two standard parallels', () => {
    const text = (parameters: string) =>
      `PROJCS["x",GEOGCS["GCS_x",DATUM["D_x",SPHEROID["GRS_1980",6378137.0,298.257222101]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Lambert_Conformal_Conic"],PARAMETER["Central_Meridian",3.0],${parameters},UNIT["Meter",1.0]]`;
    expect(
      (
        crsFromWkt(
          text('PARAMETER["Standard_Parallel_1",49.5],PARAMETER["Scale_Factor",0.9998]'),
        ) as ProjectedCrs
      ).method,
    ).toBe('lambert-conic-conformal-1sp');
    expect(
      (
        crsFromWkt(
          text(
            'PARAMETER["Standard_Parallel_1",44.0],PARAMETER["Standard_Parallel_2",49.0],PARAMETER["Latitude_Of_Origin",46.5]',
          ),
        ) as ProjectedCrs
      ).method,
    ).toBe('lambert-conic-conformal-2sp');
  });

  it('writes what it reads back the same, for every fifth CRS of the registry', () => {
    for (const code of registryCodes().filter((_, i) => i % 5 === 0)) {
      const crs = crsByNumber(code)!;
      const again = crsFromWkt(wktFromCrs(crs));
      expect(again.code).toBe(crs.code);
      if (crs.kind === 'projected') {
        expect((again as ProjectedCrs).method.replace('-north', '')).toBe(crs.method.replace('-north', ''));
        for (const [key, value] of Object.entries(crs.parameters))
          expect((again as ProjectedCrs).parameters[key as 'scaleFactor']).toBeCloseTo(value, 10);
      }
    }
  });

  it('finds by code, by name and by address, and suggests when it does not', () => {
    expect(crsFromText('WGS 84 / UTM zone 26N').code).toBe('EPSG:32626');
    expect(crsFromText('http://www.opengis.net/def/crs/EPSG/0/3857').code).toBe('EPSG:3857');
    expect(crsFromText('urn:ogc:def:crs:OGC:1.3:CRS84').code).toBe('EPSG:4326');
    expect(() => crsFromText('EPSG:99999')).toThrowError(/names no CRS/);
    expect(() => crsFromText('PROJCS["x",GEOGCS["')).toThrowError(/damaged/);
  });

  it('survives any damage to a text with an error of ours', () => {
    const good = wktFromCrs(crsByEpsg(27700)!);
    fc.assert(
      fc.property(fc.nat(good.length), fc.nat(6), fc.string({ maxLength: 4 }), (at, cut, put) => {
        try {
          crsFromText(good.slice(0, at) + put + good.slice(at + cut));
        } catch (error) {
          expect(error).toBeInstanceOf(IsomericError);
        }
      }),
      { numRuns: 400 },
    );
  });
});
