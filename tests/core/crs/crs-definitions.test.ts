import { describe, expect, it } from 'vitest';
import { datumKey } from '../../../src/core/crs/datum-names.ts';
import { crsFromProjjson } from '../../../src/core/crs/from-text.ts';
import { affineOfShift } from '../../../src/core/crs/geocentric.ts';
import {
  type Crs,
  crsByEpsg,
  crsByNumber,
  crsFromText,
  type GeographicCrs,
  geographicOf,
  IsomericError,
  type ProjectedCrs,
  prjFromCrs,
  projjsonFromCrs,
  registryCodes,
  sameCrs,
  transformer,
  wkt2FromCrs,
} from '../../../src/core/index.ts';
import { gcs, pcs, prjTexts } from '../../truth/prj-texts.ts';

const wgs84 = crsByEpsg(4326)!;
const bare = (crs: Crs): Crs => ({ ...crs, code: undefined });
const codeOf = (run: () => unknown): string => {
  try {
    run();
  } catch (error) {
    expect(error).toBeInstanceOf(IsomericError);
    return (error as IsomericError).code;
  }
  return 'nothing';
};

describe('texts that lie beside shapefiles', () => {
  it('are enough to say something', () => expect(prjTexts.length).toBeGreaterThanOrEqual(60));

  it.each(prjTexts.map(([code, text]) => [code ?? 'of no registry', text.slice(0, 60), text] as const))(
    '%s: %s',
    (code, _, text) => {
      const crs = crsFromText(text);
      expect(crs.code ?? 'of no registry').toBe(code);
      expect(crs.remarks ?? []).toEqual([]);
      if (crs.code === undefined) return;
      // Without an option to WGS 84 and to any grid.
      expect(() => transformer(crs, wgs84)).not.toThrow();
      expect(() => transformer(crs, crsByEpsg(32626)!)).not.toThrow();
    },
  );
});

describe('every CRS of the registry', () => {
  const withoutIds = (value: unknown) =>
    JSON.parse(JSON.stringify(value, (key, each: unknown) => (key === 'id' ? undefined : each)));

  it('comes back as itself from .prj, WKT 2 and PROJJSON, also without its code', () => {
    const bad: string[] = [];
    for (const code of registryCodes()) {
      const crs = crsByNumber(code)!;
      const forms: Record<string, () => Crs> = {
        prj: () => crsFromText(prjFromCrs(crs)),
        'WKT 2': () => crsFromText(wkt2FromCrs(crs).replace(/,ID\["EPSG",\d+\]/g, '')),
        PROJJSON: () => crsFromProjjson(withoutIds(projjsonFromCrs(crs))),
      };
      for (const [form, read] of Object.entries(forms)) {
        const again = read();
        if (!sameCrs(bare(again), bare(crs)) || (crs.code !== undefined && !twins(again, crs)))
          bad.push(`${form} ${code} ${crs.name} → ${again.code} ${again.name}`);
      }
    }
    expect(bad).toEqual([]);
  });

  /** The same code, or one that says the same under another number. */
  const twins = (a: Crs, b: Crs) => a.code === b.code || a.name === b.name;
});

describe('definitions are read whole or refused', () => {
  const wgs = gcs('WGS_1984', 'D_WGS_1984', 'wgs');
  const utm = (more: Record<string, number>, base = wgs) =>
    pcs('Own', base, 'Transverse_Mercator', {
      False_Easting: 500000,
      False_Northing: 0,
      Central_Meridian: -27,
      Scale_Factor: 0.9996,
      Latitude_Of_Origin: 0,
      ...more,
    });

  it.each([
    ['a mistyped parameter', utm({ False_Eastnig: 1000 }), /False_Eastnig.*not understood/],
    [
      'a rotation that the method has not',
      utm({ XY_Plane_Rotation: 12 }),
      /no parameter XY_Plane_Rotation, which is 12/,
    ],
    [
      'another auxiliary sphere',
      pcs('x', wgs, 'Mercator_Auxiliary_Sphere', {
        Central_Meridian: 0,
        Standard_Parallel_1: 0,
        Auxiliary_Sphere_Type: 2,
      }),
      /auxiliary sphere type 2/,
    ],
    [
      'a latitude of origin of a Mercator',
      pcs('x', wgs, 'Mercator_1SP', { Central_Meridian: 0, Latitude_Of_Origin: 40, Scale_Factor: 1 }),
      /Latitude_Of_Origin is 40/,
    ],
    [
      'a parallel beyond the pole',
      pcs('x', wgs, 'Albers', {
        Central_Meridian: 0,
        Standard_Parallel_1: 95,
        Standard_Parallel_2: 20,
        Latitude_Of_Origin: 0,
      }),
      /beyond ±90/,
    ],
    ['a method that is not known', pcs('x', wgs, 'Snaky_Conic', {}), /projection Snaky_Conic/],
    ['a parameter that is missing', pcs('x', wgs, 'Albers', { Central_Meridian: 0 }), /lacks the parameters/],
    ['a scale of nothing', utm({ Scale_Factor: 0 }), /Scale_Factor is 0/],
    ['a parameter that is given twice', utm({ Longitude_Of_Center: 3 }), /twice/],
  ])('%s', (_, text, words) => {
    expect(() => crsFromText(text)).toThrowError(words);
    expect(codeOf(() => crsFromText(text))).toMatch(/^projection-/);
  });

  it.each([
    ['SPHEROID 0', gcs('x', 'D_x', 'SPHEROID["x",0,298]')],
    ['an inverse flattening of 1', gcs('x', 'D_x', 'SPHEROID["x",6378137,1]')],
    ['UNIT 0', gcs('x', 'D_x', 'wgs', 'PRIMEM["Greenwich",0]', 'UNIT["Degree",0]')],
    [
      'five numbers of TOWGS84',
      'GEOGCS["x",DATUM["x",SPHEROID["x",6378137,298],TOWGS84[1,2,3,4,5]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]]',
    ],
  ])('%s is an error', (_, text) => expect(codeOf(() => crsFromText(text))).toBe('crs-impossible'));

  it('a cone of nothing is an error when it is planned', () => {
    const crs = crsFromText(
      pcs('x', wgs, 'Lambert_Conformal_Conic', {
        Central_Meridian: 0,
        Standard_Parallel_1: 30,
        Standard_Parallel_2: -30,
        Latitude_Of_Origin: 0,
      }),
    );
    expect(codeOf(() => transformer(wgs84, crs))).toBe('projection-impossible');
  });

  it('what changes nothing is no parameter', () => {
    expect(crsFromText(utm({ XY_Plane_Rotation: 0, Azimuth: 0 })).code).toBe('EPSG:32626');
  });

  it('a code that contradicts its own text is remarked, and the text counts', () => {
    const text = `${utm({ Central_Meridian: -30 }).slice(0, -1)},AUTHORITY["EPSG","32626"]]`;
    const crs = crsFromText(text) as ProjectedCrs;
    expect(crs.code).toBeUndefined();
    expect(crs.parameters.centralMeridian).toBe(-30);
    expect(crs.remarks![0]).toMatchObject({ code: 'crs-code-contradicts' });
    expect(crs.remarks![0].words).toMatch(/EPSG:32626.*text counts/);
  });

  it('an area in the millions of metres is no web map: only the sphere of WGS 84 is, under any of its names', () => {
    const plain = pcs('Own', wgs, 'Mercator', { Central_Meridian: 0, Standard_Parallel_1: 0 });
    expect((crsFromText(plain) as ProjectedCrs).method).toBe('mercator-b');
    for (const name of ['WGS_1984_Web_Mercator', 'WGS 84 / Pseudo-Mercator', 'Global Mercator'])
      expect(crsFromText(plain.replace('"Own"', `"${name}"`)).code).toBe('EPSG:3857');
    for (const number of ['900913', '102100', '102113', '3785', '3857'])
      expect(crsFromText(`EPSG:${number}`).code).toBe('EPSG:3857');
  });
});

describe('shifts that a text or a person states', () => {
  const text = (shift: string, code = '') =>
    `GEOGCS["Amersfoort",DATUM["Amersfoort",SPHEROID["Bessel 1841",6377397.155,299.1528128],TOWGS84[${shift}]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]${code}]`;

  it.each(['', ',AUTHORITY["EPSG","4289"]'])(
    'are used for known datums too, and the distance is named (%s)',
    (code) => {
      // As a widespread table has it, its rotations in microradians.
      const crs = crsFromText(
        text('565.4171,50.3319,465.5524,1.9342,-1.6677,9.1019,4.0725', code),
      ) as GeographicCrs;
      expect(crs.shift!.rx).toBe(1.9342);
      expect(crs.code).toBe('EPSG:4289');
      expect(crs.remarks!.map((each) => each.code)).toEqual(['crs-shift-differs']);
      const metres = Number(/leads ([\d,]+) m/.exec(crs.remarks![0].words)![1].replace(',', ''));
      expect(metres).toBeGreaterThan(100);
      expect(metres).toBeLessThan(700);
      const own = crsFromText(text('565.2369,50.0087,465.658,-0.406857,0.350733,-1.870347,4.0812', code));
      expect(own.remarks).toBeUndefined();
    },
  );

  it('of a grid whose datum has none are used', () => {
    const none = registryCodes()
      .map((code) => crsByNumber(code)!)
      .find((crs) => crs.kind === 'geographic' && crs.shift === null && crs.code !== undefined)!;
    expect(codeOf(() => transformer(none, wgs84))).toBe('datum-shift-unknown');
    const { name, ellipsoid, datum } = none as GeographicCrs;
    const stated = crsFromText(
      `GEOGCS["${name}",DATUM["${datum}",SPHEROID["${ellipsoid.name}",${ellipsoid.a},${1 / ellipsoid.f}],TOWGS84[10,20,30]],PRIMEM["Greenwich",${(none as GeographicCrs).primeMeridian}],UNIT["degree",0.0174532925199433]]`,
    );
    expect(geographicOf(stated).shift).toMatchObject({ tx: 10, ty: 20, tz: 30 });
    expect(() => transformer(stated, wgs84)).not.toThrow();
  });

  const source =
    'GEOGCRS["Ours",DATUM["Ours_1931",ELLIPSOID["Own",6378300,297.5]],CS[ellipsoidal,2],AXIS["lat",north],AXIS["lon",east],ANGLEUNIT["degree",0.0174532925199433]]';
  const target = (name: string, code: number) =>
    `TARGETCRS[GEOGCRS["${name}",DATUM["${name}",ELLIPSOID["WGS 84",6378137,298.257223563]],CS[ellipsoidal,2],AXIS["lat",north],AXIS["lon",east],ANGLEUNIT["degree",0.0174532925199433],ID["EPSG",${code}]]]`;
  const bound = (method: string, parameters: string, to = target('WGS 84', 4326)) =>
    crsFromText(
      `BOUNDCRS[SOURCECRS[${source}],${to},ABRIDGEDTRANSFORMATION["s",METHOD["${method}"],${parameters}]]`,
    ) as GeographicCrs;

  it('in BOUNDCRS are read by name, in any order, with their units', () => {
    const crs = bound(
      'Coordinate Frame rotation (geog2D domain)',
      'PARAMETER["Scale difference",-5,SCALEUNIT["parts per million",0.000001]],PARAMETER["Z-axis rotation",3,ANGLEUNIT["arc-second",0.00000484813681109536]],PARAMETER["X-axis translation",0.1,LENGTHUNIT["kilometre",1000]],PARAMETER["Y-axis translation",-50],PARAMETER["Z-axis translation",20],PARAMETER["X-axis rotation",1.9725,ANGLEUNIT["microradian",0.000001]],PARAMETER["Y-axis rotation",0]',
    );
    expect(crs.shift).toMatchObject({ tx: 100, ty: -50, tz: 20, ry: 0 });
    expect(crs.shift!.rz).toBeCloseTo(-3, 9);
    expect(crs.shift!.rx).toBeCloseTo(-0.406857, 5);
    expect(crs.shift!.ppm).toBeCloseTo(-5, 9);
  });

  it('by Molodensky–Badekas turn about their point: the worked example of the guidance note', () => {
    const crs = bound(
      'Molodensky-Badekas (CF geog2D domain)',
      'PARAMETER["X-axis translation",-270.933],PARAMETER["Y-axis translation",115.599],PARAMETER["Z-axis translation",-360.226],PARAMETER["X-axis rotation",-5.266],PARAMETER["Y-axis rotation",-1.238],PARAMETER["Z-axis rotation",2.381],PARAMETER["Scale difference",0.999994891],PARAMETER["Ordinate 1 of evaluation point",2464351.59],PARAMETER["Ordinate 2 of evaluation point",-5783466.61],PARAMETER["Ordinate 3 of evaluation point",974809.81]',
    );
    const m = affineOfShift(crs.shift!);
    // La Canoa, and REGVEN (EPSG Guidance Note 7-2, 4.3.3.3).
    const [x, y, z] = [2550408.96, -5749912.26, 1054891.11];
    const found = [0, 4, 8].map((k) => m[k] * x + m[k + 1] * y + m[k + 2] * z + m[k + 3]);
    expect(found[0]).toBeCloseTo(2550138.45, 1);
    expect(found[1]).toBeCloseTo(-5749799.87, 1);
    expect(found[2]).toBeCloseTo(1054530.82, 1);
    // The registry has it for that datum.
    expect(crsByEpsg(4247)).toMatchObject({ shift: { pivot: [2464351.59, -5783466.61, 974809.81] } });
  });

  it.each([
    [
      'another target',
      'Geocentric translations (geog2D domain)',
      'PARAMETER["X-axis translation",1],PARAMETER["Y-axis translation",1],PARAMETER["Z-axis translation",1]',
      target('DHDN', 4314),
      /leads to DHDN/,
    ],
    [
      'another method',
      'Similarity transformation',
      'PARAMETER["X-axis translation",1]',
      target('WGS 84', 4326),
      /method is not known/,
    ],
    [
      'a grid',
      'NTv2',
      'PARAMETERFILE["Latitude and longitude difference file","own.gsb"]',
      target('WGS 84', 4326),
      /grid file/,
    ],
    [
      'a parameter that is not known',
      'Position Vector transformation (geog2D domain)',
      'PARAMETER["X-axis wobble",1]',
      target('WGS 84', 4326),
      /X-axis wobble/,
    ],
  ])('%s is never taken for a shift to WGS 84, and that is said', (_, method, parameters, to, words) => {
    const crs = bound(method, parameters, to);
    expect(crs.shift).toBeNull();
    expect(crs.remarks![0].words).toMatch(words);
  });
});

describe('names of datums', () => {
  it('CH1903 and CH1903+ are two', () => {
    expect(datumKey('CH1903')).not.toBe(datumKey('CH1903+'));
    expect(() =>
      transformer(crsByEpsg(21781)!, crsByEpsg(2056)!).transform(Float64Array.of(600000, 200000)),
    ).not.toThrow();
    expect(transformer(crsByEpsg(21781)!, crsByEpsg(2056)!).datumWords).not.toBe('same datum');
  });

  it('two that nobody names are not known to be one', () => {
    const unknown = crsFromText(gcs('x', 'D_Unknown', 'international'));
    const other = crsFromText(gcs('y', 'D_unnamed', 'international'));
    expect(sameCrs(unknown, other)).toBe(false);
  });

  it('of another ellipsoid are another datum, whatever they are called', () => {
    const odd = crsFromText(gcs('WGS_1984', 'D_WGS_1984', 'bessel'));
    expect(odd.code).toBeUndefined();
    expect(codeOf(() => transformer(odd, wgs84))).toBe('datum-shift-unknown');
  });

  it('a meridian written with few digits is the one that is meant', () => {
    for (const digits of ['2.3372', '2.337229', '2.33722917', '2.337229166666667', '2.5969213']) {
      const crs = crsFromText(
        gcs('NTF_Paris', 'D_NTF', 'ign', `PRIMEM["Paris",${digits}]`, 'UNIT["Grad",0.0157079632679489]'),
      );
      expect(crs.code, digits).toBe('EPSG:4807');
    }
    // Two metres beside it, and another meridian of that name.
    const other = crsFromText(gcs('Old', 'D_Old', 'ign', 'PRIMEM["Paris",2.33720833333333]'));
    expect((other as GeographicCrs).primeMeridian).toBeCloseTo(2.33720833333, 9);
  });
});

describe('codes', () => {
  it('beyond 32767 belong to no EPSG, and are found by number', () => {
    const robinson = crsFromText('54030');
    expect(robinson).toMatchObject({ name: 'Robinson', code: undefined });
    expect(crsByEpsg(54030)).toBeNull();
    for (const code of registryCodes().filter((each) => Number(each) > 32767))
      expect(crsByNumber(code)!.code).toBeUndefined();
  });

  it('that exist and are not computed say what they are', () => {
    expect(() => crsFromText('EPSG:3855')).toThrowError(/EGM2008 height.*vertical/);
    expect(() => crsFromText('EPSG:4978')).toThrowError(/geocentric.*EPSG:4326|geocentric/);
    expect(() => crsFromText('54050')).toThrowError(/Fuller/);
    expect(() => crsFromText('EPSG:5801')).toThrowError(/Barcelona Grid B1.*engineering/);
    expect(crsFromText('EPSG:4979').code).toBe('EPSG:4326');
    expect(crsFromText('EPSG:7415').code).toBe('EPSG:28992');
  });

  it('a real miss proposes what is near, in words or in digits', () => {
    const advice = (text: string) => {
      try {
        crsFromText(text);
      } catch (error) {
        return (error as IsomericError).advice;
      }
      return '';
    };
    expect(advice('WGS84 UTM zon 26N')).toMatch(/EPSG:32626/);
    expect(advice('EPSG:28993')).toMatch(/EPSG:28992/);
    expect(advice('belgian lambert')).toMatch(/Belg/);
    expect(advice('no such thing at all')).not.toMatch(/Near it/);
  });
});
